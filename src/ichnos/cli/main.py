"""The ``ichnos`` program. Heavy packages are imported where a command needs them, never here."""

from __future__ import annotations

import sys

from ichnos.cli import (  # importing them adds their commands
    checking,
    converting,
    demo,
    games,
    heard,
    keys,
    looking,
    looping,
    making,
    releasing,
    splitting,
    treating,
)
from ichnos.cli.app import app, report
from ichnos.errors import IchnosError

__all__ = [
    "checking", "converting", "demo", "games", "heard", "keys", "looking", "looping", "main", "making", "releasing",
    "splitting", "treating",
]  # fmt: skip


def main() -> None:
    """Run the program; every error that a person is meant to read is printed here."""
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")  # a console that lacks a letter must not stop the work
    try:
        app()
    except IchnosError as error:
        report(error)
        sys.exit(error.exit_code)
    except BrokenPipeError:
        sys.stderr.close()  # the reader has seen enough
        sys.exit(1)
