"""Games that nobody has seen: each described from scratch, harvested, built, and read by the standard library alone."""

from __future__ import annotations

import csv
import json
import re
import wave
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest

from conftest import LOCAL, Made, clip, edit, run

MOTHWICK = """
[modes]
replace = "by-path"
new = false

[catalogue]
folder = "house"

[[document]]
path = "wings/table.tsv"
mode = "known"
entry-for = "take"

[[kind]]
name = "hymn"
categories = ["hymn"]
several = false
channels = 2
files = "wings/hymns/@key@.wav"
"""


def test_replaced_by_path_with_keys_from_a_table_that_is_never_shipped(tmp_path: Path) -> None:
    rows = ["call\tsort\tlies", "moth.lands\tsmall\tloud/m1.lck", "moth.lands\tsmall\tloud/m2.lck"]
    rows += ["moth.leaves\tsmall\tloud/m2.lck", "dusk\thymn\thymns/dusk.wav"]
    game = Made(
        tmp_path, "mothwick", MOTHWICK,
        {
            "tree/wings/table.tsv": "call\tsort\tlies\n@key@\t@category@\t@file~relative(wings)@\n",
            "tree/wings/loud/@key@-@take.number@.wav": "",
        },
        {"house/wings/table.tsv": "\n".join(rows) + "\n", "house/wings/loud/m1.lck": "?"},
    )  # fmt: skip
    game.start(
        '\n[[sound]]\nkey = "moth.lands"\ntakes = [{kept = true}, "c1.wav"]\n'
        '\n[[sound]]\nkey = "moth.leaves"\ntakes = ["c1.wav"]\n\n[[sound]]\nkey = "dusk"\ntakes = ["c2.wav"]\n',
        keys=3,
    )
    plan = run("build", "--dry-run", cwd=game.own).out
    assert "moth.leaves plays this file, too" in plan
    pack = game.build()
    assert sorted(path.name for path in pack.rglob("*.*")) == ["CREDITS.txt", "dusk.wav", "m2.wav"]
    with wave.open(str(pack / "wings/hymns/dusk.wav")) as hymn, wave.open(str(pack / "wings/loud/m2.wav")) as small:
        assert (hymn.getnchannels(), small.getnchannels()) == (2, 1)
    both = game.refused('takes = ["c1.wav"]', 'takes = ["c3.wav"]')
    assert '"wings/loud/m2.wav" would be the same file' in both
    assert len(set(re.findall(r"ichnos\.toml:\d+:\d+", both))) == 2
    assert "of the game's own files 1 can be" in game.refused('takes = ["c1.wav"]', 'takes = ["c1.wav", "c2.wav"]')
    rules = (game.profile / "game.toml").read_text()
    (game.profile / "game.toml").write_text(rules.replace("several = false", "several = false\nseconds = 0.05"))
    assert "c2.wav is 0.1 s long, and the game takes 0.05 s at most" in run("build", cwd=game.own).err
    assert "take-long  build/my-own/wings/hymns/dusk.wav" in run("check", cwd=game.own).out
    assert "cut it" in run("look", "c2.wav", "--game", game.profile, "--kind", "hymn", cwd=game.own).out
    (game.profile / "game.toml").write_text(rules)
    (pack / "wings/loud/m2.wav").rename(pack / "wings/loud/m3.wav")
    found = run("check", cwd=game.own)
    assert "path-unknown" in found.out
    assert re.search(r"did you mean wings/loud/m\d\.lck", found.out)


KETTLEBY = """
[modes]
replace = "no"

[catalogue]
folder = "data"

[[document]]
path = "data/hum.def"
format = "braces"
mode = "merge"
"""
HUM = (
    'hum "@key@" {\n    far = @far=40.0@;\n    near = @near=0.0@;\n'
    '    spout { tune = @take.pitch=+0@; from = "data/@file~file-name@"; level = @take.volume=1.0@; }\n}\n'
)
HUMS = (
    '// boilers\nhum "boiler" {\n\tfar = 60.0;\n\tnear = 1.5;\n\tspout { tune = +0; from = "data/bo.wav"; level = 0.80; }\n'
    '\tspout { tune = +2; from = "data/bo2.wav"; level = 1.0; }\n\tsteam = 7;\n}\nhum { odd }\n'
)


