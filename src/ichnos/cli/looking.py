"""``look``."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import app
from ichnos.errors import WrongCall

if TYPE_CHECKING:
    from ichnos.audio.measure.analysis import Looked
    from ichnos.audio.measure.remarks import Remark, Seen

_MARKS = {True: ("!", "bold red"), False: ("·", "yellow")}


@app.command(
    short_help="Look at clips: what they are, their level, what is wrong with them.",
    epilog="Example: ichnos look clips/ --game tarnlight, or: ichnos look clips/gull.ogg --picture gull.png",
)
def look(
    clips: Annotated[list[Path], typer.Argument(metavar="CLIP", help="Clips, or folders of them.")],
    game: Annotated[str | None, typer.Option("--game", "-g", help="Judge them by this game's rules, too.")] = None,
    key: Annotated[str | None, typer.Option(help="The sound key that they are for: exceptions may count.")] = None,
    category: Annotated[str | None, typer.Option(help="The category that they are for.")] = None,
    picture: Annotated[
        Path | None, typer.Option(metavar="FILE.png", help="Draw it: waveform, level over time, spectrum.")
    ] = None,
    json: Annotated[bool, typer.Option("--json", help="Print the result as JSON.")] = False,
) -> None:
    """Look at clips: real format, levels, clipping, silence, what mono would cost, loop marks, tags.

    One clip is told in full; of several there is a table, the worst first. Exit code 1: a clip that
    cannot be read, or one that would not be heard as meant.
    """
    from ichnos.audio.measure import remarks as verdict
    from ichnos.audio.process import exports

    found = exports.found(clips)
    if picture is not None and len(found) != 1:
        raise WrongCall("a picture shows one clip", cure="name just one")
    if game is None and (key is not None or category is not None):
        raise WrongCall("a key or a category means something only to a game", cure="say --game GAME")
    judge = verdict.judge_for(game, key, category)
    if judge is not None and not judge.key_checked:
        show.keys_unchecked(judge.title)
    with show.progress("looking", len(found)) as advance:
        seen = verdict.look_at([clip for clip, _ in found], judge, lambda: advance(1))
    if picture is not None and seen[0].looked is not None:
        from ichnos.audio.drawing import draw_look
        from ichnos.files.writing import fresh

        with fresh(picture) as beside:
            draw_look(seen[0].looked, found[0][0].name, beside)
    if json:
        show.as_json({"clips": [one.as_json() for one in seen]})
    elif len(seen) == 1:
        _in_full(seen[0], judge)
    else:
        _table(seen)
    if picture is not None and seen[0].looked is not None:
        typer.echo(f"{picture} is drawn.", err=True)
    if any(one.grave for one in seen):
        raise typer.Exit(1)


def _level(value: float, unit: str) -> str:
    return "silent" if math.isinf(value) else f"{value:.1f} {unit}"


def _facts(looked: Looked) -> list[tuple[str, str]]:
    facts, loudness = looked.facts, looked.loudness
    name = "loudness" if loudness.integrated is not None else "loudness (one short block)"
    lines = [
        ("it is", facts.kind),
        ("its name says", facts.claimed or "nothing that is known"),
        ("rate", f"{facts.rate} Hz"),
        ("bits", str(facts.bits) if facts.bits else "none: it is not coded in whole numbers"),
        ("channels", {1: "1 (mono)", 2: "2 (stereo)"}.get(facts.channels, str(facts.channels))),
        ("length", f"{'about ' if facts.from_video else ''}{facts.seconds:.3f} s, {facts.frames} frames"),
        ("sample peak", _level(looked.peak, "dBFS")),
        ("true peak", _level(looked.true_peak, "dBTP")),
        (name, _level(loudness.level, "LUFS") + f"; momentary maximum {_level(loudness.momentary, 'LUFS')}"),
        (
            "clipped runs",
            f"{looked.clipped_runs}, the longest {looked.clipped_longest} frames" if looked.clipped_runs else "none",
        ),
        ("DC offset", f"{100 * looked.offset:+.3f} % of full scale"),
        ("silence", f"{looked.silent_start:.2f} s at the start, {looked.silent_end:.2f} s at the end"),
    ]
    if looked.sides is not None:
        sides = looked.sides
        cost = "everything" if math.isinf(sides.mono_db) else f"{max(0.0, -sides.mono_db):.1f} dB"
        lines.append(("stereo", "the same channel twice" if sides.twins else "two different sides"))
        lines.append(("mono would cost", f"{cost} (3 dB is usual where the sides have nothing in common)"))
    lines.append(("loop marks", ", ".join(f"frame {a} to {b}" for a, b in looked.loops) or "none"))
    lines += [(f"tag: {name}", text) for name, text in looked.tags.items()]
    return lines


def _in_full(seen: Seen, judge: Any) -> None:
    from rich.text import Text

    out = show.console()
    out.print(Text(str(seen.clip), "bold"))
    if seen.looked is not None:
        for name, text in _facts(seen.looked):
            out.print(Text.assemble((f"  {name:<18}", "dim"), text))
    _print_remarks(out, seen.remarks)
    if seen.looked is not None and judge is not None and not seen.unfit:
        out.print(Text(f"It can be used in {judge.title} as it is.", "green"))
    elif not seen.remarks:
        out.print(Text("Nothing is wrong with it.", "green"))


def _print_remarks(out: Any, remarks: list[Remark]) -> None:
    from rich.text import Text

    for remark in remarks:
        mark, style = _MARKS[remark.grave]
        out.print(Text.assemble((mark, style), f" {remark.text}"))
        out.print(Text(f"    to do: {remark.cure}", "dim"))


def _table(seen: list[Seen]) -> None:
    from rich.table import Table
    from rich.text import Text

    out = show.console(tables=True)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    for name in ("clip", "it is", "length", "LUFS", "true peak", "what is to be said"):
        table.add_column(
            name, justify="right" if name in ("length", "LUFS", "true peak") else "left", header_style="bold"
        )
    for one in sorted(seen, key=lambda one: one.badness, reverse=True):
        said = Text(", ".join(remark.id for remark in one.remarks) or "fine")
        said.stylize("bold red" if one.grave else "yellow" if one.remarks else "green")
        looked = one.looked
        if looked is None:
            table.add_row(Text(str(one.clip)), "", "", "", "", Text(one.remarks[0].text, "bold red"))
            continue
        facts = looked.facts
        sides = {1: "mono", 2: "stereo"}.get(facts.channels, f"{facts.channels} ch")
        table.add_row(
            Text(str(one.clip)),
            f"{facts.kind}, {sides}, {facts.rate / 1000:g} kHz",
            f"{facts.seconds:.1f} s",
            f"{looked.loudness.level:.1f}" if math.isfinite(looked.loudness.level) else "silent",
            f"{looked.true_peak:.1f}" if math.isfinite(looked.true_peak) else "silent",
            said,
        )
    out.print(table)
    grave = sum(one.grave for one in seen)
    told = sum(bool(one.remarks) for one in seen)
    out.print(f"{show.counted(len(seen), 'clip')}: {grave} would not be heard as meant, {told - grave} with a remark.")
    if told:
        out.print("Name one clip alone to read it in full, with what to do.")
