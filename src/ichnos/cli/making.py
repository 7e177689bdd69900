"""``start``, ``assign`` and ``build``."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, WorkspaceFolder, app, report
from ichnos.errors import IchnosError, WrongCall

if TYPE_CHECKING:
    from ichnos.pack.build.build import Built, Prepared
    from ichnos.pack.build.stamp import Stamp
    from ichnos.pack.build.summary import Summary
    from ichnos.pack.plan.plan import Written
    from ichnos.pack.workspace.workspace import Workspace

_MOST_SAME = 60  # files of a plan that are shown although they are as before


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
    author: Annotated[str | None, typer.Option(help="Who makes the pack.")] = None,
    licence: Annotated[
        str | None, typer.Option(help="Of the pack and of your own clips, an SPDX id such as CC-BY-4.0.")
    ] = None,
    dry_run: DryRun = False,
) -> None:
    """Start a workspace: a folder with a commented ichnos.toml and ids minted for your pack."""
    from ichnos.pack.workspace import assignments

    content = assignments.start(folder, game, title, installation, author=author, licence=licence, dry_run=dry_run)
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
    epilog="Example: ichnos assign shore.gull.calling clips/gull-1.wav clips/gull-2.mp3,"
    " or, by their names: ichnos assign --from clips",
)
def assign(
    key: Annotated[str | None, typer.Argument(help="The game's sound key.", metavar="KEY")] = None,
    clips: Annotated[list[Path] | None, typer.Argument(help="Your clips: each becomes a take.", metavar="CLIP")] = None,
    from_: Annotated[
        Path | None,
        typer.Option("--from", metavar="FOLDER", help="Pair a folder's clips with keys by their names, instead."),
    ] = None,
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
    from ichnos.pack.workspace import assignments
    from ichnos.pack.workspace import workspace as workspaces

    if add and replace:
        raise WrongCall("--add and --replace exclude each other", cure="choose one")
    loaded = workspaces.load(workspaces.find_folder(workspace))
    if from_ is not None:
        if key is not None:
            raise WrongCall("--from finds the keys itself", cure="leave out the key and the clips, or --from")
        _assign_from(loaded, from_, dry_run=dry_run)
        return
    if key is None or not clips:
        raise WrongCall("which clips are for which key?", cure="say: ichnos assign KEY CLIP, or --from FOLDER")
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


def _assign_from(loaded: Workspace, folder: Path, *, dry_run: bool) -> None:
    from ichnos.audio.process import exports
    from ichnos.pack.workspace import assignments, pairing

    if loaded.catalogue is None:
        title = loaded.profile.rules.game.title
        raise WrongCall(f"the keys of {title} are not known", cure="say where it is installed, or: ichnos keys harvest")
    clips = [clip for clip, _ in exports.found([folder])]
    found = pairing.pairs(clips, loaded.catalogue.keys)
    done, standing = assignments.assign_pairs(loaded, found.clear, dry_run=dry_run)
    for one in done:
        print(f"{'would write: ' if dry_run else ''}{one.key} gets {', '.join(one.takes)}")
    for key in standing:
        print(
            f"left alone: {key} has clips already; {', '.join(clip.name for clip in found.clear[key])} might be for it"
        )
    for clip, nearest in found.doubtful:
        near = ", ".join(f"{key} ({score:.0f})" for key, score in nearest)
        print(f"doubtful: {clip} could be for {near}" if near else f"doubtful: {clip} is like no key")
    typer.echo(
        f"{show.counted(len(done), 'key')} assigned, {len(found.doubtful)} doubtful: nothing is guessed.", err=True
    )


def _print_plan(prepared: Prepared) -> None:
    from rich.text import Text
    from rich.tree import Tree

    styles = {"new": "green", "changed": "yellow", "same": "dim"}
    plan = prepared.plan
    tree = Tree(Text(plan.package, "bold"))
    branches = {"": tree}
    owed = {conversion.identity for conversion in prepared.owed}
    same = sum(prepared.states[file.path] == "same" for file in plan.files)
    brief = same > _MOST_SAME
    for file in plan.files:
        if brief and prepared.states[file.path] == "same":
            continue
        folder = ""
        *parents, name = file.path.split("/")
        for parent in parents:
            inner = f"{folder}/{parent}"
            branches[inner] = branches.get(inner) or branches[folder].add(Text(f"{parent}/"))
            folder = inner
        state = prepared.states[file.path]
        reason = "; ".join(_reasons(prepared, file, owed))
        line = Text.assemble((f"{state:<7} ", styles[state]), name, (f"  {reason}", "dim"))
        leaf = branches[folder].add(line)
        for change in file.changes:
            was = Text.assemble((f"{change.old}", "red"), "  becomes\n") if change.old else Text("added after it\n")
            leaf.add(Text.assemble((f"line {change.line}: ", "dim"), was, (change.new.strip(), "green")))
    for name in prepared.gone:
        tree.add(Text.assemble(("gone    ", "red"), name, ("  no longer in the workspace", "dim")))
    if brief:
        tree.add(Text(f"{show.counted(same, 'file')} the same as before", "dim"))
    out = show.console()
    out.print(tree)
    for target in dict.fromkeys(str(conversion.target) for conversion in plan.conversions):
        out.print(f"Sounds become {target}.")


def _reasons(prepared: Prepared, file: Written, owed: set[str]) -> Iterator[str]:
    """Why a file is written, and what is still to be done for it."""
    if file.path in prepared.why:
        yield prepared.why[file.path]
    yield file.reason
    if file.laid:
        yield "as the game's encoder wrote it"
    elif file.conversion:
        yield "to convert" if file.conversion.identity in owed else "converted before"
        if prepared.outline.closed:
            yield "owed by the game's encoder"


@app.command(
    short_help="Show the plan, then build the pack.",
    epilog="Example: ichnos build --dry-run, then ichnos build; or ichnos build --watch while you edit",
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
    watch: Annotated[bool, typer.Option("--watch", help="Build again whenever something is saved.")] = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Build the pack: show the plan, convert what is owed, write everything, all of it or nothing."""
    from ichnos.pack.build import stamp

    folder = stamp.find_folder(workspace)
    output = to.absolute() if to else None
    if not watch:
        last = stamp.load(folder, game, output)
        if last is None or not last.stands or dry_run or json:
            _build(folder, output, game, last, dry_run=dry_run, json=json)
        else:
            _print_unchanged(show.seen_from(folder, last.package), last.size)
            print(f"SHA-256 {last.sha256}")
        return
    if dry_run or json:
        raise WrongCall("watching goes on and on", cure="leave out --watch, or --dry-run and --json")
    _watch(folder, output, game)


