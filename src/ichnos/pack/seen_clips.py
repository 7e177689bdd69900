"""What is known of clips that have not changed: so a build of thousands need not read them all again."""

from __future__ import annotations

import json
import time
from dataclasses import asdict
from pathlib import Path
from typing import Any

from ichnos.audio.clips import Facts
from ichnos.pack.plan import Clip
from ichnos.pack.writing import write_whole

_EDITION = 1  # raised whenever the same bytes would be told otherwise
_SETTLED = 2_000_000_000  # nanoseconds: a file that changed this shortly before may change again in the same tick


class SeenClips:
    """Clips by their path, with the size and time at which they were looked at."""

    def __init__(self, workspace: Path) -> None:
        self._path = workspace / ".ichnos" / "clips.json"
        self._known: dict[str, Any] = {}
        self._used: dict[str, Any] = {}
        try:
            values = json.loads(self._path.read_text("utf-8"))
            if values["edition"] == _EDITION:
                self._known = values["clips"]
        except (OSError, ValueError, TypeError, KeyError):
            pass

    def get(self, path: Path, seen: tuple[int, int]) -> Clip | None:
        """The clip, where its size and time are as they were."""
        entry = self._known.get(str(path))
        try:
            if entry is None or tuple(entry["seen"]) != seen:
                return None
            clip = Clip(Facts(**entry["facts"]), entry["sha256"], seen)
        except (TypeError, KeyError):
            return None
        self._used[str(path)] = entry
        return clip

    def put(self, path: Path, clip: Clip) -> None:
        if time.time_ns() - clip.seen[1] > _SETTLED:
            self._used[str(path)] = {"seen": clip.seen, "facts": asdict(clip.facts), "sha256": clip.sha256}

    def save(self) -> None:
        """Keep what was used, where that is news and the workspace can be written."""
        if self._used.keys() == self._known.keys() and all(self._used[key] is self._known[key] for key in self._used):
            return
        write_whole(self._path, json.dumps({"edition": _EDITION, "clips": self._used}).encode())
