"""What is kept of builds and for the user: relative, verified, thrown away when it is damaged, one process at a time."""

from __future__ import annotations

import contextlib
import io
import json
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

from conftest import PACKAGE, edit, run, voices_in
from ichnos.audio.drawing.clips import draw_look
from ichnos.audio.files.clips import OpenSound
from ichnos.audio.measure.analysis import analyse
from ichnos.errors import IchnosError, Place
from ichnos.files import writing
from ichnos.files.paths import below, is_plain, leads_out, seen_from
from ichnos.files.sources import Archive, Folder
from ichnos.files.views import Overlay
from ichnos.pack.build import building

STATE = ".ichnos/state.sqlite"


def _title(package: Path) -> str:
    return str(voices_in(package)["shore-foghorn-distant"]["words"]["en"])


def test_a_copied_workspace_is_one_of_its_own(workspace: Path) -> None:
    copy = workspace.parent / "copy"
    shutil.copytree(workspace, copy, copy_function=shutil.copy2)
    whole = (workspace / PACKAGE).read_bytes()
    edit(copy, "Foghorn across the bay", "Foghorn of the copy")
    built = run("build", cwd=copy)
    assert "Nothing has changed" not in built.out
    assert "Converted 0 clips, 6 kept" in built.out  # what was converted for the one serves the other
    assert _title(copy / PACKAGE) == "Foghorn of the copy"
    assert (workspace / PACKAGE).read_bytes() == whole
    shutil.rmtree(workspace)
    again = run("build", cwd=copy)
    assert f"Nothing has changed: {PACKAGE}" in again.out
    with contextlib.closing(sqlite3.connect(copy / STATE)) as db:
        paths = [path for (path,) in db.execute("SELECT path FROM signatures UNION SELECT package FROM builds")]
    assert not [path for path in paths if path.startswith("/") and "site-packages" not in path and "/src/" not in path]


def test_files_that_are_old_enough_are_not_read_again(workspace: Path) -> None:
    def read() -> int:
        with contextlib.closing(sqlite3.connect(workspace / STATE)) as db:
            return int(db.execute("SELECT count(digest) FROM signatures").fetchone()[0])

    edit(workspace, "Foghorn across the bay", "Foghorn, far off")
    assert run("build", cwd=workspace).code == 0
    assert read()  # just written: their time does not tell whether they change once more
    time.sleep(2.1)
    assert "Nothing has changed" in run("build", cwd=workspace).out
    assert not read()
    before = (workspace / "ichnos.toml").stat()
    edit(workspace, "Foghorn, far off", "Foghorn, far on.")
    os.utime(workspace / "ichnos.toml", ns=(before.st_atime_ns, before.st_mtime_ns + 1))
    assert "Nothing has changed" not in run("build", cwd=workspace).out


@pytest.mark.skipif(sys.platform != "linux", reason="elsewhere names are Unicode")
def test_an_output_whose_name_is_no_utf8(workspace: Path) -> None:
    out = os.fsdecode(os.fsencode(workspace) + b"/out\xff")
    assert run("build", "--to", out, cwd=workspace).code == 0
    assert "Nothing has changed" in run("build", "--to", out, cwd=workspace).out
    assert (Path(out) / Path(PACKAGE).name).is_file()


def test_a_moved_workspace_and_game_are_as_they_were(workspace: Path) -> None:
    moved = workspace.parent.with_name("moved")
    workspace.parent.rename(moved)
    assert "Nothing has changed" in run("build", cwd=moved / workspace.name).out


