"""``compare``: two packs, or a pack and the game, by what they say and how they sound."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import Json, app, examples

if TYPE_CHECKING:
    from ichnos.documents.tree import Value
    from ichnos.games.opening import Opened
    from ichnos.review.comparing import Change, Compared

_MOST = 200  # values of one thing that are printed
_SIGNS = {"added": "+", "removed": "-", "changed": "~"}
_COLOURS = {"added": "green", "removed": "red", "changed": "cyan"}


@app.command(
    short_help="Hold two packs against each other.",
    epilog=examples(
        "ichnos compare old.lampbox new.lampbox",
        "ichnos compare build/storm-watch-0.1.0.lampbox ~/games/Tarnlight --game tarnlight",
    ),
)
def compare(
    before: Annotated[Path, typer.Argument(metavar="A", help="A pack's folder or archive, or an installed game.")],
    after: Annotated[Path, typer.Argument(metavar="B", help="The other one.")],
    game: Annotated[
        str | None,
        typer.Option("--game", "-g", metavar="GAME", help="Which game they are for.", show_default="the one that fits"),
    ] = None,
    json: Json = False,
) -> None:
    """Hold two packs against each other, or a pack and the game: keys, values, sounds.

    Sounds are decoded: the same samples in another file are the same sound. Against a game, only the pack's own
    keys are looked at. The exit code is 1 where anything differs.
    """
    from ichnos.cli.encoding import remark
    from ichnos.games.opening import recognised
    from ichnos.review import comparing

    sides = [recognised(path, game) for path in (before, after)]
    total = sum(1 for name in sides[0].files.names() if name.lower().endswith((".ogg", ".wav", ".flac")))
    with show.progress("listening", total) as advance:
        compared = comparing.compare(sides[0], sides[1], advance)
    for side in sides:
        side.files.close()
    if json:
        show.as_json(
            {
                "games": [side.profile.rules.game.name for side in sides],
                "same": compared.same,
                "sounds": compared.sounds,
                "identical": compared.identical,
                "left-out": compared.left_out,
                "changes": compared.changes,
                "unread": compared.unread,
                "not-understood": [remark(place, reason) for place, reason in compared.not_understood],
            }
        )
    else:
        _print(sides, compared)
    if compared.changes or compared.unread or compared.not_understood:
        raise typer.Exit(1)


def _print(sides: list[Opened], compared: Compared) -> None:
    from rich.text import Text

    out = show.console()
    for sign, side in zip("-+", sides, strict=True):
        what = "the game" if side.is_game else show.counted(len(side.reading.definitions.sounds), "key")
        out.print(
            Text.assemble((f"{sign} ", "dim"), f"{side.path}", (f"  {side.profile.rules.game.title}, {what}", "dim"))
        )
    print_changes(compared.changes)
    for error in compared.unread:
        show.say(error, lead="not decoded:", fg="red", bold=True)
    for place, what in compared.not_understood:
        show.say(f"{place}: {what}", lead="not understood:", fg="red", bold=True)
    differ = len({(change.of, change.name) for change in compared.changes})
    verdict = f"{differ} differ{'s' if differ == 1 else ''}, {compared.same} are alike" if differ else agreed(compared)
    show.say(f"{verdict}. {heard(compared)}")
    if compared.left_out:
        show.say(f"The game has {show.counted(compared.left_out, 'other key')}.")


def print_changes(changes: Sequence[Change]) -> None:
    """Print differences, those of one thing below each other."""
    from rich.text import Text

    out = show.console()
    for (of, name), group in groupby(changes, lambda change: (change.of, change.name)):
        alike = list(group)
        what = alike[0].what
        out.print(Text.assemble((f"{_SIGNS[what]} ", _COLOURS[what]), (of, "dim"), f" {name}" if name else ""))
        values = [change for change in alike if change.field is not None]
        for change in values[:_MOST]:
            _print_value(change)
        if len(values) > _MOST:
            out.print(Text(f"    and {len(values) - _MOST:,} more: compare --json has them all", "dim"))


def _print_value(change: Change) -> None:
    from rich.text import Text

    pair = (_shown(change.before), "  becomes  ", _shown(change.after))
    show.console().print(Text.assemble((f"    {change.field}: ", "dim"), *pair))


def agreed(compared: Compared) -> str:
    """That two packs are the same, in a sentence without its stop."""
    return f"Nothing differs: {compared.same} are alike" if compared.same else "Nothing differs"


def heard(compared: Compared) -> str:
    """How many sound files were held against each other, in a sentence."""
    if not compared.sounds:
        return "No sound files were held against each other."
    same = "all" if compared.identical == compared.sounds else compared.identical or "none"
    return f"Of {show.counted(compared.sounds, 'sound file')} {same} are the same byte for byte."


def _shown(value: Value) -> str:
    from ichnos.documents.tree import spelled

    return "nothing" if value is None else spelled(value)
