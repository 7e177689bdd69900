"""``trigger``, ``prop``, ``schedule``: what plays a sound, most options from the vocabulary. ``thing``: all else."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from functools import partial
from inspect import Parameter
from pathlib import Path
from typing import Annotated, Any

import typer

from ichnos.cli import made, show
from ichnos.cli.app import DryRun, WorkspaceFolder, app, examples
from ichnos.cli.assigning import by_language
from ichnos.errors import UsageError

_Fields = Annotated[
    list[str] | None, typer.Option("--field", metavar="NAME=VALUE", help="What this game asks for besides.")
]
_Replace = Annotated[bool, typer.Option("--replace", help="There is one of that name: this takes its place.")]
_Key = Annotated[str, typer.Argument(metavar="KEY", help="The sound key that it plays, of your pack or the game.")]
_METAVARS = {"number": "N", "whole": "N", "id": "UUID", "text": "TEXT"}


def _options(scope: str, said_otherwise: Collection[str], usual: Mapping[str, str]) -> Iterator[Parameter]:
    """An option for each field of a scope, those that are needed first.

    Args:
        said_otherwise: fields that have an argument.
        usual: what counts where an option is not given, in words.
    """
    from ichnos.games.profiles.vocabulary import said_of

    fields = [field for field in said_of(scope) if field.field not in said_otherwise]
    for field in sorted(fields, key=lambda parameter: not parameter.needed or parameter.field in usual):
        shown = usual.get(field.field) or next(iter(field.choices), None)
        about: dict[str, Any] = {"show_default": shown} if shown else {}
        about["needed"] = field.needed and not shown
        about["help"] = f"{field.about[:1].upper()}{field.about[1:]}" + ("" if field.about.endswith("?") else ".")
        name, kind = field.field, field.kind
        if kind == "yes-no":
            yield made.option(name, bool | None, f"--{name}/--not-{name}", **about)
        elif field.is_spoken:
            yield made.option(name, list[str] | None, f"--{name}", metavar="[LANG=]TEXT", **about)
        elif kind == "path":
            yield made.option(name, Path | None, f"--{name}", metavar="FILE", **about)
        else:
            metavar = "SECONDS" if "in seconds" in field.meaning else _METAVARS[kind]
            yield made.option(name, str | None, f"--{name}", metavar=metavar, **about)


def _command(
    scope: str, said_otherwise: tuple[str, ...], behind: str, usual: Mapping[str, str], short_help: str, *lines: str
) -> Callable[[Any], Any]:
    """A command that writes one of what plays sounds, with the options of its scope."""
    options = made.with_options(partial(_options, scope, said_otherwise, usual), behind)
    return app.command(cls=options, short_help=short_help, epilog=examples(*lines))


@_command(
    "trigger",
    ("key",),
    "key",
    {"name": "from the event"},
    "Say at which event a sound plays.",
    'ichnos trigger block/bell/one --event "door opens" --from stove',
    "ichnos trigger gate.opens --event dusk --where quay --once --delay 2",
)
def trigger(
    ctx: typer.Context,
    key: _Key,
    field: _Fields = None,
    replace: _Replace = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say at which event a sound plays; it is written into ichnos.toml."""
    given = made.given(ctx)
    written = _add(workspace, "trigger", given | {"key": key}, field, "replace" if replace else None, dry_run=dry_run)
    verb = {"stop": "stops", "fade-out": "fades out"}.get(given.get("does", ""), "plays")
    show.say(f"{written}: {given['event']} {verb} {key}")


@_command(
    "prop",
    ("name", "key"),
    "key",
    {"title": "its name"},
    "Say which thing in the game plays a sound.",
    'ichnos prop bell-buoy pier.chime.long --title "A bell buoy" --title nl="Een belboei" --picture buoy.png',
)
def prop(
    ctx: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="The thing's own name.")],
    key: _Key,
    field: _Fields = None,
    replace: _Replace = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say which thing in the game plays a sound; it is written into ichnos.toml."""
    fields = {"title": name, **made.given(ctx), "name": name, "key": key}
    written = _add(workspace, "prop", fields, field, "replace" if replace else None, dry_run=dry_run)
    show.say(f"{written}: plays {key}")


@_command(
    "schedule",
    ("name",),
    "between",
    {},
    "Say what plays by turns, with in-betweens.",
    "ichnos schedule night tide.turns.slack tide.falls.strong --between gulls.call.far --after 2 --odds 0.5",
)
def schedule(
    ctx: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="The schedule's own name.")],
    keys: Annotated[
        list[str] | None,
        typer.Argument(metavar="KEY...", help="Its pieces: keys of your pack or the game."),
    ] = None,
    between: Annotated[
        list[str] | None, typer.Option(metavar="KEY", help="What comes between them; say it once for each.")
    ] = None,
    field: _Fields = None,
    add: Annotated[bool, typer.Option("--add", help="There is one of that name: these are further entries.")] = False,
    replace: _Replace = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say what the game plays by turns: pieces, and what comes between them; written into ichnos.toml."""
    if add and replace:
        raise UsageError("--add and --replace exclude each other", cure="choose one")
    entries = [*(keys or ()), *({"key": key, "kind": "between"} for key in between or ())]
    fields = {"name": name, **made.given(ctx), "entries": entries}
    written = _add(
        workspace, "schedule", fields, field, "add" if add else "replace" if replace else None, dry_run=dry_run
    )
    show.say(f"{written}: {', '.join([*(keys or ()), *(between or ())])}")


@app.command(
    short_help="Say what this game's packs have besides sounds.",
    epilog=examples(
        "ichnos thing channel water --field gain=-6",
        "ichnos thing lantern north --field lore=Northern --field lore.de=Nordlicht",
    ),
)
def thing(
    sort: Annotated[
        str, typer.Argument(metavar="SORT", help="What it is: `ichnos games show GAME` lists what there is.")
    ],
    name: Annotated[str, typer.Argument(metavar="NAME", help="The thing's own name.")],
    field: Annotated[
        list[str] | None,
        typer.Option("--field", metavar="NAME=VALUE", help="What is said of it; in another language: NAME.de=TEXT."),
    ] = None,
    replace: _Replace = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
) -> None:
    """Say what packs for this game have besides sounds, such as channels of a mixing desk; written into ichnos.toml."""
    from ichnos.games.profiles.vocabulary import OWN

    written = _add(workspace, OWN + sort, {"name": name}, field, "replace" if replace else None, dry_run=dry_run)
    show.say(f"{written}: a {sort}")


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
    from ichnos.pack.workspace import reading as workspaces

    words = dict(said)
    for name, value in said.items():
        if isinstance(value, Path):
            words[name] = str(value)
        elif isinstance(value, list) and name != "entries":
            words[name] = by_language(value)
    for field in fields or ():
        left, sign, right = field.partition("=")
        if not sign or not left:
            raise UsageError(f"--field {field}: a name and a value are expected", cure="say --field NAME=VALUE")
        words.setdefault("fields", {})[left] = right
    folder = workspaces.find_folder(workspace)
    with workspaces.lock(folder, show.waiting):
        done = additions.add(workspaces.load(folder), scope, words, to_existing=to_existing, dry_run=dry_run)
    how = {"new": "", "added": "further entries of ", "replaced": "in the old one's place, "}[done.how]
    return f"{'would write: ' if dry_run else ''}{how}{done.name}"
