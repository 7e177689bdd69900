"""Files to be read where they lie: in a folder, in a zip archive. Nothing is unpacked."""

from __future__ import annotations

import lzma
import stat
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Protocol

from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.disk import MAX_TEXT
from ichnos.files.links import names_with_links
from ichnos.files.paths import elsewhere

# Whatever a damaged archive can make its reader raise.
_DAMAGED = (
    zipfile.BadZipFile,
    zlib.error,
    lzma.LZMAError,
    struct.error,
    EOFError,
    KeyError,
    NotImplementedError,
    OSError,
    RuntimeError,
    ValueError,
)
_HARMLESS, _MOST_RATIO = 16 * 2**20, 200  # bytes, and how many times as many a file may become
_IN_MEMORY = 32 * 2**20  # bytes


class Files(Protocol):
    """Files by their name: relative to a root, with slashes. Close it when it is read."""

    place: Place

    def names(self) -> list[str]: ...

    def read(self, name: str) -> bytes:
        """A file's bytes. Raises IchnosError where they are damaged or too many."""

    def stream(self, name: str) -> IO[bytes]:
        """The file as a seekable stream."""

    def label(self, name: str) -> str:
        """What messages call the file."""

    def size(self, name: str) -> int:
        """The file's bytes, unpacked."""

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        """What is odd: "link", "bomb" or "damaged", the file's name, and the reason."""

    def close(self) -> None:
        """Let go of what is held open."""


class Folder:
    """The files below a folder. ``with_links``: also those that links lead to, out of it as well."""

    def __init__(self, root: Path, *, with_links: bool = False) -> None:
        self.root, self.with_links = root, with_links
        self.place = Place(str(root))
        self._text = str(root)  # joined with a name much sooner than a path

    def names(self) -> list[str]:
        return names_with_links(self.root) if self.with_links else disk.names_below(self.root)

    def at(self, name: str) -> str:
        """Where a file is."""
        return f"{self._text}/{name}"

    def read(self, name: str) -> bytes:
        return disk.read(self.root / name)

    def stream(self, name: str) -> IO[bytes]:
        return disk.stream(self.at(name))

    def label(self, name: str) -> str:
        return str(self.root / name)

    def size(self, name: str) -> int:
        return disk.size(self.at(name))

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        for name in disk.names_below(self.root, links=True):
            yield "link", name, f"this is a link, to {disk.link_target(self.root / name)}"

    def close(self) -> None:
        pass


