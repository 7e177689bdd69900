"""The program as a user runs it, and a workspace to run it in."""

from __future__ import annotations

import contextlib
import functools
import io
import json
import os
import shutil
import sys
import wave
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import typer.main
from filelock import FileLock
from hypothesis import settings

from ichnos.cli.main import main
from ichnos.files.signatures import are_same
from ichnos.files.user import UserState
from ichnos.games import made_up
from ichnos.games.catalogues import harvest as harvesting
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.profiles import loading, profile
from ichnos.pack.adopting import adopt
from ichnos.pack.build import known_clips
from ichnos.pack.workspace import reading as workspaces
from ichnos.pack.workspace import starting

settings.register_profile("untimed", deadline=None)  # a busy machine is no failure
settings.load_profile("untimed")
typer.main.get_command = functools.cache(typer.main.get_command)  # built once: they took a third of all the time

# Bundled profiles are loaded once, and an installation that has not changed is read once, by the rule that kept
# catalogues go by: that is what a fifth of the time was for.
load, harvest = loading.load, harvesting.harvest
load_bundled = functools.cache(load)
harvested: dict[tuple[str, str], Catalogue] = {}


def load_once(folder: Path) -> profile.Profile:
    return (load_bundled if folder.parent == profile.BUNDLED else load)(folder)


def harvest_once(of: profile.Profile, source: Path, on_progress: Callable[[str], None] | None = None) -> Catalogue:
    known = harvested.get((of.identity, str(source)))
    if on_progress is not None or known is None or not are_same(known.seen):
        known = harvest(of, source, on_progress)
        if on_progress is None:
            harvested[of.identity, str(source)] = known
    return replace(known)


loading.load = load_once
for module in (harvesting, adopt, starting, workspaces):
    module.harvest = harvest_once  # type: ignore[attr-defined]


@dataclass
class Result:
    code: int
    out: str
    err: str


def run(*words: str | Path, cwd: Path | None = None) -> Result:
    """Run ``ichnos`` with these words in a folder, in this process; a traceback fails the test by itself."""
    out, err, argv = io.StringIO(), io.StringIO(), sys.argv
    sys.argv = ["ichnos", *map(str, words)]
    code = 0
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), contextlib.chdir(cwd or Path.cwd()):
        try:
            main()
        except SystemExit as stop:
            code = int(stop.code or 0)
        finally:
            sys.argv = argv
    assert "Traceback" not in err.getvalue()
    return Result(code, out.getvalue(), err.getvalue())


def shared(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], None]) -> Path:
    """A folder that all workers of a run have together; it is made by the first that asks for it."""
    base = factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / f"shared-{name}"
    with FileLock(f"{folder}.lock"):
        if not folder.exists():
            make(folder.with_name(f"{folder.name}-new"))
            folder.with_name(f"{folder.name}-new").rename(folder)
    return folder


