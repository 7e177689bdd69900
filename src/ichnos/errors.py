"""What can go wrong, said once: what happened, where, and what to do."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

BEYOND = 1e15  # larger than any number that a person means

Severity = Literal["error", "warning"]  # of a finding: does what it is about still work?


@dataclass(frozen=True, slots=True)
class Place:
    """A spot in a file. ``line`` and ``column`` count from 1; ``None`` means the whole file.

    ``seconds``: of a sound file, from its beginning.

    >>> print(Place("ichnos.toml", 12, 5), Place("bell.ogg", seconds=3.25))
    ichnos.toml:12:5 bell.ogg@3.25s
    """

    path: str
    line: int | None = None
    column: int | None = None
    seconds: float | None = None

    def __str__(self) -> str:
        if self.seconds is not None:
            return f"{self.path}@{self.seconds:.2f}s"
        return ":".join(str(part) for part in (self.path, self.line, self.column) if part is not None)


class IchnosError(Exception):
    """The root of every error that a person is meant to read.

    Raised where the trouble is found, printed once, in ``cli/``.
    """

    exit_code = 1

    def __init__(self, what: str, *, place: Place | None = None, cure: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.place = place
        self.cure = cure

    def __str__(self) -> str:
        return f"{self.place}: {self.what}" if self.place else self.what


class UsageError(IchnosError):
    """The command line asks for something that cannot be meant."""

    exit_code = 2


class Problems(IchnosError):
    """Several independent errors, reported together so that nobody has to find them one by one."""

    def __init__(self, errors: Sequence[IchnosError]) -> None:
        super().__init__("\n".join(str(error) for error in errors))
        self.errors = tuple(errors)


def raise_all(errors: Sequence[IchnosError]) -> None:
    """Raise what was collected: nothing, the one error itself, or all of them together."""
    if len(errors) == 1:
        raise errors[0]
    if errors:
        raise Problems(errors)
