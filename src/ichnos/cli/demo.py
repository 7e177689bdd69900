"""``demo``: the main job on made-up data, by the same commands that a user would type."""

from __future__ import annotations

import shlex
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import app, examples
from ichnos.errors import UsageError


@app.command(short_help="Make a pack of made-up data, in steps.", epilog=examples("ichnos demo try-it"))
def demo(
    folder: Annotated[
        Path | None,
        typer.Argument(
            metavar="FOLDER", help="Where to put everything; it must be empty.", show_default="a temporary folder"
        ),
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Print the commands, and run none.")] = False,
) -> None:
    """Lay down a made-up game and some clips, and make a pack of them before your eyes."""
    from ichnos.files import disk, scratch
    from ichnos.files.disk import translated
    from ichnos.games import made_up
    from ichnos.games.profiles import loading, profile

    samples = {name: made_up.sample_of(profile.BUNDLED / name) for name in profile.bundled_names()}
    name, sample = next((name, of_game) for name, of_game in samples.items() if of_game and "demo" in of_game.values)
    if dry_run:
        for step in sample.steps:
            show.say(f"{step.folder}$ {shlex.join(['ichnos', *step.command])}")
        return
    if folder is not None and disk.exists(folder) and (not disk.is_folder(folder) or disk.names(folder)):
        raise UsageError(f"{folder} is not empty", cure="name a new folder, or none for a temporary one")
    folder = (folder or scratch.temporary_folder("ichnos-demo-")).absolute()
    title = loading.load(profile.BUNDLED / name).rules.game.title
    with translated(folder):
        show.say(f"A made-up game, {title}, and some clips, in {folder}\n", flush=True)
        made_up.lay_installation(sample, folder / title)
        workspace = next(step.folder for step in sample.steps if step.folder != ".")
        made_up.lay_clips(sample, folder / workspace)
    for step in sample.steps:
        show.say(f"# {step.say}", fg="cyan")
        show.say(f"$ {shlex.join(['ichnos', *step.command])}", bold=True, flush=True)
        done = subprocess.run([sys.executable, "-m", "ichnos", *step.command], cwd=folder / step.folder, check=False)
        if done.returncode:
            raise typer.Exit(done.returncode)
        show.say(flush=True)
    show.say(sample.closing.strip().replace("{folder}", str(folder)))
