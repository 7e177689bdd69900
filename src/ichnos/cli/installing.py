"""``install``, ``restore`` and ``installed``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, WorkspaceFolder, app, examples
from ichnos.errors import IchnosError, UsageError

if TYPE_CHECKING:
    from ichnos.files.journal import Journal
    from ichnos.games.profiles.profile import Profile
    from ichnos.install.apply import Done
    from ichnos.install.plan import InstallPlan
    from ichnos.install.states import OnChange
    from ichnos.install.transaction import OpenGame

_MOST_SHOWN = 60  # files of a plan that are shown one by one


@app.command(
    short_help="Put a pack into the game, so that it can be taken out again.",
    epilog=examples(
        "ichnos install --dry-run",
        "ichnos install",
        "ichnos install their.lampbox --game tarnlight --to ~/games/Tarnlight",
    ),
)
def install(
    pack: Annotated[
        Path | None,
        typer.Argument(metavar="PACK", help="A pack's folder or archive.", show_default="the one built last"),
    ] = None,
    to: Annotated[
        Path | None,
        typer.Option(
            metavar="FOLDER",
            help="The folder that the game is installed in, or the other one that its packs go into.",
            show_default="as ichnos.local.toml says",
        ),
    ] = None,
    game: Annotated[
        str | None,
        typer.Option(
            "--game", "-g", metavar="GAME", help="The game that the pack is for.", show_default="the workspace's"
        ),
    ] = None,
    workspace: WorkspaceFolder = Path(),
    force: Annotated[
        bool, typer.Option("--force", help="Lay it over files that somebody else has changed since another install.")
    ] = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Put a pack into the game: show the plan, keep what was there, then write; all of it or nothing.

    What it writes over is kept until ichnos restore brings it back, to the byte. A pack that is in the game
    already is replaced by this edition of it.
    """
    profile, package, folder = _what(pack, to, game, workspace)
    put_in(profile, package, folder, "force" if force else "stop", dry_run=dry_run, json=json)


def put_in(
    profile: Profile,
    package: Path,
    folder: Path,
    on_change: OnChange = "stop",
    *,
    dry_run: bool = False,
    json: bool = False,
    brief: bool = False,
) -> None:
    """Put a package into a game's folder. ``brief``: without the plan."""
    from ichnos.install import transaction

    with transaction.opened(folder, _waiting, dry_run=dry_run) as game:
        _tell(game)
        planned = game.to_install(profile, package, on_change)
        done = _carried_out(game, planned, dry_run=dry_run, json=json, brief=brief)
    if done is None or json:
        return
    pack = planned.pack
    show.say(f"{pack.title} is in {game.root.folder}: {show.counted(done.files, 'file')} changed.")
    if brief:
        return
    show.say(f"To take it out again: ichnos restore {pack.name}", err=True)
    if profile.rules.afterwards:
        show.say("What is left for your own hands:", err=True)
        for number, step in enumerate(profile.rules.afterwards, 1):
            show.say(f"  {number}. {step}", err=True)


Pack = Annotated[
    str | None,
    typer.Argument(metavar="PACK", help="A pack's name or title.", show_default="the workspace's, or the only one"),
]
From = Annotated[
    Path | None,
    typer.Option("--from", metavar="FOLDER", help="The game's folder, where the pack is in several."),
]
KeepTheirs = Annotated[
    bool, typer.Option("--keep-theirs", help="Files that somebody else has changed since stay as they are now.")
]
Force = Annotated[
    bool, typer.Option("--force", help="They become what they were before the pack, whatever they are now.")
]


