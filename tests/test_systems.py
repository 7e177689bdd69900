"""Manners of other systems, made here: their line ends, paths, spellings, clocks and limits; and what pip installs."""

from __future__ import annotations

import errno
import os
import shutil
import subprocess
import sys
import time
import unicodedata
import zipfile
from pathlib import Path

import pytest

from conftest import LOCAL, clip, edit, run
from ichnos.files import archives, disk
from ichnos.games.profiles.profile import BUNDLED

ROOT = Path(__file__).parents[1]


def _sha(folder: Path) -> str:
    built = run("build", cwd=folder)
    assert built.code == 0, built.err
    return next(line for line in built.out.splitlines() if line.startswith("SHA-256"))


def test_files_saved_on_windows_give_the_same_pack(workspace: Path) -> None:
    """Line ends of two signs, a mark at the beginning, backslashes: in each file that a person edits."""
    (workspace / "sounds.csv").write_text("key,clip\ngallery-hail-wild,clips/bell-take3.wav\n")
    shutil.copytree(BUNDLED / "tarnlight", workspace / "game")
    edit(workspace, 'game = "tarnlight"', 'game = "game"')
    before = _sha(workspace)
    edit(workspace, '"clips/gull.ogg"', "'clips\\gull.ogg'")
    rules = workspace / "game" / "game.toml"
    for path in (workspace / "ichnos.toml", workspace / "sounds.csv", rules):
        path.write_bytes(path.read_bytes().replace(b"\n", b"\r\n"))
    table = (workspace / "sounds.csv").read_bytes().replace(b"clips/", b"clips\\")
    (workspace / "sounds.csv").write_bytes(b"\xef\xbb\xbf" + table)
    assert _sha(workspace) == before
    assert run("assign", "hatch-closed", "clips/gull.ogg", "--add", cwd=workspace).code == 0
    (workspace / "CHANGES.md").write_bytes(b"# Changes\r\n")
    assert run("release", "--minor", "--note", "one more", cwd=workspace).code == 0
    for name in ("ichnos.toml", "CHANGES.md"):
        data = (workspace / name).read_bytes()
        assert data.count(b"\n") == data.count(b"\r\n")


@pytest.mark.parametrize(
    ("installation", "cure"),
    [
        *((path, "in single quotes") for path in (r'"C:\Games\Mine"', r'"C:\Users\Mine"', r'"C:\temp"')),
        *((path, "this is a path of Windows") for path in (r"'C:\Games\Mine'", r"'\\server\Games'")),
        ('"../nowhere"', "the folder that the game is installed in"),
    ],
)
def test_a_path_of_windows_in_a_file(workspace: Path, installation: str, cure: str) -> None:
    edit(workspace, '"../Tarnlight"', installation, LOCAL)
    result = run("build", cwd=workspace)
    assert result.code == 1
    assert "ichnos.local.toml:2:" in result.err
    assert cure in result.err


def test_names_spelled_in_another_way(workspace: Path) -> None:
    """macOS takes accents apart, and gives names as they are asked for whatever their case."""
    apart = unicodedata.normalize("NFD", "möwen über see")
    (workspace / apart).mkdir()
    shutil.move(workspace / "clips/gull.ogg", workspace / apart / unicodedata.normalize("NFC", "möwe.ogg"))
    together = unicodedata.normalize("NFC", f"{apart}/möwe.ogg")
    edit(workspace, "clips/gull.ogg", together)
    assert run("build", cwd=workspace).code == 0
    assert run("look", together, cwd=workspace).code == 0
    assert run("assign", "hatch-closed", together, "--add", cwd=workspace).code == 0
    edit(workspace, "clips/hatch-1.flac", "clips/Hatch-1.FLAC")
    assert "did you mean clips/hatch-1.flac?" in run("build", cwd=workspace).err
    assert "did you mean clips/hatch-1.flac?" in run("look", "clips/HATCH-1.FLAC", cwd=workspace).err


