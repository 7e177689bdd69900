"""Contents of files by their SHA-256, wherever they are: in a pack, in the journal's keeping, or made just now."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO

from ichnos.errors import IchnosError, Place
from ichnos.files import disk, signatures
from ichnos.files.journal import Journal
from ichnos.files.sources import Files, Folder


class Contents:
    """Where each content is to be had."""

    def __init__(self, journal: Journal) -> None:
        self._journal = journal
        self._made: dict[str, bytes] = {}
        self._in_files: dict[str, tuple[Files, str, tuple[int, int] | None]] = {}
        self._sizes: dict[str, int] = {}

    def add(self, data: bytes) -> str:
        """Take in a content that was made just now; gives its SHA-256."""
        sha256 = hashlib.sha256(data).hexdigest()
        self._made[sha256], self._sizes[sha256] = data, len(data)
        return sha256

    def add_file(self, files: Files, name: str) -> str:
        """Take in a pack's file, which stays where it is; gives its SHA-256."""
        plain = isinstance(files, Folder)
        with files.stream(name) as stream:
            signature = signatures.sign_open(stream) if plain else None
            sha256 = disk.digest_of(stream)
        size = signature[0] if signature else files.size(name)
        self._in_files[sha256], self._sizes[sha256] = (files, name, signature), size
        return sha256

    @property
    def made(self) -> dict[str, bytes]:
        """What exists nowhere else."""
        return self._made

    @contextmanager
    def opened(self, sha256: str) -> Iterator[tuple[IO[bytes], bool]]:
        """A content, to be read; and is it sure to be the right one? Raises IchnosError where it is nowhere."""
        if sha256 in self._made:
            yield io.BytesIO(self._made[sha256]), True
        elif sha256 in self._in_files:
            files, name, signature = self._in_files[sha256]
            with files.stream(name) as stream:
                is_same = signature is not None and signatures.sign_open(stream) == signature
                yield stream, is_same and signature is not None and signatures.is_settled(signature)
        else:
            with self._journal.kept(sha256) as stream:
                yield stream, False

    def read(self, sha256: str) -> bytes:
        """All of a content. Raises IchnosError where it is nowhere."""
        with self.opened(sha256) as (stream, _):
            return stream.read()

    def size(self, sha256: str) -> int:
        """Its bytes. Raises IchnosError where it is nowhere."""
        if sha256 in self._sizes:
            return self._sizes[sha256]
        if not self._journal.has(sha256):
            what, cure = "a content that is needed here is gone from where it was kept", "restore it from a backup"
            raise IchnosError(what, place=Place(str(self._journal.path_of(sha256))), cure=cure)
        return disk.size(self._journal.path_of(sha256))
