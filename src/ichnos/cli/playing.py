"""``trigger``, ``prop`` and ``schedule``: what plays a sound."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, WorkspaceFolder, app, examples
from ichnos.cli.making import by_language
from ichnos.errors import UsageError

_Fields = Annotated[
    list[str] | None, typer.Option("--field", metavar="NAME=VALUE", help="What this game asks for besides.")
]
_Replace = Annotated[bool, typer.Option("--replace", help="There is one of that name: this takes its place.")]


@app.command(
    short_help="Say at which event a sound plays.",
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
    field: _Fields = None,
    replace: _Replace = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say at which event a sound plays; it is written into ichnos.toml."""
    said = {
        "event": event, "key": key, "name": name, "where": where, "does": does, "from": from_, "state": state,
        "reaches": reaches, "delay": delay, "fade": fade, "volume": volume, "odds": odds,
        "once": "true" if once else None,
    }  # fmt: skip
    written = _add(workspace, "trigger", said, field, "replace" if replace else None, dry_run=dry_run)
    verb = {"stop": "stops", "fade-out": "fades out"}.get(does or "", "plays")
    show.say(f"{written}: {event} {verb} {key}")


@app.command(
    short_help="Say which thing in the game plays a sound.",
    epilog=examples(
        'ichnos prop bell-buoy pier.chime.long --title "A bell buoy" --title nl="Een belboei" --picture buoy.png'
    ),
)
def prop(
    name: Annotated[str, typer.Argument(metavar="NAME", help="The thing's own name.")],
    key: Annotated[str, typer.Argument(metavar="KEY", help="The sound key that it plays, of your pack or the game.")],
    title: Annotated[
        list[str] | None,
        typer.Option(
            metavar="[LANG=]TEXT", help="What players call it; for another language: de=Ofen.", show_default="its name"
        ),
    ] = None,
    text: Annotated[list[str] | None, typer.Option(metavar="[LANG=]TEXT", help="What players read of it.")] = None,
    picture: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Its picture; it is made as large as the game wants it.")
    ] = None,
    id_: Annotated[
        str | None, typer.Option("--id", metavar="UUID", help="Its own id.", show_default="made from its name")
    ] = None,
    field: _Fields = None,
    replace: _Replace = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say which thing in the game plays a sound; it is written into ichnos.toml."""
    said = {
        "name": name, "key": key, "title": by_language(title) or name, "text": by_language(text) or None,
        "picture": str(picture) if picture else None, "id": id_,
    }  # fmt: skip
    written = _add(workspace, "prop", said, field, "replace" if replace else None, dry_run=dry_run)
    show.say(f"{written}: plays {key}")


@app.command(
    short_help="Say what plays by turns, with in-betweens.",
    epilog=examples(
        "ichnos schedule night tide.turns.slack tide.falls.strong --between gulls.call.far --after 2 --odds 0.5"
    ),
)
def schedule(
    name: Annotated[str, typer.Argument(metavar="NAME", help="The schedule's own name.")],
    keys: Annotated[
        list[str] | None,
        typer.Argument(metavar="KEY...", help="Its pieces: keys of your pack or the game."),
    ] = None,
    between: Annotated[
        list[str] | None, typer.Option(metavar="KEY", help="What comes between them; say it once for each.")
    ] = None,
    after: Annotated[str | None, typer.Option(metavar="N", help="An in-between only after so many pieces.")] = None,
    odds: Annotated[str | None, typer.Option(metavar="N", help="How likely one is then, from 0 to 1.")] = None,
    apart: Annotated[
        str | None, typer.Option(metavar="N", help="No in-between again until so many others were heard.")
    ] = None,
    not_twice: Annotated[bool, typer.Option("--not-twice", help="No piece comes twice in a row.")] = False,
    piece_volume: Annotated[str | None, typer.Option(metavar="N", help="How loud its pieces are; 1 is as is.")] = None,
    between_volume: Annotated[str | None, typer.Option(metavar="N", help="How loud what comes between is.")] = None,
    add: Annotated[bool, typer.Option("--add", help="There is one of that name: these are further entries.")] = False,
    replace: _Replace = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say what the game plays by turns: pieces, and what comes between them; written into ichnos.toml."""
    if add and replace:
        raise UsageError("--add and --replace exclude each other", cure="choose one")
    entries = [*(keys or ()), *({"key": key, "kind": "between"} for key in between or ())]
    said = {
        "name": name, "entries": entries, "after": after, "odds": odds, "apart": apart, "piece-volume": piece_volume,
        "between-volume": between_volume, "twice": False if not_twice else None,
    }  # fmt: skip
    written = _add(workspace, "schedule", said, None, "add" if add else "replace" if replace else None, dry_run=dry_run)
    show.say(f"{written}: {', '.join([*(keys or ()), *(between or ())])}")


def _add(
    workspace: Path,
    scope: str,
    said: Mapping[str, Any],
    fields: list[str] | None,
    to_existing: str | None,
    *,
    dry_run: bool,
) -> str:
    """Write it; its name, and what was done."""
    from ichnos.pack.workspace import additions
    from ichnos.pack.workspace import workspace as workspaces

    words = {name: value for name, value in said.items() if value is not None}
    for one in fields or ():
        left, sign, right = one.partition("=")
        if not sign or not left:
            raise UsageError(f"--field {one}: a name and a value are expected", cure="say --field NAME=VALUE")
        words.setdefault("fields", {})[left] = right
    folder = workspaces.find_folder(workspace)
    with workspaces.lock(folder, show.waiting):
        done = additions.add(workspaces.load(folder), scope, words, to_existing=to_existing, dry_run=dry_run)
    how = {"new": "", "added": "further entries of ", "replaced": "in the old one's place, "}[done.how]
    return f"{'would write: ' if dry_run else ''}{how}{done.name}"
