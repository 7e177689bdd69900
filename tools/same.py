"""Does the program still do the same? Every command of every test, here and at an earlier commit, held side by side.

    python tools/same.py HEAD~3

Runs the tests of both, each with its own code, and compares what each command of a test printed, how it ended,
and every file that the test left behind: packs, pages, workspaces. Tests that only one of the two has,
and tests whose cases are drawn at random, are left out. Ends with 1 where anything differs.
"""

from __future__ import annotations

import argparse
import hashlib
import io
import json
import os
import random
import re
import subprocess
import sys
import tempfile
import uuid
import zipfile
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

_FOLDER = re.compile(r"/tmp/[\w./-]*?pytest-of-\w+/pytest-\d+(?:/popen-gw\d+)?/[\w-]+?\d*(?=[/\"'\s:,]|$)")
_CHANGING = re.compile(r"\b\d+(?:\.\d+)? (?:s|ms)\b|\bin 0:\d\d(?::\d\d)?\b|\d+(?:\.\d+)?x real time")
_PRIVATE = (".sqlite", "-wal", "-shm", ".lock", ".png", ".pdf", ".whl", ".py", ".pyc")  # times, drawings, our code
_ROOM = 2000  # characters of a difference that are shown
_SHORT = 20_000  # characters of a file that is kept whole


def _plain(text: str) -> str:
    return _CHANGING.sub("<time>", _FOLDER.sub("<folder>", text))


class Recorder:
    """A plugin for pytest: what each test's commands did, one line of JSON for each test."""

    def __init__(self, into: Path) -> None:
        self.into = into
        self.calls: list[dict[str, Any]] = []
        self.drawn = random.Random(0)
        uuid.uuid4 = lambda: uuid.UUID(int=self.drawn.getrandbits(128), version=4)
        self._keep_commands()
        _fix_serials()

    def _keep_commands(self) -> None:
        from ichnos.cli import main

        run = main.main

        def recorded() -> None:
            code: object = 0
            try:
                run()
            except SystemExit as stop:
                code = stop.code
                raise
            finally:
                out, err = (
                    stream.getvalue() if isinstance(stream, io.StringIO) else "" for stream in (sys.stdout, sys.stderr)
                )
                words = [_plain(word) for word in sys.argv[1:]]
                self.calls.append({"words": words, "code": str(code), "out": _plain(out), "err": _plain(err)})

        main.main = recorded

    def pytest_runtest_setup(self, item: Any) -> None:
        self.calls.clear()
        self.drawn.seed(0)

    def pytest_runtest_teardown(self, item: Any) -> None:
        if hasattr(getattr(item, "obj", None), "hypothesis"):
            return
        folder = item.funcargs.get("tmp_path")
        files = dict(_contents(folder)) if folder else {}
        line = json.dumps({"test": item.nodeid, "calls": self.calls, "files": files})
        with (self.into / f"{os.getpid()}.jsonl").open("a") as stream:
            stream.write(line + "\n")


def _fix_serials() -> None:
    """Ogg files that are written outside a build have a serial number of their own each time: here they have one."""
    import soundfile

    from ichnos.audio.files.ogg import pages, restamp

    close = soundfile.SoundFile.close

    def closed(self: Any) -> None:
        path = Path(str(self.name)) if "w" in self.mode and not self.closed else None
        close(self)
        if path is not None and path.is_file() and path.read_bytes()[:4] == b"OggS":
            with path.open("rb") as stream:
                whole = b"".join(restamp(page, 1) for page in pages(stream))
            path.write_bytes(whole)

    soundfile.SoundFile.close = closed


def _contents(folder: Path) -> Iterator[tuple[str, str]]:
    """Each file: its text where it is short, else a digest of it; of an archive, each file in it."""
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        if path.is_file() and not path.is_symlink() and not name.startswith("data/") and not name.endswith(_PRIVATE):
            if zipfile.is_zipfile(path):
                with suppress(Exception), zipfile.ZipFile(path) as archive:  # of those that tests have damaged
                    for inner in archive.namelist():
                        yield f"{name}/{inner}", _content(archive.read(inner))
            else:
                yield name, _content(path.read_bytes())


