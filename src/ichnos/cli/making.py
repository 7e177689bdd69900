"""``start``, ``assign`` and ``build``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import app
from ichnos.errors import WrongCall

if TYPE_CHECKING:
    from ichnos.pack.build import Prepared

DryRun = Annotated[bool, typer.Option("--dry-run", help="Show what would be written, and write nothing.")]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]
WorkspaceFolder = Annotated[
    Path,
    typer.Option("--workspace", "-w", metavar="FOLDER", help="The workspace, or a folder in it.", show_default="here"),
]


@app.command(
    short_help="Start a workspace for a pack.",
    epilog="Example: ichnos start storm-watch --game tarnlight --title 'Storm watch' --installation ~/games/Tarnlight",
)
def start(
    folder: Annotated[Path, typer.Argument(help="The new workspace's folder; it is made if it is not there.")],
    game: Annotated[str, typer.Option("--game", "-g", help="A bundled game's name, or a game profile's folder.")],
    title: Annotated[str | None, typer.Option(help="The pack's title.", show_default="from the folder's name")] = None,
    installation: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Where the game is installed, to check your keys against its own."),
    ] = None,
    dry_run: DryRun = False,
) -> None:
    """Start a workspace: a folder with a commented ichnos.toml and ids minted for your pack."""
    from ichnos.pack import assignments

    content = assignments.start(folder, game, title, installation, dry_run=dry_run)
    if dry_run:
        print(f"would write {folder / 'ichnos.toml'}:\n\n{content}")
        return
    print(f"{folder / 'ichnos.toml'} is written.")
    typer.echo(f"Next: lay your clips into {folder}, go there, and say: ichnos assign KEY CLIP", err=True)


def _titles(values: list[str] | None) -> dict[str, str]:
    """``en=Gull`` and ``Gull`` to languages and titles; "" is the pack's own language."""
    import re

    titles = {}
    for value in values or ():
        match = re.match(r"([a-z]{2,3}(?:-[A-Za-z0-9]+)*)=(.+)", value)
        titles[match[1] if match else ""] = match[2] if match else value
    return titles