def test_blocks_inside_blocks_merged_and_like_an_own_entry(tmp_path: Path) -> None:
    game = Made(
        tmp_path, "kettleby", KETTLEBY,
        {"tree/data/hum.def": HUM, "tree/data/@pack.name@_@key@_@take.number@.wav": ""}, {"data/data/hum.def": HUMS},
    )  # fmt: skip
    game.start(
        '\n[[sound]]\nkey = "kettle"\nnew = true\nlike = "boiler"\nfar = 25\n'
        'takes = [{clip = "c1.wav", volume = 0.5}, {clip = "c2.wav", pitch = 1.5}, "c3.wav"]\n'
        '\n[[sound]]\nkey = "spout"\nnew = true\ntakes = ["c1.wav"]\nfile = "spout-own"\n',
        keys=1,
    )
    pack = game.build()
    text = (pack / "data/hum.def").read_text()
    assert text.startswith(HUMS.removesuffix("hum { odd }\n"))  # nothing of the game's own has changed
    added = text[len(HUMS.removesuffix("hum { odd }\n")) :]
    assert (
        'hum "kettle" {\n\tfar = 25.0;\n\tnear = 1.5;\n\tspout { tune = +0; from = "data/my-own_kettle_1.wav"; level = 0.5; }'
        in added
    )
    assert 'tune = +1.5; from = "data/my-own_kettle_2.wav"; level = 1.0' in added
    assert "steam = 7;" in added
    assert 'tune = +0; from = "data/my-own_spout-own_1.wav"; level = 1.0' in added
    assert sorted(path.name for path in (pack / "data").glob("*.wav"))[-1] == "my-own_spout-own_1.wav"
    assert "cannot have its own keys replaced" in game.refused('key = "spout"\nnew = true', 'key = "boiler"')
    assert "volume: 1 is as it is" not in game.refused("far = 25", "far = -2")
    text = (pack / "data/hum.def").read_text().replace("my-own_kettle_2", "my-own_kettle_9")
    (pack / "data/hum.def").write_text(text)
    assert "take-missing" in run("check", cwd=game.own).out


