"""What used to get lost without a word: each is written, or refused with both places."""

from __future__ import annotations

import json
import re
import unicodedata
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest

from conftest import Made, clip, run

SOUNDS = '{"sounds": [\n  {"id": "@key@",\n   "files": ["@file@"]}\n]}\n'
ONE = "[takes]\nseveral = false\n"
TREE = {"tree/noises.json": SOUNDS, "tree/@key@-@take.number@.wav": ""}
SOUND = '\n[[sound]]\nkey = "reed"\nnew = true\ntakes = ["c1.wav"]\n'
REFUSED = {
    "an extension twice": (
        {**TREE, "tree/noises.json": SOUNDS.replace("@file@", "@file@.wav")}, "", "has its extension already"
    ),
    "holes in the name of a file of no format": (
        {**TREE, "tree/about-@pack.name@.dat": "x\n"}, "", "there are holes here (about-@pack.name@.dat)"
    ),
    "a template that nothing is made of": ({**TREE, "scripts/cues.lua.j2": "x"}, "", "no [[script]] in game.toml"),
    "takes in one file": ({**TREE, "tree/@key@-@take.number@.wav": None, "tree/@key@.wav": ""}, "", "this one file"),
    "a sound that nothing becomes": ({**TREE, "tree/@key@-@take.number@.ogg": ""}, "", "becomes such a file"),
    "a WAV beside the game's own encoder": (
        {**TREE, "tree/@key@-@take.number@.own": ""}, '[own-encoder]\nextension = ".own"\n', "its own encoder writes"
    ),
    "a kind in no document": (
        TREE, '[[kind]]\nname = "tune"\nkeys = ["t*"]\n\n[[document]]\npath = "noises.json"\nkinds = [""]\n',
        "sounds of the kind tune stand in no document",
    ),
    "a part that no sound has": (
        {**TREE, "tree/noises.json": SOUNDS.replace('"files"', '"in": "@part.intro.file@", "files"')}, "",
        'has a part "intro"',
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", REFUSED)
def test_a_profile_that_would_lose_something_is_refused(tmp_path: Path, name: str) -> None:
    tree, rules, message = REFUSED[name]
    kept = {path: text for path, text in tree.items() if text is not None}
    game = Made(tmp_path, "mill", rules, kept, {})
    result = run("games", "check", game.profile)
    assert result.code == 1
    assert message in result.err


def test_the_smallest_thing_is_left_out_in_every_format(tmp_path: Path) -> None:
    tree = {
        "tree/@key@.wav": "",
        "tree/a.xml": '<all>\n  <s key="@key@"><far>@far@</far><name>@title@</name>@field.mood@</s>\n</all>\n',
        "tree/b.json": '{"all": [\n {"id": "@key@", "name": "@title@", "far": "@far@"}\n]}\n',
        "tree/c.csv": "id,file,name\n@key@,@file@,@title@\n",
        "tree/d.ini": "[@key@]\nfile = @file@\nname = @title@\n",
        "tree/e.txt": "@key@ = @title@\n",
        "tree/words/@language@.json": '{"all": [\n {"id": "@key@", "name": "@title@"}\n]}\n',
    }
    game = Made(tmp_path, "mill", ONE, tree, {})
    game.start(SOUND + SOUND.replace("reed", "rush") + 'title = "Rush"\nfar = 3\nfields = {mood = "calm"}\n')
    pack = game.build()
    reed, rush = ElementTree.parse(pack / "a.xml").getroot()
    assert (reed.get("key"), len(reed), reed.text) == ("reed", 0, None)
    assert (rush.findtext("far"), rush.findtext("name"), (rush[1].tail or "").strip()) == ("3", "Rush", "calm")
    assert json.loads((pack / "b.json").read_text())["all"] == [
        {"id": "reed"}, {"id": "rush", "name": "Rush", "far": 3}
    ]  # fmt: skip
    assert (pack / "c.csv").read_text().splitlines()[1:] == ["reed,reed.wav,", "rush,rush.wav,Rush"]
    assert (pack / "d.ini").read_text() == "[reed]\nfile = reed.wav\n\n[rush]\nfile = rush.wav\nname = Rush\n"
    assert (pack / "e.txt").read_text() == "rush = Rush\n"  # a line without its value would say nothing
    assert json.loads((pack / "words/en.json").read_text())["all"] == [{"id": "rush", "name": "Rush"}]


LOST = [
    ('{"all": [\n ["@key@", "@file@", "@volume@"]\n]}\n', "", "has no volume, and without it"),
    ('{"all": [\n {"id": "@key.own@", "f": "@file@"}\n]}\n', SOUND.replace("reed", "big.reed"), 'spelled "reed"'),
    ('{"all": [\n {"id": "@key@", "at": "@near@-@far@", "f": "@file@"}\n]}\n', "far = 3\n", "has no near, and without"),
    ('{"all": [\n {"id": "@key@", "at": "@field.a@-@field.b@", "f": "@file@"}\n]}\n',
     'fields = {a = "x-y", b = "z"}\n', 'the field.a of "reed" is "x-y", and would be read as "x"'),
    ('{"all": [\n {"id": "@key@", "f": "@file~lower@"}\n]}\n',
     SOUND.replace("reed", "RUSH"), 'the reference "rush.wav" leads to no file'),
]  # fmt: skip


@pytest.mark.parametrize(("shape", "more", "message"), LOST)
def test_a_build_that_would_lose_something_is_refused(tmp_path: Path, shape: str, more: str, message: str) -> None:
    game = Made(tmp_path, "mill", ONE, {"tree/all.json": shape, "tree/@key@.wav": ""}, {})
    game.start(SOUND + more)
    done = run("build", cwd=game.own)
    assert done.code == 1, done.out
    assert message in done.err
    assert "all.json" in done.err
    assert "ichnos.toml" in done.err
    assert not (game.own / "build").exists()


def test_a_sound_that_no_document_names_is_told(tmp_path: Path) -> None:
    tree = {"tree/all.txt": 'ring "wav/@key@.wav" @volume@\n', "tree/wav/@key@.wav": ""}
    sounds = f"{SOUND}{SOUND.replace('reed', 'rush')}{SOUND.replace('reed', 'wren')}volume = 0.5\n"
    game = Made(tmp_path / "one", "mill", f'{ONE}[[document]]\npath = "all.txt"\nformat = "lines"\n', tree, {})
    game.start(sounds)
    done = run("build", cwd=game.own)
    assert "Note: reed, rush: in no document of the pack, as all.txt holds a sound only with its volume." in done.err
    assert "all.txt  a list of 1 sound\n" in done.out
    game = Made(tmp_path / "two", "mill", ONE, {**tree, "tree/named.json": '[\n "@key@"\n]\n'}, {})
    game.start(sounds)
    done = run("build", cwd=game.own)
    assert "in no document" not in done.err
    assert "named.json  a list of 3 sounds\n" in done.out


def test_what_a_converter_rounds_is_named(tmp_path: Path) -> None:
    shape = '{"all": [\n {"id": "@key@", "f": "@file@", "fade": "@fade~milliseconds@"}\n]}\n'
    game = Made(tmp_path, "mill", ONE, {"tree/all.json": shape, "tree/@key@.wav": ""}, {})
    game.start(f"{SOUND}fade = 0.0014\n")
    done = run("build", cwd=game.own)
    assert 'the fade of "reed" is 0.0014, and all.json rounds it to 0.001' in done.err


def test_a_copied_entry_keeps_neither_the_title_nor_the_takes_of_the_other(tmp_path: Path) -> None:
    shape = (
        '{"all": [\n {"id": "@key@", "say": {"@language@": "@title@"}, "f": ["@file@"],'
        ' "p": {"@part.name@": "@part.file@"}}\n]}\n'
    )
    theirs = '{"all": [\n {"say": {"en": "Old", "de": "Alt"}, "id": "old", "wet": 1, "f": ["old.wav"]}\n]}\n'
    game = Made(
        tmp_path, "mill", '[parts]\nnames = ["body"]\n\n[catalogue]\nfolder = "in"\n',
        {"tree/all.json": shape, "tree/@key@-@take.number@.wav": "", "tree/@key@-@part.name@.wav": ""},
        {"in/all.json": theirs},
    )  # fmt: skip
    game.start('\n[[sound]]\nkey = "reed"\nnew = true\nparts = {body = "c1.wav"}\nlike = "old"\n', keys=1)
    (entry,) = json.loads((game.build() / "all.json").read_text())["all"]
    assert entry == {"id": "reed", "wet": 1, "say": {}, "f": [], "p": {"body": "reed-body.wav"}}
    game.refused("like = ", "like = 3 #")


def test_references_unlike_the_games_own_are_refused(tmp_path: Path) -> None:
    theirs = {"in/noises.json": '{"sounds": [{"id": "old", "files": ["old-1", "old-2"]}]}\n'}
    game = Made(tmp_path, "mill", '[catalogue]\nfolder = "in"\n', TREE, theirs)
    game.start(SOUND, keys=1)
    done = run("build", cwd=game.own)
    assert done.code == 1
    assert 'names files without an extension, and the profile writes them with one ("old-1")' in done.err
    assert "@file~no-extension@" in done.err


MEANT = {
    "a volume in percent": ("volume = 75", "volume = 75", "it must be at most 10, and not 75", "1 is as it is"),
    "a distance below nothing": ("far = -3", "far = -3", "it must be at least 0, and not -3", "not heard"),
    "a decimal comma": ("volume = 0,75", "volume = 0,75", "", "a number has a decimal point: 0.75"),
    "a decimal comma in a text": ('volume = "0,75"', "volume =", "a number is expected", "write a point: 0.75"),
    "a number without end": ("volume = inf", "volume = inf", "not without end", ""),
    "one take without brackets": ('far = 3\n#', 'takes = "c1.wav"', "a list is expected, in brackets", "your clips"),
    "maybe for true": ('loop = "maybe"', "loop =", "true or false is expected, without quotation marks", ""),
    "true for a number": ("volume = true", "volume = true", "a number is expected, and not true", "1 is as it is"),
    "a category of nobody": (
        'category = "bells"\n[[defaults]]\ncategories = ["bels"]\nvolume = 1', "[[defaults]]", "fit no sound of the pack: bels", ""
    ),
    "a key of nobody": ('[[defaults]]\nkeys = ["rede*"]\nvolume = 1', "[[defaults]]", "fit no sound", "correct the key"),
    "a trigger twice": (
        '[[trigger]]\nname = "a"\nevent = "x"\nkey = "reed"\n[[trigger]]\nname = "a"\nevent = "y"\nkey = "reed"',
        'name = "a"\nevent = "y"', 'there is a trigger "a" in line', "name of its own",
    ),
    "no place for a trigger": (
        '[[trigger]]\nname = "a"\nevent = "x"\nkey = "reed"', "[[trigger]]", 'needs the where of the trigger "a"', ""
    ),
    "a table that is a list": ("fields = [3]", "fields =", "a table is expected, in braces", ""),
}  # fmt: skip


def _marsh(tmp_path: Path) -> Made:
    game = Made(tmp_path, "mill", 'needs = ["trigger.where"]\n---\n', {
        **TREE, "tree/cues.csv": "name,what,where,key\n@trigger.name@,@trigger.event@,@trigger.where@,@trigger.key@\n",
    }, {})  # fmt: skip
    game.start(SOUND)
    return game


@pytest.mark.parametrize("name", MEANT)
def test_what_nobody_can_mean_has_its_own_sentence(tmp_path: Path, name: str) -> None:
    line, at, message, cure = MEANT[name]
    game = _marsh(tmp_path)
    path = game.own / "ichnos.toml"
    text = path.read_text() + f"{line}\n"
    text = text.replace('takes = ["c1.wav"]', 'takes = "c1.wav"') if at.startswith("takes") else text
    path.write_text(text)
    done = run("build", cwd=game.own)
    assert done.code == 1
    assert message in done.err
    assert cure in done.err
    number = text[: text.index(at)].count("\n") + 1
    first = done.err.splitlines()[0]
    assert first.startswith(f"error: ichnos.toml:{number}:") or "twice" in name, done.err
    assert not re.search(r"tuple|dictionary|string_type|Input should|\{'|valid", done.err)


def test_the_same_slips_in_a_table_and_in_options(tmp_path: Path) -> None:
    game = _marsh(tmp_path)
    table = game.own / "sounds.csv"
    for cell, message in (
        ("75", "it must be at most 10"), ("0;75", ""), ('"0,75"', "write 0.75"), ("-1", "it must be at least 0"),
    ):  # fmt: skip
        table.write_text(f"key,clip,new,volume\nrush,c1.wav,yes,{cell}\n")
        done = run("build", cwd=game.own)
        assert done.code == 1
        assert message in done.err
        assert "sounds.csv:2" in done.err
    table.unlink()
    for words in (("--volume", "-1"), ("--volume", "0,5"), ("--volume", "75"), ("--kind", "song"), ("--weight", "x")):
        done = run("assign", "rush", "c1.wav", "--new", *words, cwd=game.own)
        assert done.code == 2, words
        assert words[1] in done.err


def test_a_game_version_that_the_game_has_not(tmp_path: Path) -> None:
    said = _marsh(tmp_path).refused('game-version = "1.1"', 'game-version = "1.2"')
    assert 'Mill has no version "1.2"' in said
    assert "it has 1.1, 1.0" in said


def test_either_slash_and_either_spelling_of_an_accent_will_do(tmp_path: Path) -> None:
    game = _marsh(tmp_path)
    (game.own / "clips").mkdir()
    clip(game.own / "clips" / unicodedata.normalize("NFD", "höhe.wav"), 1)
    path = game.own / "ichnos.toml"
    path.write_text(path.read_text().replace('"c1.wav"', "'clips\\höhe.wav'"))
    assert game.build().is_dir()


def test_a_key_that_leaves_nothing_of_a_file_name(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", '[names]\nascii = true\nallowed = "a-z"\n', {
        "tree/noises.json": SOUNDS, "tree/s/@key@/@take.number@.wav": "",
    }, {})  # fmt: skip
    game.start(SOUND)
    assert "nothing is left in a file name" in game.refused('"reed"', '"***"')


def test_parts_that_the_pack_does_not_name_stay_the_games(tmp_path: Path) -> None:
    shape = '{"all": [\n {"id": "@key@", "p": [{"as": "@part.name@", "on": "@part.file@"}]}\n]}\n'
    parts = [{"as": "intro", "on": "old-i.wav"}, {"as": "body", "on": "old-b.wav", "wet": 1}]
    game = Made(
        tmp_path, "mill",
        '[parts]\nnames = ["intro", "body", "layer"]\n\n[catalogue]\nfolder = "in"\n\n'
        '[[document]]\npath = "all.json"\nmode = "merge"\n',
        {"tree/all.json": shape, "tree/@key@-@take.number@.wav": "", "tree/new/@key@-@part.name@.wav": ""},
        {"in/all.json": json.dumps({"all": [{"id": "old", "p": parts}]})},
    )  # fmt: skip
    game.start('\n[[sound]]\nkey = "old"\nparts = {layer = "c1.wav", body = "c2.wav"}\n', keys=1)
    (entry,) = json.loads((game.build() / "all.json").read_text())["all"]
    body, layer = {"as": "body", "on": "new/old-body.wav", "wet": 1}, {"as": "layer", "on": "new/old-layer.wav"}
    assert entry["p"] == [parts[0], body, layer]


def test_what_stands_in_another_kinds_document_is_said_to_have_no_place(tmp_path: Path) -> None:
    tree = {
        **TREE,
        "tree/tunes.xml": '<all><t k="@key@" f="@file@" again="@loop=false@" tall="@pitch@"/></all>\n',
        "scripts/a.lua.j2": "{% for sound in sounds %}{{ sound.key }} {{ sound.fade }}\n{% endfor %}",
    }
    rules = (
        '[[kind]]\nname = "tune"\nkeys = ["tune*"]\nfiles = "t/@key@-@take.number@.wav"\nseveral = true\n\n'
        '[[document]]\npath = "tunes.xml"\nkinds = ["tune"]\nentry-for = "take"\n\n'
        '[[document]]\npath = "noises.json"\nkinds = [""]\n\n[[script]]\npath = "a.lua"\n'
    )
    game = Made(tmp_path, "mill", rules, tree, {})
    game.start(
        '\n[[sound]]\nkey = "reed"\nnew = true\nloop = true\nfade = 2\n'
        'takes = [{clip = "c1.wav", volume = 0.5, weight = 2}]\n'
        '\n[[sound]]\nkey = "tune.a"\nnew = true\nloop = true\ntakes = ["c2.wav", "c3.wav"]\n'
        '\n[[trigger]]\nname = "dusk"\nevent = "dusk"\nkey = "reed"\nwhere = "pond"\n'
    )
    done = run("build", cwd=game.own)
    assert "reed: Mill has no place for loop, the weight of take 1, the volume of take 1." in done.err
    assert "dusk: Mill has no place for name, event, where of a trigger." in done.err
    assert "tune.a" not in done.err
    assert len(ElementTree.parse(game.own / "build/my-own/tunes.xml").getroot()) == 2


def test_a_copy_plays_no_part_and_no_file_of_the_other_in_a_place_of_its_own(tmp_path: Path) -> None:
    shape = '<all>\n  <s is="@key@" on="@file@" in="@part.intro.file@" then="@part.body.file@" far="@far@"/>\n</all>\n'
    theirs = '<all>\n  <s in="i.wav" on="o.wav" is="old" then="b.wav" far="9" wet="yes"/>\n</all>\n'
    game = Made(
        tmp_path, "mill",
        '[parts]\nnames = ["intro", "body"]\n\n[takes]\nseveral = false\n\n[catalogue]\nfolder = "in"\n\n'
        '[[document]]\npath = "all.xml"\nmode = "merge"\n',
        {"tree/all.xml": shape, "tree/@key@.wav": "", "tree/@key@-@part.name@.wav": ""}, {"in/all.xml": theirs},
    )  # fmt: skip
    game.start('\n[[sound]]\nkey = "reed"\nnew = true\nlike = "old"\nparts = {body = "c1.wav"}\n', keys=1)
    (_, reed) = ElementTree.parse(game.build() / "all.xml").getroot()
    assert reed.attrib == {"is": "reed", "then": "reed-body.wav", "far": "9", "wet": "yes"}


def test_a_file_for_each_sound_is_copied_also_where_its_name_is_spelled_otherwise(tmp_path: Path) -> None:
    tree = {"tree/e/@key@.ini": "[engine]\nname = @key@\ntitle = @title@\nsound = @file@\n", "tree/@key@.wav": ""}
    theirs = {"in/e/tram_old.ini": "; theirs\n[engine]\ntorque = 44\nname = tram old\ntitle = Old\nsound = o.wav\n"}
    game = Made(
        tmp_path,
        "mill",
        f'[modes]\nreplace = "no"\n\n{ONE}\n[names]\nspaces = "_"\nholds-for = ["sounds", "documents"]\n\n[catalogue]\nfolder = "in"\n',
        tree,
        theirs,
    )
    game.start('\n[[sound]]\nkey = "tram new"\nnew = true\nlike = "tram old"\ntakes = ["c1.wav"]\n', keys=1)
    text = (game.build() / "e/tram_new.ini").read_text()
    assert text == "; theirs\n[engine]\ntorque = 44\nname = tram new\nsound = tram_new.wav\n"


def test_a_sound_that_is_like_one_of_which_no_entry_can_be_copied(tmp_path: Path) -> None:
    tree = {**TREE, "tree/known.txt": "@key@ = @file@\n"}
    rules = '[catalogue]\nfolder = "in"\n\n[[document]]\npath = "known.txt"\nmode = "known"\nentry-for = "take"\n'
    game = Made(tmp_path, "mill", rules, tree, {"in/known.txt": "old = old-1.wav\n"})
    game.start(SOUND, keys=1)
    said = game.refused("new = true", 'new = true\nlike = "old"')
    assert 'reed is to be like "old", and none of the files that a pack writes has an entry of that in the game' in said


def test_parts_cannot_be_put_in_the_place_of_files_without_names(tmp_path: Path) -> None:
    rules = (
        '[modes]\nreplace = "by-path"\nnew = false\n\n[parts]\nnames = ["body"]\n\n[catalogue]\nfolder = "in"\n\n'
        '[[document]]\npath = "a.json"\nmode = "known"\n'
    )
    shape = '{"all": [\n {"k": "@key@", "f": ["@file@"], "b": "@part.body.file@"}\n]}\n'
    tree = {"tree/a.json": shape, "tree/s/@key@-@take.number@.wav": "", "tree/s/@key@-@part.name@.wav": ""}
    theirs = {"in/a.json": '{"all": [{"k": "old", "f": ["x/o.wav"], "b": "x/body.wav"}]}'}
    game = Made(tmp_path, "mill", rules, tree, theirs)
    game.start('\n[[sound]]\nkey = "old"\ntakes = [{kept = true}, "c1.wav"]\n', keys=1)
    assert (game.build() / "x/body.wav").is_file()
    said = game.refused('takes = [{kept = true}, "c1.wav"]', 'parts = {body = "c1.wav"}')
    assert "the game's files are x/o.wav, x/body.wav" in said
