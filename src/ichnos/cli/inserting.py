"""``insert``."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, WorkspaceFolder, app, examples


@app.command(
    short_help="Put lines for your sounds into source files of your own.",
    epilog=examples("ichnos insert --dry-run", "ichnos insert", "ichnos insert --remove"),
)
def insert(
    workspace: WorkspaceFolder = Path(),
    remove: Annotated[bool, typer.Option("--remove", help="Take all lines out that were put in.")] = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Put a line for each sound into source files of your own, as [[insert]] of ichnos.toml says: once, however often.

    Lines of sounds that are no more are taken out. All other lines stay as they are.
    """
    from ichnos.pack.build import inserting
    from ichnos.pack.workspace import reading

    loaded = reading.load(reading.find_folder(workspace))
    files = inserting.plan(loaded, remove=remove)
    if not dry_run:
        inserting.carry_out(loaded, files)
    if json:
        report = [{"file": one.name, "added": list(one.added), "removed": list(one.removed)} for one in files]
        show.as_json({"files": report} | ({"dry-run": True} if dry_run else {}))
        return
    for one in files:
        lines = [show.PlanLine("+", line) for line in one.added] + [show.PlanLine("-", line) for line in one.removed]
        if lines:
            show.plan(one.name, lines)
        else:
            show.say(f"{one.name}: nothing is to be done.")
