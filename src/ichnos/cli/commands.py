"""All commands: importing them adds them to the program."""

from __future__ import annotations

from ichnos.cli import (
    adopting,
    checking,
    comparing,
    converting,
    demo,
    games,
    heard,
    installing,
    keys,
    learning,
    listening,
    looking,
    looping,
    making,
    playing,
    rehearsing,
    releasing,
    sharing,
    splitting,
    standing,
    treating,
)
from ichnos.cli.app import app

__all__ = [
    "adopting",
    "app",
    "checking",
    "comparing",
    "converting",
    "demo",
    "games",
    "heard",
    "installing",
    "keys",
    "learning",
    "listening",
    "looking",
    "looping",
    "making",
    "playing",
    "rehearsing",
    "releasing",
    "sharing",
    "splitting",
    "standing",
    "treating",
]  # fmt: skip
