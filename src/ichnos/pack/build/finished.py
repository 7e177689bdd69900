"""What is known of sound files when they are finished, and the documents that say it."""

from __future__ import annotations

import hashlib
import io
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from ichnos.audio.files.clips import OpenSound
from ichnos.documents.tree import Value
from ichnos.files import disk

if TYPE_CHECKING:
    from ichnos.pack.workspace.workspace import Workspace


def facts_of(sound: bytes, name: str, decoded: bytes | None = None) -> dict[str, Value]:
    """What is known of one sound file, by the names of fields.

    Args:
        sound: its bytes.
        decoded: those of what the game's own encoder made it of, where only the game can decode it.

    Raises:
        IchnosError: it cannot be decoded.
    """
    facts = OpenSound(io.BytesIO(decoded or sound), name).facts
    return {
        "seconds": round(facts.frames / facts.rate, 6),
        "frames": facts.frames,
        "bytes": len(sound),
        "crc32": f"{zlib.crc32(sound):08x}",
        "sha1": hashlib.sha1(sound, usedforsecurity=False).hexdigest(),
    }


def documents(
    folder: Path, game: str | None, loaded: Workspace | None, sounds: Mapping[str, tuple[Path, Path | None]]
) -> dict[str, bytes]:
    """The documents that say something of finished sound files, filled with it.

    Args:
        loaded: the workspace; read again without it.
        sounds: each sound file by its path in the pack, and what the game's own encoder made it of.
    """
    from ichnos.pack.plan import outline
    from ichnos.pack.workspace import reading

    finished = {
        path: facts_of(disk.read(file), path, disk.read(source) if source else None)
        for path, (file, source) in sounds.items()
    }
    made = outline.make(loaded or reading.load(folder, game), finished)
    return {file.path: file.data or b"" for file in made.files if file.is_built}
