"""``check``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import app
from ichnos.cli.making import Json, WorkspaceFolder
from ichnos.errors import WrongCall

if TYPE_CHECKING:
    from ichnos.pack.workspace import Workspace
    from ichnos.review.check import Checked, Context


@app.command(
    short_help="Prove a pack: read it back, decode it.",
    epilog="Examples: ichnos check in a workspace, or ichnos check someones.lampbox --game tarnlight",
)
def check(
    pack: Annotated[
        Path | None, typer.Argument(help="A pack's folder or archive.", show_default="what the workspace built last")
    ] = None,
    game: Annotated[
        str | None, typer.Option("--game", "-g", help="Which game it is for.", show_default="the workspace's")
    ] = None,
    installation: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Where the game is installed, to check the keys against its own."),
    ] = None,
    workspace: WorkspaceFolder = Path(),
    json: Json = False,
) -> None:
    """Read a pack back from disk, decode every sound in it, and report findings."""
    from ichnos.games.files import files_at
    from ichnos.review import check as checking

    loaded = _workspace(workspace) if pack is None or game is None else None
    if pack is None:
        pack = _last_built(loaded)
    files = files_at(pack)
    context = _context(loaded, game, installation)
    if context.catalogue is None:
        show.keys_unchecked(context.profile.rules.game.title)
    sounds = len(checking.sound_names(files))
    with show.progress("decoding", sounds) as advance:
        result = checking.check(context, files, lambda _: advance(1))
    if json:
        findings = [finding.as_json() for finding in result.findings]
        show.as_json(
            {
                "pack": str(pack),
                "passed": result.passed,
                "keys": result.keys,
                "sounds": result.sounds,
                "seconds": round(result.seconds, 3),
                "findings": findings,
            }
        )
    else:
        _print(result, loaded.shown(pack.absolute()) if loaded else str(pack))
    if result.findings:
        raise typer.Exit(1)


def _workspace(start: Path) -> Workspace | None:
    from ichnos.pack import workspace as workspaces

    try:
        folder = workspaces.find_folder(start)
    except WrongCall:
        return None
    return workspaces.load(folder)


def _last_built(loaded: Workspace | None) -> Path:
    from ichnos.pack import build

    if loaded is None:
        raise WrongCall("there is no pack to check", cure="name one, with --game, or go into a workspace")
    package = build.last_package(loaded)
    if package is None:
        raise WrongCall("nothing is built yet", cure="build first: ichnos build")
    return package


def _context(loaded: Workspace | None, game: str | None, installation: Path | None) -> Context:
    from ichnos.games import profile
    from ichnos.games.harvest import harvest
    from ichnos.review.check import Context

    known, new_keys = None, []
    if game is not None:
        found = profile.load(profile.find(game))
    elif loaded is not None:
        found, known = loaded.profile, loaded.catalogue
        new_keys = [sound.key for sound in loaded.pack_file.sound if sound.new]
    else:
        raise WrongCall("which game is the pack for?", cure="say --game GAME, or go into a workspace")
    if installation is not None:
        known = harvest(found, installation)
    return Context(found, known, new_keys)


def _print(result: Checked, pack: str) -> None:
    from rich.text import Text

    out = show.console()
    for finding in result.findings:
        style = "red" if finding.kind.grave else "yellow"
        out.print(Text.assemble((finding.kind.id, f"bold {style}"), f"  {finding.place}: {finding.reason}"))
        out.print(Text(f"    in the game: {finding.kind.effect}", "dim"))
        out.print(Text(f"    to do: {finding.cure}"))
    read = (
        f"{pack}: read back {show.counted(result.documents, 'document')}, {show.counted(result.keys, 'key')};"
        f" decoded {show.counted(result.sounds, 'sound')}, {result.seconds:.1f} s"
    )
    verdict = show.counted(len(result.findings), "finding") if result.findings else "no findings"
    out.print(Text.assemble(f"{read}: ", (verdict, "bold red" if not result.passed else "bold green")))