def _content(data: bytes) -> str:
    text = _plain(data.decode("utf-8", "surrogateescape"))
    is_text = len(text) < _SHORT
    if is_text and not any("\udc80" <= letter <= "\udcff" for letter in text):
        return text
    return hashlib.sha256(text.encode("utf-8", "surrogateescape")).hexdigest()


def record(root: Path, tests: list[str]) -> dict[str, Any]:
    """What the tests of a checkout did, by their names."""
    with tempfile.TemporaryDirectory() as into:
        paths = os.pathsep.join([str(root / "src"), str(Path(__file__).parent)])
        words = [sys.executable, "-m", "pytest", "-p", "same", "--no-header", *tests]
        subprocess.run(
            words,
            cwd=root,
            env={**os.environ, "PYTHONPATH": paths, "SAME_INTO": into, "PYTHONHASHSEED": "0"},
            check=False,
        )
        lines = [line for file in Path(into).glob("*.jsonl") for line in file.read_text().splitlines()]
    return {one["test"]: one for one in map(json.loads, lines)}


def differences(before: dict[str, Any], after: dict[str, Any]) -> Iterator[str]:
    """What a test's commands did otherwise."""
    if [call["words"] for call in before["calls"]] != [call["words"] for call in after["calls"]]:
        return  # the test itself has changed
    for one, other in zip(before["calls"], after["calls"], strict=True):
        for name in ("code", "out", "err"):
            if one[name] != other[name]:
                shown = "\n".join(_lines(one[name], other[name]))
                yield f"ichnos {' '.join(one['words'])}: {name}\n{shown[:_ROOM]}"
    for name in sorted(before["files"].keys() | after["files"].keys()):
        if before["files"].get(name) != after["files"].get(name):
            one, other = (of["files"].get(name, "") for of in (before, after))
            yield f"the file {name}\n" + "\n".join(_lines(one, other))[:_ROOM]


def _lines(before: str, after: str) -> list[str]:
    from difflib import unified_diff

    return list(unified_diff(before.splitlines(), after.splitlines(), lineterm="", n=0))[2:]


if "SAME_INTO" in os.environ:  # before the tests take the program's parts
    _RECORDER = Recorder(Path(os.environ["SAME_INTO"]))

    def pytest_configure(config: Any) -> None:
        config.pluginmanager.register(_RECORDER)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("commit", help="the commit that is held against the files here")
    parser.add_argument("--kept", type=Path, help="keep what that commit did in this file, or take it from there")
    parser.add_argument("--tests", nargs="+", default=["tests"], help="files of tests; all without any")
    parser.add_argument("--only-before", action="store_true", help="stop when that is kept")
    given = parser.parse_args()
    here = Path(__file__).resolve().parent.parent
    if given.kept and given.kept.is_file():
        before = json.loads(given.kept.read_text())
    else:
        with tempfile.TemporaryDirectory() as folder:
            root = Path(folder) / "before"
            subprocess.run(["git", "worktree", "add", "--detach", str(root), given.commit], cwd=here, check=True)
            try:
                before = record(root, given.tests)
            finally:
                subprocess.run(["git", "worktree", "remove", "--force", str(root)], cwd=here, check=False)
        if given.kept:
            given.kept.write_text(json.dumps(before))
    if given.only_before:
        return 0
    after = record(here, given.tests)
    both = [name for name in before if name in after]
    found = [(name, what) for name in both for what in differences(before[name], after[name])]
    for name, what in found:
        print(f"{name}: {what}")
    print(f"{len(both)} tests, {sum(len(before[name]['calls']) for name in both)} commands: {len(found)} differences")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
