"""Profiles that declare things and fields of their own: ichnos.toml speaks them as it speaks its own."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path

import pytest

from conftest import Made, edit, run
from ichnos.games.profiles.declared import SAID_OTHERWISE, Declarations, DeclaredThing
from ichnos.games.profiles.loading import _TAKEN
from ichnos.games.profiles.vocabulary import PACK, SCHEDULE, SOUND, TAKE, of_scope
from ichnos.pack.workspace.about_pack import Pack
from ichnos.pack.workspace.pack_file import Defaults, Elsewhere, PackFile, Schedule, Sound, Take

RULES = """
[[script]]
path = "desk.lua"

[[thing]]
name = "channel"
about = "a channel of the mixing desk"

[[field]]
of = "channel"
name = "gain"
kind = "number"
unit = "dB"
least = -60
most = 6
about = "how loud it is"
needed = true

[[field]]
of = "channel"
name = "opens"
kind = "key"
about = "the sound that is heard when it opens"

[[field]]
name = "channel"
about = "the channel that it goes through"

[[field]]
name = "mood"
choices = ["calm", "brisk"]
about = "which weather it is for"

[[field]]
of = "take"
name = "echo"
kind = "number"
least = 0
most = 1
about = "how much of it comes back from the hills"

[[field]]
of = "pack"
name = "seats"
kind = "whole"
about = "for how many players"
"""
DESK = """{
  "seats": "@pack.seats=1@",
  "desk": [
    {"channel": "@channel.name@", "gain": "@channel.gain@", "opens": "@channel.opens@"}
  ],
  "noises": [
    {"noise": "@key@", "through": "@channel@", "mood": "@mood@",
     "from": [{"wav": "@file@", "echo": "@take.echo~percent@"}]}
  ]
}
"""
SCRIPT = '{% for one in channels %}open("{{ one.name }}", {{ one.fields.gain }})\n{% endfor %}'
TREE = {"tree/desk.json": DESK, "tree/wav/@key@-@take.number@.wav": "", "scripts/desk.lua.j2": SCRIPT}
SAID = """
[[sound]]
key = "weir"
new = true
channel = "water"
mood = "brisk"
takes = [{clip = "c1.wav", echo = 0.25}, "c2.wav"]

[[sound]]
key = "bell"
new = true
takes = ["c3.wav"]

[[channel]]
name = "water"
gain = -6.5
opens = "bell"

