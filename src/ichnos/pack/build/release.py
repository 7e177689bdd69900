"""A release: the version up, a line in the changes, checks that pass, the archive with its SHA-256."""

from __future__ import annotations

import datetime
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import tomlkit

from ichnos.errors import IchnosError, Place, WrongCall
from ichnos.files.archives import sha256_of, write_archive
from ichnos.files.writing import fresh, write_whole
from ichnos.pack.build import build
from ichnos.pack.plan import outline
from ichnos.pack.workspace import assignments
from ichnos.pack.workspace import workspace as workspaces
from ichnos.pack.workspace.workspace import FILE_NAME, Workspace

CHANGES = "CHANGES.md"
_STEPS = ("major", "minor", "patch")


@dataclass(frozen=True)
class Released:
    """``archive`` holds the pack; beside it stands its SHA-256."""

    version: str
    archive: Path
    sha256: str


def raised(version: str, step: str) -> str:
    """The next version (SemVer 2.0.0); what is before a release, as 1.0.0-beta.1, becomes that release first."""
    core, before, _ = version.partition("+")[0].partition("-")
    numbers = [int(number) for number in core.split(".")]
    at = _STEPS.index(step)
    if before and not any(numbers[at + 1 :]):
        return core
    return ".".join(str(n) for n in [*numbers[:at], numbers[at] + 1, *[0] * (2 - at)])


def preview(folder: Path, step: str | None) -> tuple[str, Path, build.Prepared]:
    """What a release would be: its version, its archive, and the build for it. Writes nothing.

    Raises:
        IchnosError: it cannot be built.
        WrongCall: this version was released already.
    """
    loaded = workspaces.load(folder)
    version = _version(loaded, step)
    pack = loaded.pack_file.pack.model_copy(update={"version": version})
    loaded = replace(loaded, pack_file=loaded.pack_file.model_copy(update={"pack": pack}))
    prepared, archive = _prepared(loaded)
    return version, archive, prepared


def _version(loaded: Workspace, step: str | None) -> str:
    return raised(loaded.pack_file.pack.version, step) if step else loaded.pack_file.pack.version


def _prepared(loaded: Workspace) -> tuple[build.Prepared, Path]:
    """The build for a release, and where its archive goes."""
    version = loaded.pack_file.pack.version
    prepared = build.prepare(loaded.folder, outline.make(loaded), build.usual_output(loaded.folder, None))
    package = prepared.package.name
    archive = loaded.folder / "release" / (package if prepared.plan.archive else f"{package}-{version}.zip")
    if archive.exists():
        raise WrongCall(f"{version} was released already: {loaded.shown(archive)}", cure="raise the version: --patch")
    return prepared, archive


def release(
    folder: Path,
    step: str | None,
    note: str,
    check: Callable[[Workspace, Path], list[str]],
    advance: Callable[[float], None] = lambda _: None,
) -> Released:
    """Make a release. Where it fails, the workspace's file and its changes stay as they were.

    Args:
        step: which number of the version goes up; None: it stays as it is.
        note: the line for the changes.
        check: looks at the built package, and gives what is wrong with it, a line each.

    Raises:
        IchnosError: the build fails, or the check does not pass.
        WrongCall: this version was released already.
    """
    loaded = workspaces.load(folder)
    version = _version(loaded, step)
    with _unless_it_fails(folder / FILE_NAME, folder / CHANGES):
        if step:
            document = tomlkit.parse(loaded.file.text.content)
            document["pack"]["version"] = version
            write_whole(folder / FILE_NAME, assignments.as_bytes(loaded, document))
        assignments.mint_missing_ids(workspaces.load(folder))
        _write_change(folder / CHANGES, version, note)
        loaded = workspaces.load(folder)
        prepared, archive = _prepared(loaded)
        built = build.build(prepared, advance)
        wrong = check(loaded, built.package)
        if wrong:
            listed = "\n  ".join(wrong[:10])
            raise IchnosError(
                f"the check does not pass, so nothing is released:\n  {listed}",
                place=Place(loaded.shown(built.package)),
                cure="mend it, or waive it in ichnos.toml with a reason; see ichnos check",
            )
        _lay(built.package, archive)
    digest = sha256_of(archive)
    write_whole(archive.with_name(f"{archive.name}.sha256"), f"{digest}  {archive.name}\n".encode())
    return Released(version, archive, digest)


def _lay(package: Path, archive: Path) -> None:
    """The package's archive; a folder goes into one with its own name around it, as it goes into the game."""
    with fresh(archive) as beside:
        if package.is_file():
            shutil.copyfile(package, beside)
            return
        files = sorted(path for path in package.rglob("*") if path.is_file())
        write_archive(beside, [(path.relative_to(package.parent).as_posix(), path) for path in files])


def _write_change(path: Path, version: str, note: str) -> None:
    heading = f"## {version} ({datetime.datetime.now(tz=datetime.UTC).date().isoformat()})"
    text = path.read_text("utf-8") if path.is_file() else "# Changes\n"
    title, _, rest = text.partition("\n")
    write_whole(path, f"{title}\n\n{heading}\n\n- {note}\n{rest}".encode())


@contextmanager
def _unless_it_fails(*paths: Path) -> Iterator[None]:
    """Put files back as they were if the block does not end well."""
    before = {path: path.read_bytes() if path.is_file() else None for path in paths}
    try:
        yield
    except BaseException:
        for path, data in before.items():
            if data is None:
                path.unlink(missing_ok=True)
            else:
                write_whole(path, data)
        raise
