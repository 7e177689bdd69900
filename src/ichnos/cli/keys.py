"""``keys``: what sound keys a game has."""

from __future__ import annotations

import csv
import sys
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Forgiving, Json, WorkspaceFolder, app
from ichnos.errors import WrongCall

if TYPE_CHECKING:
    from ichnos.games.catalogues.catalogue import Catalogue, Entry

keys = typer.Typer(cls=Forgiving.to("search"), rich_markup_mode=None)
app.add_typer(
    keys,
    name="keys",
    short_help="Search a game's sound keys, or harvest.",
    help="Search a game's sound keys: ichnos keys WORDS. Read them from the game first: ichnos keys harvest.",
    epilog="Examples: ichnos keys bell near --game tarnlight, ichnos keys harvest ~/games/Tarnlight --game tarnlight",
)

Game = Annotated[
    str | None,
    typer.Option("--game", "-g", help="A bundled game or a profile's folder.", show_default="the workspace's"),
]


class Order(StrEnum):
    """How keys are sorted."""

    best = "best"
    used = "used"
    length = "length"
    name = "name"


@keys.command(epilog="Example: ichnos keys harvest ~/games/Tarnlight --game tarnlight")
def harvest(
    source: Annotated[Path, typer.Argument(help="Where the game is installed: a folder, or a zip archive.")],
    game: Game = None,
    workspace: WorkspaceFolder = Path(),
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Read everything, and keep nothing.")] = False,
    json: Json = False,
) -> None:
    """Read a game's own definitions, and keep the catalogue of its keys."""
    from ichnos.games.catalogues import kept
    from ichnos.games.profiles import profile

    game = game or _workspace_fields(workspace)[0]
    found = profile.load(profile.find(game))
    result = _read(game, source)
    name = found.rules.game.name
    readable = sum(1 for sound in result.sounds if sound is not None)
    if not dry_run:
        kept.save(name, result)
    if json:
        values = {
            "game": name,
            "keys": len(result.keys),
            "readable": readable,
            "strays": result.strays,
            "notes": result.notes,
        }
        show.as_json({**values, "path": None if dry_run else str(kept.path_of(name))})
        return
    print(f"{found.rules.game.title} has {show.counted(len(result.keys), 'sound key')}.")
    print(f"The originals of {readable} could be read; of the others the names are known.")
    for note in result.notes:
        print(f"Note: {note}")
    if not dry_run:
        print(f"Kept in {kept.path_of(name)}")


@keys.command(epilog="Example: ichnos keys bell distant --game tarnlight --sort used")
def search(
    words: Annotated[list[str] | None, typer.Argument(help="Words in any order; a slip in one is forgiven.")] = None,
    game: Game = None,
    category: Annotated[str | None, typer.Option("--category", "-c", help="Only keys of this category.")] = None,
    sort: Annotated[
        Order, typer.Option(help="used: the rarely used first, for games where one must be given up.")
    ] = Order.best,
    most: Annotated[int, typer.Option(min=0, help="How many to show; 0 shows all.")] = 40,
    workspace: WorkspaceFolder = Path(),
    json: Json = False,
    as_csv: Annotated[bool, typer.Option("--csv", help="Print a CSV table.")] = False,
) -> None:
    """Search the keys that a game has."""
    from ichnos.games.catalogues.search import search as look_up

    catalogue = _catalogue(game, workspace)
    found = look_up(catalogue.keys, catalogue.categories, words or [])
    if category is not None:
        _need_category(catalogue, category)
        found = [index for index in found if catalogue.categories[index] == category]
    columns: dict[Order, Any] = {
        Order.used: lambda index: (catalogue.mentions[index] is None, catalogue.mentions[index], catalogue.keys[index]),
        Order.length: lambda index: (catalogue.seconds[index] is None, catalogue.seconds[index], catalogue.keys[index]),
        Order.name: lambda index: catalogue.keys[index],
    }
    if sort in columns:
        found = sorted(found, key=columns[sort])
    shown = [catalogue.at(index) for index in (found[:most] if most else found)]
    if json:
        show.as_json([_plain(entry) for entry in shown])
    elif as_csv:
        writer = csv.DictWriter(sys.stdout, list(_plain(catalogue.at(0))), lineterminator="\n")
        writer.writeheader()
        writer.writerows({**_plain(entry), "files": " ".join(entry.files)} for entry in shown)
    elif shown:
        _table(shown)
    if len(found) > len(shown):
        typer.echo(f"{len(found) - len(shown):,} more: --most 0 shows all", err=True)
    if not found:
        typer.echo("No key fits.", err=True)
        raise typer.Exit(1)


