"""What is known of clips that have not changed: so a build of thousands need not read them all again."""

from __future__ import annotations

import hashlib
import json
import os
import stat
import time
from dataclasses import asdict
from pathlib import Path
from typing import Any

from ichnos.audio.files import clips
from ichnos.audio.files.clips import Facts
from ichnos.errors import IchnosError, Place
from ichnos.files.writing import understood, write_whole
from ichnos.pack.plan.plan import SILENCE, Clip

_EDITION = 1  # raised whenever the same bytes would be told otherwise
_SETTLED = 2_000_000_000  # nanoseconds: a file that changed this shortly before may change again in the same tick


_SILENCE = Path(__file__).parent / "silence.wav"  # a tenth of a second of it


def clip_path(folder: Path, clip: str) -> Path:
    """Where a clip of a workspace is."""
    return _SILENCE if clip == SILENCE else folder / clip


def seen(path: Path) -> tuple[int, int]:
    """A file's size in bytes and its time in nanoseconds. Raises OSError where there is no such file."""
    found = os.stat(path)  # noqa: PTH116 (thousands of them)
    if not stat.S_ISREG(found.st_mode):
        raise FileNotFoundError(path)
    return found.st_size, found.st_mtime_ns


def nearest_file(folder: Path, missing: Path) -> str | None:
    """The file whose name is most like a missing one's: beside it, or anywhere in its folder."""
    from rapidfuzz import process

    beside = missing.parent if missing.parent.is_dir() else folder
    names = {path.name: path for path in beside.iterdir() if path.is_file() and not path.name.startswith(".")}
    found = process.extractOne(missing.name, names.keys(), score_cutoff=60)
    if found is None:
        return None
    path = names[found[0]]
    return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else str(path)


class SeenClips:
    """Clips by their path, with the size and time at which they were looked at."""

    def __init__(self, workspace: Path) -> None:
        self._folder = workspace
        self._path = workspace / ".ichnos" / "clips.json"
        self._known: dict[str, Any] = {}
        self._used: dict[str, Any] = {}
        try:
            values = json.loads(self._path.read_text("utf-8"))
            if values["edition"] == _EDITION:
                self._known = values["clips"]
        except (OSError, ValueError, TypeError, KeyError):
            pass

    def look_at(self, clip: str, place: Place) -> Clip:
        """What a clip is; as it is known, where it has not changed since.

        Raises:
            IchnosError: missing (with the nearest name that is there), empty, cut short, or not audio.
        """
        path = clip_path(self._folder, clip)
        with understood(path):
            try:
                now = seen(path)
            except (FileNotFoundError, NotADirectoryError, ValueError):
                near = nearest_file(self._folder, path)
                cure = f"did you mean {near}?" if near else "lay it into the workspace, or correct the name"
                raise IchnosError(f'the clip "{clip}" is not there', place=place, cure=cure) from None
            found = self._get(str(path), now)
            if found is None:
                with path.open("rb") as stream:
                    facts = clips.facts(stream, Path(clip))
                    stream.seek(0)
                    found = Clip(facts, hashlib.file_digest(stream, "sha256").hexdigest(), now)
                self._put(str(path), found)
        return found

    def _get(self, path: str, seen: tuple[int, int]) -> Clip | None:
        entry = self._known.get(path)
        try:
            if entry is None or tuple(entry["seen"]) != seen:
                return None
            clip = Clip(Facts(**entry["facts"]), entry["sha256"], seen)
        except (TypeError, KeyError):
            return None
        self._used[path] = entry
        return clip

    def _put(self, path: str, clip: Clip) -> None:
        if time.time_ns() - clip.seen[1] > _SETTLED:
            self._used[path] = {"seen": clip.seen, "facts": asdict(clip.facts), "sha256": clip.sha256}

    def save(self) -> None:
        """Keep what was used, where that is news and the workspace can be written."""
        if self._used.keys() == self._known.keys() and all(self._used[key] is self._known[key] for key in self._used):
            return
        write_whole(self._path, json.dumps({"edition": _EDITION, "clips": self._used}).encode())
