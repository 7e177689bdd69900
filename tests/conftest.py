"""The program as a user runs it, and a workspace to run it in."""

from __future__ import annotations

import contextlib
import io
import shutil
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from hypothesis import settings

from ichnos.cli.main import main
from ichnos.files.user import UserState
from ichnos.games import made_up
from ichnos.games.profiles import profile

settings.register_profile("untimed", deadline=None)  # a busy machine is no failure
settings.load_profile("untimed")


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


@pytest.fixture(scope="session", autouse=True)
def _user(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """What is kept for the user is kept apart from the real user's, in whatever runs before the tests too."""
    new = tmp_path_factory.mktemp("user") / "new"
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("ICHNOS_DATA", str(new))
        UserState().close()
        shutil.copytree(new, new.with_name("data"))
        patch.setenv("ICHNOS_DATA", str(new.with_name("data")))
        yield new


@pytest.fixture(autouse=True)
def _own_data(_user: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The same user in each test, who has kept nothing yet."""
    shutil.copytree(_user, tmp_path / "data")
    monkeypatch.setenv("ICHNOS_DATA", str(tmp_path / "data"))


@pytest.fixture(scope="session")
def _demo(_user: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("demo")
    sample = made_up.sample_of(profile.BUNDLED / "tarnlight")
    assert sample
    made_up.lay_installation(sample, folder / "Tarnlight")
    made_up.lay_clips(sample, folder / "storm-watch")
    for step in sample.steps:
        result = run(*step.command, cwd=folder / step.folder)
        assert result.code == 0, result.err
    return folder


@pytest.fixture
def workspace(_demo: Path, tmp_path: Path) -> Path:
    """A copy of the demonstration's workspace, built, beside the made-up game."""
    shutil.copytree(_demo, tmp_path / "demo", copy_function=shutil.copy2)
    return tmp_path / "demo" / "storm-watch"


PACKAGE = "build/storm-watch-0.1.0.lampbox"


def edit(workspace: Path, old: str, new: str) -> None:
    """Change the workspace's file as a person would."""
    path = workspace / "ichnos.toml"
    text = path.read_text("utf-8")
    assert old in text
    path.write_text(text.replace(old, new, 1), "utf-8")
