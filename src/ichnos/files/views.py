"""Files seen otherwise than they lie: after a change, under other names, with those in archives among them."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cached_property
from pathlib import Path
from typing import IO

from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.files.sources import Archive, Files


class Overlay:
    """Files with others in place of some of them, and without some: as they would be after a change."""

    def __init__(self, files: Files, changes: Mapping[str, bytes | Path | None]) -> None:
        """``changes``: the bytes of files by name, or where those are, also of new ones; ``None``: it is gone."""
        self.files = files
        self.place = files.place
        self._changes = changes

    def names(self) -> list[str]:
        kept = [name for name in self.files.names() if name not in self._changes]
        return sorted([*kept, *(name for name, data in self._changes.items() if data is not None)])

    def _changed(self, name: str) -> bytes | Path | None:
        """The bytes in place of a file's own; ``None`` where those stand. Raises KeyError where it is gone."""
        if name not in self._changes:
            return None
        data = self._changes[name]
        if data is None:
            raise KeyError(name)
        return data

    def read(self, name: str) -> bytes:
        data = self._changed(name)
        if isinstance(data, Path):
            return disk.read(data)
        return self.files.read(name) if data is None else data

    def stream(self, name: str) -> IO[bytes]:
        data = self._changed(name)
        if isinstance(data, Path):
            return disk.stream(data)
        return self.files.stream(name) if data is None else io.BytesIO(data)

    def label(self, name: str) -> str:
        return self.files.label(name)

    def size(self, name: str) -> int:
        data = self._changed(name)
        if isinstance(data, Path):
            return disk.size(data)
        return self.files.size(name) if data is None else len(data)

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        for kind, name, reason in self.files.oddities():
            if name not in self._changes:
                yield kind, name, reason

    def close(self) -> None:
        self.files.close()


class Renamed:
    """Files under other names.

    Args:
        names_of: from the names of all files, those under which they are read, each with the file's own.
    """

    def __init__(self, files: Files, names_of: Callable[[Iterable[str]], Mapping[str, str]]) -> None:
        self.files = files
        self.place = files.place
        self._names_of = names_of

    @cached_property
    def _names(self) -> Mapping[str, str]:
        return self._names_of(self.files.names())

    def own_name(self, name: str) -> str:
        """The name that a file has itself."""
        return self._names[name]

    def names(self) -> list[str]:
        return sorted(self._names)

    def read(self, name: str) -> bytes:
        return self.files.read(self._names[name])

    def stream(self, name: str) -> IO[bytes]:
        return self.files.stream(self._names[name])

    def label(self, name: str) -> str:
        return self.files.label(self._names.get(name, name))

    def size(self, name: str) -> int:
        return self.files.size(self._names[name])

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        yield from self.files.oddities()

    def close(self) -> None:
        self.files.close()


class Unfolded:
    """Files with those in some archives among them, each below its archive's name, as if that were a folder.

    Args:
        is_archive: of a file's name, whether it is read so.
    """

    def __init__(self, files: Files, is_archive: Callable[[str], bool]) -> None:
        self.files = files
        self.place = files.place
        self._archives: dict[str, Archive] = {}
        self.damaged: dict[str, str] = {}  # archives that cannot be read, and why
        for name in filter(is_archive, files.names()):
            try:
                self._archives[name] = Archive(Path(files.label(name)), files.stream(name))
            except IchnosError as error:
                self.damaged[name] = error.what

    def _of(self, name: str) -> tuple[Files, str]:
        """Which files one is of, and under which name."""
        for archive, files in self._archives.items():
            if name.startswith(f"{archive}/"):
                return files, name.removeprefix(f"{archive}/")
        return self.files, name

    def names(self) -> list[str]:
        inside = [f"{archive}/{name}" for archive, files in self._archives.items() for name in files.names()]
        return [*self.files.names(), *inside]

    def read(self, name: str) -> bytes:
        files, own = self._of(name)
        return files.read(own)

    def stream(self, name: str) -> IO[bytes]:
        files, own = self._of(name)
        return files.stream(own)

    def label(self, name: str) -> str:
        files, own = self._of(name)
        return files.label(own)

    def size(self, name: str) -> int:
        files, own = self._of(name)
        return files.size(own)

    def archive_of(self, name: str) -> str | None:
        """The archive that a file is in; ``None`` of one that lies free."""
        return next((archive for archive in self._archives if name.startswith(f"{archive}/")), None)

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        yield from self.files.oddities()
        yield from (("damaged", name, reason) for name, reason in self.damaged.items())

    def close(self) -> None:
        for archive in self._archives.values():
            archive.close()
        self.files.close()
