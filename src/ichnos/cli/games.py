"""``games``: which games there are, what each needs, and whether a profile is sound."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Forgiving, Json, Program, app, examples
from ichnos.cli.encoding import encoded, remark
from ichnos.errors import IchnosError, UsageError

if TYPE_CHECKING:
    from ichnos.games.entries.understanding import Understanding
    from ichnos.games.explain import Explained
    from ichnos.games.profiles.profile import Profile

games = Program(cls=Forgiving.to("list"), rich_markup_mode=None)
app.add_typer(
    games,
    name="games",
    short_help="List, show, check, keep and share profiles.",
    help="The games that packs can be made for. Without a command, they are listed.",
    epilog=examples("ichnos games", "ichnos games show ombervale", "ichnos games check my-game/"),
)

GameArgument = Annotated[str, typer.Argument(help="A game's name, or a profile's folder.", metavar="GAME")]


@games.command("list", epilog=examples("ichnos games"))
def list_games(json: Json = False) -> None:
    """List the games that ship with Ichnos, and those that you have kept."""
    from ichnos.games.profiles import loading, places

    bundled = [loading.load(places.BUNDLED / name).rules for name in places.bundled_names()]
    systems = [loading.load(places.SYSTEMS / name).rules for name in places.system_names()]
    kept, broken = [], []
    for name in places.kept_names():
        try:
            kept.append(loading.load(places.kept_folder() / name).rules)
        except IchnosError as error:
            broken.append((name, error))
    if json:
        show.as_json(
            [
                {**encoded(rules.game), "kept": several is kept, "real": several is systems}
                for several in (bundled, systems, kept)
                for rules in several
            ]
        )
        return
    width = max(len(rules.game.name) for rules in (*bundled, *systems, *kept))
    show.say("Made-up games, to try Ichnos with:")
    for rules in bundled:
        show.say(f"{rules.game.name:<{width}}  {rules.game.title}: {rules.game.summary}")
    show.say("\nReal ones:")
    for rules in systems:
        show.say(f"{rules.game.name:<{width}}  {rules.game.title}: {rules.game.summary}")
    if kept:
        show.say("\nKept by you:")
    for rules in kept:
        version = f" (profile {rules.profile.version})" if rules.profile.version else ""
        show.say(f"{rules.game.name:<{width}}  {rules.game.title}: {rules.game.summary}{version}")
    for name, fault in broken:
        show.say(f"{name}: {fault}", lead="cannot be read:", err=True, fg="red", bold=True)


@games.command("show", epilog=examples("ichnos games show ombervale"))
def show_game(game: GameArgument, json: Json = False) -> None:
    """Say in plain words what a game needs."""
    from rich.text import Text

    from ichnos.games.description import describe
    from ichnos.games.profiles import loading, profile

    game_profile = loading.load(profile.find(game))
    if json:
        show.as_json(game_profile.rules)
        return
    out = show.console()
    out.print(Text.assemble((game_profile.rules.game.title, "bold"), f": {game_profile.rules.game.summary}"))
    for name, text in describe(game_profile):
        out.print(f"  {name:<12} {text}")


Against = Annotated[
    Path | None,
    typer.Option(metavar="PACK", help="Hold it against a finished pack: how much of that does it understand?"),
]
Harvest = Annotated[
    Path | None, typer.Option(metavar="FOLDER", help="The same of the game itself: where it is installed.")
]


@games.command(
    "check", epilog=examples("ichnos games check my-game/", "ichnos games check my-game/ --against finished-pack/")
)
def check_game(
    game: GameArgument,
    sample: Annotated[bool, typer.Option("--sample", help="Show each document filled with a made-up pack.")] = False,
    against: Against = None,
    harvest: Harvest = None,
    json: Json = False,
) -> None:
    """Check a game profile and explain it: what repeats for what, filled with a made-up pack and read back.

    With --against or --harvest, the exit code is 1 where anything is not understood.
    """

    from ichnos.games import explain
    from ichnos.games.profiles import loading, profile

    loaded = loading.load(profile.find(game))
    if against is not None or harvest is not None:
        if sample:
            raise UsageError("--sample shows a made-up pack", cure="say it without --against and --harvest")
        _check_against(loaded, against, harvest, json=json)
        return
    explained = list(explain.explain(loaded))
    fault: IchnosError | None = None
    try:
        explain.check_scripts(loaded)
    except IchnosError as error:
        fault = error
    bad = sum(1 for document in explained if document.fault)
    if json:
        show.as_json({"game": loaded.rules.game.name, "documents": explained, "scripts": fault})
    else:
        for document in explained:
            _print_explained(document, sample)
        if fault is None:
            of_them = f"{show.counted(bad, 'document')} of {len(explained)} do not come back the same"
            show.say(f"{loaded.rules.game.title}: {of_them if bad else 'the profile is sound'}.")
    if fault is not None:
        raise fault
    if bad:
        raise typer.Exit(1)


_SHOWN = 8  # things of one file that are not understood, where there are more


def _check_against(game_profile: Profile, against: Path | None, harvest: Path | None, *, json: bool) -> None:
    """Say how much of a finished pack, or of the game, a profile understands."""
    from contextlib import closing

    from ichnos.games.entries.understanding import understanding
    from ichnos.games.opening import opened
    from ichnos.games.pristine import game_tree

    results = {}
    if against is not None:
        with closing(opened(game_profile, against)) as files:
            results[str(against)] = understanding(game_profile, files)
    if harvest is not None:
        with closing(game_tree(harvest, game_profile)) as files:
            results[str(harvest)] = understanding(game_profile, files, game=True)
    if json:
        show.as_json({name: _translated(one) for name, one in results.items()})
    else:
        for name, understood in results.items():
            _print_understanding(name, understood)
        if harvest is not None and not results[str(harvest)].documents:
            folder = game_profile.rules.catalogue.folder
            where = f"in {folder}/" if folder else "in the folder itself: [catalogue] folder names no other"
            show.say(f"  None of the profile's documents is there. It looks {where}.")
    if any(result.share < 1 for result in results.values()):
        raise typer.Exit(1)


def _translated(result: Understanding) -> dict[str, Any]:
    return {
        "understood": result.share,
        "documents": [
            {
                "path": each.name,
                "values": each.values,
                "understood": each.known,
                "odd": [remark(place, reason) for place, reason in each.odd],
            }
            for each in (*result.documents, *result.others)
        ],
        "sounds": result.sounds,
        "unnamed": result.unnamed,
    }


def _print_understanding(name: str, understood: Understanding) -> None:
    show.say(f"{name}: {_percent(understood.share)} is understood.", bold=True)
    for each in understood.documents:
        show.say(f"  {each.name}: {each.known:,} of {show.counted(each.values, 'value')}")
        _print_some([f"{place}: {what}" for place, what in each.odd])
    if understood.sounds or understood.unnamed:
        total = understood.sounds + len(understood.unnamed)
        show.say(f"  sounds: {understood.sounds:,} of {total:,} are named or in their place")
        _print_some(understood.unnamed)
    if understood.others:
        show.say("  not spoken of:")
        _print_some([each.name for each in understood.others])


def _percent(share: float) -> str:
    """Never a whole one that is only rounded to it."""
    return "all of it" if share == 1 else f"{int(share * 1000) / 10:g} %"


def _print_some(lines: list[str]) -> None:
    for line in lines[:_SHOWN]:
        show.say(f"    {line}")
    if len(lines) > _SHOWN:
        show.say(f"    and {len(lines) - _SHOWN:,} more")


def _print_explained(explained: Explained, sample: bool) -> None:
    from rich.text import Text

    out = show.console()
    out.print(Text.assemble((explained.path, "bold"), (f"  {explained.format}, {explained.mode}", "dim")))
    for scope, line, text in explained.units:
        where = f"line {line}: {text}" if line else "the file itself"
        out.print(Text.assemble("  for each ", (scope, "cyan"), "  ", where))
    if sample and explained.sample:
        for line_text in explained.sample.splitlines():
            out.print(Text(f"  | {line_text}", "dim"))
    if explained.fault:
        out.print(Text.assemble(("  fault: ", "bold red"), explained.fault))
    else:
        out.print(Text.assemble(("  filled, read back, merged: the same", "green")))
