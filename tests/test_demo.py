"""The main job, from clips to a proved archive, seen with the standard library's eyes."""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import struct
import subprocess
import sys
import uuid
import zipfile
from pathlib import Path

import pytest

from conftest import PACKAGE, edit, run, voices_in
from ichnos.cli import app


def test_demo_runs_the_commands_it_prints(tmp_path: Path) -> None:
    folder = tmp_path / "try"
    done = subprocess.run(
        [sys.executable, "-m", "ichnos", "demo", folder], capture_output=True, text=True, check=True, cwd=tmp_path
    )
    assert "$ ichnos build" in done.stdout
    assert "decoded 6 sounds" in done.stdout
    assert "no findings" in done.stdout
    assert "\x1b" not in done.stdout
    assert str(folder) in done.stdout.splitlines()[-11]
    assert "Storm watch is out of" in done.stdout
    assert zipfile.ZipFile(folder / "storm-watch" / PACKAGE).testzip() is None
    before = sorted(folder.rglob("*"))
    again = run("demo", folder)
    assert again.code == 2
    assert "not empty" in again.err
    assert sorted(folder.rglob("*")) == before


def test_the_clips_are_what_the_demo_says(workspace: Path) -> None:
    clips = workspace / "clips"
    assert (clips / "Foghorn, Sunday morning.mp3").read_bytes()[:2] in (b"\xff\xfb", b"\xff\xf3")
    wav = (clips / "bell-take3.wav").read_bytes()
    assert wav[:4] == b"RIFF"
    assert int.from_bytes(wav[34:36], "little") == 24
    assert int.from_bytes(wav[24:28], "little") == 48000
    assert (clips / "gull.ogg").read_bytes()[:1] == b"\xff"


def test_the_archive_holds_the_pack(workspace: Path) -> None:
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        names = archive.namelist()
        icon = archive.read("lore/lamp.png")
        lamp = json.loads(archive.read("lamp.json"))
        almanac = json.loads(archive.read("almanac.json"))
    voices = voices_in(workspace / PACKAGE)
    assert list(voices) == [
        "shore-foghorn-distant", "tower-bell-near", "shore-gull-calling", "hatch-closed", "lamp-draught-storm",
    ]  # fmt: skip
    assert voices["hatch-closed"]["odds"] == {
        "storm-watch/hatch-closed-1.ogg": 1,
        "storm-watch/hatch-closed-2.ogg": 1,
    }
    assert voices["tower-bell-near"]["page"] == "signals"  # from the game's own definition
    assert voices["lamp-draught-storm"]["page"] == "house"  # as the workspace says
    for voice in voices.values():
        for take in voice["odds"]:
            assert f"lore/audio/{take}" in names
    assert almanac == {"watch": "0.1.0", "season": "2.3.0"}
    assert struct.unpack(">II", icon[16:24]) == (96, 144)  # the PNG's own header
    assert str(uuid.UUID(lamp["serial"])) == lamp["serial"]
    assert "by" not in lamp  # no author is given, so the member is left out
    assert voices["tower-bell-near"]["words"] == {"en": "The tower bell", "de": "Die Turmglocke"}
    assert voices["shore-gull-calling"]["words"] == {"en": "Gull calling, shore"}  # the game's own stay


@pytest.mark.skipif(not shutil.which("ogginfo"), reason="vorbis-tools is not installed")
def test_ogginfo_finds_no_fault(workspace: Path, tmp_path: Path) -> None:
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        sounds = [archive.extract(name, tmp_path) for name in archive.namelist() if name.endswith(".ogg")]
    assert len(sounds) == 6
    done = subprocess.run(["ogginfo", *sounds], capture_output=True, text=True, check=True)
    assert "arning" not in done.stdout + done.stderr
    assert done.stdout.count("Channels: 1\nRate: 44100") == 6
    for seconds in ("4.000", "3.000", "2.100", "1.199", "1.399", "5.000"):
        assert f"Playback length: 0m:0{seconds}" in done.stdout


def test_a_second_build_does_nothing(workspace: Path) -> None:
    package = workspace / PACKAGE
    files = [path for path in workspace.rglob("*") if path.is_file() and ".ichnos" not in path.parts]
    before = {path: (path.read_bytes(), path.stat().st_mtime_ns) for path in files}
    result = run("build", cwd=workspace)
    assert "Nothing has changed" in result.out
    assert before == {path: (path.read_bytes(), path.stat().st_mtime_ns) for path in before}
    package.unlink()
    assert "Converted 0 clips, 6 kept" in run("build", cwd=workspace).out
    assert package.read_bytes() == before[package][0]


def test_another_folder_on_another_day_gives_the_same_bytes(workspace: Path, tmp_path: Path) -> None:
    other = tmp_path / "elsewhere" / "another name"
    shutil.copytree(workspace.parent, other.parent)
    (other.parent / "storm-watch").rename(other)
    shutil.rmtree(other / "build")
    shutil.rmtree(other / ".ichnos")
    for path in other.rglob("*"):
        os.utime(path, (86400 * 400, 86400 * 400))
    result = run("build", "--json", cwd=other)
    built = json.loads(result.out)
    assert built["converted"] == 6
    first = hashlib.sha256((workspace / PACKAGE).read_bytes()).hexdigest()
    assert hashlib.sha256((other / PACKAGE).read_bytes()).hexdigest() == first == built["sha256"]