@app.command(
    short_help="Take a pack out of the game, to the byte.",
    epilog=examples("ichnos restore", "ichnos restore storm-watch --dry-run"),
)
def restore(
    pack: Pack = None,
    from_: From = None,
    workspace: WorkspaceFolder = Path(),
    keep_theirs: KeepTheirs = False,
    force: Force = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Take a pack out of the game: every file becomes what it was, to the byte and the time; other packs stay.

    Where an update or another tool has changed a file since, nothing is done until you say what is to become
    of it. Of files that are merged only the pack's own entries are taken out.
    """
    from ichnos.files import disk, journal
    from ichnos.install import finding, transaction

    if keep_theirs and force:
        raise UsageError("--keep-theirs and --force exclude each other", cure="choose one")
    on_change: OnChange = "theirs" if keep_theirs else "force" if force else "stop"
    with journal.locked(_waiting) as notes:
        folder = finding.only_game(notes, pack, from_, workspace)
        if not disk.is_folder(folder) and str(folder) in notes.games():
            _forget(notes, folder, pack, workspace, force=force, dry_run=dry_run, json=json)
            return
        game = transaction.open_game(folder, notes, on_change, dry_run=dry_run)
        _tell(game)
        if game.interrupted is not None and pack in (None, game.interrupted.pack):
            return  # it was that one; no other is taken out unasked
        chosen = finding.named(game.record.packs, pack, workspace, game.root.folder)
        planned = game.to_restore(chosen, on_change)
        done = _carried_out(game, planned, dry_run=dry_run, json=json)
    if done is None or json:
        return
    left = [other.title for other in planned.what.record.packs]
    others = f"; {' and '.join(left)} stay{'s' if len(left) == 1 else ''} in it" if left else ""
    show.say(f"{chosen.title} is out of {game.root.folder}: {show.counted(done.files, 'file')}{others}.")


@app.command(short_help="What is in which game.", epilog=examples("ichnos installed", "ichnos installed --json"))
def installed(json: Json = False) -> None:
    """What is in which game, in which order, whether it is as it was left, and which pack wins over which."""
    from ichnos.files import disk, journal
    from ichnos.install import listing, transaction

    with journal.locked(_waiting) as notes:
        for name in notes.games():
            if disk.is_folder(Path(name)):
                _tell(transaction.open_game(Path(name), notes))
        games = listing.games(notes)
    if json:
        show.as_json([_game_as_json(game) for game in games])
        return
    if not games:
        show.say("No pack is in any game.")
    for game in games:
        gone = "" if game.is_there else "  (this folder is gone)"
        show.say(f"{game.folder}{gone}", bold=True)
        for number, pack_in_game in enumerate(game.packs, 1):
            pack = pack_in_game.pack
            files = sum(claim.how != "cache" for claim in pack.claims)
            left = "as it was left" if game.is_there else "away with the game"
            state = f"{len(pack_in_game.changed)} changed by somebody else since" if pack_in_game.changed else left
            title = " ".join(filter(None, (pack.title, pack.version)))
            show.say(f"  {number}. {title} ({pack.name}): {show.counted(files, 'file')}, {state}")
            for path in pack_in_game.changed[:5]:
                show.say(f"       changed: {path}")
            for other in dict.fromkeys(name for name, _ in pack_in_game.wins):
                where = [name for over, name in pack_in_game.wins if over == other]
                more = f" and {len(where) - 5} others" if len(where) > 5 else ""
                show.say(f"       wins over {other}: {', '.join(where[:5])}{more}")
        if game.kept:
            show.say(f"  {show.size(game.kept)} of the game's own are kept for the way back.")


def _game_as_json(game: Any) -> dict[str, Any]:
    return {
        "folder": game.folder,
        "is-there": game.is_there,
        "kept-bytes": game.kept,
        "packs": [
            {
                "name": pack.pack.name,
                "title": pack.pack.title,
                "version": pack.pack.version,
                "game": pack.pack.game,
                "from": pack.pack.package,
                "files": [claim.path for claim in pack.pack.claims if claim.how != "cache"],
                "changed": pack.changed,
                "wins-over": [{"pack": other, "where": where} for other, where in pack.wins],
            }
            for pack in game.packs
        ],
    }


def _forget(
    notes: Journal, folder: Path, name: str | None, start: Path, *, force: bool, dry_run: bool, json: bool
) -> None:
    """A pack in a game that is not there any more: what was kept for it is let go, where that is asked for."""
    from ichnos.errors import Place
    from ichnos.install import finding

    record, pending = notes.record(folder)
    packs = [*record.packs, *(one for one in (pending.record.packs if pending else ()) if one not in record.packs)]
    pack = finding.named(packs, name, start, folder)
    if not force:
        cure = (
            "move the game back to where it was (is its drive mounted?); or, if it is gone for good, say --force:"
            f" {pack.name} is forgotten then, and the originals that were kept for it are deleted"
        )
        raise IchnosError("this game is not there any more", place=Place(str(folder)), cure=cure)
    if not dry_run:
        notes.leave_out(folder, pack)
    if json:
        show.as_json(
            {"what": "forget", "pack": pack.name, "folder": folder, "files": []}
            | ({"dry-run": True} if dry_run else {})
        )
        return
    would = "would be" if dry_run else "is"
    show.say(f"{pack.title} ({pack.name}) in {folder} {would} forgotten, and the originals kept for it deleted.")


def _waiting() -> None:
    show.say("Another ichnos is putting a pack in or taking one out: waiting for it.", err=True)


def _tell(game: OpenGame) -> None:
    """Say what was found interrupted in a game."""
    pending = game.interrupted
    if pending is not None:
        how = "it has been gone on with, and is done" if pending.forward else "it has been taken back"
        show.say(f"The {pending.what} of {pending.pack} in {game.root.folder} was interrupted: {how}.", err=True)


def _what(pack: Path | None, to: Path | None, game: str | None, start: Path) -> tuple[Profile, Path, Path]:
    """What is installed: through which profile, which package, into which folder."""
    from ichnos.games.profiles import loading
    from ichnos.games.profiles import profile as profiles
    from ichnos.pack.build import building
    from ichnos.pack.build.state import latest_package
    from ichnos.pack.workspace import reading as workspaces

    if pack is not None and game is not None and to is not None:
        return loading.load(profiles.find(game)), pack, to
    try:
        folder = workspaces.find_folder(start)
    except UsageError:
        if pack is None:
            raise UsageError("there is no pack to install", cure="name one, or go into a workspace") from None
        what = "which game is the pack for?" if game is None else "where is the game?"
        raise UsageError(what, cure="say: ichnos install PACK --game GAME --to FOLDER") from None
    loaded = workspaces.load(folder, game if pack is None else None)
    profile = loaded.profile if pack is None or game is None else loading.load(profiles.find(game, folder))
    if to is None and profile.identity != loaded.profile.identity:
        raise UsageError("where is that game?", cure="say --to FOLDER")
    package = pack or latest_package(folder, loaded.game)
    if package is None:
        raise UsageError("nothing is built yet", cure="build first: ichnos build")
    if pack is None and not building.is_current(loaded):
        show.say(
            "The workspace or the pack has changed since this was built; the pack goes in as it lies there. "
            "Build first: ichnos build",
            err=True,
        )
    return profile, package, to or loaded.need_goes_into()


def _carried_out(
    game: OpenGame, planned: InstallPlan, *, dry_run: bool, json: bool, brief: bool = False
) -> Done | None:
    """Show a plan, and carry it out unless that is all."""
    for note in planned.notes:
        show.say(f"Note: {note}", err=True)
    if not json and not brief:
        _print_plan(planned)
    if dry_run:
        if json:
            show.as_json({**_plan_as_json(planned), "dry-run": True})
        return None
    with show.progress("writing", len(planned.steps) or None) as advance:
        done = game.carry_out(planned, advance)
    for path, reason in done.stays:
        show.say(f"Left: {path}: {reason}", err=True)
    if json:
        show.as_json(
            {**_plan_as_json(planned), "left": [{"path": path, "reason": reason} for path, reason in done.stays]}
        )
    return done


_SIGNS = {"new": "+", "gone": "-", "cache": "-"}  # of a step's state; every other changes what is there


def _print_plan(planned: InstallPlan) -> None:
    if not planned.steps:
        show.say(f"{planned.root.folder}: nothing is to be done.")
        return
    lines = [
        show.PlanLine(_SIGNS.get(step.state, "~"), step.step.path, step.reason) for step in planned.steps[:_MOST_SHOWN]
    ]
    show.plan(str(planned.root.folder), lines)
    if len(planned.steps) > _MOST_SHOWN:
        show.say(f"  and {len(planned.steps) - _MOST_SHOWN} more")


def _plan_as_json(planned: InstallPlan) -> dict[str, Any]:
    files = [{"path": step.step.path, "state": step.state, "reason": step.reason} for step in planned.steps]
    return {"what": planned.what.what, "pack": planned.what.pack, "folder": planned.root.folder, "files": files}
