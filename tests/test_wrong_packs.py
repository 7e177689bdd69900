"""What used to give a wrong pack, or a wrong figure, and said nothing."""

from __future__ import annotations

import contextlib
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import threading
import time
import wave
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pyloudnorm
import pytest
import soundfile

from conftest import LOCAL, PACKAGE, Made, clip, edit, run, voices_in
from ichnos.pack.build import known_clips
from ichnos.play import scripts

BY_PATH = """
[takes]
several = true
[modes]
replace = "by-path"
new = false
"""
PLACES = {"tree/keys.csv": "id,file\n@key@,@file@\n", "tree/snd/@key@.wav": ""}
KNOWN = '\n[[document]]\npath = "keys.csv"\nmode = "known"\nentry-for = "take"\n'


def by_path(folder: Path, sounds: str) -> Made:
    """A game of which one key has three files, known from a table that is never shipped."""
    keys = "id,file\nwind,snd/a.wav\nwind,snd/b.wav\nwind,snd/c.wav\ngate,snd/g.wav\n"
    game = Made(folder, "windhover", f"{BY_PATH}{KNOWN}", PLACES, {"keys.csv": keys})
    for name in "abcg":
        (folder / "game/snd").mkdir(exist_ok=True)
        clip(folder / f"game/snd/{name}.wav", 3)
    game.start(sounds, keys=2)
    return game


def notes(game: Made) -> str:
    done = run("build", "--dry-run", cwd=game.own)
    assert done.code == 0, done.err
    return done.err


def test_of_a_key_with_more_files_it_is_said_which_still_play(tmp_path: Path) -> None:
    game = by_path(tmp_path, '[[sound]]\nkey = "wind"\ntakes = ["c1.wav"]\n')
    assert "wind: 2 of the game's own 3 files still play: snd/b.wav, snd/c.wav" in notes(game)
    assert run("build", cwd=game.own).code == 0
    found = json.loads(run("check", "--json", cwd=game.own).out)["findings"]
    assert [(one["id"], "snd/b.wav, snd/c.wav" in one["reason"]) for one in found] == [("files-left", True)]
    edit(game.own, '["c1.wav"]', '["c1.wav", {kept = true}, {kept = true}]')
    assert "still play" not in notes(game)
    game.build()


def test_one_clip_for_every_file_and_silence_for_all(tmp_path: Path) -> None:
    game = by_path(tmp_path, '[[sound]]\nkey = "wind"\ntakes = ["c1.wav", "c2.wav"]\nevery-file = true\n')
    pack = game.build()
    data = [(pack / f"snd/{name}.wav").read_bytes() for name in "abc"]
    assert (data[0] == data[2], data[0] != data[1]) == (True, True)
    edit(game.own, 'takes = ["c1.wav", "c2.wav"]\nevery-file = true', "silent = true")
    pack = game.build()
    for name in "abc":
        with wave.open(str(pack / f"snd/{name}.wav")) as sound:
            frames = memoryview(sound.readframes(sound.getnframes())).cast("h")
        assert max(map(abs, frames)) <= 2  # dither
    edit(game.own, "silent = true", 'takes = ["c1.wav"]')
    assert run("assign", "wind", "c1.wav", "--replace", "--every-file", cwd=game.own).code == 0
    assert len(list(game.build().rglob("*.wav"))) == 3


REEDS = {
    "tree/reeds.json": '{"reeds": [\n  {"id": "@key@", "src": "@file@", "near": "@near@", "vol": "@volume@", "say": "@title@",'
    ' "mood": "@field.mood@"}\n]}\n',
    "tree/@pack.name@/@key@.wav": "",
}
OWN = (
    '{"reeds": [\n  {"id": "reed", "src": "own/r.wav", "near": 7, "vol": 0.3, "echo": true},\n'
    '  {"id": "rush", "src": "own/s.wav", "say": "The rush", "near": 9}\n]}\n'
)
ONE = "[takes]\nseveral = false\n"