[[channel]]
name = "wind"
gain = 0
"""


def _desk(folder: Path) -> Made:
    game = Made(folder, "lock", RULES, TREE, {})
    game.start(SAID)
    edit(game.own, "[pack]\n", "[pack]\nseats = 3\n")
    return game


def test_things_and_fields_of_a_profile_s_own(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    pack = game.build()
    assert json.loads((pack / "desk.json").read_text()) == {
        "seats": 3,
        "desk": [{"channel": "water", "gain": -6.5, "opens": "bell"}, {"channel": "wind", "gain": 0}],
        "noises": [
            {
                "noise": "weir",
                "through": "water",
                "mood": "brisk",
                "from": [{"wav": "wav/weir-1.wav", "echo": 25}, {"wav": "wav/weir-2.wav"}],
            },
            {"noise": "bell", "from": [{"wav": "wav/bell-1.wav"}]},
        ],
    }
    assert (pack / "desk.lua").read_text().split() == ['open("water",', "-6.5)", 'open("wind",', "0)"]
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path).code == 0
    adopted = (tmp_path / "theirs" / "ichnos.toml").read_text("utf-8")
    for line in ("seats = 3", "[[channel]]", "gain = -6.5", "echo = 0.25", 'mood = "brisk"', 'opens = "bell"'):
        assert line in adopted
    other = run("build", "--json", cwd=tmp_path / "theirs")
    assert other.code == 0, other.err
    theirs = Path(json.loads(other.out)["to"])
    assert (theirs / "desk.json").read_bytes() == (pack / "desk.json").read_bytes()
    text = (theirs / "desk.json").read_text().replace("-6.5", "-3").replace("brisk", "calm")
    (theirs / "desk.json").write_text(text)
    compared = run("compare", pack, theirs, "--game", game.profile, cwd=tmp_path)
    assert "~ channel water" in compared.out
    assert "gain: -6.5  becomes  -3" in compared.out
    assert "mood" in compared.out


def test_a_profile_s_own_things_have_a_command_and_a_table(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    (game.own / "channels.csv").write_text("name,gain,opens\nfog,-3,weir\n")
    for words, told in (
        (("channel", "rain", "--field", "gain=2", "--field", "opens=bell"), "rain: a channel"),
        (("channel", "rain", "--field", "gain=1", "--replace"), "in the old one's place"),
    ):
        ran = game.run("thing", *words, cwd=game.own)
        assert ran.code == 0, ran.err
        assert told in ran.out
    desk = json.loads((game.build() / "desk.json").read_text())["desk"]
    assert desk[2:] == [{"channel": "rain", "gain": 1}, {"channel": "fog", "gain": -3, "opens": "weir"}]
    for words, told in (
        (("channel", "rain", "--field", "gain=1"), 'there is a channel "rain" in ichnos.toml already'),
        (("channel", "fog", "--field", "gain=1"), 'the channel "fog" stands in channels.csv:2'),
        (("channel", "hail", "--field", "gain=7"), "it must be at most 6"),
        (("channel", "hail"), "needs the gain of a channel\n"),
        (("chanel", "hail", "--field", "gain=1"), "did you mean channel?"),
    ):
        ran = game.run("thing", *words, cwd=game.own)
        assert ran.code in (1, 2)
        assert told in ran.err, ran.err
    for row, told in (
        ("fog,9,weir", 'channels.csv:2:1: column "gain": it must be at most 6'),
        ("wind,1,weir", 'there is a channel "wind" in ichnos.toml:'),
    ):
        (game.own / "channels.csv").write_text(f"name,gain,opens\n{row}\n")
        ran = game.run("build", cwd=game.own)
        assert ran.code == 1
        assert told in ran.err, ran.err


def test_slips_in_them_are_told_as_in_any_other(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    with (game.own / "ichnos.toml").open("a") as file:
        file.write('\n[[trigger]]\nname = "t"\nevent = "e"\nkey = "weir"\n')
    for old, new, told in (
        ("gain = -6.5", "gain = 9", "it must be at most 6"),
        ("gain = -6.5", "gian = 9", 'did you mean "gain"?'),
        ("gain = -6.5", 'gain = "loud"', "a number is expected"),
        ("gain = -6.5", "gain = true", "a number is expected, and not true"),
        ("gain = -6.5\n", "", 'Lock needs the gain of the channel "water"'),
        ('mood = "brisk"', 'mood = "wild"', "one of these is expected: 'calm' or 'brisk'"),
        ("echo = 0.25", "echo = 2", "it must be at most 1"),
        ('name = "wind"', 'name = "water"', 'the channel "water" is there already'),
        ("[[channel]]", "[[chanel]]", 'did you mean "channel"?'),
        ("[[trigger]]", "[trigger]", "write [[trigger]]"),
    ):
        assert told in game.refused(old, new)


def test_tables_have_columns_for_them(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    (game.own / "sounds.csv").write_text("key,clip,new,mood,echo\ngull,c4.wav,yes,calm,0.5\n")
    text = (game.build() / "desk.json").read_text()
    noise = json.loads(text)["noises"][-1]
    assert noise == {"noise": "gull", "mood": "calm", "from": [{"wav": "wav/gull-1.wav", "echo": 50}]}
    (game.own / "sounds.csv").write_text("key,clip,new,mood,echo\ngull,c4.wav,yes,calm,5\n")
    assert "sounds.csv:2" in run("build", cwd=game.own).err


def test_what_a_game_has_no_place_for_is_told(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    more = '\n[[schedule]]\nname = "night"\nentries = [{key = "bell", fields = {mood = "calm"}}]\n'
    edit(game.own, "[pack]\n", "[pack]\nfields = {port = 3}\n")
    with (game.own / "ichnos.toml").open("a") as file:
        file.write(more)
    with (game.profile / "tree/turns.json").open("w") as file:
        file.write('{"turns": [{"name": "@schedule.name@", "of": ["@entry.key@"]}]}\n')
    told = run("build", cwd=game.own)
    assert "no place for port of the pack" in told.out + told.err
    assert "no place for mood of entry 1 of a schedule" in told.out + told.err


def test_a_thing_cannot_be_called_as_a_table_that_every_workspace_has() -> None:
    taken = [info.alias or name for name, info in PackFile.model_fields.items()]
    things = Declarations(tuple(DeclaredThing(name=name, about="x") for name in taken))
    assert len(list(things.slips(_TAKEN))) == len(taken)


def test_lists_and_defaults_of_declared_fields(tmp_path: Path) -> None:
    rules = """takes = {several = false}
