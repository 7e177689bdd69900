"""What the last build wrote, so that the next one can tell what is new, changed or the same."""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import dataclass, field
from pathlib import Path

from ichnos.pack.plan import Plan, Written
from ichnos.pack.writing import write_whole

NEW, CHANGED, SAME = "new", "changed", "same"


@dataclass(frozen=True)
class Record:
    """The package that was built, its SHA-256 and size in bytes, and each file's content by name."""

    package: Path | None = None
    sha256: str = ""
    size: int = -1
    seen: str = ""  # the sizes and times of what was written
    files: dict[str, str] = field(default_factory=dict)

    def is_of(self, package: Path) -> bool:
        """Is the package on disk still the one that was recorded?"""
        return package == self.package and package.exists() and _seen(package) == self.seen

    def states(self, plan: Plan, package: Path) -> dict[str, str]:
        """Each planned file against the last build: new, changed or same."""
        if not self.is_of(package):
            return {file.path: NEW for file in plan.files}
        return {
            file.path: NEW
            if file.path not in self.files
            else SAME
            if self.files[file.path] == content(file)
            else CHANGED
            for file in plan.files
        }

    def gone(self, plan: Plan, package: Path) -> list[str]:
        """Files of the last build that the plan no longer has."""
        return sorted(set(self.files) - {file.path for file in plan.files}) if self.is_of(package) else []


def content(file: Written) -> str:
    """A name for a file's content: equal names, equal bytes."""
    return file.conversion.identity if file.conversion else hashlib.sha256(file.data or b"").hexdigest()


def _path(workspace: Path) -> Path:
    return workspace / ".ichnos" / "built.json"


def load(workspace: Path) -> Record:
    """The last build's record; an empty one where there is none that can be read."""
    try:
        values = json.loads(_path(workspace).read_text("utf-8"))
        return Record(**{**values, "package": Path(os.path.normpath(workspace / values["package"]))})
    except (OSError, ValueError, TypeError, KeyError):
        return Record()


def save(workspace: Path, plan: Plan, package: Path, sha256: str, size: int) -> None:
    """Note a finished build. The package is noted as seen from the workspace, so that both may move."""
    files = {file.path: content(file) for file in plan.files}
    values = {
        "package": _seen_from(workspace, package),
        "sha256": sha256,
        "size": size,
        "seen": _seen(package),
        "files": files,
    }
    write_whole(_path(workspace), json.dumps(values, indent=1).encode())


def _seen(package: Path) -> str:
    """A digest of the names, sizes and times of a package's files."""
    files = sorted(path for path in package.rglob("*") if path.is_file()) if package.is_dir() else [package]
    stats = [(path.name, path.stat().st_size, path.stat().st_mtime_ns) for path in files]
    return hashlib.sha256(repr(stats).encode()).hexdigest()


def _seen_from(folder: Path, path: Path) -> str:
    try:
        return Path(os.path.relpath(path, folder)).as_posix()
    except ValueError:  # another drive
        return str(path)
