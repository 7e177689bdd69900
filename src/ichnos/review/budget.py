"""How much of a pack is looked at: a stranger's may be made so that it never ends."""

from __future__ import annotations

from dataclasses import dataclass, field
from threading import Lock

MOST_FILES = 20_000
MOST_BYTES = 4 * 10**9  # of sound, unpacked
MOST_SECONDS = 10 * 3600.0  # of sound


@dataclass
class Budget:
    """What is left of it; for several threads at once. ``times``: how many times the usual.

    ``over``: the sounds that were not looked at.
    """

    times: float = 1.0
    over: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._files = round(MOST_FILES * self.times)
        self._bytes, self._seconds = MOST_BYTES * self.times, MOST_SECONDS * self.times
        self._lock = Lock()

    def file(self, name: str, size: int) -> bool:
        """May a file of so many bytes be read?"""
        with self._lock:
            fits = self._files > 0 and self._bytes >= size
            if fits:
                self._files -= 1
                self._bytes -= size
            else:
                self.over.append(name)
            return fits

    def sound(self, name: str, seconds: float) -> bool:
        """May so many seconds be decoded?"""
        with self._lock:
            fits = self._seconds >= seconds
            if fits:
                self._seconds -= seconds
            else:
                self.over.append(name)
            return fits