def test_two_builds_at_once_give_one_pack(workspace: Path) -> None:
    whole = (workspace / PACKAGE).read_bytes()
    for number in range(3):
        shutil.rmtree(workspace / "build")
        if number % 2:
            shutil.rmtree(workspace / ".ichnos")
        words = [sys.executable, "-m", "ichnos", "build"]
        both = [
            subprocess.Popen(words, cwd=workspace, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
            for _ in range(2)
        ]
        said = [one.communicate() for one in both]
        assert [one.returncode for one in both] == [0, 0], said
        assert (workspace / PACKAGE).read_bytes() == whole
    assert not list(workspace.rglob("*.partial"))


def test_a_release_is_kept_like_a_build(workspace: Path) -> None:
    assert run("release", "--minor", "--note", "x", cwd=workspace).code == 0
    assert json.loads(run("status", "--json", cwd=workspace).out)["built"] == "current"  # not older than the file
    assert "Nothing has changed: build/storm-watch-0.2.0.lampbox" in run("build", cwd=workspace).out


def test_what_takes_its_name_is_on_the_disk_first(workspace: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Else a loss of power could leave an empty file under the name. Kept conversions are proved by digest instead."""
    synced: set[int] = set()
    real = os.fsync
    monkeypatch.setattr("os.fsync", lambda handle: (synced.add(os.fstat(handle).st_ino), real(handle))[1])
    assert run("release", "--minor", "--note", "x", cwd=workspace).code == 0
    assert run("convert", "clips/gull.ogg", "--to", "mine", "--container", "wav", cwd=workspace).code == 0
    assert run("listen", cwd=workspace).code == 0
    names = ("ichnos.toml", "mine/*.wav", "release/*", "build/*-0.2.0.lampbox", "build/listen.html")
    taken = [path for name in names for path in workspace.glob(name)]
    assert len(taken) == 6
    assert [path.name for path in taken if path.stat().st_ino not in synced] == []


def test_sweeping_leaves_what_belongs_to_another_name(tmp_path: Path) -> None:
    for name in (".a.ogg.0123abcd.partial", ".a.ogg.mine.0123abcd.partial", ".b.ogg.0123abcd.partial", "a.ogg"):
        (tmp_path / name).touch()
    writing.sweep(tmp_path, ["a.ogg"])
    left = [".a.ogg.mine.0123abcd.partial", ".b.ogg.0123abcd.partial", "a.ogg"]
    assert sorted(path.name for path in tmp_path.iterdir() if path.is_file()) == left


@pytest.mark.parametrize("change", [lambda data: b"", lambda data: data[: len(data) // 2], lambda data: data[::-1]])
def test_a_kept_conversion_that_is_not_what_was_kept(workspace: Path, change: object) -> None:
    whole = (workspace / PACKAGE).read_bytes()
    for path in (workspace / ".ichnos/conversions").iterdir():
        path.write_bytes(change(path.read_bytes()))  # type: ignore[operator]
    (workspace / PACKAGE).unlink()
    built = run("build", cwd=workspace)
    assert "Converted 6 clips" in built.out
    assert (workspace / PACKAGE).read_bytes() == whole


def test_what_a_stranger_kept_is_not_believed(workspace: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A workspace that somebody else sent, with conversions of other sounds and digests that fit them."""
    whole = (workspace / PACKAGE).read_bytes()
    kept = sorted((workspace / ".ichnos/conversions").iterdir())
    evil = kept[0].read_bytes()
    for path in kept:
        path.write_bytes(evil)
    with contextlib.closing(sqlite3.connect(workspace / STATE)) as db, db:
        db.execute(
            "UPDATE conversions SET sha256 = (SELECT sha256 FROM conversions WHERE identity = ?)", (kept[0].stem,)
        )
    (workspace / PACKAGE).unlink()
    monkeypatch.setenv("ICHNOS_DATA", str(tmp_path / "another user"))
    assert run("build", cwd=workspace).code == 0
    assert (workspace / PACKAGE).read_bytes() == whole


@pytest.mark.parametrize("seed", [1])
def test_damaged_state_is_made_anew(workspace: Path, tmp_path: Path, seed: int) -> None:
    whole = (workspace / PACKAGE).read_bytes()
    chance = random.Random(seed)
    for path in (workspace / STATE, tmp_path / "data/ichnos.sqlite"):
        data = bytearray(path.read_bytes())
        for kind in range(4):
            if kind == 0:
                damaged = bytes(data[: chance.randrange(len(data))])
            elif kind == 1:
                damaged = b"not a database at all" * 300
            else:
                for at in chance.choices(range(len(data)), k=40):
                    data[at] = chance.randrange(256)
                damaged = bytes(data)
            path.write_bytes(damaged)
            result = run("build", cwd=workspace)
            assert result.code == 0, result.err
            assert (workspace / PACKAGE).read_bytes() == whole
            assert run("keys", "bell", cwd=workspace).code == 0


def test_state_of_another_version_is_made_anew(workspace: Path) -> None:
    with contextlib.closing(sqlite3.connect(workspace / STATE)) as db, db:
        db.execute("PRAGMA user_version = 99")
        db.execute("ALTER TABLE builds RENAME TO buildings")
    (workspace / PACKAGE).unlink()
    assert run("build", cwd=workspace).code == 0
    with contextlib.closing(sqlite3.connect(workspace / STATE)) as db:
        assert db.execute("SELECT count(*) FROM builds").fetchone() == (1,)


def test_a_dry_run_keeps_nothing(workspace: Path) -> None:
    shutil.rmtree(workspace / ".ichnos")
    assert run("build", "--dry-run", cwd=workspace).code == 0
    assert run("check", cwd=workspace).code == 2  # nothing is known of a build
    assert not (workspace / ".ichnos").exists()


def test_an_overlay_is_the_files_as_they_would_be(tmp_path: Path) -> None:
    folder = tmp_path / "game"
    for name in ("a.txt", "b/c.txt"):
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(name)
    files = Overlay(Folder(folder), {"b/c.txt": b"other", "a.txt": None, "new.txt": b"x"})
    assert files.names() == ["b/c.txt", "new.txt"]
    assert (files.read("b/c.txt"), files.size("b/c.txt"), files.read("new.txt")) == (b"other", 5, b"x")
    with files.stream("new.txt") as stream:
        assert stream.read() == b"x"
    with pytest.raises(KeyError):
        files.read("a.txt")
    assert files.place == Place(str(folder))
    files.close()
    assert (folder / "a.txt").read_text() == "a.txt"


def test_a_sound_inside_an_archive_is_measured_and_drawn(workspace: Path) -> None:
    files = Archive(workspace / PACKAGE)
    name = "lore/audio/storm-watch/tower-bell-near-1.ogg"
    with files.stream(name) as stream:
        analysis = analyse(OpenSound(stream, name))
    files.close()
    picture = io.BytesIO()
    draw_look(analysis, name, picture)
    assert picture.getvalue().startswith(b"\x89PNG")
    assert (analysis.facts.frames, analysis.facts.rate) == (132300, 44100)


@pytest.mark.parametrize("path", ["..", "a/../../b", "/a", "\\a", "c:/a", "c:a", "..\\a"])
def test_paths_that_lead_out(path: str, tmp_path: Path) -> None:
    assert leads_out(path)
    assert not is_plain(path)


def test_paths_from_a_folder_come_back(tmp_path: Path) -> None:
    for path in (tmp_path / "a/b", tmp_path.parent / "c", tmp_path):
        assert below(tmp_path, seen_from(tmp_path, path)) == path


def test_a_private_folder_that_is_a_link(workspace: Path, tmp_path: Path) -> None:
    (tmp_path / "treasure").mkdir()
    shutil.rmtree(workspace / ".ichnos/conversions")
    (workspace / ".ichnos/conversions").symlink_to(tmp_path / "treasure")
    edit(workspace, "Foghorn across", "Horn across")
    with pytest.raises(IchnosError, match="not a link"):
        building.carry_out(building.plan(workspace), lambda _: None)
    assert not list((tmp_path / "treasure").iterdir())
