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
    from ichnos.games.profiles.profile import Profile
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
    compared, fault = _finish(made, folder, opened.profile, dry_run=dry_run, json=json)
    if made.notes.lost or fault is not None or (compared is not None and compared.changes):
        raise typer.Exit(1)


@app.command(
    short_help="Bring an old pack to another edition of its game.",
    epilog=examples("ichnos migrate old.lampbox --to tarnlight", "ichnos migrate old/ --from lamps-1/ --to lamps-2/"),
)
def migrate(
    pack: Annotated[Path, typer.Argument(metavar="PACK", help="A finished pack: a folder or an archive.")],
    to: Annotated[
        str, typer.Option("--to", metavar="GAME", help="The game, or the edition of it, that it is to be for.")
    ],
    of: Annotated[
        str | None,
        typer.Option("--from", metavar="GAME", help="Which game it was made for.", show_default="the one that fits"),
    ] = None,
    installation: Annotated[
        Path | None, typer.Option(metavar="FOLDER", help="Where the edition that it is to be for is installed.")
    ] = None,
    folder: Annotated[
        Path | None, typer.Option(metavar="FOLDER", help="The new workspace.", show_default="the pack's short name")
    ] = None,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Bring an old pack to another edition of its game: a workspace is made of it, for that edition, and built.

    Folders, names, formats and numbers are then as that edition has them. The pack that is built is held against the
    old one, and what is otherwise is shown. Where something has no place any more, the exit code is 1.
    """
    from ichnos.games.opening import recognised
    from ichnos.games.profiles import loading, places
    from ichnos.pack.adopting import adopt as adopting
    from ichnos.pack.adopting import migrating
    from ichnos.play.scripts import triggers_of

    if folder is not None:
        adopting.refuse_taken(folder)
    profile = loading.load(places.find(to))
    opened = recognised(pack, of)
    made = adopting.adopt(opened, None, triggers_of, folder)
    folder = folder or Path(made.name)
    made = migrating.moved(made, profile, folder, installation)
    compared, fault = _finish(made, folder, profile, dry_run=dry_run, json=json)
    gone = (
        [one for one in compared.changes if one.after is None and one.what != "added"] if compared is not None else []
    )
    if made.notes.lost or fault is not None or gone:
        raise typer.Exit(1)


def _finish(
    made: Adopted, folder: Path, profile: Profile, *, dry_run: bool, json: bool
) -> tuple[Compared | None, IchnosError | None]:
    """Write a workspace, build it aside for the game that a profile describes, and say what came of it."""
    compared, fault = None, None
    if not dry_run:
        with show.progress("taking over", len(made.files)) as advance:
            made.write(folder, advance)
        compared, fault = _proved(made, folder, profile)
    if json:
        show.as_json({"game": profile.rules.game.name, **_as_json(made, folder, compared, fault, written=not dry_run)})
    else:
        edition = profile.rules.game.title if profile is not made.opened.profile else None
        _print(made, folder, compared, fault, written=not dry_run, edition=edition)
    made.opened.files.close()
    return compared, fault


def _proved(made: Adopted, folder: Path, profile: Profile) -> tuple[Compared | None, IchnosError | None]:
    """The workspace built aside, for the game that a profile describes, and held against the pack."""
    from ichnos.games.opening import Opened, opened
    from ichnos.pack.build import building
    from ichnos.review import comparing

    with scratch.throwaway() as aside:
        try:
            planned = building.plan(folder, None, aside)
            if profile is not made.opened.profile:
                made.notes.told += planned.prepared.outline.notes
            with show.progress(
                "building", sum(conversion.facts.seconds for conversion in planned.prepared.missing)
            ) as advance:
                built, _ = building.carry_out(planned, advance)
            again = Opened(built.package, profile, opened(profile, built.package))
            with show.progress("comparing", len(made.files)) as advance:
                compared = comparing.compare(made.opened, again, advance)
            for fact in comparing.lost(made.opened, again) if profile is made.opened.profile else ():
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


def _print(
    made: Adopted,
    folder: Path,
    compared: Compared | None,
    fault: IchnosError | None,
    *,
    written: bool,
    edition: str | None = None,
) -> None:
    """``edition``: what it was brought to, where that is another than the pack's own."""
    from ichnos.cli.comparing import agreed, heard, print_changes

    title = edition or made.opened.profile.rules.game.title
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
        if edition is None:
            show.say("Built again, it is not the same:", fg="red", bold=True)
        else:
            show.say("Built for that edition. What is otherwise than in the old pack:", bold=True)
        print_changes(compared.changes)
    elif compared is not None:
        show.say(f"Built again. {agreed(compared)}. {heard(compared)}")
    if not written:
        show.say("Nothing is written, so it was not built again and compared.")
