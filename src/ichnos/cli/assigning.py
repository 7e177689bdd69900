"""``start`` and ``assign``: a workspace, and which clips are for which keys."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, WorkspaceFolder, app, examples
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.pack.workspace.assignments import Assignment
    from ichnos.pack.workspace.workspace import Workspace


@app.command(
    short_help="Start a workspace for a pack.",
    epilog=examples("ichnos start storm-watch --game tarnlight --title 'Storm watch' --installation ~/games/Tarnlight"),
)
def start(
    folder: Annotated[
        Path, typer.Argument(metavar="FOLDER", help="The new workspace's folder; it is made if it is not there.")
    ],
    game: Annotated[
        str, typer.Option("--game", "-g", metavar="GAME", help="A bundled game's name, or a game profile's folder.")
    ],
    title: Annotated[
        str | None, typer.Option(metavar="TEXT", help="The pack's title.", show_default="from the folder's name")
    ] = None,
    installation: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Where the game is installed, to check your keys against its own."),
    ] = None,
    author: Annotated[str | None, typer.Option(metavar="NAME", help="Who makes the pack.")] = None,
    licence: Annotated[
        str | None, typer.Option(metavar="ID", help="Of the pack and of your own clips, an SPDX id such as CC-BY-4.0.")
    ] = None,
    dry_run: DryRun = False,
) -> None:
    """Start a workspace: a folder with a commented ichnos.toml and ids minted for your pack."""
    from ichnos.pack.workspace import starting

    content = starting.start(folder, game, title, installation, author=author, licence=licence, dry_run=dry_run)
    if dry_run:
        show.say(f"would write {folder / 'ichnos.toml'}:\n\n{content}")
        return
    show.say(f"{folder / 'ichnos.toml'} is written.")
    show.say(f"Next: put your clips into {folder}, go there, and say: ichnos assign KEY CLIP", err=True)


def by_language(values: list[str] | None) -> dict[str, str]:
    """``en=Gull`` and ``Gull`` to languages and titles; "" is the pack's own language."""
    import re

    titles = {}
    for value in values or ():
        match = re.match(r"([a-z]{2,3}(?:-[A-Za-z0-9]+)*)=(.+)", value)
        titles[match[1] if match else ""] = match[2] if match else value
    return titles


From = Annotated[
    Path | None,
    typer.Option("--from", metavar="FOLDER", help="Pair a folder's clips with keys by their names, instead."),
]
Verdicts = Annotated[
    Path | None,
    typer.Option(
        metavar="FILE.csv", help="Take over what was said on the listening page: keep, redo, notes, for each key."
    ),
]
Replace = Annotated[bool, typer.Option("--replace", help="The key has takes already: these take their place.")]
Title = Annotated[
    list[str] | None,
    typer.Option(help="What players read; for another language: de=Nebelhorn.", metavar="[LANG=]TEXT"),
]
Like = Annotated[
    str | None, typer.Option(metavar="KEY", help="A key of the game, whose entry the new one starts from.")
]
EveryFile = Annotated[
    bool,
    typer.Option("--every-file", help="Where keys are replaced file by file: in the place of all of the key's files."),
]
Weight = Annotated[str | None, typer.Option(metavar="N", help="How often these takes are picked against the others.")]


