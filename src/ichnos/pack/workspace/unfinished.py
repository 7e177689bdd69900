"""A release that was cut short: what is left to be done of it, so that it is made whole or was never begun.

Until a pack is built, checked and archived, a release changes nothing. Then one file is written that says
all that is still to be done, and with that it counts. Each step of it can be done twice without harm, so
whoever opens the workspace next finishes it.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

import tomlkit

from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.files.paths import is_plain
from ichnos.files.user import user_identity
from ichnos.files.writing import write_whole

CHANGES, RELEASES = "CHANGES.md", "release"
_WORKSPACE, _NOTED = "ichnos.toml", "release.json"


@dataclass(frozen=True)
class Release:
    """What a release still has to do. ``archive``: below release/; ``beside``: its name until it counts.

    ``user``: whose it is. What came with a stranger's workspace is not carried out.
    """

    version: str
    heading: str
    note: str
    archive: str
    beside: str
    sha256: str
    user: str


def path_of(private: Path) -> Path:
    """Where it is noted, in the folder that Ichnos keeps for itself."""
    return private / _NOTED


def begin(folder: Path, private: Path, release: Release) -> None:
    """Note what is to be done, and do it: from here on it will be done.

    Raises:
        IchnosError: something cannot be written; where it was noted already, the next start goes on with it.
    """
    for name in (CHANGES, _WORKSPACE):
        disk.refuse_way_out(folder, folder / name, name)
    with_change(folder / CHANGES, release)  # whatever cannot be read there is found before it counts
    write_whole(path_of(private), json.dumps(asdict(release)).encode())
    finish(folder, private)


def finish(folder: Path, private: Path) -> str | None:
    """Do what is left of a release; its version, or None where there is none.

    Raises:
        IchnosError: something cannot be written.
    """
    noted = path_of(private)
    release = _read(noted)
    if release is None:
        disk.remove(noted)
        return None
    releases = disk.own_place(folder, folder / RELEASES)
    archive, beside = releases / release.archive, releases / release.beside
    if disk.is_file(beside) and disk.digest(beside) == release.sha256:
        disk.rename(beside, archive)
    if not disk.is_file(archive) or disk.digest(archive) != release.sha256:
        disk.remove(noted)  # the archive never came, so nothing counts
        return None
    write_whole(archive.with_name(f"{archive.name}.sha256"), f"{release.sha256}  {archive.name}\n".encode())
    changes = folder / CHANGES
    write_whole(changes, with_change(changes, release))
    workspace = folder / _WORKSPACE
    text = from_bytes(disk.read(workspace, _WORKSPACE), _WORKSPACE)
    write_whole(workspace, text.to_bytes(with_version(text.content, release.version)))
    disk.remove(noted)
    return release.version


def _read(noted: Path) -> Release | None:
    """What was noted; None where it is not whole, or not this user's, or names what no release is named."""
    try:
        values = json.loads(disk.read(noted))
        release = Release(**values)
        names = (release.archive, release.beside)
        plain = all(is_plain(name) and name.count("/") <= 1 for name in names)
    except (IchnosError, ValueError, TypeError, AttributeError):
        return None
    mine = bool(release.user) and release.user == user_identity()
    return release if plain and mine and all(isinstance(value, str) for value in values.values()) else None


def with_version(content: str, version: str) -> str:
    """A workspace's file with another version, and every other byte as it was."""
    document = tomlkit.parse(content)
    pack = document["pack"]
    if pack.get("version") == version:
        return content
    pack["version"] = version
    changed = tomlkit.dumps(document)
    return changed.replace("\r\n", "\n").replace("\n", "\r\n") if "\r\n" in content else changed


def with_change(path: Path, release: Release) -> bytes:
    """The changes with this release's, once. Raises IchnosError where they are no UTF-8 text."""
    if not disk.is_file(path):
        return f"# Changes\n\n{release.heading}\n\n- {release.note}\n".encode()
    text = from_bytes(disk.read(path, path.name), path.name)
    end = "\r\n" if "\r\n" in text.content else "\n"
    if {release.heading, f"- {release.note}"} <= set(text.content.splitlines()):
        return text.to_bytes(text.content)
    title, _, rest = text.content.partition(end)
    return text.to_bytes(f"{title}{end}{end}{release.heading}{end}{end}- {release.note}{end}{rest}")