---
[[thing]]
name = "room"
about = "a room of the mill"
[[field]]
of = "room"
name = "doors"
kind = "list"
about = "its doors"
[[field]]
name = "tags"
kind = "list"
about = "what it is found by"
[[field]]
name = "dust"
kind = "number"
least = 0
default = 0.25
about = "how dusty it sounds"
[[document]]
path = "noises.json"
mode = "merge"
"""
    tree = {
        "tree/noises.json": '{"noises": [\n  {"id": "@key@", "tags": "@tags@", "dust": "@dust@", "wav": "@file@"}\n]}\n',
        "tree/rooms.txt": "@room.name@ = @room.doors~joined(, )@\n",
        "tree/own/@key@.wav": "",
    }
    own = {
        "noises.json": '{"noises": [\n  {"id": "weir", "tags": ["old", "wet"], "dust": 1, "wav": "o/weir.wav"}\n]}\n'
    }
    game = Made(
        tmp_path,
        "mill",
        rules.replace("[[document]]", '[[document]]\npath = "rooms.txt"\nformat = "lines"\n[[document]]'),
        tree,
        own,
    )
    game.start(
        '\n[[sound]]\nkey = "cog"\nnew = true\ntakes = ["c1.wav"]\ntags = ["oak", "slow"]\n'
        '\n[[sound]]\nkey = "sack"\nnew = true\ntakes = ["c2.wav"]\ndust = 2\n'
        '\n[[room]]\nname = "loft"\ndoors = ["north", "south"]\n',
        keys=1,
    )
    (game.own / "sounds.csv").write_text("key,clip,new,tags\nrope,c3.wav,yes,hemp; long\n")
    pack = game.build()
    noises = {
        one["id"]: (one.get("tags"), one["dust"]) for one in json.loads((pack / "noises.json").read_text())["noises"]
    }
    assert noises == {
        "weir": (["old", "wet"], 1), "cog": (["oak", "slow"], 0.25), "sack": (None, 2), "rope": (["hemp", "long"], 0.25),
    }  # fmt: skip
    assert (pack / "rooms.txt").read_text() == "loft = north, south\n"
    back = run("adopt", pack, "--game", game.profile, "--installation", tmp_path / "game", "--to", tmp_path / "back")
    assert back.code == 0, back.out + back.err
    text = (tmp_path / "back/ichnos.toml").read_text("utf-8")
    assert 'tags = ["oak", "slow"]' in text
    assert 'doors = ["north", "south"]' in text
    assert text.count("dust") == 1
    assert "tags" in game.refused('tags = ["oak", "slow"]', "tags = 3")
    bad = (game.profile / "game.toml").read_text().replace("default = 0.25", 'default = "much"')
    (game.profile / "game.toml").write_text(bad)
    assert "'much' cannot be its value" in run("games", "check", game.profile).err


def test_files_that_fields_hold(tmp_path: Path) -> None:
    rules = """takes = {several = true}
