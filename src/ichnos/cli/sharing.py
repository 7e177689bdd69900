"""``games add``, ``remove``, ``draft``, ``pack``: profiles kept, begun and handed on."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, Overwrite, WorkspaceFolder, examples
from ichnos.cli.games import games
from ichnos.errors import IchnosError, UsageError


@games.command("add", epilog=examples("ichnos games add millrace-1.0.0.zip", "ichnos games add my-game/ --replace"))
def add_game(
    source: Annotated[Path, typer.Argument(metavar="FOLDER_OR_ZIP", help="A profile's folder, or the file of one.")],
    replace: Annotated[bool, typer.Option("--replace", help="In place of the edition that is kept.")] = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Keep a profile for yourself, so that --game NAME finds it everywhere.

    Of another edition it is said what is otherwise than in the kept one, and what that changes for the pack of the
    workspace that you are in.
    """
    from ichnos.games import sharing
    from ichnos.games.profiles import places

    for_pack = _changes_for(workspace, source)
    added = sharing.add(source, replace=replace, dry_run=dry_run)
    game, about = added.profile.rules.game, added.profile.rules.profile
    if json:
        show.as_json(
            {
                "game": game.name,
                "version": about.version,
                "before": added.before,
                "differences": added.differences,
                "workspace": for_pack,
                "to": None if dry_run else places.kept_folder() / game.name,
            }
        )
        return
    version = f" {about.version}" if about.version else ""
    by = f", by {about.author}" if about.author else ""
    verb = "Would be kept" if dry_run else "Kept"
    instead = f", in place of {added.before or 'one without a version'}" if added.before is not None else ""
    show.say(f"{verb}: {game.title}{version}{by}{instead}. Name it anywhere: --game {game.name}")
    for difference in added.differences:
        show.say(f"  {difference.about}: {difference.before}  becomes  {difference.after}")
    if added.before is not None and not added.differences:
        show.say("  Nothing is otherwise.")
    for line in for_pack:
        show.say(f"  For the pack of this workspace: {line}.")


def _changes_for(workspace: Path, source: Path) -> list[str]:
    """What the edition at ``source`` changes for the workspace, where it is for a kept profile of that name."""
    from ichnos.documents.toml import TomlFile
    from ichnos.files import disk, scratch
    from ichnos.games import sharing
    from ichnos.games.profiles import places
    from ichnos.pack.plan import editions
    from ichnos.pack.workspace.folder import FILE_NAME, find_folder

    try:
        folder = find_folder(workspace)
        game = TomlFile(disk.read(folder / FILE_NAME), FILE_NAME).values.get("game")
    except IchnosError:
        return []
    if game not in places.kept_names() or disk.is_file(folder / str(game) / "game.toml"):
        return []
    with scratch.throwaway() as aside:
        sharing.unpack(source, aside / "profile")
        new = aside / "profile"
        try:
            if TomlFile(disk.read(new / "game.toml"), "game.toml").values["game"]["name"] != game:
                return []
            return list(editions.changes(folder, places.kept_folder() / str(game), new))
        except (IchnosError, KeyError, TypeError) as error:
            return [f"that cannot be said: {error}"]


@games.command("remove", epilog=examples("ichnos games remove millrace"))
def remove_game(
    name: Annotated[str, typer.Argument(metavar="NAME", help="A kept profile's name.")],
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Forget a profile that was kept with games add."""
    from ichnos.games import sharing

    folder = sharing.remove(name, dry_run=dry_run)
    if json:
        show.as_json({"game": name, "from": folder, "removed": not dry_run})
    else:
        show.say(f"{'Would remove' if dry_run else 'Removed'}: {folder}")


@games.command("draft", epilog=examples("ichnos games draft my-game --from quillmarsh"))
def draft_game(
    name: Annotated[str, typer.Argument(metavar="NAME", help="What the new profile is called.")],
    from_: Annotated[str, typer.Option("--from", metavar="GAME", help="The profile that it begins as a copy of.")],
    to: Annotated[
        Path | None, typer.Option(metavar="FOLDER", help="The new folder.", show_default="one of that name here")
    ] = None,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Begin a profile of your own as a copy of another one. Where there is a finished pack: ichnos learn."""
    from ichnos.games import sharing
    from ichnos.games.profiles import places

    folder = sharing.draft(name, places.find(from_), to or Path(name), dry_run=dry_run)
    if json:
        show.as_json({"game": name, "to": folder, "written": not dry_run})
        return
    show.say(f"{'Would write' if dry_run else 'Wrote'} {folder}: change game.toml and tree/ to what your game has.")
    show.say(f"Then: ichnos games check {folder}")


@games.command("pack", epilog=examples("ichnos games pack my-game/", "ichnos games pack my-game/ --to my-game.zip"))
def pack_game(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="A profile's folder.")],
    to: Annotated[
        Path | None, typer.Option(metavar="FILE", help="The file to write.", show_default="NAME-VERSION.zip")
    ] = None,
    overwrite: Overwrite = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Make one file of a profile, to hand on: ichnos games add keeps it.

    The same profile gives the same bytes. Its version, author and licence stand in game.toml, under [profile].
    """
    from ichnos.files import disk
    from ichnos.games import sharing

    if disk.exists(folder) and not disk.is_folder(folder):
        raise UsageError(f"{folder} is no folder", cure="give the profile's folder")
    path, profile = sharing.pack(folder, to, dry_run=dry_run, overwrite=overwrite)
    digest = disk.digest(path) if not dry_run else None
    about = profile.rules.profile
    if json:
        show.as_json({"game": profile.rules.game.name, "version": about.version, "to": path, "sha256": digest})
        return
    show.say(
        f"{'Would write' if dry_run else 'Wrote'} {path}: {profile.rules.game.title} {about.version}, {about.licence}."
    )
    if digest:
        show.say(f"SHA-256 {digest}")
