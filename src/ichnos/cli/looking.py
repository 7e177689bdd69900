"""``look``."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Json, app, examples
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.audio.measure.judging import ClipFinding
    from ichnos.games.suitability import JudgedClip

_MARKS = {True: ("!", "bold red"), False: ("·", "yellow")}


Game = Annotated[str | None, typer.Option("--game", "-g", metavar="GAME", help="Judge them by this game's rules, too.")]
Key = Annotated[str | None, typer.Option(metavar="KEY", help="The sound key that they are for: exceptions may count.")]
Picture = Annotated[Path | None, typer.Option(metavar="FILE.png", help="Draw it: waveform, level over time, spectrum.")]


@app.command(
    short_help="Look at clips: what they are, their level, what is wrong with them.",
    epilog=examples("ichnos look clips/ --game tarnlight", "ichnos look clips/gull.ogg --picture gull.png"),
)
def look(
    clips: Annotated[list[Path], typer.Argument(metavar="CLIP", help="Clips, or folders of them.")],
    game: Game = None,
    key: Key = None,
    category: Annotated[str | None, typer.Option(metavar="NAME", help="The category that they are for.")] = None,
    kind: Annotated[str | None, typer.Option(metavar="NAME", help="The kind of sound that they are for.")] = None,
    picture: Picture = None,
    json: Json = False,
) -> None:
    """Look at clips: real format, levels, clipping, silence, what mono would cost, loop marks, tags.

    One clip is described in full; of several there is a table, the worst first. Exit code 1: a clip that
    cannot be read, or one that would not be heard as meant.
    """
    from ichnos.audio.process import exports
    from ichnos.games import suitability

    named = exports.found(clips)
    if picture is not None and len(named) != 1:
        raise UsageError("a picture shows one clip", cure="name just one")
    if game is None and any(given is not None for given in (key, category, kind)):
        raise UsageError("a key, a category or a kind means something only to a game", cure="say --game GAME")
    judge = suitability.judge_for(game, key, category, kind)
    if judge is not None and not judge.key_checked:
        show.keys_unchecked(judge.title)
    with show.progress("looking", len(named)) as advance:
        seen = suitability.judge_clips([clip for clip, _ in named], judge, lambda: advance(1))
    if picture is not None and seen[0].analysis is not None:
        from ichnos.audio.drawing.clips import draw_look
        from ichnos.files.writing import fresh

        with fresh(picture) as beside:
            draw_look(seen[0].analysis, named[0][0].name, beside)
    if json:
        show.as_json({"clips": [_as_json(judged) for judged in seen]})
    elif len(seen) == 1:
        _in_full(seen[0], judge)
    else:
        _table(seen)
    if picture is not None and seen[0].analysis is not None:
        show.say(f"{picture} is drawn.", err=True)
    if any(one.is_error for one in seen):
        raise typer.Exit(1)


def _in_full(seen: JudgedClip, judge: Any) -> None:
    from rich.text import Text

    from ichnos.audio.measure.judging import describe

    out = show.console()
    out.print(Text(str(seen.clip), "bold"))
    if seen.analysis is not None:
        for name, text in describe(seen.analysis):
            out.print(Text.assemble((f"  {name:<18}", "dim"), text))
    _print_findings(out, seen.findings)
    if seen.becomes:
        out.print(Text(f"For {judge.title}, the build converts it: {', '.join(seen.becomes)}."))
    elif seen.becomes is not None:
        out.print(Text(f"It has the form that {judge.title} reads; the build encodes it again."))
    if not seen.findings:
        out.print(Text("Nothing is wrong with it.", "green"))


def _print_findings(out: Any, findings: list[ClipFinding]) -> None:
    from rich.text import Text

    for finding in findings:
        mark, style = _MARKS[finding.is_error]
        out.print(Text.assemble((mark, style), f" {finding.reason}"))
        out.print(Text(f"    cure: {finding.cure}", "dim"))


def _table(seen: list[JudgedClip]) -> None:
    from rich.table import Table
    from rich.text import Text

    out = show.console(tables=True)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    for name in ("clip", "it is", "length", "LUFS", "true peak", "findings"):
        table.add_column(
            name, justify="right" if name in ("length", "LUFS", "true peak") else "left", header_style="bold"
        )
    for clip in sorted(seen, key=lambda judged: judged.badness, reverse=True):
        text = Text(", ".join(finding.id for finding in clip.findings) or "fine")
        text.stylize("bold red" if clip.is_error else "yellow" if clip.findings else "")
        analysis = clip.analysis
        if analysis is None:
            table.add_row(Text(str(clip.clip)), "", "", "", "", Text(clip.findings[0].reason, "bold red"))
            continue
        facts = analysis.facts
        sides = {1: "mono", 2: "stereo"}.get(facts.channels, f"{facts.channels} ch")
        table.add_row(
            Text(str(clip.clip)),
            f"{facts.kind}, {sides}, {facts.rate / 1000:g} kHz",
            f"{facts.seconds:.1f} s",
            f"{analysis.loudness.level:.1f}" if math.isfinite(analysis.loudness.level) else "silent",
            f"{analysis.true_peak:.1f}" if math.isfinite(analysis.true_peak) else "silent",
            text,
        )
    out.print(table)
    errors = sum(judged.is_error for judged in seen)
    told = sum(bool(judged.findings) for judged in seen)
    out.print(
        f"{show.counted(len(seen), 'clip')}: {errors} would not be heard as meant,"
        f" {told - errors} with minor findings only."
    )
    if told:
        out.print("Name one clip alone to read it in full, with what to do.")


def _as_json(judged: JudgedClip) -> dict[str, Any]:
    about = {"clip": judged.clip, "findings": judged.findings}
    if judged.analysis is None:
        return {**about, "readable": False}
    analysis, facts, sides = judged.analysis, judged.analysis.facts, judged.analysis.sides
    return {
        **about,
        "readable": True,
        **({"build-changes": judged.becomes} if judged.becomes is not None else {}),
        "container": facts.container,
        "claimed": facts.claimed,
        "codec": facts.codec,
        "rate": facts.rate,
        "bits": facts.bits,
        "channels": facts.channels,
        "samples": facts.frames,
        "seconds": facts.seconds,
        "peak-dbfs": analysis.peak,
        "true-peak-dbtp": analysis.true_peak,
        "integrated-lufs": analysis.loudness.integrated,
        "momentary-lufs": analysis.loudness.momentary,
        "clipped-runs": analysis.clipped_runs,
        "clipped-longest-samples": analysis.clipped_longest,
        "clipped-at": analysis.clipped_at,
        "dc-offset": analysis.offset,
        "silence-start": analysis.silent_start,
        "silence-end": analysis.silent_end,
        "stereo": None if sides is None else {"twins": sides.twins, "mono-db": sides.mono_db, "louder": sides.louder},
        "loops": [{"first": first, "last": last} for first, last in analysis.loops],
        "marks": analysis.marks,
        "tags": analysis.tags,
    }