---
[[thing]]
name = "room"
about = "a room of the mill"
[[field]]
of = "room"
name = "map"
kind = "file"
path = "maps/@room.name@"
about = "how it looks from above"
[[field]]
of = "take"
name = "words"
kind = "file"
path = "words/@pack.name@/@key@-@take.number@.txt"
about = "what is said in it"
"""
    tree = {
        "tree/noises.json": '{"noises": [\n  {"id": "@key@", "takes": [\n    {"wav": "@file@", "words": "@take.words@"}\n  ]}\n]}\n',
        "tree/rooms.xml": '<rooms>\n  <room name="@room.name@" map="@room.map~relative(maps)@"/>\n</rooms>\n',
        "tree/own/@key@-@take.number@.wav": "",
    }
    game = Made(tmp_path, "mill", rules, tree, {})
    game.start(
        '\n[[sound]]\nkey = "cog"\nnew = true\ntakes = [{clip = "c1.wav", words = "said.txt"}, "c2.wav"]\n'
        '\n[[room]]\nname = "loft"\nmap = "art/Loft.PNG"\n'
    )
    (game.own / "art").mkdir()
    (game.own / "art/Loft.PNG").write_bytes(b"a map")
    (game.own / "said.txt").write_bytes(b"Mind the cog.")
    pack = game.build()
    assert (pack / "maps/loft.png").read_bytes() == b"a map"
    assert (pack / "words/my-own/cog-1.txt").read_bytes() == b"Mind the cog."
    assert 'map="loft.png"' in (pack / "rooms.xml").read_text()
    assert json.loads((pack / "noises.json").read_text())["noises"][0]["takes"] == [
        {"wav": "own/cog-1.wav", "words": "words/my-own/cog-1.txt"}, {"wav": "own/cog-2.wav"},
    ]  # fmt: skip
    (game.own / "said.txt").write_bytes(b"Mind both cogs.")
    assert (game.build() / "words/my-own/cog-1.txt").read_bytes() == b"Mind both cogs."
    back = run("adopt", pack, "--game", game.profile, "--to", tmp_path / "back")
    assert back.code == 0, back.out + back.err
    assert "Nothing differs" in back.out
    assert 'the file "art/Lost.PNG" is not there' in game.refused("art/Loft.PNG", "art/Lost.PNG")
    (pack / "maps/loft.png").unlink()
    assert "the map of loft is maps/loft.png, which is not here" in run("check", pack, cwd=game.own).out


def test_no_field_takes_the_name_of_one_that_every_workspace_has(tmp_path: Path) -> None:
    models = {PACK: (Pack,), SOUND: (Sound, Defaults, Elsewhere), TAKE: (Take,), SCHEDULE: (Schedule,)}
    for scope, several in models.items():
        rows = {row.field for row in of_scope(scope)} | {"fields", "name"}
        have = {str(field.alias) for model in several for field in model.model_fields.values()}
        assert have - rows == set(SAID_OTHERWISE[scope])
    game = Made(
        tmp_path,
        "mill",
        '\n[[field]]\nof = "take"\nname = "path"\nabout = "x"\n',
        {"tree/own/@key@-@take.number@.wav": ""},
        {},
    )
    assert 'a take has a field "path" already' in run("games", "check", game.profile).err


TEXTS = """
[[thing]]
name = "channel"
about = "a channel of the desk"
"""
for _of, _name in (("channel", "label"), ("sound", "lore"), ("pack", "motto"), ("prop", "smell")):
    TEXTS += f'[[field]]\nof = "{_of}"\nname = "{_name}"\nkind = "texts"\nabout = "what players read"\n'
BY_FILE = {
    "tree/all.json": '{"noises": [{"id": "@key@", "files": ["@file@"]}], "props": [{"p": "@prop.name@", "k": "@prop.key@"}]}\n',
    "tree/words/@language@.txt": "motto = @pack.motto@\n@key@.lore = @lore@\n",
    "tree/desk/@language@.txt": "@channel.name@.label = @channel.label@\n@prop.name@.smell = @prop.smell@\n",
    "tree/mine/@key@-@take.number@.wav": "",
}
IN_ENTRIES = {
    "tree/all.json": """{"noises": [{"id": "@key@", "lore": [{"in": "@language@", "is": "@lore@"}], "files": ["@file@"]}],
 "desk": [{"c": "@channel.name@", "labels": {"@language@": "@channel.label@"}}],
 "props": [{"p": "@prop.name@", "k": "@prop.key@", "smells": {"@language@": "@prop.smell@"}}]}