def test_only_what_changed_is_converted(workspace: Path) -> None:
    shutil.copy(workspace / "clips/hatch-1.flac", workspace / "clips/draught.wav")
    edit(workspace, 'takes = ["clips/bell-take3.wav"]', 'takes = [{clip = "clips/bell-take3.wav", weight = 2.5}]')
    before = (workspace / PACKAGE).read_bytes()
    planned = json.loads(run("build", "--dry-run", "--json", cwd=workspace).out)
    changed = {file["path"] for file in planned["files"] if file["state"] != "same"}
    assert changed == {"lore/log.json", "lore/audio/storm-watch/lamp-draught-storm-1.ogg"}
    assert (workspace / PACKAGE).read_bytes() == before  # --dry-run wrote nothing
    assert "Converted 0 clips" in run("build", cwd=workspace).out  # the same bytes as another clip's
    assert list(voices_in(workspace / PACKAGE)["tower-bell-near"]["odds"].values()) == [2.5]


def test_help_and_version_import_nothing_heavy() -> None:
    for option in ("--help", "--version"):
        code = (
            "import sys; sys.argv = ['ichnos', sys.argv[1]]\nfrom ichnos.cli.main import main\n"
            "try: main()\nexcept SystemExit: pass\n"
            "print([m for m in ('numpy', 'scipy', 'matplotlib', 'soundfile') if m in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", code, option], capture_output=True, text=True, check=True)
        assert done.stdout.splitlines()[-1] == "[]"


def test_a_command_in_no_section_is_listed_under_the_last(monkeypatch: pytest.MonkeyPatch) -> None:
    sections = {name: tuple(one for one in names if one != "sheet") for name, names in app._SECTIONS.items()}
    monkeypatch.setattr(app, "_SECTIONS", sections)
    assert re.search(r"\n  restore .*\n  sheet ", run("--help").out)


def test_errors_are_json_where_that_is_asked_for(workspace: Path) -> None:
    edit(workspace, 'key = "tower-bell-near"', 'key = "tower-bel-near"')
    (error,) = json.loads(run("build", "--json", cwd=workspace).out)["errors"]
    assert (error["file"], error["line"]) == ("ichnos.toml", 45)
    assert ("tower-bel-near" in error["reason"], "tower-bell-near" in error["cure"]) == (True, True)
    for words, said in ((("look", "no.wav"), "no clip no.wav"), (("build", "--nonsense"), "--nonsense")):
        wrong = run(*words, "--json", cwd=workspace)
        assert (wrong.code, said in json.loads(wrong.out)["errors"][0]["reason"], said in wrong.err) == (2, True, True)


def test_help_is_in_the_order_of_the_work_and_its_examples_can_be_copied(tmp_path: Path) -> None:
    listed = re.findall(r"^  ([a-z]+)  ", run("--help", cwd=tmp_path).out, re.MULTILINE)
    order = "demo swap start adopt migrate learn games keys look treat convert heard loop split assign trigger prop schedule thing build insert check explain"
    order += " compare rehearse play listen sheet release status install installed restore"
    assert listed == order.split()
    for command in (*listed, "keys harvest", "keys search", "keys forget", "games show", "games check"):
        out = run(*command.split(), "--help", cwd=tmp_path).out
        assert not re.search(r"<(?![=\d])", out), out  # a type as Python calls it
        examples = re.findall(r"^    (ichnos .*)$", out[out.index("Example") :], re.MULTILINE)
        assert examples, out
        assert all(line.startswith(f"ichnos {command.split()[0]}") for line in examples), out
        for example in examples:
            words = re.findall(r"(?<!\S)--[a-z-]+", example)
            assert all(word in out or "keys " in example for word in words), example  # options that there are


def test_what_the_game_has_no_place_for_is_said(workspace: Path) -> None:
    assert "Note" not in run("build", "--dry-run", cwd=workspace).err
    more = 'near = 3\nfade = 0.5\nvolume = 0.5\ntakes = ["clips/gull.ogg"]'
    edit(workspace, 'takes = ["clips/gull.ogg"]', more)
    prop = '\n[[prop]]\nname = "t"\ntitle = "e"\nkey = "tower-bell-near"\n'
    (workspace / "ichnos.toml").write_text((workspace / "ichnos.toml").read_text("utf-8") + prop, "utf-8")
    result = run("build", "--dry-run", cwd=workspace)
    assert "Note: shore-gull-calling: Tarnlight has no place for near, fade." in result.err
    assert "Note: Tarnlight has no place for a prop: t." in result.err


def test_an_icon_of_ones_own(workspace: Path) -> None:
    from PIL import Image

    Image.new("RGB", (300, 100), (200, 30, 30)).save(workspace / "wide.png")
    edit(workspace, 'version = "0.1.0"', 'version = "0.1.0"\nicon = "wide.png"')
    assert run("build", cwd=workspace).code == 0
    with zipfile.ZipFile(workspace / PACKAGE) as archive, archive.open("lore/lamp.png") as stream:
        icon = Image.open(stream).convert("RGBA")
    assert icon.size == (96, 144)
    assert icon.getpixel((48, 72)) == (200, 30, 30, 255)
    assert icon.getpixel((48, 5))[3] == 0  # padded, not stretched
    (workspace / "wide.png").write_text("no picture")
    assert "wide.png: this picture cannot be read (it is no picture)" in run("build", cwd=workspace).err
    edit(workspace, 'icon = "wide.png"', 'icon = "tall.png"')
    assert 'the icon "tall.png" is not there' in run("build", cwd=workspace).err