@app.command(
    short_help="Say which clips are for a sound key.",
    epilog=examples(
        "ichnos assign shore-gull-calling clips/gull-1.wav clips/gull-2.mp3",
        "ichnos assign --from clips",
        "ichnos assign --verdicts ~/Downloads/verdicts.csv",
    ),
)
def assign(
    key: Annotated[str | None, typer.Argument(help="The game's sound key.", metavar="KEY")] = None,
    clips: Annotated[list[Path] | None, typer.Argument(help="Your clips: each becomes a take.", metavar="CLIP")] = None,
    from_: From = None,
    verdicts: Verdicts = None,
    add: Annotated[bool, typer.Option("--add", help="The key has takes already: these are further ones.")] = False,
    replace: Replace = False,
    new: Annotated[bool, typer.Option("--new", help="The key is your own: the game does not have it yet.")] = False,
    title: Title = None,
    kind: Annotated[str | None, typer.Option(metavar="NAME", help="Which kind of the game's sounds it is.")] = None,
    category: Annotated[str | None, typer.Option(metavar="NAME", help="The sound's category.")] = None,
    like: Like = None,
    every_file: EveryFile = False,
    volume: Annotated[str | None, typer.Option(metavar="N", help="How loud it plays; 1 is as it is.")] = None,
    weight: Weight = None,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say which clips are for a sound key; it is written into ichnos.toml.

    Verdicts are kept in verdicts.csv in the workspace: check tells what is to be made again, and the listening page
    shows them.
    """
    from ichnos.pack.workspace import assignments
    from ichnos.pack.workspace import reading as workspaces

    said = {"kind": kind, "category": category, "like": like, "volume": volume}
    folder, fields = workspaces.find_folder(workspace), _fields(said, every_file=every_file)
    if verdicts is not None:
        alone = not any((key, clips, from_, title, new, add, replace, every_file, weight, *said.values()))
        _take_verdicts(folder, verdicts, alone=alone, dry_run=dry_run)
        return
    if from_ is not None:
        _refuse_with_from(key, {"add": add, "replace": replace, "new": new, "title": title, "weight": weight})
        _assign_from(folder, from_, fields, dry_run=dry_run)
        return
    if key is None or not clips:
        raise UsageError("which clips are for which key?", cure="say: ichnos assign KEY CLIP, or --from FOLDER")
    existing, titles = _to_existing(add=add, replace=replace), by_language(title)
    request = assignments.AssignmentRequest(existing, new, titles, fields, _number(weight))
    with workspaces.lock(folder, show.waiting):
        done = assignments.assign(workspaces.load(folder), key, clips, request, dry_run=dry_run)
    verb = {"new": "gets", "added": "gets also", "replaced": "now has"}[done.how]
    show.say(f"{'would write: ' if dry_run else ''}{done.key} {verb} {', '.join(done.takes)}")
    say_copied([done], dry_run=dry_run)


def _assign_from(folder: Path, source: Path, fields: Mapping[str, str | float], *, dry_run: bool) -> None:
    from ichnos.audio.process import exports
    from ichnos.pack.workspace import assignments, pairing
    from ichnos.pack.workspace import reading as workspaces

    with workspaces.lock(folder, show.waiting):
        loaded: Workspace = workspaces.load(folder)
        if loaded.catalogue is None:
            what = f"the keys of {loaded.profile.rules.game.title} are not known"
            raise UsageError(what, cure="say where it is installed, or: ichnos keys harvest")
        clips = [clip for clip, _ in exports.found([source])]
        pairs = pairing.pairs(clips, loaded.catalogue.keys)
        done, standing = assignments.assign_pairs(loaded, pairs.clear, said=fields, dry_run=dry_run)
    for assignment in done:
        show.say(f"{'would write: ' if dry_run else ''}{assignment.key} gets {', '.join(assignment.takes)}")
    say_copied(done, dry_run=dry_run)
    for key in standing:
        show.say(
            f"left alone: {key} has clips already; {', '.join(clip.name for clip in pairs.clear[key])} might be for it"
        )
    for clip, nearest in pairs.doubtful:
        near = ", ".join(f"{key} ({score:.0f})" for key, score in nearest)
        show.say(f"doubtful: {clip} could be for {near}" if near else f"doubtful: {clip} is like no key")
    show.say(
        f"{show.counted(len(done), 'key')} assigned, {len(pairs.doubtful)} doubtful: nothing is guessed.", err=True
    )


def say_copied(done: Sequence[Assignment], *, dry_run: bool) -> None:
    """Say which clips were copied into the workspace."""
    names = [name for assignment in done for name in assignment.copied]
    if names:
        shown = f"{', '.join(names[:5])}{f' and {len(names) - 5} more' if len(names) > 5 else ''}"
        verb = "would be copied" if dry_run else "copied"
        show.say(f"From outside the workspace, {verb} into it: {shown}", err=True)


def _fields(said: dict[str, str | None], *, every_file: bool) -> dict[str, Any]:
    """What is said of a sound besides its clips."""
    from ichnos.pack.workspace.assignments import as_typed

    fields = as_typed({name: value for name, value in said.items() if value is not None})
    return {**fields, **({"every-file": True} if every_file else {})}


def _to_existing(*, add: bool, replace: bool) -> str | None:
    """What is to be done where the key has takes already."""
    if add and replace:
        raise UsageError("--add and --replace exclude each other", cure="choose one")
    return "add" if add else "replace" if replace else None


def _number(weight: str | None) -> float | None:
    from ichnos.pack.workspace.assignments import as_typed

    return None if weight is None else float(as_typed({"weight": weight})["weight"])


def _refuse_with_from(key: str | None, options: Mapping[str, object]) -> None:
    if key is not None:
        raise UsageError("--from finds the keys itself", cure="leave out the key and the clips, or --from")
    odd = next((name for name, value in options.items() if value), None)
    if odd is not None:
        raise UsageError(f"--{odd} is for one key", cure=f"name the key and its clips, or leave out --{odd}")


def _take_verdicts(folder: Path, table: Path, *, alone: bool, dry_run: bool) -> None:
    if not alone:
        raise UsageError("--verdicts says all by itself", cure="leave out the rest, or --verdicts")
    from ichnos.files import disk
    from ichnos.pack.workspace import reading as workspaces
    from ichnos.pack.workspace import verdicts

    read = verdicts.read(disk.read(table), str(table))
    with workspaces.lock(folder, show.waiting):
        loaded = workspaces.load(folder)
        games = [loaded, *(workspaces.load(folder, game) for game in loaded.pack_file.games)]
        verdicts.refuse_unknown(read, [sound.key for workspace in games for sound in workspace.pack_file.sound])
        kept = verdicts.together(verdicts.of_workspace(folder), read)
        if not dry_run:
            verdicts.keep(folder, kept)
    verb = "would write: " if dry_run else ""
    for verdict in read:
        note = f": {' '.join(verdict.note.split())}" if verdict.note else ""
        show.say(
            f"{verb}{verdict.key} {verdict.verdict or ('has a note' if note else 'has no verdict any more')}{note}"
        )
    redo = sum(one.verdict == verdicts.REDO for one in kept)
    show.say(f"{show.counted(len(kept), 'verdict')} in {verdicts.FILE_NAME}, {redo} to redo.", err=True)