@app.command(
    short_help="Say which clips are for a sound key.",
    epilog="Example: ichnos assign shore.gull.calling clips/gull-1.wav clips/gull-2.mp3",
)
def assign(
    key: Annotated[str, typer.Argument(help="The game's sound key.", metavar="KEY")],
    clips: Annotated[list[Path], typer.Argument(help="Your clips: each becomes a take.", metavar="CLIP")],
    add: Annotated[bool, typer.Option("--add", help="The key has takes already: these are further ones.")] = False,
    replace: Annotated[
        bool, typer.Option("--replace", help="The key has takes already: these take their place.")
    ] = False,
    new: Annotated[bool, typer.Option("--new", help="The key is your own: the game does not have it yet.")] = False,
    title: Annotated[
        list[str] | None,
        typer.Option(help="What players read; for another language: de=Nebelhorn.", metavar="[LANG=]TEXT"),
    ] = None,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say which clips are for a sound key; it is written into ichnos.toml."""
    from ichnos.pack import assignments
    from ichnos.pack import workspace as workspaces

    if add and replace:
        raise WrongCall("--add and --replace exclude each other", cure="choose one")
    loaded = workspaces.load(workspaces.find_folder(workspace))
    done = assignments.assign(
        loaded,
        key,
        clips,
        to_existing="add" if add else "replace" if replace else None,
        new=new,
        titles=_titles(title),
        dry_run=dry_run,
    )
    verb = {"new": "gets", "added": "gets also", "replaced": "now has"}[done.how]
    print(f"{'would write: ' if dry_run else ''}{done.key} {verb} {', '.join(done.takes)}")


def _print_plan(prepared: Prepared) -> None:
    from rich.text import Text
    from rich.tree import Tree

    styles = {"new": "green", "changed": "yellow", "same": "dim"}
    plan = prepared.plan
    tree = Tree(Text(plan.package, "bold"))
    branches = {"": tree}
    owed = {conversion.identity for conversion in prepared.owed}
    for file in plan.files:
        folder = ""
        *parents, name = file.path.split("/")
        for parent in parents:
            inner = f"{folder}/{parent}"
            branches[inner] = branches.get(inner) or branches[folder].add(Text(f"{parent}/"))
            folder = inner
        state = prepared.states[file.path]
        reason = file.reason
        if file.path in prepared.why:
            reason = f"{prepared.why[file.path]}; {reason}"
        if file.conversion:
            todo = "to convert" if file.conversion.identity in owed else "converted before"
            reason = f"{reason}; {todo}"
        line = Text.assemble((f"{state:<7} ", styles[state]), name, (f"  {reason}", "dim"))
        leaf = branches[folder].add(line)
        for change in file.changes:
            was = Text.assemble((f"{change.old}", "red"), "  becomes\n") if change.old else Text("added after it\n")
            leaf.add(Text.assemble((f"line {change.line}: ", "dim"), was, (change.new.strip(), "green")))
    for name in prepared.gone:
        tree.add(Text.assemble(("gone    ", "red"), name, ("  no longer in the workspace", "dim")))
    out = show.console()
    out.print(tree)
    for target in dict.fromkeys(str(conversion.target) for conversion in plan.conversions):
        out.print(f"Sounds become {target}.")


@app.command(
    short_help="Show the plan, then build the pack.", epilog="Example: ichnos build --dry-run, then ichnos build"
)
def build(
    workspace: WorkspaceFolder = Path(),
    to: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Where to put the pack.", show_default="build/ in the workspace"),
    ] = None,
    game: Annotated[
        str | None, typer.Option("--game", "-g", help="For another of the workspace's [games].", show_default="game")
    ] = None,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Build the pack: show the plan, convert what is owed, write everything, all of it or nothing."""
    from ichnos.pack import assignments
    from ichnos.pack import build as building
    from ichnos.pack import workspace as workspaces
    from ichnos.pack.plan import as_json

    folder = workspaces.find_folder(workspace)
    loaded = workspaces.load(folder, game)
    minted = [] if dry_run else assignments.mint_missing_ids(loaded)
    if minted:
        typer.echo(f"New ids are minted and written into ichnos.toml: {', '.join(minted)}.", err=True)
        loaded = workspaces.load(folder, game)
    output = to.absolute() if to else building.usual_output(loaded)
    prepared = building.prepare(loaded, output)
    if loaded.catalogue is None:
        show.keys_unchecked(loaded.profile.rules.game.title)
    for note in prepared.plan.notes:
        typer.echo(f"Note: {note}.", err=True)
    if not json:
        _print_plan(prepared)
    if dry_run:
        if json:
            show.as_json({**as_json(prepared.plan, prepared.states, prepared.why), "dry-run": True})
        return
    with show.progress("converting", sum(one.facts.seconds for one in prepared.owed)) as advance:
        built = building.build(loaded, prepared, advance)
    if json:
        done = {
            "path": str(built.package),
            "sha256": built.sha256,
            "bytes": built.size,
            "converted": built.converted,
            "kept": built.kept,
            "written": built.written,
            "told": list(built.notes),
        }
        show.as_json({**as_json(prepared.plan, prepared.states, prepared.why), **done})
        return
    for note in built.notes:
        typer.echo(f"Note: {note}.", err=True)
    shown = loaded.shown(built.package)
    if built.written:
        print(f"Converted {show.counted(built.converted, 'clip')}, {built.kept} kept from before.")
        print(f"Wrote {shown}: {show.counted(len(prepared.plan.files), 'file')}, {show.size(built.size)}.")
    else:
        print(f"Nothing has changed: {shown} stays as it is, {show.size(built.size)}.")
    print(f"SHA-256 {built.sha256}")
