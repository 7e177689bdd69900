"""``[catalogue]``: where an installation keeps what looks like tree/, and under which names."""

from __future__ import annotations

import re
from functools import cached_property
from pathlib import PurePosixPath
from typing import Annotated

from pydantic import AfterValidator, Field

from ichnos.documents.checked import TomlTable
from ichnos.games.profiles.path_pairs import PathPairs, expression, told_apart
from ichnos.games.profiles.types import InsidePath


class CatalogueRules(TomlTable):
    folder: InsidePath = Field(default="", description="where an installation keeps what looks like tree/")
    paths: Annotated[dict[str, str], AfterValidator(told_apart)] = Field(
        default={},
        examples=[{"rooms/*/noises/@path@.ogg": "noises/@path@.ogg"}],
        description="[catalogue.paths]: where it keeps files, below folder = where they would be in tree/, tried in"
        " turn; holes have names of your own, * stands for anything but a slash, **/ for any folders",
    )
    archives: tuple[InsidePath, ...] = Field(
        default=(),
        examples=[["data/*.box"]],
        description="zip archives of the installation, by their paths in it, whatever their extension; each is read as"
        " if it were a folder",
    )
    readable: bool = Field(
        default=True, description="can the game's own definitions be read? Else keys are checked against a list, if any"
    )

    @property
    def prefix(self) -> str:
        """What the paths of all files begin with that the game reads."""
        return f"{self.folder}/" if self.folder else ""

    @cached_property
    def _pairs(self) -> PathPairs:
        return PathPairs(self.paths)

    @cached_property
    def _archives(self) -> tuple[re.Pattern[str], ...]:
        return tuple(map(expression, self.archives))

    def named(self, path: str) -> str:
        """What a file of the installation is called in tree/, by its path below that folder."""
        return self._pairs.of(path) or path

    def name_of(self, path: str) -> str:
        """The same by its whole path; that itself where it lies elsewhere."""
        return self.named(path.removeprefix(self.prefix)) if path.startswith(self.prefix) else path

    def archive_of(self, path: str) -> str | None:
        """The archive of the game's in which a path leads; ``None`` where it leads into none."""
        return next((folder for folder in map(str, PurePosixPath(path).parents) if self.is_archive(folder)), None)

    def is_archive(self, path: str) -> bool:
        """Is a file of the installation an archive of the game's?"""
        return any(archive.fullmatch(path) is not None for archive in self._archives)
