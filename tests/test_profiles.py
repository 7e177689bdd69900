"""Profiles that cannot be understood, each with one clear message; and a sixth game that can."""

from __future__ import annotations

import csv
import io
import json
import re
import shutil
import xml.etree.ElementTree as ElementTree
import zipfile
from pathlib import Path

import pytest

from conftest import edit, run
from ichnos.documents.regions import with_region
from ichnos.games.profiles import profile
from ichnos.games.profiles.converter import Tables
from ichnos.games.profiles.converters import CONVERTERS, make
from ichnos.games.profiles.references import references

GAME = """format = 1

[game]
name = "mill"
title = "The mill"
summary = "Made up."
versions = ["1.0"]

[audio]
container = "WAV"
codec = "PCM 16"
rate = 44100
channels = 1

[packaging]
kind = "folder"
name = "@pack.name@"
"""
SOUNDS = '{"sounds": [\n  {"id": "@key@",\n   "files": ["@file@"]}\n]}\n'


def _profile(folder: Path) -> Path:
    """A small profile that is sound."""
    (folder / "tree").mkdir(parents=True)
    (folder / "game.toml").write_text(GAME)
    (folder / "tree/noises.json").write_text(SOUNDS)
    (folder / "tree/@key@-@take.number@.wav").touch()
    return folder


def test_the_small_profile_is_sound(tmp_path: Path) -> None:
    result = run("games", "check", _profile(tmp_path / "mill"), "--sample")
    assert result.code == 0, result.out
    assert "for each sound  line 2:" in result.out
    assert "for each take  line 3:" in result.out
    assert '|   {"id": "made.up.near",' in result.out


def _rules(old: str, new: str) -> tuple[str, str, str]:
    return ("game.toml", old, new)


BROKEN: list[tuple[tuple[str, str, str], str, str]] = [
    # what is changed: file, old, new; the place; what is said
    (_rules('name = "mill"', ""), "game.toml:3:1", 'the field "name" is missing'),
    (_rules('name = "mill"', 'nam = "mill"'), "game.toml:4:1", 'did you mean "name"?'),
    (_rules('name = "mill"', 'name = "The Mill"'), "game.toml:4:1", 'the field "name" is not as expected'),
    (_rules("rate = 44100", "rate = 44"), "game.toml:12:1", "a whole number from 8000 to 192000"),
    (_rules("channels = 1", "channels = 6"), "game.toml:13:1", "1 or 2"),
    (_rules('codec = "PCM 16"', 'codec = "Vorbis"'), "game.toml:", "WAV holds PCM 16 or PCM 24 or float 32, not Vorbis"),
    (_rules('codec = "PCM 16"', 'codec = "MP3"'), "game.toml:11:1", "PCM 24, float 32, a list of such"),
    (_rules('codec = "PCM 16"', 'codec = "PCM 16'), "game.toml:11", "codec"),
    (_rules("[packaging]", "[packing]"), "game.toml:15:1", 'did you mean "packaging"?'),
    (_rules("@pack.name@", "@pack.nam@"), "game.toml:17:1", "did you mean pack.name"),
    (_rules("@pack.name@", "@key@"), "game.toml:17:1", "can only have holes of the pack"),
    (_rules("[packaging]", '[install]\nfolder = "../up"\n\n[packaging]'), "game.toml:16:1", "without .."),
    (_rules("[packaging]", '[[document]]\npath = "other.json"\n\n[packaging]'), "game.toml:16:1", 'tree/ has no file "other.json"'),
    (_rules("[packaging]", '[[document]]\npath = "noises.json"\nformat = "wool"\n\n[packaging]'), "game.toml:17:1", "one of json, xml"),
    (_rules("[packaging]", '[[document]]\npath = "noises.json"\nrepeat = {noise = 2}\n\n[packaging]'), "game.toml:17:1", "no scope 'noise'"),
    (_rules("[packaging]", '[[document]]\npath = "noises.json"\nrepeat = {take = 9}\n\n[packaging]'), "noises.json:2:3", "line 9"),
    (_rules("[packaging]", '[[script]]\npath = "cues.lua"\n\n[packaging]'), "game.toml:15:1", "there is no scripts/cues.lua.j2"),
    (_rules("[packaging]", '[parts]\nnames = ["intro"]\n\n[packaging]'), "tree", "no sound file for parts"),
    (_rules('container = "WAV"\ncodec = "PCM 16"', 'container = "Ogg"\ncodec = "Vorbis"'), "tree", "no sound of this game becomes such a file; they are Ogg"),
    (("noises.json", '"@key@"', '"@kee@"'), "noises.json:2:10", "there is no hole named kee"),
    (("noises.json", '"@key@"', '"@key~uper@"'), "noises.json:2:10", "did you mean upper"),
    (("noises.json", '"@key@"', '"@key~lower(x)@"'), "noises.json:2:10", "write ~lower without parentheses"),
    (("noises.json", '"@file@"', '"@file~relative@"'), "noises.json:3:14", "write ~relative(the folder)"),
    (("noises.json", '"@key@"', '"@key~table(kinds)@"'), "noises.json:2:10", "no word table [tables.kinds]"),
    (("noises.json", '"@file@"', '"@file@", "@loop~yes-no(yes)@"'), "noises.json:3:24", "two words are needed"),
    (("noises.json", '"@key@"', '"me@home"'), "noises.json:2:10", "write @@ for a plain @"),
    (("noises.json", '["@file@"]', '"@file@"'), "noises.json:3:4", "several = false"),
    (("noises.json", '"@key@",', '"@key@"'), "noises.json:3:4", "a comma, or the } that closes line 2"),
    (("noises.json", "[\n", "\n"), "noises.json:4:1", "found ']'"),
    (("noises.json", SOUNDS, '{"id": "@key@", "files": ["@file@"]}'), "noises.json:1:1", "nothing around the holes of one sound"),
    (("noises.json", "]}\n]", ']}, "@volume@"\n]'), "noises.json:1:2", "nothing around the holes of one sound"),
]  # fmt: skip


