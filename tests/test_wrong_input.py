"""Wrong input: one clear message each, and the build before is untouched."""

from __future__ import annotations

import os
import shutil
import struct
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import LOCAL, PACKAGE, edit, run
from ichnos.errors import IchnosError
from ichnos.pack.build import building


def _cut(name: str, keep: float) -> Callable[[Path], None]:
    def change(workspace: Path) -> None:
        path = workspace / "clips" / name
        path.write_bytes(path.read_bytes()[: int(path.stat().st_size * keep)])

    return change


def _text(workspace: Path) -> None:
    (workspace / "clips/gull.ogg").write_text("<html>404 not found</html>")


def _vorbis_cut(workspace: Path) -> None:
    original = workspace.parent / "Tarnlight/base/lore/audio/signals/tower-bell-near-1.ogg"
    (workspace / "clips/gull.ogg").write_bytes(original.read_bytes()[:-2000])


def _wrong_middle(workspace: Path) -> None:
    path = workspace / "clips/hatch-1.flac"
    data = bytearray(path.read_bytes())
    data[len(data) // 2 :] = bytes(len(data) - len(data) // 2)
    path.write_bytes(data)


CLIPS: list[tuple[Callable[[Path], None], str, str]] = [
    (
        lambda workspace: (workspace / "clips/gull.ogg").unlink(),
        "ichnos.toml:",
        'the clip "clips/gull.ogg" is not there',
    ),
    (_cut("gull.ogg", 0), "clips/gull.ogg", "empty (0 bytes)"),
    (_cut("gull.ogg", 0.6), "clips/gull.ogg", "this MP3 file is cut short"),
    (_cut("bell-take3.wav", 0.5), "clips/bell-take3.wav", "this WAV file is cut short"),
    (_cut("bell-take3.wav", 0.0001), "clips/bell-take3.wav", "cut short"),
    (_cut("hatch-2.flac", 0.5), "clips/hatch-2.flac", "damaged: it can be decoded up to"),
    (_wrong_middle, "clips/hatch-1.flac", "damaged: it can be decoded up to"),
    (_vorbis_cut, "clips/gull.ogg", "this Ogg file is cut short"),
    (_text, "clips/gull.ogg", "not audio"),
]


@pytest.mark.parametrize(("change", "place", "message"), CLIPS)
def test_bad_clips(workspace: Path, change: Callable[[Path], None], place: str, message: str) -> None:
    before = (workspace / PACKAGE).read_bytes()
    change(workspace)
    result = run("build", cwd=workspace)
    assert result.code == 1
    assert f"error: {place}" in result.err
    assert message in result.err
    assert "cure: " in result.err
    assert (workspace / PACKAGE).read_bytes() == before
    assert not list(workspace.rglob("*.partial"))


def test_every_bad_clip_is_named_at_once(workspace: Path) -> None:
    _text(workspace)
    _cut("bell-take3.wav", 0.5)(workspace)
    assert run("build", cwd=workspace).err.count("error: ") == 2


def test_a_streamed_wav_of_unknown_length_is_whole(workspace: Path) -> None:
    path = workspace / "clips/draught.wav"
    data = bytearray(path.read_bytes())
    at = data.index(b"data")
    data[at + 4 : at + 8] = struct.pack("<I", 0xFFFFFFFF)
    path.write_bytes(data)
    assert run("build", cwd=workspace).code == 0


BROKEN = [
    ('key = "tower-bell-near"', 'key = "tower-bell-neer"', "key", "did you mean tower-bell-near or "),
    ('key = "tower-bell-near"', 'key = "hatch-closed"', "key", "is already given in line"),
    ('key = "tower-bell-near"', 'kee = "tower-bell-near"', "kee", 'did you mean "key"?'),
    ('key = "tower-bell-near"', "key = tower-bell-near", "", "invalid value"),
    ('title = "Storm watch"', 'title = "Storm watch', "", "in: title ="),
    ('title = "Storm watch"', "", "[pack]", 'the field "title" is missing'),
    ('version = "0.1.0"', "version = 0.1", "version", "a text is expected, in quotation marks"),
    ('version = "0.1.0"', 'version = "new"', "version", "version"),
    ('game = "tarnlight"', 'game = "turnlight"', "game", "did you mean tarnlight?"),
    ('"../Tarnlight"', '"../storm-watch"', "installation", "no sound keys of Tarnlight"),
    (
        'takes = ["clips/gull.ogg"]',
        'takes = ["clips/gull.ogg", {clip = "a.wav", weight = 0}]',
        "weight",
        "it must be more than 0",
    ),
    ('takes = ["clips/gull.ogg"]', 'takes = ["clips/gull.ogg", "clips/sea.wav"]', '"clips/sea.wav"', "is not there"),
    ('key = "shore-gull-calling"', 'key = "../../up"\nnew = true\ncategory = "house"', "", "cannot be a file's name"),
    ('pack = "', 'pack = "x', "pack", "an id such as"),
    ("[ids]\n", '[ids]\nother = ["a"]\n', "other", "an id such as"),
    ('["clips/gull.ogg"]', '[{clip = "clips/gull.ogg", stream = true}]', "stream", "it is called from-disk"),
    (
        "[pack]\n",
        '[[schedule]]\nname = "n"\nmains = 1\nentries = ["x"]\n[pack]\n',
        "mains",
        "it is called piece-volume",
    ),
    (
        "[pack]\n",
        '[[schedule]]\nname = "n"\nentries = [{key = "x", kind = "interlude"}]\n[pack]\n',
        "kind",
        "piece' or 'between'",
    ),
]


@pytest.mark.parametrize(("old", "new", "at", "message"), BROKEN)
def test_a_broken_workspace_file(workspace: Path, old: str, new: str, at: str, message: str) -> None:
    before = (workspace / PACKAGE).read_bytes()
    name = LOCAL if at == "installation" else "ichnos.toml"
    edit(workspace, old, new, name)
    result = run("build", cwd=workspace)
    assert result.code == 1
    assert message in result.err
    assert (workspace / PACKAGE).read_bytes() == before
    if at:
        place = result.err.split(f"error: {name}:")[1].split(": ")[0]
        line, column = map(int, place.split(":"))
        assert (workspace / name).read_text("utf-8").splitlines()[line - 1][column - 1 :].startswith(at)


def test_an_output_that_cannot_be_written(workspace: Path, tmp_path: Path) -> None:
    (tmp_path / "in-the-way").write_text("a file")
    result = run("build", "--to", tmp_path / "in-the-way" / "out", cwd=workspace)
    assert result.code == 1
    assert "a file stands where a folder is needed" in result.err
    if os.geteuid():
        (tmp_path / "locked").mkdir(mode=0o500)
        assert "may not be written to" in run("build", "--to", tmp_path / "locked", cwd=workspace).err


@pytest.mark.parametrize("limit", [3_000, 20_000, 60_000])
def test_a_disk_that_fills_up(workspace: Path, limit: int) -> None:
    """The system's limit on a file's size stands for the full disk: in a conversion, or in the archive."""
    resource = pytest.importorskip("resource")
    before = (workspace / PACKAGE).read_bytes()
    shutil.rmtree(workspace / ".ichnos")
    edit(workspace, 'title = "Storm watch"', 'title = "Other"')
    done = subprocess.run(
        [sys.executable, "-m", "ichnos", "build"],
        cwd=workspace,
        capture_output=True,
        text=True,
        check=False,
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (limit, limit)),
    )
    assert done.returncode == 1
    assert "larger than the system allows" in done.stderr
    assert "Traceback" not in done.stderr
    assert "From cffi" not in done.stderr
    assert (workspace / PACKAGE).read_bytes() == before
    assert not [path for path in workspace.rglob("*.partial") if not path.name.endswith(".zip")]
    assert run("build", cwd=workspace).code == 0


