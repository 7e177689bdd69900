"""``keys``: what sound keys a game has. It should answer as fast as the program starts, so it imports little."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Forgiving, Json, LightCommand, Program, WorkspaceFolder, WorkspaceText, app, examples
from ichnos.errors import UsageError
from ichnos.files import disk

if TYPE_CHECKING:
    from ichnos.games.catalogues.catalogue import Entry

keys = Program(cls=Forgiving.to("search"), rich_markup_mode=None)
app.add_typer(
    keys,
    name="keys",
    short_help="Search a game's sound keys, or harvest.",
    help="Search a game's sound keys: ichnos keys WORDS. Read them from the game first: ichnos keys harvest.",
    epilog=examples("ichnos keys bell near --game tarnlight", "ichnos keys harvest ~/games/Tarnlight --game tarnlight"),
)

Game = Annotated[
    str | None,
    typer.Option(
        "--game", "-g", metavar="GAME", help="A bundled game or a profile's folder.", show_default="the workspace's"
    ),
]


@keys.command(epilog=examples("ichnos keys harvest ~/games/Tarnlight --game tarnlight", "ichnos keys harvest keys.csv"))
def harvest(
    source: Annotated[
        Path,
        typer.Argument(metavar="FOLDER", help="Where the game is installed: a folder, a zip, or a list of its keys."),
    ],
    game: Game = None,
    workspace: WorkspaceFolder = Path(),
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Read everything, and keep nothing.")] = False,
    json: Json = False,
) -> None:
    """Read a game's own definitions, and keep the catalogue of its keys.

    Where nobody can read those, a list does as well: one key in each line, or a table with the columns key,
    category and file.
    """
    from ichnos.files.user import data_folder
    from ichnos.games.catalogues import current
    from ichnos.games.profiles import loading

    folder = current.find(game) if game else _of_workspace(workspace)[0]
    rules = loading.load(folder).rules
    with show.progress("reading", None) as advance:
        result = current.read(folder, source, lambda _: advance(1), keep=not dry_run)
    readable = sum(1 for sound in result.sounds if sound is not None)
    if json:
        show.as_json(
            {
                "game": rules.game.name,
                "keys": len(result.keys),
                "readable": readable,
                "strays": result.strays,
                "notes": result.notes,
                "to": None if dry_run else data_folder(),
            }
        )
        return
    show.say(f"{rules.game.title} has {show.counted(len(result.keys), 'sound key')}.")
    if any(result.files):
        show.say(f"The originals of {readable} could be read; of the others the names are known.")
    for note in result.notes:
        show.say(f"Note: {note}")
    if not dry_run:
        show.say(f"Kept in {data_folder()}")


@keys.command(
    cls=LightCommand,
    epilog=examples("ichnos keys bell distant --game tarnlight", "ichnos keys stair --game tarnlight --sort mentions"),
)
def search(
    words: Annotated[
        list[str] | None, typer.Argument(metavar="WORD", help="Words in any order; a slip in one is forgiven.")
    ] = None,
    game: Game = None,
    category: Annotated[
        str | None, typer.Option("--category", "-c", metavar="NAME", help="Only keys of this category.")
    ] = None,
    sort: Annotated[
        str,
        typer.Option(
            metavar="best|mentions|length|name",
            help="mentions: those that the game names rarely first, for games where one must be given up.",
        ),
    ] = "best",
    most: Annotated[str, typer.Option(metavar="COUNT", help="How many to show; 0 shows all.")] = "40",
    workspace: WorkspaceText = ".",
    json: Json = False,
    as_csv: Annotated[bool, typer.Option("--csv", help="Print a CSV table.")] = False,
    events: Annotated[
        bool, typer.Option("--events", help="Show what triggers can speak of instead: events, areas, states.")
    ] = False,
) -> None:
    """Search the keys that a game has."""
    from ichnos.games.catalogues import library

    _refuse_odd(sort, most)
    profile = _ensured(game, Path(workspace))
    if events:
        _events(library.names(profile), words or (), json=json, others=category is not None or as_csv)
        return
    _refuse_unknown(category, profile)
    entries, count = library.search(profile, list(words or ()), category, sort, min(int(most), 10**9))
    if json:
        show.as_json([_plain(entry) for entry in entries])
    elif as_csv:
        _csv(entries)
    elif entries:
        _table(entries)
    if count > len(entries):
        show.say(f"{count - len(entries):,} more: --most 0 shows all", err=True)
    if not entries:
        show.say("No key fits.", err=True)
        raise typer.Exit(1)


@keys.command(epilog=examples("ichnos keys forget --game my-game/", "ichnos keys forget --all"))
def forget(
    game: Game = None,
    everything: Annotated[bool, typer.Option("--all", help="Forget the keys of every game.")] = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what is kept, and forget nothing.")] = False,
    json: Json = False,
) -> None:
    """Forget a kept catalogue. The game itself stays as it is, and can be harvested again."""
    from ichnos.games.catalogues import library

    kept = library.all_kept()
    if not everything:
        profile = _kept_identity(game, workspace)
        kept = [one for one in kept if one.profile == profile]
    if not dry_run:
        for catalogue in kept:
            library.forget(catalogue.profile)
    if json:
        rows = [{"game": one.game, "profile": one.profile, "keys": one.count} for one in kept]
        show.as_json({"forgotten": rows, **({"dry-run": True} if dry_run else {})})
        return
    verb = "would forget" if dry_run else "forgot"
    for catalogue in kept:
        show.say(f"{verb} {catalogue.count:,} keys of {catalogue.game} ({catalogue.profile})")
    if not kept:
        show.say("No keys are kept for it.", err=True)


def _kept_identity(game: str | None, workspace: Path) -> str:
    """What the profile is known by, also one whose folder is gone."""
    from ichnos.games.catalogues import current, library
    from ichnos.games.profiles import places

    if game is None:
        return places.identity(_of_workspace(workspace)[0])
    gone = str(disk.resolved(Path(game)))
    if any(catalogue.profile == gone for catalogue in library.all_kept()):
        return gone
    return places.identity(current.find(game))


def _ensured(game: str | None, workspace: Path) -> str:
    """The profile that is meant, its catalogue kept and up to date."""
    from ichnos.games.catalogues import current

    folder, installation = (current.find(game), None) if game else _of_workspace(workspace)

    def say(what: str) -> None:
        show.say(what, err=True)

    return current.ensure(folder, installation, say)


def _of_workspace(start: Path) -> tuple[Path, Path | None]:
    """The folder of the workspace's game profile, and the installation that it names."""
    from ichnos.documents.toml import TomlFile
    from ichnos.games.profiles import places
    from ichnos.pack.workspace import local
    from ichnos.pack.workspace.folder import FILE_NAME, find_folder

    folder = find_folder(start)
    fields = TomlFile(disk.read(folder / FILE_NAME), FILE_NAME).values
    installation = local.load(folder)[0].installation
    profile = places.find(str(fields.get("game", "")), folder)
    return profile, disk.resolved(folder / installation) if isinstance(installation, str) else None


