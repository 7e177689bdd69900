"""``build``, ``assign`` and ``build``."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import zip_longest
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, LightCommand, WorkspaceText, app, examples, report
from ichnos.errors import IchnosError, UsageError

if TYPE_CHECKING:
    from ichnos.games.entries.edits import EntryChange
    from ichnos.pack.build.build import Built, Prepared
    from ichnos.pack.build.summary import Summary
    from ichnos.pack.plan.plan import PlannedFile

_MOST_SAME = 60  # files of a plan that are shown although they are as before


def _print_plan(prepared: Prepared) -> None:
    signs = {name: sign for sign, (name, _) in show.SIGNS.items()}
    plan, states = prepared.plan, prepared.comparison.states
    missing = {conversion.identity for conversion in prepared.missing}
    same = sum(states[file.path] == "same" for file in plan.files)
    brief = same > _MOST_SAME
    lines: list[show.PlanLine] = []
    gone = [(name, None) for name in prepared.comparison.gone]
    folders: list[str] = []
    for path, file in sorted([*((file.path, file) for file in plan.files), *gone], key=lambda named: _place(named[0])):
        if brief and file is not None and states[path] == "same":
            continue
        *parents, name = path.split("/")
        common = next((at for at, pair in enumerate(zip_longest(parents, folders)) if pair[0] != pair[1]), len(parents))
        lines += [show.PlanLine("", f"{parents[at]}/", depth=at) for at in range(common, len(parents))]
        folders = parents
        if file is None:
            lines.append(show.PlanLine("-", name, "no longer in the workspace", len(parents)))
            continue
        reason = "; ".join(_reasons(prepared, file, missing))
        details = [part for change in file.changes for part in _change(change)]
        lines.append(show.PlanLine(signs[states[path]], name, reason, len(parents), tuple(details)))
    show.plan(prepared.outline.package, lines)
    if brief:
        show.say(f"= {show.counted(same, 'file')} the same as before")
    for target in dict.fromkeys(str(conversion.target) for conversion in plan.conversions):
        show.say(f"Sounds become {target}.")


def _place(path: str) -> list[tuple[bool, str]]:
    """Where a file stands among others: those of a folder before the folders in it."""
    *parents, name = path.split("/")
    return [*((True, parent) for parent in parents), (False, name)]


def _change(change: EntryChange) -> Iterator[tuple[str, dict[str, Any]]]:
    """What changes in a document that is merged."""
    if change.old:
        yield f"line {change.line}: {change.old}", show.RED
        yield "becomes", show.DIM
    else:
        yield f"added after line {change.line}:", show.DIM
    yield from ((line, show.GREEN) for line in change.new.strip().splitlines())


def _reasons(prepared: Prepared, file: PlannedFile, missing: set[str]) -> Iterator[str]:
    """Why a file is written, and what is still to be done for it."""
    if file.path in prepared.comparison.why:
        yield prepared.comparison.why[file.path]
    yield file.reason
    if file.encoded:
        yield "as the game's encoder wrote it"
    elif file.conversion:
        yield "to convert" if file.conversion.identity in missing else "converted before"
        if prepared.outline.own_encoder:
            yield "to be written by the game's encoder"


@app.command(
    cls=LightCommand,
    short_help="Show the plan, then build the pack.",
    epilog=examples("ichnos build --dry-run", "ichnos build", "ichnos build --watch --install"),
)
def build(
    workspace: WorkspaceText = ".",
    to: Annotated[
        str | None,
        typer.Option(metavar="FOLDER", help="Where to put the pack.", show_default="build/ in the workspace"),
    ] = None,
    game: Annotated[
        str | None,
        typer.Option(
            "--game", "-g", metavar="GAME", help="For another of the workspace's [games].", show_default="its first"
        ),
    ] = None,
    watch: Annotated[bool, typer.Option("--watch", help="Build again whenever something is saved.")] = False,
    install: Annotated[
        bool, typer.Option("--install", help="Put each pack into the game as soon as it is built.")
    ] = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Build the pack: show the plan, convert what is missing, write everything, all of it or nothing."""
    from ichnos.files.paths import shown
    from ichnos.pack.build import building
    from ichnos.pack.workspace.folder import find_folder

    folder = find_folder(Path(workspace))
    output = Path(to).absolute() if to else None
    if watch:
        if dry_run or json:
            raise UsageError("watching goes on and on", cure="leave out --watch, or --dry-run and --json")
        _watch(folder, output, game, install=install)
        return
    if install and (dry_run or json):
        raise UsageError("--install does more than show", cure="leave it out, or --dry-run and --json")
    last = None if dry_run or json else building.standing(folder, game, output)
    if last is None:
        build_pack(folder, output, game, dry_run=dry_run, json=json)
    else:
        _print_unchanged(shown(folder, last.package), last.size)
        show.say(f"SHA-256 {last.sha256}")
    if install:
        install_last(folder, game)