def _plain(entry: Entry) -> dict[str, Any]:
    return {
        "key": entry.key, "category": entry.category, "takes": len(entry.files), "mentions": entry.mentions,
        "seconds": entry.seconds, "peak-dbfs": entry.peak, "sound": entry.sound, "files": list(entry.files),
    }  # fmt: skip


def _table(entries: list[Entry]) -> None:
    from rich.table import Table

    table = Table(box=None, pad_edge=False, header_style="bold")
    for name, justify in (("key", "left"), ("category", "left"), ("takes", "right"), ("used", "right")):
        table.add_column(name, justify=justify, no_wrap=name == "key")  # type: ignore[arg-type]
    table.add_column("length", justify="right")
    table.add_column("peak", justify="right")
    table.add_column("file", overflow="ellipsis", no_wrap=True, style="dim")
    for entry in entries:
        table.add_row(
            entry.key,
            entry.category or "",
            str(len(entry.files)),
            "" if entry.mentions is None else str(entry.mentions),
            "locked" if entry.seconds is None else f"{entry.seconds:.1f} s",
            "" if entry.peak is None else f"{entry.peak:.1f} dBFS",
            entry.files[0] if entry.files else "",
        )
    show.console(tables=True).print(table)


def _need_category(catalogue: Catalogue, category: str) -> None:
    known = sorted({name for name in catalogue.categories if name})
    if category not in known:
        raise WrongCall(f'no key has the category "{category}"', cure=f"there are: {', '.join(known) or 'none'}")


def _workspace_fields(start: Path) -> tuple[str, Path | None]:
    """The game and the installation that a workspace names."""
    from ichnos.documents.toml import TomlFile
    from ichnos.pack.workspace.workspace import FILE_NAME, find_folder

    folder = find_folder(start)
    fields = TomlFile((folder / FILE_NAME).read_bytes(), FILE_NAME).values
    game, installation = str(fields.get("game", "")), fields.get("installation")
    is_path = (folder / game / "game.toml").is_file()
    return str(folder / game) if is_path else game, (folder / installation).resolve() if isinstance(
        installation, str
    ) else None


def _catalogue(game: str | None, workspace: Path) -> Catalogue:
    """The kept catalogue of a game, made afresh where the game has changed since."""
    from ichnos.games.catalogues import kept

    installation = None
    if game is None:
        game, installation = _workspace_fields(workspace)
    catalogue = kept.load(game)
    name = game
    if catalogue is None:
        from ichnos.games.profiles import profile

        name = profile.load(profile.find(game)).rules.game.name
        catalogue = kept.load(name)
    if catalogue is None and installation is None:
        raise WrongCall(
            f"the keys of {name} are not known yet",
            cure=f"read them from the game: ichnos keys harvest FOLDER --game {game}",
        )
    if catalogue is not None and kept.is_fresh(catalogue):
        return catalogue
    source = Path(catalogue.source) if catalogue is not None else installation
    if catalogue is not None and source is not None and not source.exists():
        typer.echo(f"{source} is gone: these are the keys that it had.", err=True)
        return catalogue
    assert source is not None
    typer.echo("The game has changed: its keys are read again." if catalogue else f"Reading {source}.", err=True)
    fresh = _read(game, source)
    kept.save(name, fresh)
    return fresh


def _read(game: str, source: Path) -> Catalogue:
    from ichnos.games.catalogues.harvest import harvest as read_keys
    from ichnos.games.profiles import profile

    found = profile.load(profile.find(game))
    with show.progress("reading", None) as advance:
        return read_keys(found, source, lambda _: advance(1))