@pytest.mark.parametrize(("rules", "entry", "written"), [
    ("", "peal @key@ { notes[] = {\"@file@\"}; }\n", 'peal a { notes[] = {"a-1.wav", "a-2.wav"}; }'),
    ("[takes]\nseveral = false\n", 'drop @key@ { at = "wet\\@file~file-name@"; }\n', 'drop a { at = "wet\\a-1.wav"; }'),
])  # fmt: skip
def test_an_array_and_a_backslash_that_guards_nothing(tmp_path: Path, rules: str, entry: str, written: str) -> None:
    tree = {"tree/all.def": entry, "tree/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "wagtail", f'{rules}[[document]]\npath = "all.def"\nformat = "braces"\n', tree, {})
    takes = '["c1.wav"]' if rules else '["c1.wav", "c2.wav"]'
    game.start(f'\n[[sound]]\nkey = "a"\nnew = true\ntakes = {takes}\n')
    assert (game.build() / "all.def").read_text().strip() == written


FENLOW = """needs = ["title"]
---
[[kind]]
name = "tune"
keys = ["tune.*"]
container = "Ogg"
codec = "Vorbis"
channels = 2
several = false
parts = ["intro", "body"]
files = "fen/tunes/@field.shelf@/@key.own@.ogg"
part-files = "fen/tunes/@field.shelf@/@key.own@-@part.name@.ogg"

[[document]]
path = "fen/tunes.xml"
kinds = ["tune"]

[[document]]
path = "fen/calls.csv"
kinds = [""]

[[script]]
path = "fen/start.lua"
"""


def test_kinds_each_with_its_own_document_parts_in_places_and_a_script(tmp_path: Path) -> None:
    tree = {
        "tree/fen/tunes.xml": (
            '<tunes>\n  <tune name="@key@" from="@part.intro.file~extension(hum)@" then="@part.body.file~extension(hum)@"'
            ' beats="@field.beats~number@" calm="@field.calm~true-false@">@title@</tune>\n</tunes>\n'
        ),
        "tree/fen/calls.csv": "call,file,loud\n@key@,@file~relative(fen)@,@volume~decibel~decimals(1)=0.0@\n",
        "tree/fen/calls/@key@.wav": "",
        "scripts/fen/start.lua.j2": (
            "{% for sound in sounds %}\n{{ sound.key | constant }} = "
            "{{ ((sound.takes or sound.parts)[0].file | no_extension) | quoted }} -- {{ sound.kind or 'call' }},"
            " {{ sound.titles.en }}\n{% endfor %}\n"
        ),
    }  # fmt: skip
    game = Made(tmp_path, "fenlow", FENLOW.replace("[[kind]]", "[takes]\nseveral = false\n\n[[kind]]", 1), tree, {})
    game.start(
        '\n[[sound]]\nkey = "tune.dawn"\nnew = true\ntitle = "Dawn & dew"\nparts = {intro = "c1.wav", body = "c2.wav"}\n'
        'fields = {shelf = "low", beats = 90, calm = true}\n'
        '\n[[sound]]\nkey = "coot"\nnew = true\ntitle = "Coot"\nvolume = 0.5\ntakes = ["c3.wav"]\n'
    )
    pack = game.build()
    assert "tunes.xml  the definitions of 1 sound\n" in run("build", "--dry-run", cwd=game.own).out
    assert "has no place for title" not in run("build", "--dry-run", cwd=game.own).err
    (tune,) = ElementTree.parse(pack / "fen/tunes.xml").getroot()
    assert tune.attrib == {
        "name": "tune.dawn", "from": "fen/tunes/low/dawn-intro.hum", "then": "fen/tunes/low/dawn-body.hum",
        "beats": "90", "calm": "true",
    }  # fmt: skip
    assert tune.text == "Dawn & dew"
    rows = list(csv.DictReader((pack / "fen/calls.csv").read_text().splitlines()))
    assert rows == [{"call": "coot", "file": "calls/coot.wav", "loud": "-6.0"}]
    assert (pack / "fen/tunes/low/dawn-body.ogg").read_bytes()[:4] == b"OggS"
    assert (pack / "fen/start.lua").read_text() == (
        'TUNE_DAWN = "fen/tunes/low/dawn-intro" -- tune, Dawn & dew\nCOOT = "fen/calls/coot" -- call, Coot\n'
    )
    assert "needs the title of coot" in game.refused('title = "Coot"\n', "")
    assert "knows no part 'outro'" in game.refused("body = ", "outro = ")
    assert 'no kind "song"' in game.refused('title = "Coot"', 'title = "Coot"\nkind = "song"')
    assert "has one take for each key" in game.refused('["c3.wav"]', '["c3.wav", "c1.wav"]')
    script = pack / "fen/start.lua"
    script.write_text(script.read_text().replace("calls/coot", "calls/coat"))
    assert "script-file" in run("check", cwd=game.own).out


COPPERKEEP = """
[catalogue]
folder = "keep"

[[document]]
path = "words/@language@.txt"
mode = "merge"

[[document]]
path = "bells.json"
mode = "merge"
"""


def test_a_sound_in_two_lines_new_titles_alone_and_one_list_for_each_kind(tmp_path: Path) -> None:
    bells = {"big": [{"id": "noon", "on": "own/noon"}], "small": [{"id": "door", "on": "own/door"}], "colours": 3}
    game = Made(
        tmp_path, "copperkeep",
        COPPERKEEP.replace('"bells.json"\n', '"bells.json"\nentries = {big = 2, small = 3}\n')
        + '[[kind]]\nname = "big"\ncategories = ["big"]\nseveral = false\n\n'
        '[[kind]]\nname = "small"\nkeys = ["door*"]\nseveral = false\n',
        {
            "tree/words/@language@.txt": "@key@.name = @title@\n@key@.note = @field.note@\n",
            "tree/bells.json": (
                '{\n "big": [ {"id": "@key@", "on": "@file~no-extension@", "sort": "@category@"} ],\n'
                ' "small": [ {"id": "@key@", "on": "@file~no-extension@"} ]\n}\n'
            ),
            "tree/bronze/@pack.name@/@key@.wav": "",
        },
        {
            "keep/bells.json": json.dumps(bells, indent=2) + "\n",
            "keep/words/en.txt": "# the keep\nnoon.name = Noon\nnoon.note = At twelve\ndoor.name = Door\nHELLO\n",
            "keep/words/fr.txt": "noon.name = Midi\n",
        },
    )  # fmt: skip
    (game.profile / "game.toml").write_text(
        (game.profile / "game.toml").read_text().replace("[audio]", "[takes]\nseveral = false\n\n[audio]", 1)
    )
    game.start(
        '\n[[sound]]\nkey = "door.back"\nnew = true\ntakes = ["c1.wav"]\ntitle = {en = "Back door", fr = "Porte"}\n'
        'fields = {note = "It creaks"}\n\n[[sound]]\nkey = "noon"\ntitle = {en = "High noon", fr = "Plein midi"}\n',
        keys=2,
    )
    pack = game.build()
    assert (pack / "words/en.txt").read_text() == (
        "# the keep\nnoon.name = High noon\nnoon.note = At twelve\ndoor.name = Door\n"
        "door.back.name = Back door\ndoor.back.note = It creaks\nHELLO\n"
    )
    read = json.loads((pack / "bells.json").read_text())
    assert read == {**bells, "small": [*bells["small"], {"id": "door.back", "on": "bronze/my-own/door.back"}]}
    edit(game.own, ', fr = "Porte"', "")
    assert run("build", cwd=game.own).code == 0
    found = run("check", cwd=game.own).out
    assert '"door.back" has no title in fr' in found
    assert "entry-strange" not in found
    assert "needs takes" in game.refused('title = {en = "High noon", fr = "Plein midi"}\n', "")
    edit(game.own, 'language = "en"', 'language = "nl"')
    assert "has titles in en, fr" in game.refused('title = {en = "High noon", fr = "Plein midi"}', 'title = "Noen"')


WICKERBY = """afterwards = ["Open the game's own editor, and bake the baskets.", "Start the game."]
---
[catalogue]
readable = false

[[document]]
path = "baskets.json"
format = "json"
"""


def test_keys_from_a_list_two_lists_in_one_file_and_what_is_left_for_hands(tmp_path: Path) -> None:
    tree = {
        "tree/baskets.json": (
            '{\n "straws": [\n  {"is": "@key@", "woven": ["@file@", {"odds": "@weight@", "of": "@file@"}]}\n ],\n'
            ' "names": [\n  {"for": "@key@", "is": "@title@", "mood": "@field.mood@"}\n ]\n}\n'
        ),
        "tree/wicker/@key@-@take.number@.wav": "",
        "tree/.DS_Store": "left by a system",
    }
    game = Made(tmp_path, "wickerby", WICKERBY, tree, {"locked.bin": "nobody can open it"})
    (tmp_path / "keys.csv").write_text("key;category\nreed-bends;reeds\nreed-snaps;reeds\nwind-in-reeds;air\n")
    (tmp_path / "more.csv").write_text("# ours\nKey,file\nkey,a b.wav\nkey,c.wav\nreed,\n")
    assert run("keys", "harvest", tmp_path / "more.csv", "--game", game.profile).code == 0
    listed = json.loads(run("keys", "--game", game.profile, "--json").out)
    assert [(one["key"], one["files"]) for one in listed] == [("key", ["a b.wav", "c.wav"]), ("reed", [])]
    (tmp_path / "twice.txt").write_text("reed\n\nrush\nreed\n")
    twice = run("keys", "harvest", tmp_path / "twice.txt", "--game", game.profile)
    assert "twice.txt:4" in twice.err
    assert 'the key "reed" stands in line 1 already' in twice.err
    assert run("keys", "harvest", tmp_path / "keys.csv", "--game", game.profile).code == 0
    game.start("\n[[file]]\nfile = 'texts\\read me.txt'\npath = \"notes/read me.txt\"\n")
    (game.own / LOCAL).write_text('installation = "../game"\n')
    (game.own / "texts").mkdir()
    (game.own / "texts/read me.txt").write_text("Hello.")
    (game.own / "from").mkdir()
    clip(game.own / "from/reed snaps 1.wav", 1)
    clip(game.own / "from/reed snaps 2.wav", 2)
    done = run("assign", "--from", "from", "--volume", "0.5", cwd=game.own)
    assert "reed-snaps gets" in done.out, done.err
    done = run("assign", "wind-in-reeds", "c1.wav", "--weight", "3", "--title", "Wind", cwd=game.own)
    assert done.code == 0, done.err
    built = run("build", cwd=game.own)
    assert built.code == 0, built.err
    assert "1. Open the game's own editor, and bake the baskets." in built.err
    assert "Wickerby has no place for volume" in built.err
    pack = game.build()
    content = json.loads((pack / "baskets.json").read_text())
    assert content["straws"] == [
        {"is": "reed-snaps", "woven": ["wicker/reed-snaps-1.wav", "wicker/reed-snaps-2.wav"]},
        {"is": "wind-in-reeds", "woven": [{"odds": 3, "of": "wicker/wind-in-reeds-1.wav"}]},
    ]
    assert content["names"] == [{"for": "reed-snaps"}, {"for": "wind-in-reeds", "is": "Wind"}]
    assert (pack / "notes/read me.txt").read_text() == "Hello."
    assert not list(pack.rglob(".DS_Store"))
    assert "did you mean reed-snaps" in game.refused('key = "reed-snaps"', 'key = "reed-snap"')
    (pack / "baskets.json").write_text((pack / "baskets.json").read_text().replace('"for": "reed-snaps"', '"for": 3'))
    assert run("check", cwd=game.own).code == 1


@pytest.mark.parametrize(
    ("installed", "said"),
    [
        ({"wings/table.tsv": "x\n"}, "there is no folder house/; wings/table.tsv is not below house/ (it is at wings"),
        ({"house/wings/table.tsv": "call\tsort\n"}, "wings/table.tsv is there, and no entry is in it"),
        ({"house/wings/table.tsv": 'a\ta\n"'}, "wings/table.tsv cannot be read"),
    ],
)
def test_what_was_looked_for_is_told(tmp_path: Path, installed: dict[str, str], said: str) -> None:
    tree = {
        "tree/wings/table.tsv": "call\tsort\tlies\n@key@\t@category@\t@file@\n",
        "tree/wings/@key@-@take.number@.wav": "",
    }
    game = Made(tmp_path, "mothwick", MOTHWICK, tree, installed)
    result = run("keys", "harvest", tmp_path / "game", "--game", game.profile)
    assert result.code == 1
    assert said in result.err


def test_references_below_a_root_that_the_file_states_and_a_pack_that_is_installed_already(tmp_path: Path) -> None:
    shape = '<reeds lie="@root=audio@">\n  <reed is="@key@" at="@file~below-root~no-extension@"/>\n</reeds>\n'
    theirs = '<reeds lie="old/wav">\n  <reed is="old" at="low"/>\n</reeds>\n'
    game = Made(
        tmp_path, "reedham",
        '[takes]\nseveral = false\n\n[catalogue]\nfolder = "in"\n\n[[document]]\npath = "reeds.xml"\nmode = "merge"\n',
        {"tree/reeds.xml": shape, "tree/old/wav/@pack.name@/@key@.wav": ""}, {"in/reeds.xml": theirs},
    )  # fmt: skip
    rules = game.profile / "game.toml"
    game.start('\n[[sound]]\nkey = "reed"\nnew = true\ntakes = ["c1.wav"]\n', keys=1)
    found = json.loads(run("keys", "old", "--game", game.profile, "--json").out)
    assert found[0]["files"] == ["old/wav/low"]
    refused = run("build", cwd=game.own)
    assert refused.code == 1
    assert "reeds.xml" in refused.err  # the game's own file says another root than the profile, and the proof sees it
    shape = (game.profile / "tree/reeds.xml").read_text().replace("audio", "old/wav")
    (game.profile / "tree/reeds.xml").write_text(shape)
    assert rules.is_file()
    pack = game.build()
    (_, reed) = ElementTree.parse(pack / "reeds.xml").getroot()
    assert reed.attrib == {"is": "reed", "at": "my-own/reed"}
    before = (pack / "reeds.xml").read_bytes()
    (tmp_path / "game/in/reeds.xml").write_bytes(before)  # installed
    again = game.build()
    assert (again / "reeds.xml").read_bytes() == before
    assert '"reed" is not new' in game.refused('name = "my-own"', 'name = "another"')


def test_an_installed_pack_is_known_by_its_id_as_well(tmp_path: Path) -> None:
    tree = {
        "tree/own/@pack.name@.json": '{"id": "@uuid.pack@", "all": [\n {"is": "@key@", "on": ["@file@"]}\n]}\n',
        "tree/wav/@key@-@take.number@.wav": "",
    }
    game = Made(
        tmp_path, "reedham", '[catalogue]\nfolder = "in"\n', tree, {"in/own/base.json": '{"id": "x", "all": []}'}
    )
    game.start('\n[[sound]]\nkey = "reed"\nnew = true\ntakes = ["c1.wav", "c2.wav"]\n')
    pack = game.build()
    (game.own / LOCAL).write_text('installation = "../game"\n')
    mine = (pack / "own/my-own.json").read_text()
    (tmp_path / "game/in/own/my-own.json").write_text(mine)
    assert game.build().is_dir()
    other = re.sub(r'"id": "[0-9a-f-]+"', '"id": "00000000-0000-4000-8000-000000000000"', mine)
    (tmp_path / "game/in/own/my-own.json").write_text(other)
    assert '"reed" is not new' in run("build", cwd=game.own).err


def test_a_large_list_of_single_takes_is_harvested(tmp_path: Path) -> None:
    """Beyond a quarter of a megabyte a JSON file is read without places, and gives the same keys."""
    rows = [{"id": f"moth.{number}", "f": f"s/{'x' * 60}-{number}.wav"} for number in range(4000)]
    game = Made(
        tmp_path, "mothwick", "\n[takes]\nseveral = false\n",
        {"tree/all.json": '{"all": [{"id": "@key@", "f": "@file@"}]}', "tree/s/@key@.wav": ""},
        {"all.json": json.dumps({"all": rows})},
    )  # fmt: skip
    found = run("keys", "harvest", game.folder / "game", "--game", game.profile, "--json")
    assert json.loads(found.out)["keys"] == 4000


def test_a_script_says_the_packs_version_and_a_fragment_stands_for_each_sound(tmp_path: Path) -> None:
    game = Made(
        tmp_path, "mothwick", '\n[[script]]\npath = "about.txt"\n[[document]]\npath = "each/@key@.json"\nmode = "fragment"\n',
        {"tree/each/@key@.json": '{"id": "@key@", "f": ["@file@"]}', "tree/s/@key@-@take.number@.wav": "",
         "scripts/about.txt.j2": "{{ pack.version }} of {{ game.version }}"}, {},
    )  # fmt: skip
    game.start(
        '\n[[sound]]\nkey = "moth.wing"\nnew = true\ntakes = ["c1.wav"]\n[[sound]]\nkey = "moth.eye"\nnew = true\ntakes = ["c2.wav"]\n'
    )
    pack = game.build()
    assert (pack / "about.txt").read_text() == "0.1.0 of 1.1"
    assert sorted(path.name for path in (pack / "each").iterdir()) == ["moth.eye.json", "moth.wing.json"]


SPOKEN = {
    "each-in-itself.json": (
        '{"all": [\n {"id": "@prop.name@", "on": "@prop.key@", "called": {"@language@": "@prop.title@"},'
        ' "words": {"@language@": "@prop.text@"}}\n]}\n'
    ),
    "around.json": '{"@language@": {"@prop.name@": {"t": "@prop.title@", "w": "@prop.text@"}}}\n',
    "each-in-itself.xml": (
        '<all><p n="@prop.name@" k="@prop.key@"><t in="@language@">@prop.title@</t>'
        '<w in="@language@">@prop.text@</w></p></all>\n'
    ),
    "rows.csv": "name,tongue,called,words\n@prop.name@,@language@,@prop.title@,@prop.text=@\n",
    "files/@language@.txt": "@prop.name@ = @prop.title@\n",
    "both-apart.json": (
        '{"s": [{"k": "@key@", "t": {"@language@": "@title@"}}],'
        ' "p": [{"n": "@prop.name@", "t": {"@language@": "@prop.title@"}, "w": "@prop.text@"}]}\n'
    ),
    "around-both.json": '{"@language@": {"s": {"@key@": "@title@"}, "p": {"@prop.name@": "@prop.title@"}}}\n',
    "alone.json": '{"@prop.name@": {"t": "@prop.title@", "k": "@prop.key@", "w": "@prop.text@"}}\n',
}
STOVE, KETTLE = {"en": "A stove", "de": "Ein Ofen"}, {"en": "A kettle"}


@pytest.mark.parametrize("shape", SPOKEN)
def test_titles_and_texts_of_props_by_language_wherever_a_game_has_them(tmp_path: Path, shape: str) -> None:
    tree = {f"tree/{shape}": SPOKEN[shape], "tree/@key@.wav": "", "tree/list.json": '{"@key@": "@file@"}\n'}
    game = Made(tmp_path, "mill", "[takes]\nseveral = false\n", tree, {})
    game.start(
        '\n[[sound]]\nkey = "reed"\nnew = true\ntakes = ["c1.wav"]\ntitle = {en = "Reed", nl = "Riet"}\n'
        '\n[[prop]]\nname = "stove"\nkey = "reed"\ntitle = {en = "A stove", de = "Ein Ofen"}\n'
        'text = {en = "Warm.", de = "Warm!"}\n\n[[prop]]\nname = "kettle"\nkey = "reed"\ntitle = "A kettle"\n'
    )
    assert run("build", cwd=game.own).code == 0
    pack = game.own / "build/my-own"
    said = run("build", "--dry-run", cwd=game.own).err
    if "@" in shape:
        assert {path.name: path.read_text() for path in (pack / "files").iterdir()} == {
            "en.txt": "stove = A stove\nkettle = A kettle\n", "de.txt": "stove = Ein Ofen\n",
        }  # fmt: skip
        assert "stove: Mill has no place for key, text of a prop" in said
        return
    text = (pack / shape).read_text()
    found: object = text
    if shape.endswith(".json"):
        found = json.loads(text)
    expected: dict[str, object] = {
        "each-in-itself.json": {"all": [
            {"id": "stove", "on": "reed", "called": STOVE, "words": {"en": "Warm.", "de": "Warm!"}},
            {"id": "kettle", "on": "reed", "called": KETTLE},
        ]},
        "around.json": {
            "en": {"stove": {"t": "A stove", "w": "Warm."}, "kettle": {"t": "A kettle"}},
            "nl": {}, "de": {"stove": {"t": "Ein Ofen", "w": "Warm!"}},
        },
        "both-apart.json": {
            "s": [{"k": "reed", "t": {"en": "Reed", "nl": "Riet"}}],
            "p": [{"n": "stove", "t": STOVE, "w": "Warm."}, {"n": "kettle", "t": KETTLE}],
        },
        "around-both.json": {
            "en": {"s": {"reed": "Reed"}, "p": {"stove": "A stove", "kettle": "A kettle"}},
            "nl": {"s": {"reed": "Riet"}, "p": {}}, "de": {"s": {}, "p": {"stove": "Ein Ofen"}},
        },
        "alone.json": {"stove": {"t": "A stove", "k": "reed", "w": "Warm."}, "kettle": {"t": "A kettle", "k": "reed"}},
        "rows.csv": "name,tongue,called,words\nstove,en,A stove,Warm.\nstove,de,Ein Ofen,Warm!\nkettle,en,A kettle,\n",
        "each-in-itself.xml": (
            '<all><p n="stove" k="reed"><t in="en">A stove</t><w in="en">Warm.</w><t in="de">Ein Ofen</t>'
            '<w in="de">Warm!</w></p><p n="kettle" k="reed"><t in="en">A kettle</t></p></all>\n'
        ),
    }  # fmt: skip
    assert found == expected[shape]
    lost = {"alone.json": "the title in de, the text in de", "both-apart.json": "key, the text in de"}.get(shape)
    assert lost is None or f"stove: Mill has no place for {lost} of a prop" in said
    untitled = 'the prop "kettle" has no title in de' in run("check", cwd=game.own).out
    assert untitled is (shape != "alone.json")