""",
    "tree/words/@language@.txt": "motto = @pack.motto@\n",
    "tree/mine/@key@-@take.number@.wav": "",
}
TRANSLATED = """
[[sound]]
key = "bell"
new = true
lore = {en = "Rung at noon", de = "Mittags"}
takes = ["c1.wav"]
[[channel]]
name = "deck"
label = {en = "Deck", de = "Unten"}
[[prop]]
name = "buoy"
title = "Buoy"
smell = {en = "of tar", de = "nach Teer"}
key = "bell"
"""


@pytest.mark.parametrize("tree", [BY_FILE, IN_ENTRIES])
def test_declared_texts_stand_in_each_language(tmp_path: Path, tree: dict[str, str]) -> None:
    game = Made(tmp_path, "pier", TEXTS, tree, {})
    game.start(TRANSLATED)
    edit(game.own, "[pack]\n", '[pack]\nmotto = {en = "Hello", de = "Moin"}\n')
    pack = game.build()
    said = "".join(path.read_text() for path in sorted(pack.rglob("*")) if path.suffix in (".json", ".txt"))
    for text in ("Rung at noon", "Mittags", "Deck", "Unten", "of tar", "nach Teer", "Hello", "Moin"):
        assert said.count(text) == 1
    again = game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "again", cwd=tmp_path)
    assert "Nothing differs" in again.out
    adopted = tomllib.loads((tmp_path / "again/ichnos.toml").read_text())
    assert adopted["pack"]["motto"] == {"en": "Hello", "de": "Moin"}
    assert adopted["channel"][0]["label"] == {"en": "Deck", "de": "Unten"}
    wrong = game.run(
        "games", "check", Made(tmp_path / "b", "pier", TEXTS.replace('"prop"', '"take"'), tree, {}).profile
    )
    assert "a take has no texts in languages" in wrong.err


def test_texts_from_tables_and_defaults_and_in_too_many_languages(tmp_path: Path) -> None:
    rules = '[[field]]\nname = "lore"\nkind = "texts"\nabout = "what players read"\n'
    tree = {
        "tree/n.json": '[{"id": "@key@", "lore": "@lore@", "file": ["@file@"]}]\n',
        "tree/m/@key@-@take.number@.wav": "",
    }
    game = Made(tmp_path, "pier", rules, tree, {})
    game.start(
        '\n[[defaults]]\nkeys = ["b*"]\nlore = "Loud"\n\n[[sound]]\nkey = "bell"\nnew = true\ntakes = ["c1.wav"]\n'
        '\n[[sound]]\nkey = "gong"\nnew = true\nlore = {en = "Low", de = "Tief"}\ntakes = ["c2.wav"]\n'
    )
    (game.own / "sounds.csv").write_text("key,clip,new,lore\nhorn,c3.wav,yes,Far\n")
    done = game.run("build", "--json", cwd=game.own)
    assert [one["lore"] for one in json.loads((game.own / "build/my-own/n.json").read_text())] == ["Loud", "Low", "Far"]
    assert "gong: Pier has no place for the lore in de" in done.out + done.err


def test_two_kinds_of_things_in_one_flat_list(tmp_path: Path) -> None:
    rules = '[[thing]]\nname = "channel"\nabout = "a channel"\n[[field]]\nof = "channel"\nname = "gain"\nabout = "how loud"\n'
    tree = {
        "tree/all.txt": "@key@.file = @file@\n@channel.name@.gain = @channel.gain@\n", "tree/m/@key@.wav": "",
    }  # fmt: skip
    game = Made(tmp_path, "pier", f"takes = {{several = false}}\n---\n{rules}", tree, {})
    game.start('\n[[sound]]\nkey = "bell"\nnew = true\ntakes = ["c1.wav"]\n\n[[channel]]\nname = "deck"\ngain = "3"\n')
    assert (game.build() / "all.txt").read_text() == "bell.file = m/bell.wav\ndeck.gain = 3\n"


LISTS = {
    "n.def": ('noises {\n\tnoise "%s" {\n\t\ttags {\n\t\t\t"%s"\n\t\t}\n\t\tfile "%s"\n\t}\n}\n', '"\n\t\t\t"'),
    "o.def": (
        'noises {\n\tnoise "%s" {\n\t\ttags {\n\t\t\ttag "%s"\n\t\t}\n\t\tfile "%s"\n\t}\n}\n',
        '"\n\t\t\ttag "',
    ),
    "n.xml": ('<a>\n<n id="%s">\n<tags><tag>%s</tag></tags>\n<file>%s</file>\n</n>\n</a>\n', "</tag><tag>"),
    "n.json": ('{"noises": [\n {"id": "%s", "tags": ["%s"], "file": "%s"}\n]}\n', '", "'),
    "n.yaml": ('noises:\n  - id: "%s"\n    tags:\n      - "%s"\n    file: "%s"\n', '"\n      - "'),
}


def test_a_list_of_something_else_is_none(tmp_path: Path) -> None:
    rules = 'takes = {several = false}\n---\n[[field]]\nname = "tags"\nkind = "list"\nabout = "a"\n'
    tree = {"tree/n.json": '{"n": [{"id": "@key@", "tags": ["@tags@"], "file": "@file@"}]}', "tree/own/@key@.wav": ""}
    own = '{"n": [{"id": "reed", "tags": ["a", {"b": 1}], "file": "r.wav"}, {"id": "fog", "tags": ["a"], "file": "r.wav"}]}'
    game = Made(tmp_path, "mill", rules, tree, {"n.json": own, "r.wav": ""})
    found = game.run("keys", "harvest", tmp_path / "game", "--game", game.profile)
    assert "Mill has 1 sound key." in found.out
    assert "1 entry fits no exemplar" in found.out + found.err


EMPTY = {"n.def": ('"x"\n\t\t', ""), "n.xml": ("<tag>x</tag>", ""), "n.yaml": ('\n      - "x"', " []")}


@pytest.mark.parametrize("name", EMPTY)
def test_a_list_without_items_gets_some(tmp_path: Path, name: str) -> None:
    text, _ = LISTS[name]
    rules = f'takes = {{several = false}}\n---\n[[field]]\nname = "tags"\nkind = "list"\nabout = "a"\n[[document]]\npath = "{name}"\n'
    own = (text % ("reed", "x", "reed.wav")).replace(*EMPTY[name])
    tree = {f"tree/{name}": text % ("@key@", "@tags@", "@file@"), "tree/own/@key@.wav": ""}
    game = Made(tmp_path, "mill", f'{rules}mode = "merge"\n', tree, {name: own, "reed.wav": ""})
    game.start('\n[[sound]]\nkey = "reed"\ntakes = ["c1.wav"]\ntags = ["p", "q"]\n', keys=1)
    built = (game.build() / name).read_text()
    assert all(item in built for item in ("p", "q"))
    assert game.run("check", cwd=game.own).code == 0


@pytest.mark.parametrize("name", LISTS)
def test_a_list_stands_as_its_document_has_lists(tmp_path: Path, name: str) -> None:
    text, between = LISTS[name]
    rules = f"""takes = {{several = false}}