def test_two_names_that_one_system_takes_for_one(workspace: Path) -> None:
    """Spelled apart and together, both would be one file on macOS, and one sound gone."""
    forms = [unicodedata.normalize(form, "möwe") for form in ("NFC", "NFD")]
    head = (workspace / "ichnos.toml").read_text("utf-8").partition("[[sound]]\nkey")[0]
    sounds = [f'[[sound]]\nkey = "{one}"\nnew = true\ntakes = ["clips/gull.ogg"]\n' for one in forms]
    (workspace / LOCAL).unlink()
    text = head + "".join(sounds)
    text = text.replace('"tarnlight"', '"open-pack"').replace('"2.3.0"', '"2"')
    (workspace / "ichnos.toml").write_text(text, "utf-8")
    result = run("build", cwd=workspace)
    assert (result.code, "would be the same file" in result.err) == (1, True), result.err
    with zipfile.ZipFile(workspace / "theirs.zip", "w") as pack:
        for one in forms:
            pack.writestr(f"audio/{one}.ogg", (workspace / "clips/gull.ogg").read_bytes())
    assert "name-case" in run("check", "theirs.zip", "--game", "open-pack", cwd=workspace).out


def test_a_clock_of_two_seconds_hides_no_change(workspace: Path) -> None:
    """On FAT a file that is saved twice within two seconds has the same time, and here also the same size."""
    path = workspace / "clips" / "bell-take3.wav"
    while time.time() % 2 > 0.5:  # early in one of its steps, as a change would not show
        time.sleep(0.05)
    step = int(time.time() // 2) * 2
    found = []
    for pitch in (1.0, 1.3):
        clip(path, pitch)
        os.utime(path, (step, step))
        found.append((path.stat().st_size, path.stat().st_mtime, _sha(workspace)))
    assert found[0][:2] == found[1][:2]
    assert found[0][2] != found[1][2]


def test_a_disk_without_links(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*_: object, **__: object) -> None:
        raise OSError(errno.EPERM, "no links here")

    (tmp_path / "old").write_bytes(b"sound")
    monkeypatch.setattr(os, "link", refused)
    archives.write_folder(tmp_path / "new", [("a/b.ogg", tmp_path / "old")], {"a/b.ogg": tmp_path / "old"})
    assert (tmp_path / "new/a/b.ogg").read_bytes() == b"sound"


def test_a_path_too_long_for_windows_is_said_to_be(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(disk, "WINDOWS", True)
    for path, said in ((tmp_path / ("a" * 200) / ("b" * 100), "Windows takes 259"), (tmp_path / "b", "not there")):
        error = disk.reason(FileNotFoundError(errno.ENOENT, "No such file or directory"), path)
        assert said in error.what


@pytest.mark.parametrize("count", [251, 300, 100_000])
def test_a_name_too_long_for_any_system(workspace: Path, count: int) -> None:
    """Beyond 65,535 bytes not even an archive holds it."""
    edit(workspace, 'key = "tower-bell-near"', f'key = "{"b" * count}"\nnew = true\ncategory = "signals"')
    result = run("build", cwd=workspace)
    assert (result.code, "ichnos.toml:" in result.err, "a shorter one" in result.err) == (1, True, True)


def test_what_pip_installs(tmp_path: Path) -> None:
    """All that the program needs, no tests, and no more than a megabyte."""
    build = [sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(tmp_path)]
    subprocess.run(build, cwd=ROOT, check=True, capture_output=True)
    (wheel,) = tmp_path.glob("*.whl")
    assert wheel.stat().st_size < 1_000_000
    with zipfile.ZipFile(wheel) as found:
        names = {name for name in found.namelist() if ".dist-info/" not in name}
        metadata = found.read(next(name for name in found.namelist() if name.endswith("/METADATA"))).decode()
    source = ROOT / "src"
    ours = {path.relative_to(source).as_posix() for path in source.rglob("*") if path.is_file()}
    assert names == {name for name in ours if "__pycache__" not in name}
    assert any(name.endswith("tarnlight/game.toml") for name in names)
    assert "Requires-Python: >=3.11" in metadata