@pytest.fixture(scope="session", autouse=True)
def _user(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """What is kept for the user is kept apart from the real user's, in whatever runs before the tests too."""

    def make(new: Path) -> None:
        with pytest.MonkeyPatch.context() as patch:
            patch.setenv("ICHNOS_DATA", str(new))
            UserState().close()

    new, own = shared(tmp_path_factory, "user", make), tmp_path_factory.mktemp("user") / "data"
    shutil.copytree(new, own)
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("ICHNOS_DATA", str(own))
        patch.setenv("ICHNOS_NET", "off")  # what nobody foresaw fails the test
        yield new


@pytest.fixture(autouse=True)
def _own_data(_user: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The same user in each test, who has kept nothing yet."""
    shutil.copytree(_user, tmp_path / "data")
    monkeypatch.setenv("ICHNOS_DATA", str(tmp_path / "data"))
    monkeypatch.setattr(known_clips, "_QUIET", 0.0)  # damaged clips of tests are not being written


@pytest.fixture(scope="session")
def _demo(_user: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    def make(folder: Path) -> None:
        sample = made_up.sample_of(profile.BUNDLED / "tarnlight")
        assert sample
        made_up.lay_installation(sample, folder / "Tarnlight")
        made_up.lay_clips(sample, folder / "storm-watch")
        for step in sample.steps:
            if step.command[0] == "rehearse":
                continue  # it changes nothing here
            result = run(*step.command, cwd=folder / step.folder)
            assert result.code == 0, result.err

    return shared(tmp_path_factory, "demo", make)


@pytest.fixture
def workspace(_demo: Path, tmp_path: Path) -> Path:
    """A copy of the demonstration's workspace, built, beside the made-up game."""
    shutil.copytree(_demo, tmp_path / "demo", copy_function=shutil.copy2)
    return tmp_path / "demo" / "storm-watch"


LOCAL = "ichnos.local.toml"
PACKAGE = "build/storm-watch-0.1.0.lampbox"


def voices_in(package: Path) -> dict[str, Any]:
    """What a pack of Tarnlight says of each voice, with the page that it stands on."""
    with zipfile.ZipFile(package) as archive:
        log = json.loads(archive.read("lore/log.json"))["log"]
    return {voice["voice"]: {**voice, "page": page["page"]} for page in log for voice in page["heard"]}


def edit(workspace: Path, old: str, new: str, name: str = "ichnos.toml") -> None:
    """Change the workspace's file as a person would."""
    path = workspace / name
    text = path.read_text("utf-8")
    assert old in text
    path.write_text(text.replace(old, new, 1), "utf-8")


GAME = """format = 1
{top}
[game]
name = "{name}"
title = "{title}"
summary = "Made up."
versions = ["1.1", "1.0"]

[audio]
container = "WAV"
codec = "PCM 16"
rate = 22050
channels = 1

[packaging]
kind = "folder"
name = "@pack.name@"
{rules}
"""


def clip(path: Path, pitch: float) -> None:
    """Write a short clip."""
    tone = np.sin(np.arange(4410) * pitch / 7) * 12000
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(44100)
        file.writeframes(tone.astype("<i2").tobytes())


class Made:
    """A made-up game: its profile, its installation, and a workspace beside them."""

    run = staticmethod(run)

    def __init__(self, folder: Path, name: str, rules: str, tree: dict[str, str], installed: dict[str, str]) -> None:
        self.folder, self.profile, self.own = folder, folder / name, folder / "own"
        top, _, rest = rules.rpartition("---\n")
        self._lay(self.profile, {"game.toml": GAME.format(name=name, title=name.title(), top=top, rules=rest), **tree})
        self._lay(folder / "game", installed)

    def _lay(self, root: Path, files: dict[str, str]) -> None:
        for name, text in files.items():
            (root / name).parent.mkdir(parents=True, exist_ok=True)
            (root / name).write_bytes(text.encode())

    def start(self, sounds: str, keys: int | None = None) -> None:
        checked = self.run("games", "check", self.profile)
        assert checked.code == 0, checked.out + checked.err
        if keys is not None:
            found = self.run("keys", "harvest", self.folder / "game", "--game", self.profile, "--json")
            assert found.code == 0, found.err
            assert json.loads(found.out)["keys"] == keys
        installation = ("--installation", self.folder / "game") if keys is not None else ()
        words = ("--game", self.profile, "--title", "My own", "--licence", "MIT", *installation)
        done = self.run("start", self.own, *words)
        assert done.code == 0, done.err
        for number in range(1, 5):
            clip(self.own / f"c{number}.wav", number)
        path = self.own / "ichnos.toml"
        path.write_text(path.read_text("utf-8") + sounds, "utf-8")

    def build(self) -> Path:
        done = self.run("build", "--json", cwd=self.own)
        assert done.code == 0, done.err
        checked = self.run("check", cwd=self.own)
        assert checked.code == 0, checked.out
        return Path(json.loads(done.out)["to"])

    def refused(self, old: str, new: str) -> str:
        """What a build says of one slip in the workspace, which is taken back then."""
        path = self.own / "ichnos.toml"
        before = path.read_text("utf-8")
        edit(self.own, old, new)
        done = self.run("build", cwd=self.own)
        path.write_text(before, "utf-8")
        assert done.code == 1, done.out
        assert "ichnos.toml:" in done.err
        return done.err