---
[[field]]
name = "tags"
kind = "list"
about = "what it is found by"
[[document]]
path = "{name}"
mode = "merge"
"""
    own = text % ("reed", between.join("xy"), "reed.wav")
    tree = {f"tree/{name}": text % ("@key@", "@tags@", "@file@"), "tree/own/@key@.wav": ""}
    game = Made(tmp_path, "mill", rules, tree, {name: own, "reed.wav": ""})
    game.start(
        '\n[[sound]]\nkey = "reed"\ntakes = ["c1.wav"]\ntags = ["p", "q", "r"]\n'
        '\n[[sound]]\nkey = "weir"\nnew = true\ntakes = ["c2.wav"]\ntags = ["a b"]\n',
        keys=1,
    )
    pack = game.build()
    built = (pack / name).read_text()
    changed = text % ("reed", between.join("pqr"), "own/reed.wav")
    assert built.startswith(changed[: changed.rindex("own/reed.wav")])
    assert text.partition("%s")[2].partition("%s")[0] + "a b" in built
    (pack / name).write_text(built.replace("a b", "a"))
    back = ("--game", game.profile, "--installation", tmp_path / "game", "--to", tmp_path / "theirs")
    adopted = game.run("adopt", pack, *back, cwd=tmp_path)
    assert adopted.code == 0, adopted.out + adopted.err
    theirs = (tmp_path / "theirs/ichnos.toml").read_text("utf-8")
    assert all(line in theirs for line in ('tags = ["p", "q", "r"]', 'tags = ["a"]'))