def _watch(folder: Path, output: Path | None, game: str | None) -> None:
    from ichnos.pack.build import stamp, watching
    from ichnos.pack.workspace import workspace as workspaces

    def once(paths: list[Path]) -> list[Path]:
        try:
            _build(folder, output, game, stamp.load(folder, game, output), dry_run=False, json=False)
        except IchnosError as error:
            report(error)
        try:
            loaded = workspaces.load(folder, game)
        except IchnosError:  # what it was made of until now still counts
            return paths
        return [*watching.made_of(loaded, folder), *watching.clips_of(loaded)]

    paths = watching.made_of(None, folder)
    before = watching.seen(paths)
    try:
        while True:
            paths = once(paths)
            typer.echo("Watching; stop with Ctrl+C.", err=True)
            # What was saved while it was building counts as well.
            before = {**watching.seen(paths), **before}
            names, before = next(watching.changed(paths, before))
            typer.echo(f"\nChanged: {', '.join(Path(name).name for name in names[:5])}", err=True)
    except KeyboardInterrupt:
        typer.echo("", err=True)


def _build(folder: Path, to: Path | None, game: str | None, last: Stamp | None, *, dry_run: bool, json: bool) -> None:
    from ichnos.pack.build import build as building
    from ichnos.pack.build import kept_outline, stamp
    from ichnos.pack.plan.plan import as_json

    def minted(names: list[str]) -> None:
        typer.echo(f"New ids are minted and written into ichnos.toml: {', '.join(names)}.", err=True)

    begun = kept_outline.begin(folder, game, last, None if dry_run else minted)
    outline = begun.outline
    prepared = building.prepare(folder, outline, to or building.usual_output(folder, outline.game))
    if outline.unchecked:
        show.keys_unchecked(outline.unchecked)
    for note in prepared.plan.notes:
        typer.echo(f"Note: {note}.", err=True)
    if not json:
        _print_plan(prepared)
    if dry_run:
        if json:
            show.as_json({**as_json(prepared.plan, prepared.states, prepared.why), "dry-run": True})
        return
    with show.progress("converting", sum(one.facts.seconds for one in prepared.owed)) as advance:
        built = building.build(prepared, advance)
    kept = kept_outline.dumps(outline)
    stamp.save(folder, game, to, begun.inputs, begun.clips, kept, built.package, sha256=built.sha256, size=built.size)
    _print_built(prepared, built, json=json)


