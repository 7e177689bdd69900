"""What is known of clips that have not changed: so a build of thousands need not read them all again."""

from __future__ import annotations

import hashlib
import json
import time
from dataclasses import asdict, fields
from pathlib import Path

from ichnos.audio.files import clips
from ichnos.audio.files.clips import Facts
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.disk import translated
from ichnos.files.paths import misread
from ichnos.files.signatures import is_settled, sign_file
from ichnos.pack.build.state import WorkspaceState
from ichnos.pack.plan.plan import Clip
from ichnos.pack.workspace.folder import clip_path, nearest_file

_PATIENCE = 10.0  # seconds in which another program may go on writing a clip
_QUIET = 1.0  # seconds without a change after which a file counts as written


def _looked_at(path: Path, clip: str) -> Clip:
    """What a clip is; while another program writes it, it is waited for.

    Raises:
        IchnosError: empty, cut short, not audio; or still being written.
    """
    until = time.monotonic() + _PATIENCE
    while True:
        now = sign_file(path)
        try:
            with disk.opened(path, clip) as stream:
                facts = clips.OpenSound(stream, clip).facts
                stream.seek(0)
                return Clip(facts, hashlib.file_digest(stream, "sha256").hexdigest(), now)
        except IchnosError:
            is_changing = sign_file(path) != now or abs(time.time() - now[1] / 1e9) < _QUIET
            if not is_changing:
                raise
            if time.monotonic() > until:
                what = "this clip is being written by another program"
                raise IchnosError(what, place=Place(clip), cure="build again when it is done") from None
            time.sleep(0.1)


class KnownClips:
    """Clips as they were looked at, by their name in the workspace."""

    def __init__(self, folder: Path, state: WorkspaceState | None) -> None:
        self._folder = folder
        self._known = state.clips() if state else {}
        self._used: set[str] = set()
        self._new: dict[str, Clip] = {}

    def look_at(self, clip: str, place: Place) -> Clip:
        """What a clip is; as it is known, where it has not changed since.

        Raises:
            IchnosError: missing (with the nearest name that is there), empty, cut short, or not audio.
        """
        path = clip_path(self._folder, clip)
        with translated(path):
            try:
                now = sign_file(path)
            except (FileNotFoundError, NotADirectoryError, ValueError):
                near = nearest_file(self._folder, path)
                cure = f"did you mean {near}?" if near else "put it into the workspace, or correct the name"
                cure = misread(clip) or cure
                raise IchnosError(f'the clip "{clip}" is not there', place=place, cure=cure) from None
            looked_at = self._get(clip, now)
            if looked_at is None:
                looked_at = _looked_at(path, clip)
                if is_settled(looked_at.signature):
                    self._new[clip] = looked_at
        return looked_at

    def _get(self, clip: str, now: tuple[int, int]) -> Clip | None:
        signature, digest, facts = self._known.get(clip, ((0, 0), "", ""))
        if not digest or signature != now:
            return None
        try:
            said = json.loads(facts)
            if said.keys() != {one.name for one in fields(Facts)}:
                return None  # another edition of Ichnos kept it
            found = Clip(Facts(**said), digest, now)
        except (TypeError, ValueError, AttributeError):
            return None
        self._used.add(clip)
        return found

    def note(self, state: WorkspaceState) -> None:
        """Keep what was used, where that is news."""
        gone = self._known.keys() - self._used - self._new.keys()
        if self._new or gone:
            new = {
                name: (looked_at.signature, looked_at.sha256, json.dumps(asdict(looked_at.facts)))
                for name, looked_at in self._new.items()
            }
            state.note_clips(new, gone)
