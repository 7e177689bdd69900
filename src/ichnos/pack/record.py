"""What the last build wrote, so that the next one can tell what is new, changed or the same."""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import dataclass, field, replace
from functools import cached_property
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
            if not parts and self.profile != plan.profile:
                parts = ["profile"]
            why[file.path] = f"{' and '.join(parts)} changed" if parts else "what it says changed"
        return why

    def gone(self, plan: Plan, package: Path) -> list[str]:
        """Files of the last build that the plan no longer has."""
        return sorted(set(self.files) - {file.path for file in plan.files}) if self.is_of(package) else []


def content(file: Written) -> str:
    """A name for a file's content: equal names, equal bytes."""
    return file.conversion.identity if file.conversion else hashlib.sha256(file.data or b"").hexdigest()


def made_from(file: Written) -> dict[str, str]:
    """All that a file's content depends on, piece by piece."""
    if file.conversion is None:
        return {"content": content(file)}
    target = file.conversion.target
    return {
        "content": content(file),
        "clip": file.conversion.sha256,
        "treatment": ", ".join(map(repr, target.treatment)),
        "target": repr(replace(target, treatment=())),
    }


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


def save(workspace: Path, game: str | None, plan: Plan, package: Path, sha256: str, size: int) -> None:
    """Note a finished build. The package is noted as seen from the workspace, so that both may move."""
    files = {file.path: made_from(file) for file in plan.files}
    values = {
        "package": _seen_from(workspace, package),
        "sha256": sha256,
        "size": size,
        "seen": _seen(package),
        "files": files,
        "profile": plan.profile,
        "kept": [conversion.identity for conversion in plan.conversions],
    }
    write_whole(_path(workspace, game), json.dumps(values, indent=1).encode())


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