def reeds(folder: Path, sounds: str) -> Made:
    game = Made(folder, "reedling", ONE, REEDS, {"reeds.json": OWN})
    game.start(sounds, keys=2)
    return game


def entries(pack: Path) -> dict[str, Any]:
    return {one["id"]: one for one in json.loads((pack / "reeds.json").read_text())["reeds"]}


def test_what_is_not_said_of_a_replaced_key_stays(tmp_path: Path) -> None:
    game = reeds(tmp_path, '[[sound]]\nkey = "reed"\ntakes = ["c1.wav"]\nvolume = 0.9\n')
    assert entries(game.build())["reed"] == {
        "id": "reed",
        "src": "my-own/reed.wav",
        "near": 7,
        "vol": 0.9,
        "echo": True,
    }
    edit(game.own, "volume = 0.9", "volume = 0.9\nfresh = true")
    assert entries(game.build())["reed"] == {"id": "reed", "src": "my-own/reed.wav", "vol": 0.9}


LIKE = {
    "r.csv": (
        "id,say,src,near\n@key@,@title@,@file@,@near@\n",
        "id,say,src,near\nrush,The rush,own/s.wav,9\nreed,,own/r.wav,3\n",
        "id,say,src,near\nreed,A reed,my-own/reed.wav,3\nsedge,,my-own/sedge.wav,9\n",
    ),
    "r.xml": (
        '<r>\n <s id="@key@" src="@file@" near="@near@"><say>@title@</say></s>\n</r>\n',
        '<r>\n <s id="rush" src="own/s.wav" near="9"><say>The rush</say></s>\n <s id="reed" src="own/r.wav" near="3"/>\n</r>\n',
        '<r>\n <s id="reed" src="my-own/reed.wav" near="3"><say>A reed</say></s>\n'
        ' <s id="sedge" src="my-own/sedge.wav" near="9"></s>\n</r>\n',
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", LIKE)
def test_like_one_that_has_a_title_where_another_has_one(tmp_path: Path, name: str) -> None:
    tree, own, meant = LIKE[name]
    game = Made(tmp_path, "stilt", ONE, {f"tree/{name}": tree, "tree/@pack.name@/@key@.wav": ""}, {name: own})
    game.start(
        '[[sound]]\nkey = "reed"\ntakes = ["c1.wav"]\ntitle = "A reed"\n[[sound]]\nkey = "sedge"\nnew = true\nlike = "rush"\ntakes = ["c2.wav"]\n',
        keys=2,
    )
    assert (game.build() / name).read_text() == meant


def test_a_sound_with_a_title_alone_keeps_its_fields(tmp_path: Path) -> None:
    game = reeds(tmp_path, '[[sound]]\nkey = "rush"\ntitle = "A rush"\nnear = 4\nfields = {mood = "calm"}\n')
    assert entries(game.build())["rush"] == {
        "id": "rush",
        "src": "own/s.wav",
        "say": "A rush",
        "near": 4,
        "mood": "calm",
    }
    (game.own / LOCAL).unlink()
    (game.own / "ichnos.lock").unlink()
    assert "rush has no clip, and its entry in the game is not known here, so its near, field mood" in notes(game)


def test_a_friends_copy_builds_the_same_or_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    tree = {
        "tree/tones.json": '{"t": [{"id": "@key@", "kind": "@category@", "src": ["@file@"], "far": "@far@"}]}',
        "tree/w/@key@-@take.number@.wav": "",
    }
    own = {"tones.json": '{"t": [{"id": "hoot", "kind": "owls", "src": ["own/a.wav"]}]}'}
    game = Made(tmp_path, "owlgate", "", tree, own)
    game.start(
        '[[defaults]]\ncategories = ["owls"]\nfar = 90\n\n[[sound]]\nkey = "hoot"\ntakes = ["c1.wav"]\nfresh = true\n',
        keys=1,
    )
    pack = game.build()
    said = (pack / "tones.json").read_bytes()
    assert json.loads(said)["t"][0]["far"] == 90
    assert "installation" not in (game.own / "ichnos.toml").read_text().replace("# installation", "").replace(
        "installed", ""
    )
    friend = tmp_path / "elsewhere/own"
    shutil.copytree(game.own, friend, ignore=shutil.ignore_patterns(LOCAL, ".ichnos", "build"))
    shutil.copytree(game.profile, tmp_path / "elsewhere/owlgate")
    monkeypatch.setenv("ICHNOS_DATA", str(tmp_path / "elsewhere/data"))
    assert run("build", cwd=friend).code == 0
    assert (friend / "build" / pack.name / "tones.json").read_bytes() == said
    edit(friend, "fresh = true\n", "")
    lock = friend / "ichnos.lock"
    lock.write_text(lock.read_text().replace('"files"', '"changed": true, "files"'))
    refused = run("build", cwd=friend)
    assert (refused.code, "hoot keeps what Owlgate itself says of it, and it is not known where" in refused.err) == (
        1,
        True,
    )


def test_clips_from_outside_are_copied_in(workspace: Path, tmp_path: Path) -> None:
    clip(tmp_path / "mine.wav", 5)
    (tmp_path / "other").mkdir()
    clip(tmp_path / "other/mine.wav", 6)
    for name in ("mine.wav", "other/mine.wav", "mine.wav"):
        done = run("assign", "tower-bell-near", tmp_path / name, "--add", cwd=workspace)
        assert done.code == 0, done.err
    text = (workspace / "ichnos.toml").read_text()
    assert str(tmp_path) not in text
    assert text.count('"clips/mine.wav"') == 2
    assert (workspace / "clips/mine-2.wav").read_bytes() == (tmp_path / "other/mine.wav").read_bytes()
    assert (
        "copied into it: clips/mine.wav"
        in run(
            "swap", "roof-rain-wild", tmp_path / "mine.wav", "--game", "tarnlight", "-w", tmp_path / "new", cwd=tmp_path
        ).err
    )


def test_a_whole_number_in_a_treatment_is_the_same_number_when_it_is_kept(workspace: Path) -> None:
    edit(workspace, 'takes = ["clips/gull.ogg"]', 'takes = ["clips/gull.ogg"]\ntreatment = "mine"')
    edit(workspace, "[pack]\n", '[treatment]\nmine = [{step = "loudness", lufs = -20}]\n\n[pack]\n')
    assert run("build", cwd=workspace).code == 0
    before = (workspace / PACKAGE).read_bytes()
    os.utime(workspace / "clips/draught.wav", (1e9, 1e9))
    words = [sys.executable, "-m", "ichnos", "build", "--json"]  # which remembers nothing of this process
    again = subprocess.run(words, cwd=workspace, capture_output=True, check=True)
    assert json.loads(again.stdout)["converted"] == 0
    assert (workspace / PACKAGE).read_bytes() == before


def test_a_file_that_does_not_lie_below_its_folder(tmp_path: Path) -> None:
    two = '{"s": [{"k": "@key@", "f": "@file~relative(a)@"}, {"k": "@key@", "from-root": "@file@"}]}'
    for name, text, refused in (
        ("stilt", two, False),
        ("avocet", '{"s": [{"k": "@key@", "f": "@file~relative(a)@"}]}', True),
    ):
        folder = tmp_path / name
        folder.mkdir()
        game = Made(folder, name, ONE, {"tree/s.json": text, "tree/b/@key@.wav": ""}, {})
        checked = run("games", "check", game.profile)
        assert (checked.code == 1, "does not lie below a/" in checked.out) == (refused, refused)
        if not refused:
            game.start('[[sound]]\nkey = "x"\nnew = true\ntakes = ["c1.wav"]\n')
            assert json.loads((game.build() / "s.json").read_text()) == {"s": [{"k": "x", "from-root": "b/x.wav"}]}


def test_references_of_several_spellings_are_judged_each_by_its_own(tmp_path: Path) -> None:
    tree = {
        "tree/a.json": '{"s": [{"k": "@key@", "f": "@file~no-extension@"}]}',
        "tree/b.csv": "k,f\n@key@,@file@\n",
        "tree/@pack.name@/@key@.wav": "",
    }
    game = Made(
        tmp_path,
        "redshank",
        ONE,
        tree,
        {"a.json": '{"s": [{"k": "own", "f": "o/own.one"}]}', "b.csv": "k,f\nown,o/own.one.wav\n"},
    )
    game.start('[[sound]]\nkey = "x"\nnew = true\ntakes = ["c1.wav"]\n', keys=1)
    pack = game.build()
    assert json.loads((pack / "a.json").read_text())["s"][0]["f"] == "my-own/x"
    wrong = game.profile / "tree/a.json"
    wrong.write_text(wrong.read_text().replace("~no-extension", ""))
    (game.profile / "tree/b.csv").write_text("k,f\n@key@,@file~no-extension@\n")
    assert "names files" in run("build", cwd=game.own).err


@pytest.mark.parametrize(("name", "text"), [("t.csv", "@key@,@file@\n"), ("t.tsv", "@key@\t@file@\n")])
def test_a_table_without_a_header(tmp_path: Path, name: str, text: str) -> None:
    game = Made(tmp_path, "knot", ONE, {f"tree/{name}": text, "tree/@key@.wav": ""}, {})
    game.start(
        '[[sound]]\nkey = "x"\nnew = true\ntakes = ["c1.wav"]\n[[sound]]\nkey = "y"\nnew = true\ntakes = ["c2.wav"]\n'
    )
    rows = (game.build() / name).read_text().splitlines()
    assert [re.split("[,\t]", row) for row in rows] == [["x", "x.wav"], ["y", "y.wav"]]


@pytest.mark.parametrize(("tree", "said"), [
    ({"tree/s.json": '{"s": [{"k": "@key@", "f": "@file@"}]} // of @pack.title@\n'}, "every pack would have @pack.title@"),
    ({"tree/s.ini": "; @key@\n[@key@]\nf = @file@\n"}, "every pack would have @key@"),
    ({"scripts/a.lua.j2": "-- @pack.name@\n"}, "every pack would have @pack.name@"),
])  # fmt: skip
def test_no_raw_hole_leaves_a_build(tmp_path: Path, tree: dict[str, str], said: str) -> None:
    rules = '[[script]]\npath = "a.lua"\n' if "scripts/a.lua.j2" in tree else ""
    game = Made(tmp_path, "dunlin", f"{ONE}{rules}", {"tree/@key@.wav": "", **tree}, {})
    checked = run("games", "check", game.profile)
    assert (checked.code, said in checked.err) == (1, True), checked.err


def test_rules_of_names_are_for_sounds_unless_said(tmp_path: Path) -> None:
    tree = {"tree/engines/@key@.ini": "[engine]\nname = @key@\nsound = @file@\n", "tree/snd/@key@.wav": ""}
    names = '[names]\ncase = "lower"\nspaces = "_"\n'
    game = Made(tmp_path, "plover", f"{ONE}{names}", tree, {})
    game.start('[[sound]]\nkey = "Big Wheel"\nnew = true\ntakes = ["c1.wav"]\n')
    assert sorted(path.name for path in game.build().rglob("*.*")) == ["Big Wheel.ini", "CREDITS.txt", "big_wheel.wav"]
    rules = game.profile / "game.toml"
    rules.write_text(rules.read_text().replace('case = "lower"', 'case = "lower"\nholds-for = ["sounds", "documents"]'))
    assert (game.build() / "engines/big_wheel.ini").is_file()


def test_a_refused_release_is_not_the_one_built_last(workspace: Path) -> None:
    before = (workspace / PACKAGE).read_bytes()
    edit(workspace, 'takes = ["clips/hatch-1.flac"', 'title = {fr = "Une trappe"}\ntakes = ["clips/hatch-1.flac"')
    refused = run("release", "--minor", "--note", "x", cwd=workspace)
    assert refused.code == 1, refused.out
    assert (workspace / PACKAGE).read_bytes() == before
    assert [path.name for path in (workspace / "build").iterdir()] == [Path(PACKAGE).name]
    assert f"{PACKAGE}" in run("status", cwd=workspace).out
    assert not (workspace / ".ichnos/release").exists()


def test_releases_of_a_pack_whose_name_has_no_version(tmp_path: Path) -> None:
    game = Made(
        tmp_path, "curlew", ONE, {"tree/s.json": '{"s": [{"k": "@key@", "f": "@file@"}]}', "tree/@key@.wav": ""}, {}
    )
    rules = game.profile / "game.toml"
    rules.write_text(
        rules.read_text().replace('kind = "folder"\nname = "@pack.name@"', 'kind = "archive"\nname = "@pack.name@.zip"')
    )
    game.start('[[sound]]\nkey = "x"\nnew = true\ntakes = ["c1.wav"]\n')
    assert run("release", "--note", "first", cwd=game.own).code == 0
    assert (game.own / "release/0.1.0/my-own.zip").is_file()
    again = run("release", "--note", "the same", cwd=game.own)
    assert (again.code, "0.1.0 was released already" in again.err) == (2, True)
    assert run("release", "--patch", "--note", "second", cwd=game.own).code == 0
    assert (game.own / "release/0.1.1/my-own.zip.sha256").is_file()


def test_a_title_in_a_script_is_no_slip_of_its_key(tmp_path: Path) -> None:
    tree = {
        "tree/noises.json": '{"sounds": [\n  {"id": "@key@", "files": ["@file@"]}\n]}\n',
        "tree/@key@-@take.number@.wav": "",
        "scripts/cues.lua.j2": "{% for one in sounds %}name({{ one.title | quoted }}, {{ one.key | quoted }})\n{% endfor %}",
    }
    game = Made(tmp_path, "mill", '[[script]]\npath = "cues.lua"\n', tree, {})
    game.start('\n[[sound]]\nkey = "reed"\nnew = true\ntakes = ["c1.wav"]\ntitle = "Reed"\n')
    assert 'name("Reed", "reed")' in (game.build() / "cues.lua").read_text("utf-8")
    assert json.loads(run("check", "--json", cwd=game.own).out)["findings"] == []


def test_what_a_pack_says_of_itself_the_second_time_is_compared_too(tmp_path: Path) -> None:
    tree = {
        "tree/a.json": '{"title": "@pack.title@", "sounds": [\n  {"id": "@key@", "files": ["@file@"]}\n]}\n',
        "tree/b.json": '{"name": "@pack.title@"}\n',
        "tree/@key@-@take.number@.wav": "",
    }
    game = Made(tmp_path, "mill", "", tree, {})
    game.start('\n[[sound]]\nkey = "reed"\nnew = true\ntakes = ["c1.wav"]\n')
    packs = [shutil.copytree(game.build(), tmp_path / name) for name in ("first", "second")]
    for pack, title in zip(packs, ("Two", "Three"), strict=True):
        (pack / "b.json").write_text(f'{{"name": "{title}"}}\n')
    said = json.loads(run("compare", *packs, "--game", game.profile, "--json").out)
    assert [(one["field"], one["before"], one["after"]) for one in said["changes"]] == [("title (2)", "Two", "Three")]


def test_compare_says_the_loudness_that_a_sound_has(tmp_path: Path) -> None:
    game = reeds(tmp_path, '[[sound]]\nkey = "reed"\ntakes = ["c5.wav"]\n')
    noise = np.random.default_rng(3).normal(scale=0.05, size=22050 * 3)
    noise[: 22050 * 2] *= 6  # its beginning is the loud half
    for gain, name in ((1, "first"), (0.5, "second")):
        soundfile.write(game.own / "c5.wav", noise * gain, 22050, subtype="PCM_16")
        pack = game.build()
        shutil.make_archive(str(tmp_path / name), "zip", pack.parent, pack.name)
    told = run("compare", tmp_path / "first.zip", tmp_path / "second.zip", "--game", game.profile).out
    figures = [float(one) for one in re.findall(r"(-?[\d.]+) LUFS", told)]
    meter = pyloudnorm.Meter(22050)
    assert figures == pytest.approx([meter.integrated_loudness(noise * gain) for gain in (1, 0.5)], abs=0.06)


def test_further_takes_behind_one_with_a_weight(workspace: Path) -> None:
    for words in (["--weight", "2", "--replace"], ["--add"], ["--add", "--weight", "3"]):
        assert run("assign", "tower-bell-near", "clips/gull.ogg", *words, cwd=workspace).code == 0
    assert (
        'takes = [{clip = "clips/gull.ogg", weight = 2.0}, "clips/gull.ogg", {clip'
        in (workspace / "ichnos.toml").read_text()
    )


@pytest.mark.parametrize(
    "hole", ["@field.a~decibel@", "@field.a~decimals(2)@", "@field.a~percent@", "@field.a~separated(/)@"]
)
def test_sound_profiles_are_found_sound(tmp_path: Path, hole: str) -> None:
    tree = {
        "tree/s.json": '{"s": [{"k": "@key@", "f": "@pack.name@:@file@", "x": "' + hole + '"}]}',
        "tree/@key@.wav": "",
    }
    checked = run("games", "check", Made(tmp_path, "ruff", ONE, tree, {}).profile)
    assert checked.code == 0, checked.out + checked.err


def test_swap_for_a_game_by_its_path(tmp_path: Path) -> None:
    game = reeds(tmp_path, "")
    clip(tmp_path / "a.wav", 4)
    words = ("--game", "reedling", "--installation", "game")
    wrong = run("swap", "reeed", "a.wav", *words, cwd=tmp_path)
    assert (wrong.code, (tmp_path / "my-reedling-sounds").exists()) == (1, False)
    done = run("swap", "reed", "a.wav", *words, cwd=tmp_path)
    assert done.code == 0, done.err
    again = run("swap", "rush", "a.wav", "--game", str(game.profile), "-w", "my-reedling-sounds", cwd=tmp_path)
    assert again.code == 0, again.err


def test_keys_in_subfolders_and_names_that_are_left_out(tmp_path: Path) -> None:
    names = ("one.wav", "deep/two.wav", "deep/er/three.wav", "deep/four.ogg")
    game = Made(
        tmp_path,
        "godwit",
        '[modes]\nreplace = "by-path"\nnew = false\n[catalogue]\nfolder = "."\n',
        {"tree/snd/@key@.wav": ""},
        {},
    )
    for name in names:
        (tmp_path / "game/snd" / name).parent.mkdir(parents=True, exist_ok=True)
        clip(tmp_path / "game/snd" / name, 3)
    done = run("keys", "harvest", tmp_path / "game", "--game", game.profile)
    assert done.code == 0, done.err
    assert "of 4 sound files 1 are left out" in done.out + done.err
    assert "snd/deep/four.ogg" in done.out + done.err
    assert json.loads(run("keys", "deep", "--game", game.profile, "--json").out)


def test_another_users_look_leaves_the_owners_record(
    workspace: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    mine, before = os.environ["ICHNOS_DATA"], run("status", "--json", cwd=workspace).out
    assert json.loads(before)["built"] != "never"
    monkeypatch.setenv("ICHNOS_DATA", str(tmp_path / "theirs"))
    assert json.loads(run("status", "--json", cwd=workspace).out)["built"] == "never"
    monkeypatch.setenv("ICHNOS_DATA", mine)
    assert run("status", "--json", cwd=workspace).out == before


def test_what_the_games_own_encoder_wrote_outlives_the_private_folder(tmp_path: Path) -> None:
    tree = {"tree/s.json": '{"s": [{"k": "@key@", "f": "@file@"}]}', "tree/@key@.own": ""}
    game = Made(tmp_path, "twite", f'{ONE}[own-encoder]\nextension = ".own"\n', tree, {})
    game.start('[[sound]]\nkey = "x"\nnew = true\ntakes = ["c1.wav"]\n')
    assert "TO-ENCODE.txt" in run("build", cwd=game.own).err
    (game.own / "encoded").mkdir()
    (game.own / "encoded/x.own").write_bytes(b"made by the game's own encoder")
    game.build()
    shutil.rmtree(game.own / ".ichnos")
    assert (game.build() / "x.own").read_bytes() == b"made by the game's own encoder"


def test_a_clip_that_is_being_written_is_waited_for(workspace: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(known_clips, "_QUIET", 0.5)
    path = workspace / "clips/draught.wav"
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])

    def go_on() -> None:
        time.sleep(0.4)
        path.write_bytes(whole)

    writer = threading.Thread(target=go_on)
    writer.start()
    done = run("build", cwd=workspace)
    writer.join()
    assert done.code == 0, done.err
    monkeypatch.setattr(known_clips, "_PATIENCE", 0.3)
    monkeypatch.setattr(known_clips, "_QUIET", 9)
    path.write_bytes(whole[: len(whole) // 2])
    assert "clips/draught.wav: this clip is being written by another program" in run("build", cwd=workspace).err


@pytest.mark.skipif(not hasattr(signal, "SIGSTOP"), reason="a process is held up by signals")
def test_an_honest_script_may_take_its_time_on_a_busy_machine(monkeypatch: pytest.MonkeyPatch) -> None:
    from ichnos.games.profiles import loading, profile
    from ichnos.play.world import Script, World

    found = loading.load(profile.BUNDLED / "ombervale")
    asked = scripts.Scripts._ask

    def held_up(self: scripts.Scripts, what: dict[str, Any], label: str) -> dict[str, Any]:
        assert self._process is not None
        self._process.send_signal(signal.SIGSTOP)
        threading.Timer(2.0, self._process.send_signal, [signal.SIGCONT]).start()
        return asked(self, what, label)

    monkeypatch.setattr(scripts.Scripts, "_ask", held_up)
    world = World(found, scripts=[Script("", "a.lua", "local x = 1\n")])
    with contextlib.closing(scripts.Scripts(world, 0)) as honest:
        assert honest.wrong == []
    monkeypatch.undo()
    endless = 'local s = ("a"):rep(400)\ns:find((".-"):rep(6) .. "b")\n'
    world = World(found, scripts=[Script("", "a.lua", endless)])
    with contextlib.closing(scripts.Scripts(world, 0)) as stopped:
        assert [one.stopped for one in stopped.wrong] == [True]


def test_takes_that_are_called_by_their_files_are_all_there(workspace: Path, tmp_path: Path) -> None:
    """One clip twice under one key is two files: under one name, a game would see the last take alone."""
    edit(workspace, '"clips/hatch-2.flac"]', '{clip = "clips/hatch-1.flac", weight = 3}]')
    assert run("build", cwd=workspace).code == 0
    odds = voices_in(workspace / PACKAGE)["hatch-closed"]["odds"]
    assert odds == {"storm-watch/hatch-closed-1.ogg": 1, "storm-watch/hatch-closed-2.ogg": 3}
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        archive.extractall(tmp_path / "slip")
    log = tmp_path / "slip/lore/log.json"
    log.write_text(log.read_text("utf-8").replace("hatch-closed-2.ogg", "hatch-closed-1.ogg"), "utf-8")
    assert 'hatch-closed-1.ogg" stands here twice' in run("check", tmp_path / "slip", "--game", "tarnlight").out
