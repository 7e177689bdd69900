"""``loop``."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, Overwrite, app, examples
from ichnos.cli.encoding import encoded
from ichnos.cli.heard import Clip, Picture
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.audio.measure.seams import Candidate, LoopSeams, Seam

    Drawn = tuple[str, LoopSeams, tuple[int, int]]  # what is drawn: its title, the seams, a loop


Start = Annotated[int | None, typer.Option(metavar="SAMPLE", min=0, help="The first sample, counted from 0.")]
Better = Annotated[bool, typer.Option("--better", help="Look for better points near these, and take the best.")]
Fade = Annotated[
    float | None,
    typer.Option(metavar="SECONDS", min=0.001, help="Fade the end into the beginning: no seam is left."),
]
Game = Annotated[
    str | None,
    typer.Option("--game", "-g", metavar="GAME", help="Whose way of marking loops counts, where it is comments."),
]


@app.command(
    short_help="Measure a loop's seam, find a better one, mark it, fade it.",
    epilog=examples(
        "ichnos loop clips/wind.wav --better --picture seam.png",
        "ichnos loop clips/wind.wav --fade 0.5 --to wind-loop.wav",
    ),
)
def loop(
    clip: Clip,
    start: Start = None,
    end: Annotated[int | None, typer.Option(metavar="SAMPLE", min=1, help="The last sample, played too.")] = None,
    better: Better = False,
    within: Annotated[float, typer.Option(metavar="SECONDS", min=0, help="With --better: how far to look.")] = 0.5,
    fade: Fade = None,
    to: Annotated[Path | None, typer.Option(metavar="FILE.wav", help="Write the clip with the loop marked.")] = None,
    game: Game = None,
    marks: Annotated[str, typer.Option(metavar="smpl|cue|both", help="The chunks that mark it.")] = "smpl",
    picture: Picture = None,
    overwrite: Overwrite = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Measure the seam of a loop: the one that the clip marks, the one you say, or the whole clip.

    Exit code 1: the seam would be heard.
    """
    from ichnos.audio.process import exports

    clip = exports.one_clip(clip)
    _refuse(marks, fade, to, chosen=better or start is not None or end is not None)
    if to is not None:
        exports.refuse_loop_file(clip, to, overwrite=overwrite)
    seams = _seams(clip, start, end, within if better else 0.0, game)
    chosen, seam = seams.loop, seams.seam()
    drawn = [("the loop", seams, chosen)]
    report: dict[str, Any] = {"loop": _as_json(chosen, seam)}
    if not json:
        _print_seam("The loop", seams, chosen, seam)
    if better and (better_loop := _candidates(seams, report, json=json)):
        chosen, seam = better_loop
        drawn.append(("better", seams, chosen))
    if to is not None and dry_run:
        report["dry-run"] = True
        if not json:
            show.say(f"would write {to}, sample {chosen[0]} to {chosen[1]} marked as the loop")
    elif to is not None:
        written = _written(clip, to, marks, chosen, fade, seams.facts.seconds, json=json)
        seam, report["to"] = written.seam(), to
        if fade is not None:
            drawn.append((f"its end faded into its beginning over {fade:g} s", written, written.loop))
    _end(seam, report, drawn, clip, picture, json=json)


def _candidates(seams: LoopSeams, report: dict[str, Any], *, json: bool) -> tuple[tuple[int, int], Seam] | None:
    """The best of the loops that would be smoother, if any; all of them are said."""
    candidates = seams.candidates()[:3]
    report["candidates"] = [{**_as_json(near.loop, near.seam), "likeness": near.likeness} for near in candidates]
    if not json:
        _print_candidates(seams, candidates)
    return (candidates[0].loop, candidates[0].seam) if candidates else None


def _end(
    seam: Seam, report: dict[str, Any], drawn: Sequence[Drawn], clip: Path, picture: Path | None, *, json: bool
) -> None:
    """Draw what is to be drawn, print what has not been printed, and exit with 1 where the seam would be heard."""
    if picture is not None:
        _draw(drawn, clip.name, picture)
    if json:
        show.as_json({**report, "audible": seam.is_audible})
    if seam.is_audible:
        raise typer.Exit(1)


