"""Changing files below a folder of somebody else's, such as a game's: never through a link, never outside of it."""

from __future__ import annotations

import errno
import hashlib
import os
import stat
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from ichnos.errors import IchnosError, Place
from ichnos.files import disk, writing
from ichnos.files.file_state import FileState, names_digest
from ichnos.files.paths import folded, is_plain, windows_refuses
from ichnos.files.threads import run_side_by_side

# Folders are opened one inside the other, so that none can be swapped for a link on the way.
_SIDE_BY_SIDE = 4  # files that are written at once: a disk takes in several as fast as one
_BY_HANDLE = os.open in os.supports_dir_fd and os.rename in os.supports_dir_fd and hasattr(os, "O_DIRECTORY")
_AS_FOLDER = getattr(os, "O_DIRECTORY", 0) | getattr(os, "O_NOFOLLOW", 0) | os.O_RDONLY
_NEW = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
_TO_READ = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0) | getattr(os, "O_NONBLOCK", 0)
_PIECE = 1 << 20


@dataclass(frozen=True)
class Incoming:
    """A file to be put where there is none. ``opened`` gives its content, and its SHA-256 or "", as for ``put``."""

    name: str
    opened: Callable[[], AbstractContextManager[tuple[IO[bytes], str]]]
    time: int | None
    mode: int | None


def _give_name(at: int | None, beside: str, called: str) -> None:
    if at is None and os.path.isdir(called):  # which Windows calls a lack of permission
        raise IsADirectoryError(errno.EISDIR, "a folder stands here")
    writing.replace(beside, called, at)


