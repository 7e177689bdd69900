"""``status`` and ``swap``."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, LightCommand, WorkspaceText, app, examples
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.install.status import Status
    from ichnos.pack.workspace.workspace import Workspace


@app.command(
    cls=LightCommand, short_help="Where you stand, and the next step.", epilog=examples("ichnos status", "ichnos")
)
def status(workspace: WorkspaceText = ".", json: Json = False) -> None:
    """Where you stand with a workspace: its sounds, what is built, checked and in the game, and the one next step."""
    from ichnos.install import status as standings
    from ichnos.pack.workspace.folder import find_folder

    state = standings.status(find_folder(Path(workspace)))
    if json:
        show.as_json(_as_json(state))
        return
    facts = state.facts
    show.say(f"{facts.title} {facts.version}, for {facts.game}", bold=True)
    of_game = f"; {facts.replaced} of the {facts.keys_of_game:,} keys of {facts.game}" if facts.keys_of_game else ""
    show.say(f"  sounds     {len(facts.keys)}, of {show.counted(len(facts.clips), 'clip')}{of_game}")
    _some("missing", state.missing, "of its clips not there")
    _some("no clip", facts.without_clips, "with a title alone")
    _some("unused", state.unused, "in the workspace, said nothing of")
    show.say(f"  built      {_built(state)}")
    if state.built != "never":
        checked = "not since it was built" if state.findings is None else show.counted(state.findings, "finding")
        show.say(f"  checked    {'no findings' if state.findings == 0 else checked}")
    for standing in state.installed:
        edition = "" if standing.is_latest else ", an older edition"
        changed = (
            f", {show.counted(len(standing.changed), 'file')} changed by somebody else since"
            if standing.changed
            else ""
        )
        show.say(f"  installed  {f'{standing.version} in'.strip()} {standing.folder}{edition}{changed}")
    if not state.installed:
        show.say("  installed  nowhere")
    command, why = state.next_step
    show.say(f"Next: {command}  ({why})" if command else f"Next: {why}")


def _built(state: Status) -> str:
    if state.package is None:
        return "not yet"
    from ichnos.files.paths import shown

    package = shown(state.folder, state.package)
    return package if state.built == "current" else f"{package}; the workspace or the pack has changed since"


def _some(head: str, names: tuple[str, ...], what: str) -> None:
    if names:
        more = f" and {len(names) - 3} more" if len(names) > 3 else ""
        show.say(f"  {head:<10} {len(names)} {what}: {', '.join(names[:3])}{more}")


def _as_json(state: Status) -> dict[str, object]:
    facts, (command, why) = state.facts, state.next_step
    return {
        "workspace": state.folder,
        "title": facts.title,
        "version": facts.version,
        "game": facts.game,
        "sounds": len(facts.keys),
        "clips": len(facts.clips),
        "missing-clips": state.missing,
        "keys-without-clips": facts.without_clips,
        "unused-clips": state.unused,
        "keys-of-the-game": facts.keys_of_game,
        "of-those-here": facts.replaced,
        "built": state.built,
        "package": state.package,
        "findings": state.findings,
        "installed": [
            {
                "folder": standing.folder,
                "version": standing.version,
                "latest": standing.is_latest,
                "changed": standing.changed,
            }
            for standing in state.installed
        ],
        "next": {"command": command, "why": why},
    }


Game = Annotated[
    str | None,
    typer.Option("--game", "-g", metavar="GAME", help="The game; from the second time on it is known."),
]
EveryFile = Annotated[
    bool,
    typer.Option("--every-file", help="Where keys are replaced file by file: in the place of all of the key's files."),
]
SwapWorkspace = Annotated[
    Path | None,
    typer.Option(
        "--workspace", "-w", metavar="FOLDER", help="Its workspace.", show_default="the one here, or my-GAME-sounds"
    ),
]


@app.command(
    short_help="One sound, one command: your clip in place of the game's.",
    epilog=examples(
        "ichnos swap shore-foghorn-distant my-horn.mp3 --game tarnlight --installation ~/games/Tarnlight --install"
    ),
)
def swap(
    key: Annotated[str, typer.Argument(help="The game's sound key.", metavar="KEY")],
    clips: Annotated[list[Path], typer.Argument(help="Your clips for it: each becomes a take.", metavar="CLIP...")],
    game: Game = None,
    installation: Annotated[Path | None, typer.Option(metavar="FOLDER", help="Where the game is installed.")] = None,
    install: Annotated[bool, typer.Option("--install", help="Put the pack into the game, too.")] = False,
    every_file: EveryFile = False,
    workspace: SwapWorkspace = None,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """One sound, one command: a small workspace, built, checked, and put into the game.

    Said again, for another key, it adds to the same workspace; for the same key, the new clips take the place of
    the old ones.
    """
    from ichnos.cli import assigning, checking, making
    from ichnos.files import disk
    from ichnos.pack.workspace import assignments
    from ichnos.pack.workspace import reading as workspaces

    if json and (install or dry_run):
        raise UsageError("--json tells what a check of the pack finds", cure="leave out --install, or --dry-run")
    folder = _for_swaps(workspace, game)
    names = ", ".join(map(str, clips))
    if not disk.is_file(folder / workspaces.FILE_NAME):
        _start(folder, str(game), installation, key, clips, dry_run=dry_run)
        if dry_run:
            show.say(f"would write: {key} is {names}, build a pack of it, and check that")
            return
    request = assignments.AssignmentRequest("replace", said={"every-file": True} if every_file else {})
    with workspaces.lock(folder, show.waiting):
        loaded = workspaces.load(folder)
        _refuse_another_game(loaded, game)
        done = assignments.assign(loaded, key, clips, request, dry_run=dry_run)
    if dry_run:
        show.say(f"would write: {done.key} is {names}, build the pack, and check it")
        return
    show.say(f"{done.key} is now {names}", err=json)
    assigning.say_copied([done], dry_run=False)
    making.build_pack(folder, None, None, dry_run=False, json=json, brief=True)
    if not checking.passes(folder, json=json):
        raise typer.Exit(1)
    if install:
        making.install_last(folder, None)


def _start(
    folder: Path, game: str, installation: Path | None, key: str, clips: Sequence[Path], *, dry_run: bool
) -> None:
    """Make a workspace for a swap; what is wrong with the swap is found before."""
    from ichnos.pack.workspace import assignments, starting

    starting.refuse_key(game, installation, key)
    assignments.refuse_missing(folder, clips)
    starting.start(folder, game, None, installation, dry_run=dry_run)
    made = "would make a workspace" if dry_run else "A workspace is made for it"
    show.say(f"{made}: {folder}", err=not dry_run)


def _for_swaps(workspace: Path | None, game: str | None) -> Path:
    """The workspace for swapped sounds: the one that is named, or that we are in, or one that is to be made."""
    from ichnos.files import disk
    from ichnos.pack.workspace import reading as workspaces

    try:
        return workspaces.find_folder(workspace or Path())
    except UsageError:
        pass
    if workspace is None and game is None:
        made = [Path(name) for name in disk.names(Path()) if name.startswith("my-") and name.endswith("-sounds")]
        made = [path for path in made if disk.is_file(path / workspaces.FILE_NAME)]
        if len(made) == 1:
            return made[0].absolute()
        cure = "say --game GAME" if not made else f"say -w {' or -w '.join(map(str, made))}"
        raise UsageError("which game is it for?", cure=cure)
    name = (game or "").replace("\\", "/").rstrip("/").rpartition("/")[2]
    folder = workspace or Path(f"my-{name}-sounds")
    if game is None and not disk.is_file(folder / workspaces.FILE_NAME):
        raise UsageError("which game is it for?", cure="say --game GAME")
    return folder.absolute()


def _refuse_another_game(loaded: Workspace, game: str | None) -> None:
    from ichnos.games.profiles import places

    if game is None or game in (loaded.pack_file.game, loaded.profile.rules.game.name):
        return
    if places.identity(places.find(game)) != loaded.profile.identity:
        what = f"this workspace is for {loaded.profile.rules.game.title}, not for {game}"
        raise UsageError(what, cure="go elsewhere, or name another workspace: -w FOLDER")
