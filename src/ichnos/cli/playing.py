"""``trigger``."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, WorkspaceFolder, app, examples
from ichnos.errors import UsageError


@app.command(
    short_help="Say what plays a sound.",
    epilog=examples(
        'ichnos trigger block/bell/one --event "door opens" --from stove',
        "ichnos trigger gate.opens --event dusk --where quay --once --delay 2",
    ),
)
def trigger(
    key: Annotated[str, typer.Argument(metavar="KEY", help="The sound key that it plays, of your pack or the game.")],
    event: Annotated[str, typer.Option(metavar="TEXT", help="What has to happen, in the game's own words.")],
    name: Annotated[
        str | None, typer.Option(metavar="NAME", help="The trigger's own name.", show_default="from the event")
    ] = None,
    where: Annotated[str | None, typer.Option(metavar="PLACE", help="The area or thing that it happens at.")] = None,
    does: Annotated[
        str | None, typer.Option(metavar="WHAT", help="play, stop or fade-out.", show_default="play")
    ] = None,
    from_: Annotated[
        str | None,
        typer.Option("--from", metavar="OBJECT", help="Where it is heard from.", show_default="everybody hears it"),
    ] = None,
    state: Annotated[
        str | None, typer.Option(metavar="NAME", help="Only where this state of a thing has a value ...")
    ] = None,
    reaches: Annotated[str | None, typer.Option(metavar="VALUE", help="... this one.")] = None,
    once: Annotated[bool, typer.Option("--once", help="Only the first time.")] = False,
    delay: Annotated[str | None, typer.Option(metavar="SECONDS", help="How long after the event.")] = None,
    fade: Annotated[str | None, typer.Option(metavar="SECONDS", help="How long it fades in, or out.")] = None,
    volume: Annotated[str | None, typer.Option(metavar="N", help="How loud; 1 is as it is.")] = None,
    odds: Annotated[str | None, typer.Option(metavar="N", help="How likely, from 0 to 1.")] = None,
    field: Annotated[
        list[str] | None, typer.Option(metavar="NAME=VALUE", help="What this game asks for besides.")
    ] = None,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say what plays a sound; it is written into ichnos.toml."""
    from ichnos.pack.workspace import assignments
    from ichnos.pack.workspace import workspace as workspaces

    said = {
        "event": event, "name": name, "where": where, "does": does, "from": from_, "state": state, "reaches": reaches,
        "delay": delay, "fade": fade, "volume": volume, "odds": odds, "once": "true" if once else None,
    }  # fmt: skip
    words = {one: value for one, value in said.items() if value is not None}
    fields = {}
    for one in field or ():
        left, sign, right = one.partition("=")
        if not sign or not left:
            raise UsageError(f"--field {one}: a name and a value are expected", cure="say --field NAME=VALUE")
        fields[left] = right
    folder = workspaces.find_folder(workspace)
    with workspaces.lock(folder, show.waiting):
        written = assignments.add_trigger(workspaces.load(folder), key, words, fields, dry_run=dry_run)
    show.say(f"{'would write: ' if dry_run else ''}{written}: {event} {_verb(does)} {key}")


def _verb(does: str | None) -> str:
    return {"stop": "stops", "fade-out": "fades out"}.get(does or "", "plays")
