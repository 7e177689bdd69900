"""``games``: which games there are, what each needs, and whether a profile is sound."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import Forgiving, Json, Program, app, examples
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    from ichnos.games.explain import Explained

games = Program(cls=Forgiving.to("list"), rich_markup_mode=None)
app.add_typer(
    games,
    name="games",
    short_help="List, show and check game profiles.",
    help="The games that packs can be made for. Without a command, they are listed.",
    epilog=examples("ichnos games", "ichnos games show ombervale", "ichnos games check my-game/"),
)

GameArgument = Annotated[str, typer.Argument(help="A bundled game's name, or a profile's folder.", metavar="GAME")]


@games.command("list", epilog=examples("ichnos games"))
def list_games(json: Json = False) -> None:
    """List the games that ship with Ichnos."""
    from ichnos.games.profiles import loading, profile

    found = [loading.load(profile.BUNDLED / name).rules.game for name in profile.bundled_names()]
    if json:
        show.as_json([game.model_dump(mode="json", by_alias=True) for game in found])
        return
    width = max(len(game.name) for game in found)
    for game in found:
        show.say(f"{game.name:<{width}}  {game.title}: {game.summary}")


@games.command("show", epilog=examples("ichnos games show ombervale"))
def show_game(game: GameArgument, json: Json = False) -> None:
    """Say in plain words what a game needs."""
    from rich.text import Text

    from ichnos.games.description import describe
    from ichnos.games.profiles import loading, profile

    found = loading.load(profile.find(game))
    if json:
        show.as_json(found.rules.model_dump(mode="json", by_alias=True))
        return
    out = show.console()
    out.print(Text.assemble((found.rules.game.title, "bold"), f": {found.rules.game.summary}"))
    for name, text in describe(found):
        out.print(f"  {name:<12} {text}")


@games.command("check", epilog=examples("ichnos games check my-game/"))
def check_game(
    game: GameArgument,
    sample: Annotated[bool, typer.Option("--sample", help="Show each document filled with a made-up pack.")] = False,
    json: Json = False,
) -> None:
    """Check a game profile and explain it: what repeats for what, filled with a made-up pack and read back."""
    from dataclasses import asdict

    from ichnos.games import explain
    from ichnos.games.profiles import loading, profile

    found = loading.load(profile.find(game))
    explained = list(explain.explain(found))
    fault: IchnosError | None = None
    try:
        explain.check_scripts(found)
    except IchnosError as error:
        fault = error
    if json:
        show.as_json(
            {
                "game": found.rules.game.name,
                "documents": [asdict(one) for one in explained],
                "scripts": str(fault) if fault else None,
            }
        )
    else:
        for one in explained:
            _print_explained(one, sample)
        if fault is None:
            bad = sum(1 for one in explained if one.fault)
            verdict = (
                f"{show.counted(bad, 'document')} of {len(explained)} do not come back the same"
                if bad
                else "the profile is sound"
            )
            show.say(f"{found.rules.game.title}: {verdict}.")
    if fault is not None:
        raise fault
    if any(one.fault for one in explained):
        raise typer.Exit(1)


def _print_explained(one: Explained, sample: bool) -> None:
    from rich.text import Text

    out = show.console()
    out.print(Text.assemble((one.path, "bold"), (f"  {one.format}, {one.mode}", "dim")))
    for scope, line, text in one.units:
        where = f"line {line}: {text}" if line else "the file itself"
        out.print(Text.assemble("  for each ", (scope, "cyan"), "  ", where))
    if sample and one.sample:
        for line_text in one.sample.splitlines():
            out.print(Text(f"  | {line_text}", "dim"))
    if one.fault:
        out.print(Text.assemble(("  fault: ", "bold red"), one.fault))
    else:
        out.print(Text.assemble(("  filled, read back, merged: the same", "green")))
