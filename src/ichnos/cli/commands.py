"""All commands: importing them adds them to the program."""

from __future__ import annotations

from ichnos.cli import (
    checking,
    converting,
    demo,
    games,
    heard,
    keys,
    looking,
    looping,
    making,
    placing,
    playing,
    rehearsing,
    releasing,
    splitting,
    standing,
    treating,
)
from ichnos.cli.app import app

__all__ = [
    "app", "checking", "converting", "demo", "games", "heard", "keys", "looking", "looping", "making", "placing",
    "playing", "rehearsing", "releasing", "splitting", "standing", "treating",
]  # fmt: skip
