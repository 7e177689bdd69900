"""A release: the version up, a line in the changes, checks that pass, the archive with its SHA-256."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from pathlib import Path

from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.archives import write_archive
from ichnos.files.user import user_identity
from ichnos.files.writing import fresh_name, sweep
from ichnos.pack.build import building
from ichnos.pack.plan import outline
from ichnos.pack.plan.plan import Outline
from ichnos.pack.workspace import assignments, unfinished
from ichnos.pack.workspace import reading as workspaces
from ichnos.pack.workspace.folder import FILE_NAME, lock, private_path
from ichnos.pack.workspace.unfinished import RELEASES, Release
from ichnos.pack.workspace.workspace import Workspace

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
    made = outline.make(_with_version(loaded, version))
    archive = _archive(loaded, version, made)
    return version, archive, len(building.plan_outline(folder, made).missing)


def _version(loaded: Workspace, step: str | None) -> str:
    return bump(loaded.pack_file.pack.version, step) if step else loaded.pack_file.pack.version


def _archive(loaded: Workspace, version: str, made: Outline) -> Path:
    """Where the archive of a version goes. Raises UsageError where it is there already."""
    releases = disk.own_place(loaded.folder, loaded.folder / RELEASES)
    names_version = any(hole.word.name == "pack.version" for hole in loaded.profile.package_name.holes)
    if made.archive and not names_version:  # all versions have one name, which is the game's affair
        archive = releases / version / made.package
    else:
        archive = releases / (made.package if made.archive else f"{made.package}-{version}.zip")
    if disk.exists(archive):
        cure = "raise the version: --patch, --minor or --major"
        raise UsageError(f"{version} was released already: {loaded.shown(archive)}", cure=cure)
    return archive


def release(
    folder: Path,
    step: str | None,
    note: str,
    check: Callable[[Workspace, Path], list[str]],
    on_progress: Callable[[float], None] = lambda _: None,
    on_wait: Callable[[], None] = lambda: None,
) -> Released:
    """Make a release. Until all is built and checked nothing of the workspace changes; then all of it does.

    Args:
        step: which number of the version goes up; None: it stays as it is.
        note: the line for the changes.
        check: looks at the built package, and gives what is wrong with it, a line each.
        on_wait: called where another process builds here, which is waited for.

    Raises:
        IchnosError: the build fails, or the check does not pass; or somebody saves the workspace meanwhile.
        UsageError: this version was released already.
    """
    with lock(folder, on_wait):
        sweep(folder / RELEASES)
        assignments.mint_missing_ids(workspaces.load(folder))
        loaded = workspaces.load(folder)
        version = _version(loaded, step)
        released = _with_version(loaded, version)
        aside = private_path(folder, "release")
        planned = building.plan_workspace(released, aside)
        archive = _archive(loaded, version, planned.prepared.outline)
        with _emptied(aside):
            built, _ = building.carry_out(planned, on_progress, note=False)
            sha256 = _put_together(loaded, released, built.package, archive, (version, note), check)
        with suppress(IchnosError):  # it is only noted that what was built is what the file says now
            building.carry_out(building.plan(folder), on_progress)
    return Released(version, archive, sha256)


@contextmanager
def _emptied(aside: Path) -> Iterator[None]:
    """What is built aside is of no use when it is released, or refused."""
    try:
        yield
    finally:
        with suppress(IchnosError):
            disk.remove_folder(aside)


def _put_together(
    loaded: Workspace,
    released: Workspace,
    package: Path,
    archive: Path,
    said: tuple[str, str],
    check: Callable[[Workspace, Path], list[str]],
) -> str:
    """Check what was built, archive it, and have it count; gives its SHA-256.

    Args:
        loaded: the workspace as it is; released: as it will be.
        said: the version, and the line for the changes.
    """
    folder, private = loaded.folder, private_path(loaded.folder)
    version, note = said
    wrong = check(released, package)
    if wrong:
        listed = "\n  ".join(wrong[:10])
        raise IchnosError(
            f"the check does not pass, so nothing is released:\n  {listed}",
            cure="correct it, or waive it in ichnos.toml with a reason; see ichnos check",
        )
    releases = folder / RELEASES
    with fresh_name(archive) as beside:
        _write_archive(package, beside)
        disk.sync(beside)
        sha256 = disk.digest(beside)
        if disk.read(folder / FILE_NAME) != loaded.file.text.to_bytes(loaded.file.text.content):
            what = "this file was saved while the release was made, so nothing is released"
            raise IchnosError(what, place=Place(FILE_NAME), cure="release again")
        heading = f"## {version} ({datetime.datetime.now(tz=datetime.UTC).date().isoformat()})"
        at, before = (path.relative_to(releases).as_posix() for path in (archive, beside))
        line = " ".join(note.split())
        unfinished.begin(folder, private, Release(version, heading, line, at, before, sha256, user_identity()))
    return sha256


def _with_version(loaded: Workspace, version: str) -> Workspace:
    """The workspace as it will be."""
    pack = loaded.pack_file.pack.model_copy(update={"version": version})
    return replace(loaded, pack_file=loaded.pack_file.model_copy(update={"pack": pack}))


def _write_archive(package: Path, beside: Path) -> None:
    """The package's archive; a folder goes into one with its own name around it, as it goes into the game."""
    if disk.is_file(package):
        disk.copy(package, beside)
        return
    files = disk.below(package)
    write_archive(beside, [(path.relative_to(package.parent).as_posix(), path) for path in files])
