"""``release``."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, WorkspaceFolder, app, examples
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.pack.workspace.workspace import Workspace
    from ichnos.review.findings import Finding


@app.command(
    short_help="Make a release: version up, checked, archived.",
    epilog=examples("ichnos release --minor --note 'Two more bells, and the foghorn is louder'"),
)
def release(
    note: Annotated[str, typer.Option(metavar="TEXT", help="What is new, in a line; it goes into CHANGES.md.")],
    major: Annotated[bool, typer.Option("--major", help="Raise the first number of the version.")] = False,
    minor: Annotated[bool, typer.Option("--minor", help="Raise the second.")] = False,
    patch: Annotated[bool, typer.Option("--patch", help="Raise the third.")] = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Make a release in release/: raise the version, build, check, and put the archive and its SHA-256 there.

    Where the check does not pass, nothing is released, and ichnos.toml and CHANGES.md stay as they were.
    Findings that are no slip are waived in ichnos.toml.
    """
    from ichnos.pack.build import building
    from ichnos.pack.build import release as releases
    from ichnos.pack.workspace import reading as workspaces
    from ichnos.pack.workspace.folder import find_folder
    from ichnos.review import proving
    from ichnos.review.context import of_workspace

    step = _step(major=major, minor=minor, patch=patch)
    results = []

    def check(loaded: Workspace, package: Path) -> list[str]:
        (result,) = proving.prove([package], proving.subjects(of_workspace(loaded), [package])).results
        results.append(result)
        return [_shown(finding, package) for finding in result.findings]

    folder = find_folder(workspace)
    if dry_run:
        _preview(folder, step, note, json=json)
        return
    with show.progress("releasing", None) as advance:
        done = releases.release(folder, step, note, check, advance, show.waiting)
    loaded = workspaces.load(folder)
    if building.is_current(loaded):  # what lies in build/ now is what was checked
        proving.note(loaded, results[-1])
    if json:
        show.as_json({"version": done.version, "to": done.archive, "sha256": done.sha256})
        return
    show.say(f"{done.version} is released: {done.archive}")
    show.say(f"SHA-256 {done.sha256}")


def _shown(finding: Finding, package: Path) -> str:
    """A finding in a line. Places in the package are seen from it: it was built aside, and is gone by now."""
    return f"{finding.kind.id}  {str(finding.place).removeprefix(f'{package}{os.sep}')}: {finding.reason}"


def _step(**steps: bool) -> str | None:
    """By how much the version is to be raised, where that is said."""
    wanted = [name for name, is_wanted in steps.items() if is_wanted]
    if len(wanted) > 1:
        raise UsageError(f"--{wanted[0]} and --{wanted[1]} exclude each other", cure="choose one")
    return next(iter(wanted), None)


def _preview(folder: Path, step: str | None, note: str, *, json: bool) -> None:
    from ichnos.files.paths import shown
    from ichnos.pack.build import release as releases
    from ichnos.pack.workspace.unfinished import CHANGES

    version, archive, missing = releases.preview(folder, step)
    if json:
        show.as_json({"version": version, "to": archive, "convert": missing, "dry-run": True})
        return
    show.say(f"would release {version}: {shown(folder, archive)}")
    show.say(f"would write into {CHANGES}: {note}")
    show.say(f"would convert {show.counted(missing, 'clip')}, then build, and check what was built")
