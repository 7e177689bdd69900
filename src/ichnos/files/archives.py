"""Packs as zip archives and as folders. An archive's bytes depend on its contents alone.

Members are stored, not compressed: sound is compressed already, and what a compressor gives differs
from one machine's library to the next. Times, modes and the order are fixed.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import Path
from types import MappingProxyType

from ichnos.files import disk
from ichnos.files.threads import run_side_by_side

_EPOCH = (1980, 1, 1, 0, 0, 0)  # the earliest that a zip can say
_UNIX = 3
_PLAIN_FILE = 0o100644 << 16


def write_archive(path: Path, members: Iterable[tuple[str, bytes | Path]]) -> None:
    """Write a zip of ``(name, content)`` members, a ``Path`` standing for that file's bytes."""
    with disk.written(path) as stream, zipfile.ZipFile(stream, "w", zipfile.ZIP_STORED) as archive:
        for name, content in members:
            info = zipfile.ZipInfo(name, _EPOCH)
            info.create_system = _UNIX
            info.external_attr = _PLAIN_FILE
            size = len(content) if isinstance(content, bytes) else disk.size(content)
            info.file_size = size  # lets zipfile choose 64-bit fields only where they are needed
            with archive.open(info, "w") as member:
                if isinstance(content, bytes):
                    member.write(content)
                else:
                    with disk.opened(content) as source:
                        shutil.copyfileobj(source, member, 1 << 20)


def write_folder(
    path: Path, members: Iterable[tuple[str, bytes | Path]], standing: Mapping[str, Path] = MappingProxyType({})
) -> dict[str, str]:
    """Write the members as files below a new folder.

    Args:
        standing: files of the old folder that are as they should be: they are taken over, not written.

    Returns:
        The SHA-256 of each file that was written, in hexadecimal, by its name; none of those taken over.
    """
    listed = list(members)
    for folder in {path, *((path / name).parent for name, _ in listed)}:
        disk.make_folder(folder)

    def one(member: tuple[str, bytes | Path]) -> str | None:
        name, content = member
        target = path / name
        if name in standing and _taken_over(standing[name], target):
            return None
        if isinstance(content, bytes):
            disk.write(target, content)
            return hashlib.sha256(content).hexdigest()
        return disk.copy(content, target)

    digests = zip(listed, run_side_by_side(one, listed), strict=True)
    return {name: digest for (name, _), digest in digests if digest is not None}


def _taken_over(old: Path, new: Path) -> bool:
    """One file under two names, until the old folder goes; not every file system can do that."""
    try:
        os.link(old, new, follow_symlinks=False)
    except (OSError, NotImplementedError):
        return False
    return True


def sha256_of_all(digests: Mapping[str, str]) -> str:
    """One SHA-256 for a folder: over the names and SHA-256s of its files, in order."""
    lines = "".join(f"{digest}  {name}\n" for name, digest in sorted(digests.items()))
    return hashlib.sha256(lines.encode()).hexdigest()
