"""A release: the version up, a line in the changes, checks that pass, the archive with its SHA-256."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import tomlkit

from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.archives import write_archive
from ichnos.files.writing import fresh, write_whole
from ichnos.pack.build import building
from ichnos.pack.plan import outline
from ichnos.pack.plan.plan import Outline
from ichnos.pack.workspace import assignments
from ichnos.pack.workspace import workspace as workspaces
from ichnos.pack.workspace.folder import FILE_NAME, lock
from ichnos.pack.workspace.workspace import Workspace

CHANGES = "CHANGES.md"
_STEPS = ("major", "minor", "patch")


@dataclass(frozen=True)
class Released:
    """``archive`` holds the pack; beside it stands its SHA-256."""

    version: str
    archive: Path
    sha256: str


def bump(version: str, step: str) -> str:
    """The next version (SemVer 2.0.0); what is before a release, as 1.0.0-beta.1, becomes that release first.

    >>> bump("1.2.3", "minor"), bump("1.0.0-beta.1", "patch")
    ('1.3.0', '1.0.0')
    """
    core, before, _ = version.partition("+")[0].partition("-")
    numbers = [int(number) for number in core.split(".")]
    at = _STEPS.index(step)
    if before and not any(numbers[at + 1 :]):
        return core
    return ".".join(str(n) for n in [*numbers[:at], numbers[at] + 1, *[0] * (2 - at)])


def preview(folder: Path, step: str | None) -> tuple[str, Path, int]:
    """What a release would be: its version, its archive, and how many clips are to be converted. Writes nothing.

    Raises:
        IchnosError: it cannot be built.
        UsageError: this version was released already.
    """
    loaded = workspaces.load(folder)
    version = _version(loaded, step)
    pack = loaded.pack_file.pack.model_copy(update={"version": version})
    made = outline.make(replace(loaded, pack_file=loaded.pack_file.model_copy(update={"pack": pack})))
    archive = _archive(loaded, version, made)
    return version, archive, len(building.plan_outline(folder, made).missing)


def _version(loaded: Workspace, step: str | None) -> str:
    return bump(loaded.pack_file.pack.version, step) if step else loaded.pack_file.pack.version


def _archive(loaded: Workspace, version: str, made: Outline) -> Path:
    """Where the archive of a version goes. Raises UsageError where it is there already."""
    archive = loaded.folder / "release" / (made.package if made.archive else f"{made.package}-{version}.zip")
    if disk.exists(archive):
        raise UsageError(f"{version} was released already: {loaded.shown(archive)}", cure="raise the version: --patch")
    return archive


def release(
    folder: Path,
    step: str | None,
    note: str,
    check: Callable[[Workspace, Path], list[str]],
    on_progress: Callable[[float], None] = lambda _: None,
    on_wait: Callable[[], None] = lambda: None,
) -> Released:
    """Make a release. Where it fails, the workspace's file and its changes stay as they were.

    Args:
        step: which number of the version goes up; None: it stays as it is.
        note: the line for the changes.
        check: looks at the built package, and gives what is wrong with it, a line each.
        on_wait: called where another process builds here, which is waited for.

    Raises:
        IchnosError: the build fails, or the check does not pass.
        UsageError: this version was released already.
    """
    with lock(folder, on_wait):
        loaded = workspaces.load(folder)
        version = _version(loaded, step)
        with _unless_it_fails(folder / FILE_NAME, folder / CHANGES):
            if step:
                document = tomlkit.parse(loaded.file.text.content)
                document["pack"]["version"] = version
                write_whole(folder / FILE_NAME, assignments.as_bytes(loaded, document))
            assignments.mint_missing_ids(workspaces.load(folder))
            _write_change(folder / CHANGES, version, note)
            planned = building.plan(folder)
            archive = _archive(loaded, version, planned.prepared.outline)
            built, _ = building.carry_out(planned, on_progress)
            wrong = check(workspaces.load(folder), built.package)
            if wrong:
                listed = "\n  ".join(wrong[:10])
                raise IchnosError(
                    f"the check does not pass, so nothing is released:\n  {listed}",
                    place=Place(loaded.shown(built.package)),
                    cure="correct it, or waive it in ichnos.toml with a reason; see ichnos check",
                )
            _write_archive(built.package, archive)
    digest = disk.digest(archive)
    write_whole(archive.with_name(f"{archive.name}.sha256"), f"{digest}  {archive.name}\n".encode())
    return Released(version, archive, digest)


def _write_archive(package: Path, archive: Path) -> None:
    """The package's archive; a folder goes into one with its own name around it, as it goes into the game."""
    with fresh(archive) as beside:
        if disk.is_file(package):
            disk.copy(package, beside)
            return
        files = disk.below(package)
        write_archive(beside, [(path.relative_to(package.parent).as_posix(), path) for path in files])


def _write_change(path: Path, version: str, note: str) -> None:
    heading = f"## {version} ({datetime.datetime.now(tz=datetime.UTC).date().isoformat()})"
    text = from_bytes(disk.read(path), path.name).content if disk.is_file(path) else "# Changes\n"
    title, _, rest = text.partition("\n")
    write_whole(path, f"{title}\n\n{heading}\n\n- {note}\n{rest}".encode())


@contextmanager
def _unless_it_fails(*paths: Path) -> Iterator[None]:
    """Put files back as they were if the block does not end well."""
    before = {path: disk.read(path) if disk.is_file(path) else None for path in paths}
    try:
        yield
    except BaseException:
        for path, data in before.items():
            if data is None:
                disk.remove(path)
            else:
                write_whole(path, data)
        raise