class Archive:
    """The files in a zip archive.

    Args:
        stream: the archive's bytes, where it is no file of its own.

    Raises:
        IchnosError: it is no whole zip archive.
    """

    def __init__(self, path: Path, stream: IO[bytes] | None = None) -> None:
        self.path, self._stream = path, stream
        self.place = Place(str(path))
        if stream is None:
            disk.refuse_no_file(path)
        try:
            with disk.translated(path, reading=True):
                self._zip = zipfile.ZipFile(path if stream is None else stream)
        except (zipfile.BadZipFile, struct.error, ValueError, NotImplementedError) as error:
            raise IchnosError(
                f"this is not a whole zip archive ({error})", place=Place(str(path)), cure="build or download it again"
            ) from None

    def names(self) -> list[str]:
        return [
            info.filename
            for info in self._zip.infolist()
            if not info.is_dir() and not stat.S_ISLNK(info.external_attr >> 16)
        ]

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        for info in self._zip.infolist():
            if stat.S_ISLNK(info.external_attr >> 16):
                yield "link", info.filename, "this is a link, and what it leads to could be anywhere"
            elif _swells(info):
                packed = max(1, info.compress_size)
                reason = f"{info.file_size:,} bytes from {packed:,}: {info.file_size / packed:,.0f} times as many"
                yield "bomb", info.filename, reason
            else:
                try:
                    self._zip.open(info).close()  # its own header is held against the archive's directory
                except _DAMAGED as error:
                    yield "damaged", info.filename, f"this file is damaged inside the archive ({error})"

    def read(self, name: str) -> bytes:
        if self._zip.getinfo(name).file_size > MAX_TEXT:
            raise IchnosError("this file is too large to be a definition", place=Place(self.label(name)))
        with self.stream(name) as stream:
            return stream.read()

    def stream(self, name: str) -> IO[bytes]:
        """The file, out of the archive and proved by its checksum, in memory or a temporary file.

        Raises:
            IchnosError: it is damaged, or swells beyond measure.
        """
        if _swells(self._zip.getinfo(name)):
            raise IchnosError(
                "this file swells beyond measure when it is unpacked",
                place=Place(self.label(name)),
                cure="do not use it",
            )
        whole: IO[bytes] = tempfile.SpooledTemporaryFile(_IN_MEMORY)  # noqa: SIM115 (the caller closes it)
        try:
            with self._zip.open(name) as stream:
                _copy(stream, whole, self._zip.getinfo(name).file_size)
        except _DAMAGED as error:
            whole.close()
            raise IchnosError(
                f"this file is damaged inside the archive ({error})",
                place=Place(self.label(name)),
                cure="build or download the archive again",
            ) from None
        whole.seek(0)
        return whole

    def label(self, name: str) -> str:
        return f"{self.path}/{name}"

    def size(self, name: str) -> int:
        return self._zip.getinfo(name).file_size

    def close(self) -> None:
        self._zip.close()
        if self._stream is not None:
            self._stream.close()


def _swells(info: zipfile.ZipInfo) -> bool:
    """Is it a bomb? No sound and no text shrinks to a two-hundredth, but for a little silence."""
    return info.file_size > _HARMLESS and info.file_size > _MOST_RATIO * max(1, info.compress_size)


def _copy(stream: IO[bytes], out: IO[bytes], promised: int) -> None:
    """Never more than was promised, whatever the archive really holds."""
    while data := stream.read(1 << 20):
        promised -= len(data)
        if promised < 0:
            raise zipfile.BadZipFile("it is longer than the archive says")
        out.write(data)


class Inside:
    """The files below one folder of others, under their names from there."""

    def __init__(self, files: Files, folder: str) -> None:
        self.files = files
        self.place = files.place
        self.prefix = f"{folder}/" if folder else ""

    def names(self) -> list[str]:
        start = len(self.prefix)
        return [name[start:] for name in self.files.names() if name.startswith(self.prefix)]

    def own_name(self, name: str) -> str:
        """The name that a file has among the others."""
        return self.prefix + name

    def read(self, name: str) -> bytes:
        return self.files.read(self.own_name(name))

    def stream(self, name: str) -> IO[bytes]:
        return self.files.stream(self.own_name(name))

    def label(self, name: str) -> str:
        return self.files.label(self.own_name(name))

    def size(self, name: str) -> int:
        return self.files.size(self.own_name(name))

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        for kind, name, reason in self.files.oddities():
            yield kind, name.removeprefix(self.prefix), reason

    def close(self) -> None:
        self.files.close()


class Only(Inside):
    """One file of others, under its name."""

    def __init__(self, files: Files, name: str) -> None:
        super().__init__(files, "")
        self._name = name

    def names(self) -> list[str]:
        return [self._name]


def files_at(path: Path, cure: str = "give a pack's folder or archive", *, with_links: bool = False) -> Files:
    """The files of a pack or a game, as found on disk. ``cure``: what to do where there are none.

    Args:
        with_links: do files count that links lead to?

    Raises:
        IchnosError: there is nothing there, or it is neither a folder nor a zip archive.
    """
    if disk.is_folder(path):
        return Folder(path, with_links=with_links)
    if not disk.exists(path):
        raise IchnosError("there is nothing here", place=Place(str(path)), cure=elsewhere(path) or cure)
    return Archive(path)