def _print_built(prepared: Prepared, built: Built, *, json: bool) -> None:
    from ichnos.pack.plan.plan import as_json

    if json:
        done = {
            "path": str(built.package),
            "sha256": built.sha256,
            "bytes": built.size,
            "converted": built.converted,
            "kept": built.kept,
            "written": built.written,
            "told": list(built.notes),
            "summary": asdict(built.summary) if built.summary else None,
        }
        show.as_json({**as_json(prepared.plan, prepared.states, prepared.why), **done})
        return
    for note in built.notes:
        typer.echo(f"Note: {note}.", err=True)
    shown = show.seen_from(prepared.folder, built.package)
    if built.written:
        print(f"Converted {show.counted(built.converted, 'clip')}, {built.kept} kept from before.")
        print(f"Wrote {shown}: {show.counted(len(prepared.plan.files), 'file')}, {show.size(built.size)}.")
        if built.summary:
            _print_summary(built.summary)
    else:
        _print_unchanged(shown, built.size)
    print(f"SHA-256 {built.sha256}")


def _print_unchanged(shown: str, size: int) -> None:
    print(f"Nothing has changed: {shown} stays as it is, {show.size(size)}.")


def _print_summary(told: Summary) -> None:
    limit = f" of the {told.most_megabytes:g} MB that the game takes" if told.most_megabytes else ""
    length = f"{told.seconds:.0f} s" if told.seconds < 100 else f"{told.seconds / 60:.1f} min"
    print(f"{show.counted(told.sounds, 'sound file')}, {length}, {show.size(told.total_bytes)}{limit}.")
    if told.sounds > len(told.biggest) > 0:
        print(f"The biggest {len(told.biggest)}:")
        for path, size in told.biggest:
            print(f"{show.size(size):>12}  {path}")
    if told.cheaper:
        quality, saved = told.cheaper
        print(f"At quality {quality:g} they would take about {show.size(saved)} less.")


@app.command(
    short_help="Make a release: version up, checked, archived.",
    epilog="Example: ichnos release --minor --note 'Two more bells, and the foghorn is louder'",
)
def release(
    note: Annotated[str, typer.Option(help="What is new, in a line; it goes into CHANGES.md.")],
    major: Annotated[bool, typer.Option("--major", help="Raise the first number of the version.")] = False,
    minor: Annotated[bool, typer.Option("--minor", help="Raise the second.")] = False,
    patch: Annotated[bool, typer.Option("--patch", help="Raise the third.")] = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Make a release in release/: raise the version, build, check, and lay the archive and its SHA-256 there.

    Where the check does not pass, nothing is released, and ichnos.toml and CHANGES.md stay as they were.
    Findings that are no slip are waived in ichnos.toml.
    """
    from ichnos.files.sources import files_at
    from ichnos.pack.build import release as releases
    from ichnos.pack.workspace import workspace as workspaces
    from ichnos.review import check as checking

    steps = [name for name, wanted in (("major", major), ("minor", minor), ("patch", patch)) if wanted]
    if len(steps) > 1:
        raise WrongCall(f"--{steps[0]} and --{steps[1]} exclude each other", cure="choose one")

    def check(loaded: Workspace, package: Path) -> list[str]:
        result = checking.check(checking.of_workspace(loaded), files_at(package), lambda _: None)
        return [f"{one.kind.id}  {one.place}: {one.reason}" for one in result.findings]

    folder, step = workspaces.find_folder(workspace), steps[0] if steps else None
    if dry_run:
        _preview_release(folder, step, note, json=json)
        return
    with show.progress("releasing", None) as advance:
        done = releases.release(folder, step, note, check, advance)
    if json:
        show.as_json({"version": done.version, "archive": str(done.archive), "sha256": done.sha256})
        return
    print(f"{done.version} is released: {done.archive}")
    print(f"SHA-256 {done.sha256}")


def _preview_release(folder: Path, step: str | None, note: str, *, json: bool) -> None:
    from ichnos.pack.build import release as releases

    version, archive, prepared = releases.preview(folder, step)
    if json:
        show.as_json({"version": version, "archive": str(archive), "convert": len(prepared.owed), "dry-run": True})
        return
    print(f"would release {version}: {show.seen_from(folder, archive)}")
    print(f"would write into {releases.CHANGES}: {note}")
    print(f"would convert {show.counted(len(prepared.owed), 'clip')}, then build, and check what was built")