def _plain(entry: Entry) -> dict[str, Any]:
    return {
        "key": entry.key, "category": entry.category, "takes": len(entry.files), "mentions": entry.mentions,
        "seconds": entry.seconds, "peak-dbfs": entry.peak, "sound": entry.sound, "files": entry.files,
        "document": entry.document,
    }  # fmt: skip


def _refuse_odd(sort: str, most: str) -> None:
    """Raises UsageError for an order that there is not, and for what is no count."""
    from ichnos.games.catalogues import library

    if sort not in library.ORDERS:
        raise UsageError(f"keys cannot be sorted by {sort!r}", cure=f"choose one: {', '.join(library.ORDERS)}")
    if not most.isdecimal() or len(most) > 100:
        raise UsageError(f"{most!r} is no count", cure="write a whole number: --most 100, or --most 0 for all")


def _refuse_unknown(category: str | None, profile: str) -> None:
    """Raises UsageError for a category that no key has."""
    from ichnos.games.catalogues import library

    names = library.categories(profile) if category is not None else []
    if category is not None and category not in names:
        raise UsageError(f'no key has the category "{category}"', cure=f"there are: {', '.join(names) or 'none'}")


def _events(names: dict[str, list[str]], words: Sequence[str], *, json: bool, others: bool) -> None:
    """The names that triggers can speak of, those with all of the words; ``others``: options that say nothing here."""
    if others:
        raise UsageError("--events goes with words and --json alone", cure="leave the others out")
    fitting = {
        field: [name for name in known if all(word.lower() in name.lower() for word in words)]
        for field, known in names.items()
    }
    if json:
        show.as_json(fitting)
    elif any(fitting.values()):
        show.columns(["field", "name"], [[field, name] for field, known in fitting.items() for name in known])
    else:
        has = "None fits." if names else "The game's profile names no document that lists them."
        show.say(has, err=True)
        raise typer.Exit(1)


def _csv(entries: list[Entry]) -> None:
    import csv
    import io

    names = ["key", "category", "takes", "mentions", "seconds", "peak-dbfs", "sound", "files", "document"]
    table = io.StringIO()
    writer = csv.DictWriter(table, names, lineterminator="\n")
    writer.writeheader()
    writer.writerows({**_plain(entry), "files": " ".join(entry.files)} for entry in entries)
    show.say(table.getvalue(), end="")


def _table(entries: list[Entry]) -> None:
    rows = [
        [
            entry.key,
            entry.category or "",
            str(len(entry.files)),
            "" if entry.mentions is None else str(entry.mentions),
            "locked" if entry.seconds is None else f"{entry.seconds:.1f} s",
            "" if entry.peak is None else f"{entry.peak:z.1f} dBFS",
            entry.files[0] if entry.files else "",
        ]
        for entry in entries
    ]
    show.columns(["key", "category", "takes>", "mentions>", "length>", "peak>", "file"], rows)