class GuardedFolder:
    """A folder, and what is changed in it, by paths with slashes below it."""

    def __init__(self, folder: Path) -> None:
        """Raises IchnosError where there is no such folder."""
        if not disk.is_folder(folder):
            raise IchnosError("there is no such folder", place=Place(str(folder)), cure="give the game's folder")
        self.folder = disk.resolved(folder)
        self._text = str(self.folder).rstrip("/")
        info = os.stat(self.folder)
        self._is = info.st_dev, info.st_ino
        self._names: dict[str, dict[str, list[str]]] = {}
        self._spelled = {"": ""}
        self._open: tuple[str, int] | None = None  # the folder that was opened last
        self._not_there: str | None = None  # the folder that was found missing last: no link is on the way to it

    def path(self, name: str) -> Path:
        """Where a file is, for messages."""
        return self.folder / name

    def _at(self, name: str) -> str:
        """The same as a text, which is much sooner made."""
        return f"{self._text}/{name}" if name else self._text

    def spelled(self, name: str) -> str:
        """A path as the folder spells it, where it has it in other capitals or another spelling of its accents.

        Raises:
            IchnosError: it leads out, or no system has such a name.
        """
        refused = not is_plain(name) or any(windows_refuses(piece) for piece in name.split("/"))
        if refused:
            what = f"{name!r} is no path that a file can be put at"
            raise IchnosError(what, place=Place(str(self.folder)), cure="do not install this; ask its maker")
        folder, slash, last = name.rpartition("/")
        if folder not in self._spelled:
            self._spelled[folder] = self.spelled(folder)
        folder = self._spelled[folder]
        alike = self._alike(folder)
        if last not in alike.get(folded(last), ()):
            last = alike[folded(last)][0] if len(alike.get(folded(last), ())) == 1 else last
        return f"{folder}{slash}{last}"

    def spell_as(self, name: str) -> None:
        """From now on a folder is called so, whatever stands there under a name that is only like it."""
        self._spelled[name] = name

    def _alike(self, folder: str) -> dict[str, list[str]]:
        """The names in a folder, by what other systems take them for; looked at once."""
        if folder not in self._names:
            found = self._names.setdefault(folder, {})
            for name in disk.names(self.path(folder)) if os.path.isdir(self.path(folder)) else ():
                found.setdefault(folded(name), []).append(name)
        return self._names[folder]

    @contextmanager
    def _inside(self, name: str) -> Iterator[tuple[int | None, str]]:
        """The folder that a file is in, open, and what to call the file in it."""
        folder, _, last = name.rpartition("/")
        with disk.translated(self._at(name)):
            if not _BY_HANDLE:
                disk.own_place(self.folder, self.path(name))
                yield None, str(self.path(name))
                return
            if self._open is None or not self._is_still(*self._open, folder):
                self.close()
                self._open = folder, self._handle(folder, name)
            yield self._open[1], last

    def _is_still(self, opened: str, handle: int, folder: str) -> bool:
        """Is an open folder the one that is wanted, and still at its place?"""
        if opened != folder:
            return False
        try:
            there = os.lstat(self._at(folder))
        except OSError:
            return False
        return os.path.samestat(there, os.fstat(handle))

    def _handle(self, folder: str, name: str) -> int:
        """A folder, opened by way of those around it."""
        at = os.open(self.folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            info = os.fstat(at)
            if (info.st_dev, info.st_ino) != self._is:
                raise self._other_folder("")
            for piece in folder.split("/") if folder else ():
                inner = os.open(piece, _AS_FOLDER, dir_fd=at)
                os.close(at)
                at = inner
        except BaseException as error:
            os.close(at)
            if isinstance(error, OSError):
                disk.own_place(self.folder, self.path(name))  # says where a link stands
            raise
        return at

    def _other_folder(self, folder: str) -> IchnosError:
        what = "another folder stands here than a moment ago"
        return IchnosError(what, place=Place(self._at(folder)), cure="see to it, then try again")

    def close(self) -> None:
        """Let go of the folder that was opened last."""
        if self._open is not None:
            os.close(self._open[1])
            self._open = None

    def __del__(self) -> None:
        if getattr(self, "_open", None) is not None:
            self.close()

    @contextmanager
    def opened_if_there(self, name: str) -> Iterator[IO[bytes] | None]:
        """A file to be read; ``None`` where there is nothing. Raises IchnosError for what is no file."""
        parent = name.rpartition("/")[0]
        if parent and not os.path.isdir(self._at(parent)):
            if parent != self._not_there:
                disk.own_place(self.folder, self.path(parent))
                self._not_there = parent
            yield None
            return
        with self._inside(name) as (at, called):
            try:
                handle = os.open(called, _TO_READ, dir_fd=at)
            except FileNotFoundError:
                yield None
                return
            except OSError:
                disk.own_place(self.folder, self.path(name))
                raise
            with os.fdopen(handle, "rb") as stream:
                if not stat.S_ISREG(os.fstat(handle).st_mode):
                    what = "this is no file, and one is to stand here"
                    raise IchnosError(what, place=Place(str(self.path(name))), cure="move it away")
                yield stream

    def stand(self, name: str) -> FileState | None:
        """How a file stands; ``None`` where there is none. Raises IchnosError for a link, a folder, a device."""
        with self.opened_if_there(name) as stream:
            if stream is None:
                return None
            digest = disk.digest_of(stream)
            info = os.fstat(stream.fileno())
            return FileState(digest, info.st_size, info.st_mtime_ns, stat.S_IMODE(info.st_mode))

    @contextmanager
    def opened(self, name: str) -> Iterator[IO[bytes]]:
        """A file to be read. Raises IchnosError where it is gone, or is none."""
        with self.opened_if_there(name) as stream:
            if stream is None:
                raise IchnosError("this is not there any more", place=Place(str(self.path(name))), cure="try again")
            yield stream

    def read(self, name: str) -> bytes:
        """A file's bytes. Raises IchnosError as ``opened`` does."""
        with self.opened(name) as stream:
            return stream.read()

    def put(self, name: str, content: bytes | IO[bytes], sha256: str, time: int | None, mode: int | None) -> None:
        """Write a file beside its place, and give it its name when it is whole and on the disk.

        Args:
            sha256: what it must be; anything else is refused. Empty where that is known already.
            time: of its last change, in ns; now without it.

        Raises:
            IchnosError: the disk is full, a link stands in the way, the content is another than was said.
        """
        with self._inside(name) as (at, called):
            beside = self._write_beside(at, called, name, content, sha256, time, mode)
            try:
                _give_name(at, beside, called)
            except BaseException:
                with suppress(OSError):
                    os.unlink(beside, dir_fd=at)
                raise

    def put_new(self, files: Iterable[Incoming], advance: Callable[[float], None]) -> None:
        """Write several new files of one folder, and give them their names when all of them are on the disk.

        While no name changes between two syncs, a disk needs far less time for them.

        Args:
            advance: called after each, from the writing threads, with 1.

        Raises:
            IchnosError: as ``put``; something stands there already.
        """
        several = list(files)
        folder = several[0].name.rpartition("/")[0]
        unnamed: list[str] = []
        with self._inside(several[0].name) as (at, first):
            prefix = os.path.split(first)[0]

            def write(file: Incoming) -> tuple[str, str]:
                called = os.path.join(prefix, file.name.rpartition("/")[2])
                with disk.translated(self._at(file.name)), file.opened() as (content, sha256):
                    beside = self._write_beside(at, called, file.name, content, sha256, file.time, file.mode)
                unnamed.append(beside)
                advance(1)
                return beside, called

            try:
                written = run_side_by_side(write, several, _SIDE_BY_SIDE)
                if at is not None and not self._is_still(folder, at, folder):
                    raise self._other_folder(folder)
                for (beside, called), file in zip(written, several, strict=True):
                    with disk.translated(self._at(file.name)):
                        self._refuse_standing(at, called, file.name)
                        _give_name(at, beside, called)
            except BaseException:
                for beside in unnamed:
                    with suppress(OSError):  # some have their names already
                        os.unlink(beside, dir_fd=at)
                raise

    def _refuse_standing(self, at: int | None, called: str, name: str) -> None:
        """Raises IchnosError where anything stands, also a link that leads nowhere."""
        try:
            os.stat(called, dir_fd=at, follow_symlinks=False)
        except FileNotFoundError:
            return
        what = "this has changed since the plan was made"
        raise IchnosError(what, place=Place(str(self.path(name))), cure="say it again")

    def _write_beside(
        self,
        at: int | None,
        called: str,
        name: str,
        content: bytes | IO[bytes],
        sha256: str,
        time: int | None,
        mode: int | None,
    ) -> str:
        """Write a file under another name, and return that name when it is on the disk. A failure leaves nothing."""
        folder, last = os.path.split(called)
        beside = os.path.join(folder, writing.unfinished_name(last))
        try:
            with os.fdopen(os.open(beside, _NEW, 0o666, dir_fd=at), "wb") as out:
                hashed = hashlib.sha256() if sha256 else None
                pieces = (content,) if isinstance(content, bytes) else iter(lambda: content.read(_PIECE), b"")
                for piece in pieces:
                    if hashed is not None:
                        hashed.update(piece)
                    out.write(piece)
                if hashed is not None and hashed.hexdigest() != sha256:
                    what = "what was to be put here is not what was looked at, or kept, before"
                    raise IchnosError(what, place=Place(str(self.path(name))), cure="try again")
                out.flush()
                if mode is not None and hasattr(os, "fchmod"):
                    os.fchmod(out.fileno(), mode)
                os.fsync(out.fileno())
            if time is not None:
                os.utime(beside, ns=(time, time), dir_fd=at)
        except BaseException:
            with suppress(OSError):
                os.unlink(beside, dir_fd=at)
            raise
        return beside

    def take_away(self, name: str) -> None:
        """Remove a file, where it is there. Raises IchnosError where it may not be."""
        with self._inside(name) as (at, called), suppress(FileNotFoundError):
            os.unlink(called, dir_fd=at)

    def make_folder(self, name: str) -> None:
        """Make a folder, where it is not there."""
        with self._inside(name) as (at, called), suppress(FileExistsError):
            os.mkdir(called, dir_fd=at)

    def remove_folder(self, name: str) -> bool:
        """Remove a folder, where it is empty; else it stays."""
        try:
            with self._inside(name) as (at, called):
                os.rmdir(called, dir_fd=at)
        except IchnosError:
            return not os.path.lexists(self.path(name))
        return True

    def listing(self, name: str) -> tuple[int, str] | None:
        """A folder's time (ns), and a digest of the names in it; ``None`` where there is none. "": the root itself."""
        if not os.path.isdir(self._at(name)):
            return None
        path = self.path(name) if name else self.folder
        if name:
            disk.own_place(self.folder, path)
        return os.stat(path).st_mtime_ns, names_digest(disk.names(path))

    def set_folder_time(self, name: str, time: int) -> None:
        """Give a folder its old time; not every system lets one."""
        path = self.path(name) if name else self.folder
        with suppress(OSError):
            os.utime(path, ns=(time, time))

    def files_below(self, name: str) -> list[str]:
        """The files at or below a path. Raises IchnosError for links among them."""
        path = disk.own_place(self.folder, self.path(name))
        if os.path.isfile(path):
            return [name]
        if not os.path.isdir(path):
            return []
        paths = disk.everything_below(path)
        for one in paths:
            disk.own_place(self.folder, one)
        return [one.relative_to(self.folder).as_posix() for one in paths if os.path.isfile(one)]

    def settle(self, names: set[str]) -> None:
        """See to it that new names in folders are on the disk, where a system can be asked for that."""
        for name in sorted(names):
            with suppress(OSError):
                handle = os.open(self.path(name) if name else self.folder, os.O_RDONLY)
                try:
                    os.fsync(handle)
                finally:
                    os.close(handle)

    def sweep(self, names: Iterable[str]) -> None:
        """Remove what a killed process left half-written of files."""
        by_folder: dict[str, list[str]] = {}
        for name in names:
            folder, _, last = name.rpartition("/")
            by_folder.setdefault(folder, []).append(last)
        for folder, inside in by_folder.items():
            writing.sweep(self.path(folder), inside)

    def refuse_if_closed(self, names: list[str]) -> None:
        """Find out before anything is touched that a file or a folder cannot be changed now.

        Raises:
            IchnosError: a folder is read-only, or a program (the game) holds a file open.
        """
        for folder in sorted({name.rpartition("/")[0] for name in names}):
            while folder and not os.path.isdir(self.path(folder)):
                folder = folder.rpartition("/")[0]
            path = self.path(folder) if folder else self.folder
            if not os.access(path, os.W_OK | os.X_OK):
                what, cure = "this folder may not be written to", "change its permissions; nothing has been touched"
                raise IchnosError(what, place=Place(str(path)), cure=cure)
        if disk.WINDOWS:
            for name in names:
                if os.path.isfile(self.path(name)):
                    with disk.translated(self.path(name)), open(self.path(name), "r+b"):
                        pass
