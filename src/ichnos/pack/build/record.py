"""What the last build wrote, so that the next one can tell what is new, changed or the same."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cache, cached_property
from pathlib import Path

from ichnos.audio.process.conversion import Target
from ichnos.files.archives import sha256_of
from ichnos.files.writing import write_whole
from ichnos.pack.plan.plan import Plan, Written

NEW, CHANGED, SAME = "new", "changed", "same"


@dataclass(frozen=True)
class Record:
    """The package that was built, its SHA-256 and size in bytes, and each file's content by name."""

    package: Path | None = None
    sha256: str = ""
    size: int = -1
    seen: str = ""  # the sizes and times of what was written, as a digest
    files: dict[str, dict[str, str]] = field(default_factory=dict)  # see ``made_from``
    profile: str = ""  # the digest of the game's profile
    kept: tuple[str, ...] = ()  # the conversions that it is made of

    def is_of(self, package: Path) -> bool:
        """Is the package on disk still the one that was recorded?"""
        return package == self.package and self._stands

    @cached_property
    def _stands(self) -> bool:
        return self.package is not None and self.package.exists() and _seen(self.package) == self.seen

    def states(self, plan: Plan, package: Path) -> dict[str, str]:
        """Each planned file against the last build: new, changed or same."""
        if not self.is_of(package):
            return {file.path: NEW for file in plan.files}
        return {
            file.path: NEW
            if file.path not in self.files
            else SAME
            if self.files[file.path].get("content") == content(file)
            else CHANGED
            for file in plan.files
        }

    def why(self, plan: Plan, package: Path) -> dict[str, str]:
        """Of each planned file that changed, what of it did, in plain words."""
        why: dict[str, str] = {}
        if not self.is_of(package):
            return why
        for file in plan.files:
            if file.path not in self.files:
                continue
            was, now = self.files[file.path], made_from(file)
            if was.get("content") == now["content"]:
                continue
            parts = [
                word
                for word, name in (("clip", "clip"), ("treatment", "treatment"), ("settings", "target"))
                if name in now and was.get(name) != now[name]
            ]
            if not parts and file.laid:
                parts = ["what the game's encoder wrote"]
            if not parts and self.profile != plan.profile:
                parts = ["profile"]
            why[file.path] = f"{' and '.join(parts)} changed" if parts else "what it says changed"
        return why

    def gone(self, plan: Plan, package: Path) -> list[str]:
        """Files of the last build that the plan no longer has."""
        return sorted(set(self.files) - {file.path for file in plan.files}) if self.is_of(package) else []

    def digests(self, paths: Iterable[str]) -> dict[str, str]:
        """The SHA-256 of files as they were built, where it was noted."""
        return {path: self.files[path]["sha256"] for path in paths if "sha256" in self.files[path]}


def of(plan: Plan, package: Path, sha256: str, size: int, digests: Mapping[str, str]) -> Record:
    """The record of a build that has just been made. ``digests``: the SHA-256 of each file of a folder."""
    files = {file.path: made_from(file) for file in plan.files}
    for path, digest in digests.items():
        files[path]["sha256"] = digest
    kept = tuple(conversion.identity for conversion in plan.conversions)
    return Record(package, sha256, size, _seen(package), files, plan.profile, kept)


def content(file: Written) -> str:
    """A name for a file's content: equal names, equal bytes."""
    if file.laid:
        return sha256_of(file.laid)
    return file.conversion.identity if file.conversion else hashlib.sha256(file.data or b"").hexdigest()


def made_from(file: Written) -> dict[str, str]:
    """All that a file's content depends on, piece by piece."""
    if file.conversion is None:
        return {"content": content(file)}
    return {"content": content(file), "clip": file.conversion.sha256, **_settings(file.conversion.target)}


@cache
def _settings(target: Target) -> dict[str, str]:
    return {"treatment": ", ".join(map(repr, target.treatment)), "target": repr(replace(target, treatment=()))}


def _path(workspace: Path, game: str | None) -> Path:
    name = "built.json" if game is None else f"built-{hashlib.sha256(game.encode()).hexdigest()[:12]}.json"
    return workspace / ".ichnos" / name


def all_kept(workspace: Path) -> set[str]:
    """The conversions that any of the workspace's builds, for whichever game, is made of."""
    kept: set[str] = set()
    for path in (workspace / ".ichnos").glob("built*.json"):
        try:
            kept.update(json.loads(path.read_text("utf-8"))["kept"])
        except (OSError, ValueError, TypeError, KeyError):
            continue
    return kept


def load(workspace: Path, game: str | None = None) -> Record:
    """The last build's record; an empty one where there is none that can be read."""
    try:
        values = json.loads(_path(workspace, game).read_text("utf-8"))
        package = Path(os.path.normpath(workspace / values["package"]))
        return Record(**{**values, "package": package, "kept": tuple(values["kept"])})
    except (OSError, ValueError, TypeError, KeyError):
        return Record()


def save(workspace: Path, game: str | None, record: Record) -> None:
    """Note a finished build. The package is noted as seen from the workspace, so that both may move."""
    assert record.package is not None
    values = {one.name: getattr(record, one.name) for one in fields(record)}
    values["package"] = _seen_from(workspace, record.package)
    write_whole(_path(workspace, game), json.dumps(values).encode())


def files_in(package: Path) -> Iterator[tuple[str, os.stat_result]]:
    """All files of a folder by their path from it, links and whatever else is no folder with them."""
    folders = [("", str(package))]
    while folders:
        name, folder = folders.pop()
        with os.scandir(folder) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    folders.append((f"{name}{entry.name}/", entry.path))
                else:
                    yield f"{name}{entry.name}", entry.stat(follow_symlinks=False)


def _seen(package: Path) -> str:
    """A digest of the names, sizes and times of a package's files."""
    files = sorted(files_in(package)) if package.is_dir() else [(package.name, package.stat())]
    stats = [(name, stat.st_size, stat.st_mtime_ns) for name, stat in files]
    return hashlib.sha256(repr(stats).encode()).hexdigest()


def _seen_from(folder: Path, path: Path) -> str:
    try:
        return Path(os.path.relpath(path, folder)).as_posix()
    except ValueError:  # another drive
        return str(path)
