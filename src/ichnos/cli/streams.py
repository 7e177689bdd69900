"""What results are printed into: streams that say so when they cannot be written, and spell what a console lacks."""

from __future__ import annotations

import codecs
import io
import os
import sys
from pathlib import Path
from typing import Any

from ichnos.errors import IchnosError

_PLAIN = "ichnos-plain"  # our way to spell what an encoding lacks
# Signs of our own that old consoles do not have; letters are spelled as they sound.
_SIGNS = {
    "─": "-", "━": "-", "╶": "-", "╸": "-", "╺": "-", "│": "|", "┃": "|", "├": "|", "└": "`", "┌": ",", "…": "...",
    "→": "->", "←": "<-", "≤": "<=", "≥": ">=", "±": "+-", "×": "x", "·": "-", "•": "*", "−": "-", "✓": "+",
    "–": "-", "—": "-", "“": '"', "”": '"', "‘": "'", "’": "'", "°": " deg", "µ": "u", "½": "1/2",
}  # fmt: skip


class OutputFailed(IchnosError):
    """What was to be printed could not be: a full disk, a closed stream."""


class _Out(io.TextIOWrapper):
    """Standard output, with its failures as errors that a person can act on; of a pipe that was left, as Python's."""

    begun = False  # has anything been written?

    def write(self, text: str) -> int:
        self.begun = True
        try:
            return super().write(text)
        except OSError as error:
            raise _failed(error) from None

    def flush(self) -> None:
        try:
            super().flush()
        except OSError as error:
            raise _failed(error) from None
        except ValueError:  # it is closed already
            return


class _Closed(io.RawIOBase):
    """In place of a stream that was closed before we began."""

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        raise OutputFailed("the result cannot be written: the output is closed", cure="leave it open, or say > FILE")


def _failed(error: OSError) -> Exception:
    if isinstance(error, BrokenPipeError):
        return error
    reason = str(error.strerror or error).lower()
    return OutputFailed(f"the result cannot be written to the output ({reason})", cure="send it elsewhere: > FILE")


def _spelled(error: UnicodeError) -> tuple[str, int]:
    """What a console cannot show, as well as it can be said with the letters that all have."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    from anyascii import anyascii

    missing = error.object[error.start : error.end]
    return "".join(_SIGNS.get(letter) or anyascii(letter) or "?" for letter in missing), error.end


def prepare() -> None:
    """Make the program's streams ready. What is no stream of the system's own (a test's) is left alone."""
    codecs.register_error(_PLAIN, _spelled)
    if sys.stdout is None:
        sys.stdout = io.TextIOWrapper(io.BufferedWriter(_Closed(), 1), "utf-8", write_through=True)
    elif isinstance(sys.stdout, io.TextIOWrapper):
        old = sys.stdout
        old.flush()
        settings = old.encoding, _PLAIN, None, old.line_buffering, old.write_through
        sys.stdout = _Out(old.detach(), *settings)
        setattr(sys, "__stdout__", sys.stdout)  # noqa: B010 (typed as final): who asks for the terminal's size looks there
    if sys.stderr is None:
        sys.stderr = Path(os.devnull).open("w", encoding="utf-8")  # noqa: SIM115
    elif isinstance(sys.stderr, io.TextIOWrapper):
        sys.stderr.reconfigure(errors=_PLAIN)


def has_begun() -> bool:
    """Has a result been printed already, or a part of one?"""
    return bool(sys.stdout.tell()) if isinstance(sys.stdout, io.StringIO) else getattr(sys.stdout, "begun", False)


def abandon() -> None:
    """Write nothing more, not even at the end: the reader has gone, or the disk is full."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 1)
    finally:
        os.close(nowhere)