@pytest.mark.parametrize(("change", "place", "message"), BROKEN)
def test_a_broken_profile_is_refused_with_its_place(
    tmp_path: Path, change: tuple[str, str, str], place: str, message: str
) -> None:
    folder = _profile(tmp_path / "mill")
    name, old, new = change
    path = folder / name if name == "game.toml" else folder / "tree" / name
    text = path.read_text()
    assert old in text
    path.write_text(text.replace(old, new, 1))
    result = run("games", "check", folder)
    assert result.code == 1
    assert result.err.count("error: ") == 1
    assert f"{place}" in result.err.split(": ")[1]
    assert message in result.err
    assert "cure: " in result.err


def test_broken_folders(tmp_path: Path) -> None:
    folder = _profile(tmp_path / "mill")
    wrong = folder / "tree/@kee@.wav"
    wrong.touch()
    assert "there is no hole named kee" in run("games", "check", folder).err
    wrong.unlink()
    (folder / "tree/out").symlink_to(tmp_path)
    assert "cannot hold links" in run("games", "check", folder).err
    shutil.rmtree(folder / "tree")
    assert "there is no tree/" in run("games", "check", folder).err
    assert "did you mean tarnlight?" in run("games", "show", "tarnlit").err


SCRIPTS = [
    ("{{ sounds[0].key | quoted }}", None),
    ("{{ pack.__class__.__mro__ }}", "unsafe"),
    ("{% for x in ().__class__.__base__.__subclasses__() %}{{ x }}{% endfor %}", "unsafe"),
    ("{% include '../game.toml' %}", "game.toml"),
    ("{{ nothing.here }}", 'nothing is called "nothing" here'),
    ("fine\n{% for sound in sounds %}", "a block is not closed"),
    ("{{ pack.update({}) }}", "unsafe"),
    ("{{ 1 / 0 }}", "division"),
    ("{{ range(99999999) | list }}", "range"),
]


@pytest.mark.parametrize(("template", "message"), SCRIPTS)
def test_scripts_stay_in_their_sandbox(tmp_path: Path, template: str, message: str | None) -> None:
    folder = _profile(tmp_path / "mill")
    (folder / "scripts").mkdir()
    (folder / "scripts/cues.lua.j2").write_text(template)
    edited = (folder / "game.toml").read_text() + '\n[[script]]\npath = "cues.lua"\n'
    (folder / "game.toml").write_text(edited)
    result = run("games", "check", folder)
    assert result.code == (1 if message else 0), result.out
    if message:
        assert "cues.lua.j2" in result.err
        assert message in result.err


def test_a_marked_region_is_written_once() -> None:
    theirs = "-- mine\r\nlocal x = 1"
    once = with_region(theirs, "a()\nb()\n", "--")
    assert once == "-- mine\r\nlocal x = 1\r\n-- ichnos: from here\r\na()\r\nb()\r\n-- ichnos: to here\r\n"
    assert with_region(once, "a()\nb()\n", "--") == once
    assert with_region(f"{once}-- after\r\n", "c()\n", "--").endswith("c()\r\n-- ichnos: to here\r\n-- after\r\n")


