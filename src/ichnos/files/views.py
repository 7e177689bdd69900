"""Files seen otherwise than they lie: after a change, under other names, with those in archives among them."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from pathlib import Path
from typing import IO

from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.files.sources import Archive, Files, Inside


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


class Renamed(Inside):
    """The files below one folder of others, some under other names than they have there.

    Args:
        named: a file's name here, from its name among the others.
    """

    def __init__(self, files: Files, folder: str, named: Callable[[str], str]) -> None:
        super().__init__(files, folder)
        self._named = named

    @cached_property
    def _by_name(self) -> dict[str, list[str]]:
        by_name: dict[str, list[str]] = {}
        for own in super().names():
            by_name.setdefault(self._named(own), []).append(self.prefix + own)
        return by_name

    def names(self) -> list[str]:
        return [*self._by_name]

    def own_name(self, name: str) -> str:
        """The name that a file has among the others; that of the first, where several would have one name here."""
        return self._by_name[name][0] if name in self._by_name else self.prefix + name

    def hidden(self) -> Iterator[tuple[str, list[str]]]:
        """The names that several files would have, with those."""
        return ((name, several) for name, several in self._by_name.items() if len(several) > 1)


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

    def oddities(self) -> Iterator[tuple[str, str, str]]:
        yield from self.files.oddities()
        yield from (("damaged", name, reason) for name, reason in self.damaged.items())

    def close(self) -> None:
        for archive in self._archives.values():
            archive.close()
        self.files.close()