def _refuse(marks: str, fade: float | None, to: Path | None, *, chosen: bool) -> None:
    """Raises UsageError for options that do not go together. ``chosen``: points of the loop are said, or looked for."""
    if marks not in ("smpl", "cue", "both"):
        raise UsageError(f"there are no marks {marks!r}", cure="choose smpl, cue or both")
    if fade is not None and chosen:
        raise UsageError("a fade makes the whole clip the loop", cure="leave out --start, --end and --better")
    if fade is not None and to is None:
        raise UsageError("where is the faded loop to go?", cure="say --to FILE.wav")


def _seams(clip: Path, start: int | None, end: int | None, within: float, game: str | None) -> LoopSeams:
    """The loop that is said, or else that the clip marks, measured."""
    from ichnos.audio.files.clips import open_sound
    from ichnos.audio.measure.seams import LoopSeams
    from ichnos.games import suitability

    judge = suitability.judge_for(game, None, None)
    marking = judge.marking if judge else None
    with open_sound(clip) as sound:
        given = None
        if start is not None or end is not None:
            plain = LoopSeams(sound, marking=marking)
            given = (start if start is not None else plain.loop[0], end if end is not None else plain.loop[1])
        return LoopSeams(sound, given, within, marking)


def _written(
    clip: Path, to: Path, marks: str, loop: tuple[int, int], fade: float | None, seconds: float, *, json: bool
) -> LoopSeams:
    """Write the clip with its loop marked; the loop that is there then."""
    from ichnos.audio.process import exports

    with show.progress("writing", seconds) as advance:
        written = exports.write_loop(clip, to, marks, loop, fade, advance)  # type: ignore[arg-type]
    if not json:
        show.say(f"{to} is written, the loop marked{'' if fade is None else ', its end faded into its beginning'}.")
        _print_seam("There the loop", written, written.loop, written.seam())
    return written


def _draw(drawn: Sequence[Drawn], name: str, picture: Path) -> None:
    from ichnos.audio.drawing.seams import draw_seams
    from ichnos.files.writing import fresh

    with fresh(picture) as beside:
        draw_seams(drawn, name, beside)
    show.say(f"{picture} is drawn.", err=True)


def _print_candidates(seams: LoopSeams, candidates: Sequence[Candidate]) -> None:
    show.say("" if candidates else "No better points were found nearby.\n", end="")
    here = seams.seam().severity
    for candidate in candidates:
        _print_seam("Better", seams, candidate.loop, candidate.seam)
        now, before = 100 * candidate.seam.severity, 100 * here
        was = f"its worst measure is at {now:z.0f} % of its limit, before at {before:z.0f} %"
        show.say(f"    {was}; likeness {candidate.likeness:.2f}", dim=True)


def _as_json(loop: tuple[int, int], seam: Seam) -> dict[str, Any]:
    return {"first": loop[0], "last": loop[1], **encoded(seam), "severity": seam.severity, "audible": seam.is_audible}


def _print_seam(what: str, seams: LoopSeams, loop: tuple[int, int], seam: Seam) -> None:
    from rich.text import Text

    count = loop[1] + 1 - loop[0]
    length = f"sample {loop[0]} to {loop[1]}, {count} samples, {count / seams.facts.rate:.3f} s"
    out = show.console()
    verdict = ("its seam would be heard", "bold red") if seam.is_audible else ("its seam is not heard", "bold green")
    out.print(Text.assemble(f"{what}: {length}: ", verdict))
    heard = [one for one in seam.measures if one.value > one.limit]
    for one in heard:
        out.print(
            Text(f"    {_NAMES[one.what]}: {_amount(one.value, one.unit)}, more than {_amount(one.limit, one.unit)}")
        )
    rest = [f"{_NAMES[one.what]} {_amount(one.value, one.unit)}" for one in seam.measures if one not in heard]
    out.print(Text(f"    not heard: {', '.join(rest)}" if rest else "", "dim"))


# What is measured at a joint, for people.
_NAMES = {
    "click": "click", "bend": "bend", "pause": "pause", "level": "step in level", "timbre": "change of timbre",
    "pitch": "jump in pitch", "place": "jump in place", "width": "change of width", "beat": "off the beat by",
}  # fmt: skip


def _amount(value: float, unit: str) -> str:
    digits = 0 if unit in ("ms", "cents") else 1 if unit else 2
    return f"{value:z.{digits}f} {unit}".rstrip()
