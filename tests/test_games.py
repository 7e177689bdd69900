"""A pack for each made-up game from the same five clips, opened with the standard library alone."""

from __future__ import annotations

import configparser
import csv
import io
import json
import os
import re
import shutil
import struct
import tomllib
import uuid
import wave
import xml.etree.ElementTree as ElementTree
import zipfile
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PIL import Image

from conftest import LOCAL, edit, run
from ichnos.games import made_up
from ichnos.games.profiles import loading, profile
from ichnos.games.profiles.rules import Rules

CLIPS = ["bell-take3.wav", "gull.ogg", "hatch-1.flac", "hatch-2.flac", "Foghorn, Sunday morning.mp3"]
TITLES = {"ombervale": "Ombervale", "quillmarsh": "Quillmarsh", "vesper-yard": "Vesper Yard", "open-pack": "orchard"}


@pytest.fixture(scope="session")
def installations(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("games")
    for name in KEYS:
        sample = made_up.sample_of(profile.BUNDLED / name)
        assert sample
        made_up.lay_installation(sample, folder / name)
    sample = made_up.sample_of(profile.BUNDLED / "tarnlight")
    assert sample
    made_up.lay_clips(sample, folder)
    return folder


def _workspace(installations: Path, tmp_path: Path, game: str, keys: dict[str, list[int]], more: str = "") -> Path:
    shutil.copytree(installations / game, tmp_path / "game")
    folder = tmp_path / "pack of clips"
    words = ("--installation", tmp_path / "game", "--title", "Five & more", "--licence", "MIT")
    assert run("start", folder, "--game", game, *words).code == 0
    shutil.copytree(installations / "clips", folder / "clips")
    for key, clips in keys.items():
        new = ["--new"] if key.endswith("brandnew") else []
        done = run("assign", key, *(f"clips/{CLIPS[clip]}" for clip in clips), *new, cwd=folder)
        assert done.code == 0, done.err
    path = folder / "ichnos.toml"
    path.write_text(path.read_text("utf-8") + more, "utf-8")
    return folder


def _build(folder: Path) -> Path:
    done = run("build", "--json", cwd=folder)
    assert done.code == 0, done.err
    checked = run("check", cwd=folder)
    assert checked.code == 0, checked.out
    assert json.loads(run("build", "--json", cwd=folder).out)["written"] is False
    return Path(json.loads(done.out)["to"])


def _loops(path: Path) -> list[tuple[int, int]]:
    """The loops of a WAV's smpl chunk, by the standard alone."""
    data, position = path.read_bytes(), 12
    assert int.from_bytes(data[4:8], "little") == len(data) - 8
    while position < len(data):
        name, length = data[position : position + 4], int.from_bytes(data[position + 4 : position + 8], "little")
        if name == b"smpl":
            fields = struct.unpack(f"<{length // 4}I", data[position + 8 : position + 8 + length])
            return [(fields[9 + 6 * n + 2], fields[9 + 6 * n + 3]) for n in range(fields[7])]
        position += 8 + length + length % 2
    return []


def test_ombervale(installations: Path, tmp_path: Path) -> None:
    more = """
[[sound]]
key = "shift/early"
parts = {intro = "clips/gull.ogg", body = "clips/Foghorn, Sunday morning.mp3"}

[[trigger]]
name = "first"
event = 'door "A" opens'
key = "block/bell/one"
where = "box"
from = "stove"
state = "lamp.lit"
reaches = true
once = true
delay = 1.5

[[trigger]]
name = "last"
event = "bell falls silent"
key = "shift/early"
does = "fade-out"
fade = 2
"""
    folder = _workspace(
        installations, tmp_path, "ombervale", {"block/bell/one": [0, 1], "goods/far/brandnew": [2]}, more
    )
    edit(folder, 'takes = ["clips/bell-take3.wav", ', "volume = 0.75\nnear = 3\ntakes = [")
    edit(folder, "new = true", 'new = true\ncategory = "trains"')
    (folder / "own/bells").mkdir(parents=True)
    (folder / "own/bells/cues.lua").write_text("-- mine\nlocal x = 1\n")
    pack = _build(folder)
    tones = {tone.get("code"): tone for tone in ElementTree.parse(pack / "bells/tones.xml").getroot()}
    bell = tones["block/bell/one"]
    assert bell.get("loud") == "75"
    assert [(clip.get("wave"), clip.get("times")) for clip in bell.iter("strike")] == [
        ("sounds/block/bell/one-1.wav", "2")  # as often as the one whose place it takes
    ]
    assert bell.find("reach").attrib == {"from": "3", "to": "120"}  # type: ignore[union-attr]  # to: the game's own
    assert tones["goods/far/brandnew"].find("reach") is None
    assert [part.get("role") for part in tones["shift/early"].iter("stretch")] == ["intro", "body"]
    shelves = ElementTree.parse(pack / "bells/shelves.xml").getroot()
    assert {s.get("holds"): [t.get("code") for t in s] for s in shelves} == {
        "signals": ["block/bell/one"], "trains": ["goods/far/brandnew"], "music": ["shift/early"],
    }  # fmt: skip
    assert ElementTree.parse(pack / "docket.xml").find("heading").text == "Five & more"  # type: ignore[union-attr]
    docket = ElementTree.parse(pack / "docket.xml").getroot()
    assert (docket.get("make"), docket.get("gauge")) == ("0.1.0", "1.8")
    assert uuid.UUID(docket.get("load"))
    with wave.open(str(pack / "bells/sounds/block/bell/one-1.wav")) as sound:
        assert (sound.getnchannels(), sound.getsampwidth(), sound.getframerate()) == (1, 2, 44100)
    assert (pack / "bells/music/shift/early-body.ogg").read_bytes()[:4] == b"OggS"
    assert (pack / "bells/cues.lua").read_text() == (
        "-- mine\nlocal x = 1\n-- ichnos: from here\n"
        'upon("door \\"A\\" opens", "box", {\n'
        '  first = true, after = 1.5, odds = 1, given = "lamp.lit", is = "true" }, function()\n'
        '  ring("block/bell/one", { fade = 0, gain = 1, at = "stove" })\nend)\n'
        'upon("bell falls silent", "", {\n  first = false, after = 0, odds = 1 }, function()\n'
        '  still("shift/early", { fade = 2 })\nend)\n-- ichnos: to here\n'
    )


def test_quillmarsh_is_merged_byte_for_byte(installations: Path, tmp_path: Path) -> None:
    keys = {"heron_calls_dawn": [0], "snipe_lands_day": [1], "peat_drips_cold": [2], "moss_bubbles_warm": [3]}
    more = '\n[[sound]]\nkey = "small_croaks_pool"\ntakes = ["clips/gull.ogg"]\nvolume = 0.25\nloop = true\n'
    folder = _workspace(installations, tmp_path, "quillmarsh", keys, more)
    plan = run("build", "--dry-run", cwd=folder).out
    assert len(re.findall(r"line \d+:", plan)) == 5
    pack = _build(folder)
    old = (tmp_path / "game/data/marsh/calls.bog").read_text().split("\ncall ")
    new = (pack / "marsh/calls.bog").read_text().split("\ncall ")
    changed = {before.split(" ")[0]: (before, after) for before, after in zip(old, new, strict=True) if before != after}
    assert set(changed) == {*keys, "small_croaks_pool"}
    for key, (before, after) in changed.items():
        sound = f'"five_more_{key}.wav"'
        assert sound in after
        kept = re.sub(r'sound( =)? "[^"]*"', "", before)
        if key != "small_croaks_pool":
            assert re.sub(r'sound( =)? "[^"]*"', "", after) == kept  # only the hole changed
        with wave.open(str(pack / f"marsh/wav/five_more_{key}.wav")) as found:
            assert (found.getnchannels(), found.getsampwidth(), found.getframerate()) == (1, 2, 22050)
    assert re.search(r"loudness =? ?0.25", changed["small_croaks_pool"][1])
    assert _loops(pack / "marsh/wav/five_more_small_croaks_pool.wav") == [(0, 46304)]
    assert _loops(pack / "marsh/wav/five_more_heron_calls_dawn.wav") == []
    assert re.search(r"endless = yes", changed["small_croaks_pool"][1])
    assert run("check", pack, "--game", "quillmarsh", cwd=tmp_path).code == 0  # the game's own files are not missed
    refused = run("assign", "heron_brandnew", "clips/gull.ogg", "--new", cwd=folder)
    assert "Quillmarsh cannot take new keys" in refused.err
    assert "one take for each key" in run("assign", "heron_calls_day", *["clips/gull.ogg"] * 2, cwd=folder).err


def test_vesper_yard(installations: Path, tmp_path: Path) -> None:
    more = """
[[sound]]
key = "pier.chime.long"
takes = ["clips/Foghorn, Sunday morning.mp3"]
volume = 0.5
title = {en = "Slow\\nevening \\\\ one", nl = "Trage avond 🌙"}
like = "pier.chime.short"

[[trigger]]
name = "gate"
event = "dusk"
where = "east"
from = "crane"
odds = 0.5
key = "gate.opens"

[[prop]]
name = "buoy"
title = {en = "A bell buoy", nl = "Een belboei"}
text = "It rings with the waves."
key = "pier.chime.long"
picture = "buoy.png"

[[schedule]]
name = "night"
entries = ["pier.chime.long", "ferry.blast.long", {key = "gulls.squabble.near", kind = "between"}]
after = 4
odds = 0.5
twice = false
piece-volume = 0.5
"""
    folder = _workspace(installations, tmp_path, "vesper-yard", {"gate.opens": [0, 1], "lamp.brandnew": [2]}, more)
    Image.new("RGB", (300, 100), "teal").save(folder / "buoy.png", "JPEG")  # whatever its extension says
    with zipfile.ZipFile(_build(folder)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}

    def sections(name: str) -> dict[str, dict[str, str]]:
        reader = configparser.RawConfigParser(delimiters="=")
        reader.read_string(files[name].decode())
        return {section: dict(reader[section]) for section in reader.sections()}

    gate = sections("desk/gate.opens.card")
    assert gate["signal"] == {
        "word": "gate.opens", "kind": "ground", "strength": "-4.44", "near": "2", "far": "40", "heard": "here",
    }  # fmt: skip  # what is not said is as in the game's own
    assert [gate[f"turn {n}"] for n in (1, 2)] == [
        {"file": f"gate.opens-{n}", "chance": chance} for n, chance in ((1, "2"), (2, "1"))
    ]
    slow = sections("desk/pier.chime.long.card")
    assert slow["signal"]["strength"] == "-6.02"
    assert slow["signal"]["kind"] == "lamp"
    echo = b"echo" in (tmp_path / "game/yard/desk/pier.chime.short.card").read_bytes()
    assert ("echo" in slow["signal"]) is echo  # like that one, with what nobody understands
    dutch = files["texts/nl.txt"]
    assert dutch[:2] == b"\xff\xfe"
    assert dutch.decode("utf-16").splitlines(keepends=True)[1] == "pier.chime.long = Trage avond 🌙\r\n"
    assert "pier.chime.long = Slow\\nevening \\\\ one\r\n" in files["texts/en.txt"].decode("utf-16")
    rows = list(csv.DictReader(io.StringIO(files["triggers.tsv"].decode()), delimiter="\t"))
    assert rows == [
        {
            "bell": "gate",
            "happening": "dusk",
            "berth": "east",
            "sounds": "gate.opens",
            "once": "0",
            "post": "crane",
            "waits": "0",
            "chance": "0.5",
        }
    ]
    buoy = sections("props/buoy.card")
    assert list(buoy["prop"].values())[1:] == ["props/buoy.png", "pier.chime.long"]
    assert buoy["caption"] == {"en": "A bell buoy", "nl": "Een belboei"}
    assert buoy["words"] == {"en": "It rings with the waves."}
    picture = Image.open(io.BytesIO(files["props/buoy.png"]))
    assert (picture.format, picture.size) == ("PNG", (96, 64))
    night = sections("schedules/night.card")
    assert night["schedule"] == {
        "called": "night", "after": "4", "apart": "3", "likely": "0.5", "repeats": "no", "loud": "0.5", "over": "1",
    }  # fmt: skip
    assert night["entry 3"] == {"kind": "between", "sounds": "gulls.squabble.near"}
    edit(folder, 'key = "gate.opens"\n\n[[prop]]', 'key = "gate.open"\n\n[[prop]]')
    wrong = run("build", cwd=folder)
    assert 'there is no sound "gate.open" to play' in wrong.err
    assert "gate.opens" in wrong.err


def test_props_and_schedules_are_written_by_commands_and_stand_in_tables(installations: Path, tmp_path: Path) -> None:
    folder = _workspace(installations, tmp_path, "vesper-yard", {"gate.opens": [0]})
    Image.new("RGB", (300, 100), "teal").save(folder / "clips/buoy.png")

    def said(*words: str) -> str:
        done = run(*words, cwd=folder)
        assert done.code == 0, done.err
        return done.out

    text = ["--title", "Boje", "--title", "nl=Boei", "--text", "Rings.", "--picture", "clips/buoy.png"]
    assert said("prop", "buoy", "gate.opens", *text) == "buoy: plays gate.opens\n"
    more = ["--between", "gulls.call.far", "--after", "3", "--not-twice"]
    said("schedule", "night", "gate.opens", "tide.turns.slack", *more)
    said("schedule", "night", "gate.shuts", "--add", "--odds", "0.5")
    file = tomllib.loads((folder / "ichnos.toml").read_text("utf-8"))
    (buoy,) = file["prop"]
    assert buoy == {
        "name": "buoy", "key": "gate.opens", "title": {"en": "Boje", "nl": "Boei"}, "text": "Rings.", "picture": "clips/buoy.png",
    }  # fmt: skip
    entries = ["gate.opens", "tide.turns.slack", {"key": "gulls.call.far", "kind": "between"}, "gate.shuts"]
    assert file["schedule"] == [{"name": "night", "entries": entries, "after": 3, "odds": 0.5, "twice": False}]
    assert '\n\n[[schedule]]\nname = "night"' in (folder / "ichnos.toml").read_text("utf-8")
    said("prop", "lamp", "gate.opens", "--title", "Lamp", "--title", "nl=Lamp")
    said("assign", "gate.shuts", f"clips/{CLIPS[1]}")
    text_ = (folder / "ichnos.toml").read_text("utf-8")
    assert re.findall(r"\n(\n*)\[\[", text_[text_.index('[[sound]]\nkey = "gate') - 2 :]) == ["\n"] * 5
    (folder / "props.csv").write_text("name,key,title,title.nl,text.nl\nbollard,gate.opens,Bollard,Meerpaal,Zwaar.\n")
    table = folder / "schedules.csv"
    table.write_text("name,key,kind,after\nday,gate.opens,,2\nday,gate.shuts,between,\nday,gate.shuts,,2\n")
    with zipfile.ZipFile(_build(folder)) as archive:
        cards = {name: archive.read(name).decode() for name in archive.namelist() if name.endswith(".card")}
    assert "[caption]\nen = Bollard\nnl = Meerpaal\n\n[words]\nnl = Zwaar.\n" in cards["props/bollard.card"]
    assert "sounds = gate.opens" in cards["props/bollard.card"]
    assert "[entry 2]\nkind = between\nsounds = gate.shuts\n\n[entry 3]\nkind = piece" in cards["schedules/day.card"]
    assert "after = 2" in cards["schedules/day.card"]
    before = (folder / "ichnos.toml").read_bytes()
    for words, message in (
        ("prop buoy gate.opens", "say --replace"),
        ("prop  gate.opens", "name: it cannot be empty"),
        ("prop bollard gate.opens --replace", "stands in props.csv:2"),
        ("prop mast gate.open", "did you mean gate.opens"),
        ("prop mast gate.opens --picture none.png", "this picture is not there"),
        ("prop mast gate.opens --id 7", "--id 7: an id such as"),
        ("schedule night gate.opens", "say --add for further entries, or --replace"),
        ("schedule dusk --odds 0.5", "entries: it cannot be empty"),
        ("schedule dusk gate.opens gate.opn", "did you mean gate.opens"),
        ("schedule dusk gate.opens gate.shuts --odds 2", "--odds 2: it must be at most 1"),
        ("trigger gate.opens --event dusk", "Vesper Yard needs the where of a trigger"),
    ):
        refused = run(*words.split(" "), cwd=folder)
        assert (refused.code > 0, message in refused.err) == (True, True), refused.err
    assert (folder / "ichnos.toml").read_bytes() == before
    for rows, line, message in (
        ("day,gate.opens,,2\nday,gate.shuts,,3", 3, "the schedule has '2' in line 2, '3' here"),
        ("day,gate.opens,,2\nday,gate.opn,,", 3, "did you mean gate.opens"),
        ("day,gate.opens,,2\nday,gate.shuts,betwene,", 3, 'column "kind"'),
        ("day,gate.opens,,2\nday,,,", 3, 'column "key": nothing is said here'),
        ("night,gate.opens,,2", 2, 'there is a schedule "night" in ichnos.toml'),
    ):
        table.write_text(f"name,key,kind,after\n{rows}\n")
        wrong = run("build", cwd=folder)
        assert (wrong.code, f"schedules.csv:{line}" in wrong.err, message in wrong.err) == (1, True, True), wrong.err


def test_open_pack(installations: Path, tmp_path: Path) -> None:
    more = '\n[[sound]]\nkey = "hedge.brandnew"\nnew = true\ntakes = ["clips/gull.ogg"]\ntitle = {de = "Hecke"}\nloop = true\n'
    folder = _workspace(installations, tmp_path, "open-pack", {"apple.falls": [0, 1, 2]}, more)
    pack = _build(folder)
    content = json.loads((pack / "open-pack.json").read_text("utf-8"))
    assert content["title"] == "Five & more"
    assert content["triggers"] == []
    (hedge,) = [sound for sound in content["heard"] if sound["key"] == "hedge.brandnew"]
    assert (hedge["loop"], hedge["positional"], hedge["titles"]) == (True, True, {"de": "Hecke"})
    for sound in content["heard"]:
        for take in sound["takes"]:
            assert (pack / take["clip"]).is_file()


def test_a_folder_is_never_replaced_that_is_not_ours(installations: Path, tmp_path: Path) -> None:
    folder = _workspace(installations, tmp_path, "open-pack", {"apple.falls": [0]})
    (folder / "build/five-more").mkdir(parents=True)
    (folder / "build/five-more/diary.txt").write_text("mine")
    assert "this holds diary.txt" in run("build", cwd=folder).err
    assert (folder / "build/five-more/diary.txt").read_text() == "mine"
    (folder / "build/five-more/diary.txt").unlink()
    assert run("build", cwd=folder).code == 0
    (folder / "build/five-more/diary.txt").write_text("laid into our own pack since")
    edit(folder, 'title = "Five & more"', 'title = "Six"')
    assert "this holds diary.txt" in run("build", cwd=folder).err
    (folder / "build/five-more/diary.txt").unlink()
    edit(folder, '"clips/bell-take3.wav"]', '"clips/bell-take3.wav"]\ncategory = "x"')
    assert run("build", cwd=folder).code == 0


def test_what_a_game_cannot_spell_is_said(installations: Path, tmp_path: Path) -> None:
    more = '\n[[sound]]\nkey = "a=b"\nnew = true\ntakes = ["clips/gull.ogg"]\ntitle = "x"\n'
    folder = _workspace(installations, tmp_path, "vesper-yard", {"gate.opens": [0]}, more)
    wrong = run("build", cwd=folder)
    assert wrong.code == 1
    assert "texts/@language@.txt:2:1: a value of a=b cannot be written here" in wrong.err
    edit(folder, 'key = "a=b"', 'key = "a.b"\ncategory = "spoons"')
    assert "the word table 'kinds' has no 'spoons'" in run("build", cwd=folder).err
    edit(folder, '"spoons"', '"quay"')
    rules = (profile.BUNDLED / "vesper-yard/game.toml").read_text()
    own = tmp_path / "profile"
    shutil.copytree(profile.BUNDLED / "vesper-yard", own)
    (own / "game.toml").write_text(rules.replace('"@pack.name@.yard"', '"@pack.summary@.yard"'))
    edit(folder, '"vesper-yard"', '"../profile"')
    assert "the pack has no pack.summary" in run("build", cwd=folder).err


def test_like_in_a_file_that_is_merged(installations: Path, tmp_path: Path) -> None:
    own = tmp_path / "profile"
    shutil.copytree(profile.BUNDLED / "quillmarsh", own)
    (own / "game.toml").write_text((own / "game.toml").read_text().replace("new = false", "new = true"))
    more = '\n[[sound]]\nkey = "heron_sings"\nnew = true\ntakes = ["clips/gull.ogg"]\nlike = "heron_lands_dawn"\n'
    folder = _workspace(installations, tmp_path, "quillmarsh", {"heron_calls_dawn": [0]}, "")
    edit(folder, '"quillmarsh"', '"../profile"')
    (folder / "ichnos.toml").write_text((folder / "ichnos.toml").read_text() + more)
    text = (_build(folder) / "marsh/calls.bog").read_text()
    model = re.search(r"call heron_lands_dawn[^}]*}(?:[^}c]*})?", text)
    added = re.search(r"call heron_sings[^}]*}(?:[^}c]*})?", text)
    assert model
    assert added
    copied = model[0].replace("heron_lands_dawn", "heron_sings")
    assert re.sub(r'"[^"]*"', "", added[0]).split() == re.sub(r'"[^"]*"', "", copied).split()
    assert '"five_more_heron_sings.wav"' in added[0]


KEYS = {
    "tarnlight": ["roof-rain-faint", "roof-rain-wild", "roof-wind-steady", "roof-hail-faint", "roof-hail-wild"],
    "ombervale": ["block/bell/one", "block/bell/two", "block/buzzer/one", "block/lever/one", "block/lever/two"],
    "quillmarsh": ["heron_calls_day", "heron_lands_day", "snipe_calls_day", "heron_leaves_dusk", "snipe_calls_dawn"],
    "vesper-yard": [f"barge.{thing}.moored" for thing in ("engine", "hull", "ramp", "winch")]
    + ["barge.hull.departing"],
    "open-pack": ["apple.falls", "apple.creaks", "ladder.falls", "ladder.creaks", "hedge.rustles"],
}
OTHERS = list(KEYS)[1:]


@pytest.fixture
def everywhere(installations: Path, tmp_path: Path) -> Path:
    """One workspace with the five clips, for all the made-up games."""
    for name in KEYS:
        shutil.copytree(installations / name, tmp_path / name)
    folder = tmp_path / "clips of five"
    run("start", folder, "--game", "tarnlight", "--title", "Five & more", "--licence", "MIT")
    shutil.copytree(installations / "clips", folder / "clips")
    text = [f'\n[games.{name}]\ngame-version = "{_rules(name).game.versions[-1]}"\n' for name in OTHERS]
    for number, clip in enumerate(CLIPS):
        elsewhere = ", ".join(f'{name} = {{key = "{KEYS[name][number]}"}}' for name in OTHERS)
        text.append(
            f'\n[[sound]]\nkey = "{KEYS["tarnlight"][number]}"\ntakes = ["clips/{clip}"]\ntitle = "Clip <{number}>"\n'
            f"games = {{{elsewhere}}}\n"
        )
    text[-1] += 'loop = true\ntreatment = "far-off"\n'
    path = folder / "ichnos.toml"
    path.write_text(path.read_text("utf-8") + "".join(text), "utf-8")
    said = [f'[games.{name}]\ninstallation = "../{name}"\n' for name in OTHERS]
    (folder / LOCAL).write_text('installation = "../tarnlight"\n' + "".join(said), "utf-8")
    return folder


def _rules(game: str) -> Rules:
    return loading.load(profile.BUNDLED / game).rules


def _built_for(folder: Path, game: str) -> Path:
    done = run("build", "--json", "--game", game, cwd=folder)
    assert done.code == 0, done.err
    return Path(json.loads(done.out)["to"])


def _files(package: Path) -> dict[str, bytes]:
    if package.is_dir():
        return {
            path.relative_to(package).as_posix(): path.read_bytes() for path in package.rglob("*") if path.is_file()
        }
    with zipfile.ZipFile(package) as archive:
        assert archive.testzip() is None
        return {name: archive.read(name) for name in archive.namelist()}


def _named(game: str, files: dict[str, bytes]) -> dict[str, str]:
    """Each key that a pack's own definitions have, with the file that they name, by the standard's parsers alone."""
    if game == "tarnlight":
        text = re.sub(r"//[^\n]*|,(?=\s*[}\]])", "", files["lore/log.json"].decode())  # as the game's own entries are
        return {v["voice"]: next(iter(v["odds"])) for page in json.loads(text)["log"] for v in page["heard"]}
    if game == "ombervale":
        tones = ElementTree.fromstring(files["bells/tones.xml"])
        return {tone.get("code", ""): f"bells/{tone.find('strike').get('wave')}" for tone in tones}  # type: ignore[union-attr]
    if game == "quillmarsh":
        calls = re.findall(r'call (\w+)[^{]*{[^}]*sound *=? *"(five_more_[^"]*)"', files["marsh/calls.bog"].decode())
        return {key: f"marsh/wav/{name}" for key, name in calls}
    if game == "vesper-yard":
        found = {}
        for name, data in files.items():
            if name.startswith("desk/"):
                reader = configparser.RawConfigParser(delimiters="=")
                reader.read_string(data.decode())
                found[reader["signal"]["word"]] = reader["turn 1"]["file"]
        return found
    return {sound["key"]: sound["takes"][0]["clip"] for sound in json.loads(files["open-pack.json"])["heard"]}


@pytest.mark.parametrize("game", KEYS)
def test_one_workspace_for_every_game(everywhere: Path, game: str) -> None:
    files = _files(_built_for(everywhere, game))
    named = _named(game, files)
    assert sorted(named) == sorted(KEYS[game])
    rate = 22050 if game == "quillmarsh" else 44100
    for key, name in named.items():
        (path,) = [path for path in files if name in path and path.endswith((".ogg", ".wav"))]
        data = files[path]
        if path.endswith(".wav"):
            with wave.open(io.BytesIO(data)) as sound:
                assert (sound.getnchannels(), sound.getsampwidth(), sound.getframerate()) == (1, 2, rate), key
        else:  # RFC 3533, and the identification header of Vorbis I
            assert data[:4] == b"OggS"
            assert struct.unpack("<7sIBI", data[28:44]) == (b"\x01vorbis", 0, 1, rate), key
    package = _built_for(everywhere, game)
    checked = run("check", package, "--game", game, cwd=everywhere)
    assert checked.code == 0, checked.out


@pytest.mark.parametrize("game", KEYS)
def test_a_changed_clip_is_put_into_the_last_outline(
    everywhere: Path, game: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where nothing but clips has changed, no document is read or written anew; the pack is the same as if it were."""
    for path in everywhere.parent.rglob("*"):
        os.utime(path, (1_000_000_000, 1_000_000_000))
    _built_for(everywhere, game)  # which may write ids into the file
    os.utime(everywhere / "ichnos.toml", (1_000_000_000, 1_000_000_000))
    _built_for(everywhere, game)
    shutil.copyfile(everywhere / "clips" / CLIPS[2], everywhere / "clips" / CLIPS[0])
    with monkeypatch.context() as patch:
        patch.setattr("ichnos.pack.plan.outline.make", None)
        assert "clip changed" in run("build", "--dry-run", "--game", game, cwd=everywhere).out
        quick = _files(_built_for(everywhere, game))
    shutil.rmtree(everywhere / ".ichnos")
    shutil.rmtree(everywhere / "build")
    assert _files(_built_for(everywhere, game)) == quick
    if game == "quillmarsh":
        soundfile.write(everywhere / "clips" / "long.wav", np.zeros(121 * 8000), 8000)
        shutil.move(everywhere / "clips" / "long.wav", everywhere / "clips" / CLIPS[0])
        assert "is 121.0 s long, and the game takes 120 s" in run("build", "--game", game, cwd=everywhere).err
    (everywhere / "clips" / CLIPS[1]).unlink()
    gone = run("build", "--game", game, cwd=everywhere).err
    assert re.search(r"ichnos.toml:\d+:\d+: the clip \"clips/gull.ogg\" is not there", gone)


def test_what_a_game_needs_begins_with_its_title() -> None:
    assert run("games", "show", "quillmarsh").out.startswith("Quillmarsh: ")