@pytest.mark.parametrize("moment", [0.25, 0.5, 0.6, 0.7, 0.8, 1.0])
def test_a_killed_build_leaves_the_old_pack_or_the_new(workspace: Path, moment: float) -> None:
    before = (workspace / PACKAGE).read_bytes()
    shutil.rmtree(workspace / ".ichnos")
    edit(workspace, 'title = "Storm watch"', 'title = "Other"')
    process = subprocess.Popen([sys.executable, "-m", "ichnos", "build"], cwd=workspace, stdout=subprocess.DEVNULL)
    time.sleep(moment)
    process.kill()
    process.wait()
    found = (workspace / PACKAGE).read_bytes()
    assert run("build", cwd=workspace).code == 0
    after = (workspace / PACKAGE).read_bytes()
    assert found in (before, after)
    shutil.rmtree(workspace / ".ichnos")
    run("build", cwd=workspace)
    assert (workspace / PACKAGE).read_bytes() == after


def test_a_link_in_place_of_our_own_folder(workspace: Path, tmp_path: Path) -> None:
    treasure = tmp_path / "treasure"
    treasure.mkdir()
    (treasure / "keep.txt").write_text("mine")
    shutil.rmtree(workspace / ".ichnos")
    (workspace / ".ichnos").symlink_to(treasure)
    result = run("build", cwd=workspace)
    assert result.code == 1
    assert "not a link" in result.err
    assert [path.name for path in treasure.iterdir()] == ["keep.txt"]


def test_a_clip_that_changes_between_the_plan_and_the_build(workspace: Path) -> None:
    """Kept under the name of what was looked at, it would be the wrong sound for ever."""
    shutil.rmtree(workspace / ".ichnos")
    planned = building.plan(workspace)
    shutil.copy(workspace / "clips/draught.wav", workspace / "clips/bell-take3.wav")
    with pytest.raises(IchnosError, match="has changed since the plan was made"):
        building.carry_out(planned, lambda seconds: None)
    (bell,) = [one for one in planned.prepared.plan.conversions if "bell" in one.clip]
    assert not list((workspace / ".ichnos/conversions").glob(f"{bell.identity}*"))