@pytest.mark.parametrize("name", list(CONVERTERS))
def test_every_converter_has_an_inverse(name: str) -> None:
    kind = CONVERTERS[name]
    ours, theirs = kind.example
    argument = {
        "yes-no": "on,off",
        "relative": "a/b",
        "table": "kinds",
        "separated": "/",
        "extension": "hum",
        "decimals": "2",
        "times": "255",
        "plus": "127.5",
        "sum": "4",
        "only-with": "far",
        "wide": "6",
        "joined": ", ",
    }.get(name)
    lines = references({"@owner@!@path@": "stock/@owner@/noises/@path@.ogg"})
    converter = make(name, argument, Tables({"kinds": {"weather": "w1"}}, root="a", references=lines))
    assert converter.write(ours) == theirs
    again = converter.read(theirs)
    if name == "decibel":
        assert abs(float(str(again)) - float(str(ours))) < 0.001
    elif name in ("no-extension", "lower", "upper", "extension", "file-name"):
        assert converter.write(again) == theirs  # what is lost is found by the file's name
    else:
        assert again == (str(int(float(str(ours)))) if name == "text" else ours)


def test_every_bundled_game_is_sound() -> None:
    names = run("games").out
    for name in profile.bundled_names():
        assert name in names
        assert run("games", "check", name).code == 0
        shown = run("games", "show", name).out
        assert re.search(r"sounds +(WAV PCM 16|Ogg Vorbis), mono", shown)
        assert json.loads(run("games", "show", name, "--json").out)["game"]["name"] == name


def test_a_sixth_game_with_mechanisms_mixed_anew(tmp_path: Path, workspace: Path) -> None:
    """Brace blocks in one file for each category, an XML list, CSV titles: no line of Python."""
    folder = tmp_path / "harbour"
    (folder / "tree/blocks").mkdir(parents=True)
    (folder / "tree/wav").mkdir()
    (folder / "game.toml").write_text(
        GAME.replace("mill", "harbour")
        .replace("The mill", "Harbour")
        .replace('"folder"', '"archive"')
        .replace('@pack.name@"', '@pack.name@.crate"')
        + '\n[takes]\nseveral = false\n\n[names]\nseparator = ":"\nallowed = "a-z0-9_"\n\n[[document]]\npath = "blocks/@category@.blk"\nformat = "braces"\n'
    )
    (folder / "tree/blocks/@category@.blk").write_text(
        'group @key.group@ {\n    sound "@key.own@" {\n        file "@file~backslash@"; gain @volume~percent=100@\n    }\n}\n'
    )
    (folder / "tree/list.xml").write_text(
        '<list pack="@pack.title@"><all><entry n="@key@" loud="@volume=1@"/></all></list>\n'
    )
    (folder / "tree/titles.csv").write_text("key,language,title\n@key@,@language@,@title@\n")
    (folder / "tree/wav/@key@.wav").touch()
    assert run("games", "check", folder).code == 0, run("games", "check", folder).out
    pack = tmp_path / "pack"
    run("start", pack, "--game", folder, "--title", "Knots, ropes", "--licence", "MIT")
    for key, clip in {
        "dock:rope:creak": "gull.ogg",
        "dock:rope:snap": "draught.wav",
        "boat:horn": "bell-take3.wav",
    }.items():
        assert (
            run(
                "assign", key, workspace / "clips" / clip, "--title", f"{key}, spoken", "--title", "de=Knarz", cwd=pack
            ).code
            == 0
        )
    for number in range(3):
        edit(
            pack,
            'key = "' + ["dock:rope:creak", "dock:rope:snap", "boat:horn"][number] + '"\n',
            f'category = "{["gear", "gear", "vessels"][number]}"\nkey = "'
            + ["dock:rope:creak", "dock:rope:snap", "boat:horn"][number]
            + '"\n',
        )
    edit(pack, 'key = "boat:horn"\n', 'key = "boat:horn"\nvolume = 0.5\n')
    built = run("build", cwd=pack)
    assert built.code == 0, built.err
    checked = run("check", cwd=pack)
    assert checked.code == 0, checked.out
    with zipfile.ZipFile(pack / "build/knots-ropes.crate") as archive:
        files = {name: archive.read(name).decode("utf-8", "replace") for name in archive.namelist()}
    assert files["blocks/gear.blk"] == (
        'group dock:rope {\n    sound "creak" {\n        file "wav\\\\dock_rope_creak.wav"; gain 100\n    }\n'
        '    sound "snap" {\n        file "wav\\\\dock_rope_snap.wav"; gain 100\n    }\n}\n'
    )
    assert "gain 50" in files["blocks/vessels.blk"]
    entries = ElementTree.fromstring(files["list.xml"])
    assert [(e.get("n"), e.get("loud")) for e in entries.iter("entry")] == [
        ("dock:rope:creak", "1"), ("dock:rope:snap", "1"), ("boat:horn", "0.5"),
    ]  # fmt: skip
    rows = list(csv.DictReader(io.StringIO(files["titles.csv"])))
    assert {(row["key"], row["language"], row["title"]) for row in rows} == {
        (key, language, title)
        for key in ("dock:rope:creak", "dock:rope:snap", "boat:horn")
        for language, title in (("en", f"{key}, spoken"), ("de", "Knarz"))
    }
