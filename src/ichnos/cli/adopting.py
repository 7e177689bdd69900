"""``adopt``: a finished pack becomes a workspace."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, app, examples
from ichnos.errors import IchnosError
from ichnos.files import scratch

if TYPE_CHECKING:
    from ichnos.pack.adopting.adopt import Adopted
    from ichnos.review.comparing import Compared

_SHOWN = 20  # things that could not be taken over; there may be thousands


@app.command(
    short_help="Make a workspace of a finished pack.",
    epilog=examples(
        "ichnos adopt someones.lampbox --game tarnlight",
        "ichnos adopt old-pack/ --game my-game/ --installation ~/games/Millrace --to old-pack-again",
    ),
)
def adopt(
    pack: Annotated[Path, typer.Argument(metavar="PACK", help="A finished pack: a folder or an archive.")],
    game: Annotated[
        str | None,
        typer.Option("--game", "-g", metavar="GAME", help="Which game it is for.", show_default="the one that fits"),
    ] = None,
    installation: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Where the game is installed: which keys are new, whose files are whose."),
    ] = None,
    to: Annotated[
        Path | None, typer.Option(metavar="FOLDER", help="The new workspace.", show_default="the pack's short name")
    ] = None,
    keep_names: Annotated[
        bool, typer.Option("--keep-names", help="Sound files keep their names, also where a build makes others.")
    ] = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Make a workspace of a finished pack: keys, takes, titles, ids, what plays them; its sounds beside, as clips.

    It is built again at once, and held against the pack. Sounds go through byte for byte until something is done to
    them. What could not be taken over is said, and the exit code is 1 then.
    """
    from ichnos.games.opening import recognised
    from ichnos.pack.adopting import adopt as adopting
    from ichnos.play.scripts import triggers_of

    if to is not None:
        adopting.refuse_taken(to)
    opened = recognised(pack, game)
    made = adopting.adopt(opened, installation, triggers_of, to, keep_names=keep_names)
    folder = to or Path(made.name)
    compared, fault = None, None
    if not dry_run:
        with show.progress("taking over", len(made.files)) as advance:
            made.write(folder, advance)
        compared, fault = _proved(made, folder)
    if json:
        show.as_json(_as_json(made, folder, compared, fault, written=not dry_run))
    else:
        _print(made, folder, compared, fault, written=not dry_run)
    opened.files.close()
    if made.notes.lost or fault is not None or (compared is not None and compared.changes):
        raise typer.Exit(1)


def _proved(made: Adopted, folder: Path) -> tuple[Compared | None, IchnosError | None]:
    """The workspace built aside, and held against the pack."""
    from ichnos.games.opening import Opened, opened
    from ichnos.pack.build import building
    from ichnos.review import comparing

    with scratch.throwaway() as aside:
        try:
            planned = building.plan(folder, None, aside)
            with show.progress(
                "building", sum(conversion.facts.seconds for conversion in planned.prepared.missing)
            ) as advance:
                built, _ = building.carry_out(planned, advance)
            profile = made.opened.profile
            again = Opened(built.package, profile, opened(profile, built.package))
            with show.progress("comparing", len(made.files)) as advance:
                compared = comparing.compare(made.opened, again, advance)
            for fact in comparing.lost(made.opened, again):
                made.notes.lose(fact.place, f"{fact} does not come back")
            again.files.close()
            return compared, None
        except IchnosError as error:
            return None, error


def _as_json(
    made: Adopted, folder: Path, compared: Compared | None, fault: IchnosError | None, *, written: bool
) -> dict[str, Any]:
    from ichnos.cli.encoding import remark

    return {
        "game": made.opened.profile.rules.game.name,
        "workspace": folder if written else None,
        "sounds": made.sounds,
        "clips": sum(1 for path in made.files if path.startswith("clips/")),
        "lost": [remark(place, reason) for place, reason in made.notes.lost],
        "notes": made.notes.told,
        "again": None
        if compared is None
        else {
            "same": compared.same,
            "sounds": compared.sounds,
            "identical": compared.identical,
            "changes": compared.changes,
        },
        "fault": fault,
    }


def _print(made: Adopted, folder: Path, compared: Compared | None, fault: IchnosError | None, *, written: bool) -> None:
    from ichnos.cli.comparing import agreed, heard, print_changes

    title = made.opened.profile.rules.game.title
    clips = sum(1 for path in made.files if path.startswith("clips/"))
    verb = "Made" if written else "This would make"
    what = f"{show.counted(made.sounds, 'sound key')}, {show.counted(clips, 'clip')}"
    show.say(f"{verb} {folder / 'ichnos.toml'}: {what}, for {title}.")
    for note in made.notes.told:
        show.say(f"Note: {note}.")
    for place, lost in made.notes.lost[:_SHOWN]:
        show.say(f"{place}: {lost}" if place else lost, lead="not taken over:", fg="yellow", bold=True)
    if len(made.notes.lost) > _SHOWN:
        show.say(f"and {len(made.notes.lost) - _SHOWN} more: --json shows all of them.")
    if fault is not None:
        show.say(fault, lead="it does not build yet:", fg="red", bold=True)
        if fault.cure:
            show.say(fault.cure, lead="  cure:", bold=True)
    elif compared is not None and compared.changes:
        show.say("Built again, it is not the same:", fg="red", bold=True)
        print_changes(compared.changes)
    elif compared is not None:
        show.say(f"Built again. {agreed(compared)}. {heard(compared)}")
    if not written:
        show.say("Nothing is written, so it was not built again and compared.")