def install_last(folder: Path, game: str | None) -> None:
    """Put what was built last into the game."""
    from ichnos.cli.installing import put_in
    from ichnos.pack.build.state import latest_package
    from ichnos.pack.workspace import reading as workspaces

    loaded = workspaces.load(folder, game)
    package, into = latest_package(folder, loaded.game), loaded.need_goes_into()
    if package is not None:
        put_in(loaded.profile, package, into, brief=True)


def _watch(folder: Path, output: Path | None, game: str | None, *, install: bool) -> None:
    from ichnos.pack.build import sources, watching
    from ichnos.pack.workspace import reading as workspaces

    def once(paths: list[Path]) -> list[Path]:
        try:
            build_pack(folder, output, game, dry_run=False, json=False)
            if install:
                install_last(folder, game)
        except IchnosError as error:
            report(error)
        try:
            loaded = workspaces.load(folder, game)
        except IchnosError:  # what it was made of until now still counts
            return paths
        return [*sources.made_of(loaded, folder), *sources.clips_of(loaded)]

    paths = sources.made_of(None, folder)
    before = watching.signatures_of(paths)
    try:
        while True:
            paths = once(paths)
            show.say("Watching; stop with Ctrl+C.", err=True)
            # What was saved while it was building counts as well.
            names, before = watching.wait_for_change(paths, {**watching.signatures_of(paths), **before})
            show.say(f"\nChanged: {', '.join(Path(name).name for name in names[:5])}", err=True)
    except KeyboardInterrupt:
        show.say("", err=True)


def build_pack(
    folder: Path, output: Path | None, game: str | None, *, dry_run: bool, json: bool, brief: bool = False
) -> None:
    """Plan, show the plan, and build. ``brief``: what was built, and no more."""
    from ichnos.pack.build import building
    from ichnos.pack.plan.plan import as_json

    def minted(names: list[str]) -> None:
        show.say(f"New ids are minted and written into ichnos.toml: {', '.join(names)}.", err=True)

    planned = building.plan(folder, game, output, None if dry_run else minted)
    prepared = planned.prepared
    if prepared.outline.unchecked:
        show.keys_unchecked(prepared.outline.unchecked)
    for note in prepared.outline.notes:
        show.say(f"Note: {note}.", err=True)
    if not json and not brief:
        _print_plan(prepared)
    if dry_run:
        if json:
            states = prepared.comparison
            show.as_json({**as_json(prepared.plan, states.states, states.why), "dry-run": True})
        return
    with show.progress("converting", sum(conversion.facts.seconds for conversion in prepared.missing)) as advance:
        built, planned = building.carry_out(planned, advance, show.waiting)
    if game is None and output is None:
        from ichnos.install import status

        status.prepare(folder)
    if brief:
        from ichnos.files.paths import shown

        show.say(f"Built: {shown(Path.cwd(), built.package)}, {show.size(built.size)}.", err=json)
        return
    _print_built(planned.prepared, built, json=json)
    if built.written and planned.prepared.outline.afterwards:
        show.say("What is left for your own hands:", err=True)
        for number, step in enumerate(planned.prepared.outline.afterwards, 1):
            show.say(f"  {number}. {step}", err=True)


def _print_built(prepared: Prepared, built: Built, *, json: bool) -> None:
    from ichnos.files.paths import shown
    from ichnos.pack.plan.plan import as_json

    if json:
        done = {
            "to": built.package,
            "sha256": built.sha256,
            "bytes": built.size,
            "converted": built.converted,
            "kept": built.kept,
            "written": built.written,
            "conversion-notes": built.notes,
            "summary": built.summary,
        }
        states = prepared.comparison
        show.as_json({**as_json(prepared.plan, states.states, states.why), **done})
        return
    for note in built.notes:
        show.say(f"Note: {note}.", err=True)
    package = shown(prepared.folder, built.package)
    if built.written:
        show.say(f"Converted {show.counted(built.converted, 'clip')}, {built.kept} kept from before.")
        show.say(f"Wrote {package}: {show.counted(len(prepared.plan.files), 'file')}, {show.size(built.size)}.")
        if built.summary:
            _print_summary(built.summary)
    else:
        _print_unchanged(package, built.size)
    show.say(f"SHA-256 {built.sha256}")


def _print_unchanged(package: str, size: int) -> None:
    show.say(f"Nothing has changed: {package} stays as it is, {show.size(size)}.")


def _print_summary(told: Summary) -> None:
    limit = f" of the {told.most_megabytes:g} MB that the game takes" if told.most_megabytes else ""
    length = f"{told.seconds:.0f} s" if told.seconds < 100 else f"{told.seconds / 60:.1f} min"
    show.say(f"{show.counted(told.sounds, 'sound file')}, {length}, {show.size(told.total_bytes)}{limit}.")
    if told.sounds > len(told.biggest) > 0:
        show.say(f"The biggest {len(told.biggest)}:")
        for path, size in told.biggest:
            show.say(f"{show.size(size):>12}  {path}")
    if told.cheaper:
        quality, saved = told.cheaper
        show.say(f"At quality {quality:g} they would take about {show.size(saved)} less.")
