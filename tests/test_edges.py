"""The two edges: whatever the disk refuses, and whatever strangers wrote, comes back as words that are safe to show."""

from __future__ import annotations

import ast
import contextlib
import json
import os
import re
import resource
import shutil
import struct
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from conftest import Made, clip, edit, run

ROOT = Path(__file__).parent.parent


@contextlib.contextmanager
def full_disk(most: int) -> Iterator[None]:
    """No file can become larger than so many bytes, as on a disk that fills up."""
    old = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (most, old[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, old)


def program(*words: str, cwd: Path, **env: str) -> subprocess.CompletedProcess[bytes]:
    """The program as a process of its own, with its net."""
    return subprocess.run(
        [sys.executable, "-m", "ichnos", *words],
        cwd=cwd, capture_output=True, env={**os.environ, "ICHNOS_NET": "", "NO_COLOR": "1", **env}, check=False,
    )  # fmt: skip


@pytest.mark.parametrize("container", ["wav", "flac", "ogg"])
def test_a_full_disk_is_said_and_leaves_nothing(container: str, workspace: Path) -> None:
    with full_disk(3000):
        done = run("convert", "clips/bell-take3.wav", "--to", "out", "--container", container, cwd=workspace)
    assert done.code == 1
    assert f"out/bell-take3.{container}: the file would be larger than the system allows" in done.err
    assert list((workspace / "out").iterdir()) == []


def test_a_full_disk_stops_all_that_writes_sound(workspace: Path) -> None:
    for words in (
        ("treat", "clips/draught.wav", "--reverse", "--to", "out"),
        ("split", "clips/bell-take3.wav", "--to", "out"),
        ("loop", "clips/draught.wav", "--to", "out/loop.wav"),
    ):
        with full_disk(3000):
            done = run(*words, cwd=workspace)
        assert (done.code, "larger than the system allows" in done.err) == (1, True), (words, done.err)
        assert not [path for path in (workspace / "out").rglob("*") if path.is_file()]


def test_output_that_cannot_be_written_is_one_line(workspace: Path) -> None:
    for command in ("exec {} keys foghorn > /dev/full", "exec {} look clips --json > /dev/full", "exec {} check >&-"):
        line = command.format(f"{sys.executable} -m ichnos")
        done = subprocess.run(["sh", "-c", line], cwd=workspace, capture_output=True, check=False)
        said = done.stderr.decode().splitlines()
        assert done.returncode == 1
        assert [one for one in said if one.startswith("error: the result cannot be written")], said
        assert not [one for one in said if "Traceback" in one or "ignored" in one]
    line = f"{sys.executable} -m ichnos keys --most 0 | head -1"
    done = subprocess.run(
        ["bash", "-c", line + "; exit ${PIPESTATUS[0]}"], cwd=workspace, capture_output=True, check=False
    )
    assert b"Traceback" not in done.stderr
    assert b"ignored" not in done.stderr


def test_a_name_that_is_no_utf8_is_used_and_shown_escaped(workspace: Path) -> None:
    odd = os.fsdecode(b"fog\xffhorn.wav")
    shutil.copy(workspace / "clips" / "bell-take3.wav", workspace / "clips" / odd)
    looked = run("look", "clips", cwd=workspace)
    assert "clips/fog\\xffhorn.wav" in looked.out
    done = run("convert", f"clips/{odd}", "--to", "out", "--container", "ogg", cwd=workspace)
    assert done.code == 0, done.err
    assert [os.fsencode(path.name) for path in (workspace / "out").iterdir()] == [b"fog\xffhorn.ogg"]
    drawn = run("look", f"clips/{odd}", "--picture", "a.png", "--json", cwd=workspace)
    assert json.loads(drawn.out)["clips"][0]["clip"] == f"clips/{odd}"
    assert (workspace / "a.png").read_bytes()[:4] == b"\x89PNG"
    refused = run("assign", "shore-foghorn-near", f"clips/{odd}", cwd=workspace)
    assert "name is no UTF-8" in refused.err


def _odd_places(folder: Path) -> Iterator[Path]:
    os.mkfifo(folder / "pipe.wav")
    (folder / "ring.wav").symlink_to("ring.wav")
    (folder / "folder.wav").mkdir()
    for name in ("pipe.wav", "ring.wav", "folder.wav", "a" * 300, "no\0thing.wav", "/dev/zero", "/"):
        yield folder / name


def test_whatever_stands_in_a_clips_place_is_said(workspace: Path) -> None:
    for place in _odd_places(workspace):
        for words in (
            ("look",),
            ("heard", "clips/gull.ogg", "--bed"),
            ("loop",),
            ("split", "--to", "o"),
            ("treat", "--trim", "--to", "o"),
        ):
            if str(place) == "/" and words[0] in ("look", "treat"):
                continue  # every clip of the machine
            done = run(*words, place, cwd=workspace)
            assert done.code in (1, 2), (words, place)
            assert "rror: " in done.err
    for place in ("/", "/dev/zero", "clips"):
        edit(workspace, "# icon =", f'icon = "{place}"\n# icon =')
        done = run("build", cwd=workspace)
        assert (done.code, "error: " in done.err) in ((1, True),)
        edit(workspace, f'icon = "{place}"\n', "")


def test_a_fault_of_ours_is_one_line_and_a_report(workspace: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object) -> None:
        raise ZeroDivisionError("secret words of a file" * 20)

    monkeypatch.setattr("ichnos.audio.process.exports.found", broken)
    with pytest.raises(ZeroDivisionError):  # the net is off in tests
        run("look", "clips", cwd=workspace)
    monkeypatch.setenv("ICHNOS_NET", "")
    done = run("look", "clips", cwd=workspace)
    assert done.code == 70
    assert "a fault of Ichnos, not of yours: ZeroDivisionError in cli/looking.py:" in done.err
    report = Path(done.err.rstrip().rpartition(": ")[2])
    text = report.read_text("utf-8")
    assert report.is_relative_to(os.environ["ICHNOS_DATA"])
    assert "command: ['look', 'clips']" in text
    assert "exports" not in text or "looking.py" in text
    assert text.count("secret") < 15  # what an error says is cut short
    monkeypatch.setenv("ICHNOS_DATA", "/dev/null")
    assert "no report could be written" in run("look", "clips", cwd=workspace).err


def test_stopped_is_one_line(workspace: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def stopped(*_: object) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr("ichnos.audio.process.exports.found", stopped)
    done = run("look", "clips", cwd=workspace)
    assert (done.code, done.out, done.err) == (130, "", "Stopped.\n")


EVIL = "a\x1b]0;x\x07b\x9bc\u202ed[/b]e"
RAW = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


def test_what_strangers_wrote_is_never_sent_raw(workspace: Path, tmp_path: Path) -> None:
    spelled = json.dumps(EVIL)
    edit(workspace, 'title = "Storm watch"', f"title = {spelled}")
    edit(workspace, "[[credit]]", f'[[credit]]\nclips = ["*"]\nauthor = {spelled}\nlicence = "MIT"\n[[credit]]')
    shutil.copy(workspace / "clips" / "bell-take3.wav", workspace / "clips" / f"{EVIL.replace('/', '')}.wav")
    game = Made(
        tmp_path / "made", "mothwick", "", {"tree/all.json": '{"all": [{"id": "@key@", "f": ["@file@"]}]}', "tree/s/@key@-@take.number@.wav": ""},
        {"all.json": json.dumps({"all": [{"id": EVIL, "f": ["s/x.wav"]}, {"id": "moth.wing", "f": [f"s/{EVIL}.wav"]}]})},
    )  # fmt: skip
    with zipfile.ZipFile(tmp_path / "pack.zip", "w") as pack:
        pack.writestr(
            "lore/log.json", json.dumps({"log": [{"page": EVIL, "heard": [{"voice": EVIL, "odds": {EVIL: 1}}]}]})
        )
        pack.writestr(f"{EVIL.replace('/', '')}.ogg", "x")
    outputs = [
        run(*words, cwd=workspace)
        for words in (
            ("build",), ("build", "--json"), ("check",), ("check", "--sarif"), ("look", "clips"), ("look", "clips", "--json"),
            ("check", tmp_path / "pack.zip", "--game", "tarnlight"),
            ("check", tmp_path / "pack.zip", "--game", "tarnlight", "--json"),
            ("check", tmp_path / "pack.zip", "--game", "tarnlight", "--sarif"),
            ("keys", "harvest", game.folder / "game", "--game", game.profile), ("keys", "--game", game.profile),
            ("keys", "--game", game.profile, "--json"), ("keys", "--game", game.profile, "--csv"),
            ("games", "show", game.profile), (EVIL,), ("look", EVIL), ("look", f"--{EVIL}"), ("explain", EVIL),
        )
    ]  # fmt: skip
    for one in outputs:
        for text in (one.out, one.err):
            assert RAW.search(text) is None, text
    assert "a\\x1b]0;x\\x07b\\x9bc\\u202ed[/b]e" in outputs[10].out
    assert json.loads(outputs[11].out)[0]["key"] == EVIL  # nothing is lost in JSON


@pytest.mark.parametrize("encoding", ["cp1252", "cp437"])
def test_an_old_console_gets_what_it_can_show(encoding: str, workspace: Path) -> None:
    edit(workspace, 'title = "Storm watch"', 'title = "Штормовая вахта"')
    done = program("build", cwd=workspace, PYTHONIOENCODING=encoding, PYTHONUTF8="0")
    assert done.returncode == 0, done.stderr
    shown = done.stdout.decode(encoding)
    assert "lore/" in shown
    assert "?" not in shown
    looked = program("look", "clips", cwd=workspace, PYTHONIOENCODING=encoding, PYTHONUTF8="0")
    assert b"?" not in looked.stdout + looked.stderr


@pytest.mark.parametrize("number", ["inf", "nan", "1e308", "9" * 90, "9" * 5000])
def test_a_number_without_end_is_refused_in_its_place(number: str, workspace: Path) -> None:
    for field in ("volume", "priority", "fields = {x"):
        before = (workspace / "ichnos.toml").read_text("utf-8")
        end = "}" if "{" in field else ""
        edit(workspace, "\n[[sound]]\n", f"\n[[sound]]\n{field} = {number}{end}\n")
        line = (workspace / "ichnos.toml").read_text("utf-8").split(f"{field} =")[0].count("\n") + 1
        done = run("build", cwd=workspace)
        assert (done.code, f"ichnos.toml:{line}:" in done.err) == (1, True), done.err
        (workspace / "ichnos.toml").write_text(before, "utf-8")
    for words in (
        ("assign", "shore-foghorn-near", "clips/gull.ogg", "--volume"),
        ("heard", "clips/gull.ogg", "--bed", "clips/draught.wav", "--wish"), ("split", "clips/gull.ogg", "--gap"),
        ("convert", "clips/gull.ogg", "--to", "o", "--container", "ogg", "--quality"), ("loop", "clips/gull.ogg", "--start"),
        ("treat", "clips/gull.ogg", "--to", "o", "--gain"),
    ):  # fmt: skip
        assert run(*words, number, cwd=workspace).code == 2, words


@pytest.mark.parametrize("text", ["a" + ".a" * 20000 + " = 1", "a = " + "[" * 5000 + "]" * 5000, "a = " + "9" * 5000])
def test_toml_that_nobody_writes_is_refused_before_it_is_parsed(text: str, workspace: Path) -> None:
    (workspace / "ichnos.toml").write_text(f"format = 1\n{text}\n")
    done = run("build", cwd=workspace)
    assert (done.code, "ichnos.toml:2:" in done.err) == (1, True)


def test_a_title_that_the_games_encoding_lacks_is_refused_where_it_was_written(tmp_path: Path) -> None:
    game = Made(
        tmp_path, "mothwick", '\n[[document]]\npath = "all.json"\nencoding = "latin-1"\n',
        {"tree/all.json": '{"all": [{"id": "@key@", "f": ["@file@"], "t": "@title@"}]}', "tree/s/@key@-@take.number@.wav": ""}, {},
    )  # fmt: skip
    game.start('\n[[sound]]\nkey = "moth.wing"\ntakes = ["c1.wav"]\nnew = true\ntitle = "Łódź"\n')
    done = run("build", cwd=game.own)
    assert done.code == 1
    assert re.search(r'ichnos.toml:\d+:\d+: all.json: this file is latin-1 text, and that has no "Ł"', done.err), (
        done.err
    )


def test_changes_in_another_encoding_stop_a_release_with_its_line(workspace: Path) -> None:
    (workspace / "CHANGES.md").write_bytes("# Changes\n\nFöhn\n".encode("latin-1"))
    before = (workspace / "ichnos.toml").read_bytes()
    done = run("release", "--patch", "--note", "x", cwd=workspace)
    assert (done.code, "CHANGES.md:3:2: this is not utf-8 text" in done.err) == (1, True)
    assert (workspace / "ichnos.toml").read_bytes() == before


def test_only_the_edges_touch_the_disk_and_print() -> None:
    done = subprocess.run([sys.executable, ROOT / "tools" / "edge.py"], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


@pytest.mark.parametrize(
    "line",
    [
        "os.unlink('x')", "from os import unlink", "import os as system", "import shutil\nshutil.rmtree('x')",
        "from shutil import rmtree", "zipfile.ZipFile(x).extractall()", "import sqlite3\nsqlite3.connect('x')",
        "sys.stdout.write('x')", "from sys import stdout", "print('x')", "Path('x').read_text()", "open('x')",
    ],
)  # fmt: skip
def test_what_crosses_an_edge_is_found(line: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(str(ROOT / "tools"))
    import edge

    assert list(edge.crossings(ast.parse(line), disk=True, talk=True))
    assert not list(edge.crossings(ast.parse("os.path.normpath('x')\nos.environ.get('y')"), disk=True, talk=True))


@pytest.mark.parametrize("held", [2, 99])
def test_a_file_that_a_player_holds_open_is_waited_for(
    held: int, workspace: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As on Windows, where such a file cannot be replaced."""
    from ichnos.files import writing

    real, left = os.replace, held

    def replace(one: Path, other: Path) -> None:
        nonlocal left
        if str(other).endswith("lampbox") and left:
            left -= 1
            raise PermissionError(13, "Access is denied", str(other))
        real(one, other)

    monkeypatch.setattr(writing, "_HOLDS_FILES", True)
    monkeypatch.setattr(writing, "_PATIENCE", (0, 0, 0))
    monkeypatch.setattr("ichnos.files.writing.os.replace", replace)
    edit(workspace, 'title = "Storm watch"', 'title = "Otherwise"')
    done = run("build", cwd=workspace)
    assert done.code == (0 if held == 2 else 1)
    assert ("storm-watch-0.1.0.lampbox: another program holds this file open" in done.err) is (held == 99)


def test_a_workspace_in_a_folder_whose_name_is_no_utf8(tmp_path: Path) -> None:
    folder = tmp_path / os.fsdecode(b"fog\xffhorn")
    assert run("start", folder, "--game", "open-pack", "--licence", "MIT").code == 0
    assert 'title = "Foghorn"' in (folder / "ichnos.toml").read_text("utf-8")
    clip(folder / "c.wav", 1)
    assert run("assign", "gate.opens", folder / "c.wav", "--new", cwd=folder).code == 0
    for words in (("build",), ("check",), ("release", "--patch", "--note", "x")):
        done = run(*words, cwd=folder)
        assert done.code == 0, done.err + done.out
    assert run("start", tmp_path / "b", "--game", "open-pack", "--title", "a\x1bb").code == 2


def test_a_table_is_as_wide_as_the_terminal(workspace: Path) -> None:
    import fcntl
    import pty
    import termios

    run("keys", "harvest", workspace.parent / "Tarnlight", "--game", "tarnlight")
    ours, theirs = pty.openpty()
    fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", 40, 150, 0, 0))
    env = {name: value for name, value in os.environ.items() if name != "COLUMNS"}
    words = [sys.executable, "-m", "ichnos", "keys", "foghorn", "near"]
    subprocess.run(words, cwd=workspace, stdout=theirs, env=env, check=True)
    shown = os.read(ours, 5000).decode()
    assert "lore/audio/signals/boat-foghorn-near-1.ogg" in shown
    assert "…" not in shown
