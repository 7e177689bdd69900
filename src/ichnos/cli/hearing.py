"""``heard``, ``loop`` and ``split``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, app
from ichnos.errors import IchnosError, WrongCall

if TYPE_CHECKING:
    from ichnos.audio.files.loops import Near, Seam
    from ichnos.audio.measure.audibility import Heard, Lift

Clip = Annotated[Path, typer.Argument(metavar="CLIP", help="The clip.")]
Picture = Annotated[Path | None, typer.Option(metavar="FILE.png", help="Draw it.")]


def _there(path: Path) -> Path:
    from ichnos.audio.process import exports

    if path.is_dir():
        raise WrongCall(f"{path} is a folder", cure="name one clip")
    return exports.found([path])[0][0]


@app.command(
    short_help="Is a clip heard over the game's own mix?",
    epilog="Example: ichnos heard clips/gull.ogg --bed storm-recording.wav --wish 6 --picture heard.png",
)
def heard(
    clip: Clip,
    bed: Annotated[Path, typer.Option(metavar="FILE", help="A recording of the game's own mix, without the clip.")],
    wish: Annotated[float, typer.Option(metavar="DB", help="By how much the clip should stand out.")] = 6.0,
    picture: Picture = None,
    json: Json = False,
) -> None:
    """How much of a clip stands out of the game's own mix, and the least EQ and gain that would lift it.

    The bed must be recorded at the level at which the game plays it. Exit code 1: the clip stands out
    less than wished.
    """
    from ichnos.audio.measure import audibility as hearing

    clip, bed = _there(clip), _there(bed)
    with show.progress("listening", None) as advance:
        clip_levels = hearing.levels(clip, advance)
        cover = hearing.covered(hearing.levels(bed, advance))
        found = hearing.compare(clip_levels, cover)
        lift = hearing.lift(clip_levels, cover, wish) if found.stands_out < wish else None
        proved = hearing.compare(hearing.levels_of_treated(clip, lift.steps), cover) if lift else None
    if picture is not None:
        from ichnos.audio.drawing import draw_heard
        from ichnos.files.writing import fresh

        with fresh(picture) as beside:
            draw_heard(found, clip.name, bed.name, beside)
    if json:
        show.as_json(_heard_json(found, lift, proved, wish))
    else:
        _print_heard(found, lift, proved, wish)
    if picture is not None:
        typer.echo(f"{picture} is drawn.", err=True)
    if lift is not None:
        raise typer.Exit(1)


def _heard_json(found: Heard, lift: Lift | None, proved: Heard | None, wish: float) -> dict[str, Any]:
    return {
        "stands-out-db": round(found.stands_out, 2),
        "heard-share": round(found.share, 4),
        "wish-db": wish,
        "bands": [{"hz": round(hz, 1), "db": round(db, 2)} for hz, db in found.best_bands(len(found.hz))],
        "curve-db": [round(value, 2) for value in found.curve.tolist()],
        "curve-step-seconds": found.hop,
        "lift": None
        if lift is None
        else {
            "steps": [step.model_dump(by_alias=True) for step in lift.steps],
            "enough": lift.enough,
            "stands-out-db": None if proved is None else round(proved.stands_out, 2),
        },
    }


def _print_heard(found: Heard, lift: Lift | None, proved: Heard | None, wish: float) -> None:
    from rich.text import Text

    from ichnos.audio.measure import audibility as hearing

    out = show.console()
    style = "bold green" if lift is None else "bold yellow" if found.stands_out >= 0 else "bold red"
    out.print(Text.assemble("It ", (str(found), style), f"; wished: {wish:+g} dB."))
    best = ", ".join(f"{hz:.0f} Hz ({db:+.0f} dB)" for hz, db in found.best_bands())
    most = "It stands out most" if found.stands_out >= 0 else "It comes nearest to being heard"
    out.print(f"{most} around {best}.")
    if lift is not None and proved is not None:
        steps = ", ".join(map(str, lift.steps))
        out.print(f"The least change found: {steps}.")
        out.print(f"Measured with it, it {proved}.")
        if proved.stands_out < wish - 1:
            out.print(
                f"That is less than wished: more than {hearing.MOST_GAIN:g} dB of gain and {hearing.MOST_EQ:g} dB of EQ"
                " is not proposed, and peaks stay below -1 dBTP. Take a louder or a brighter clip."
            )
        words = " ".join(_as_options(lift))
        out.print(Text(f"To do it: ichnos treat CLIP --to FOLDER {words}", "dim"))
    out.print(
        Text(
            "The model: masking in third-octave bands, 20 times a second, against the level that the bed passes a tenth"
            " of the time. It ignores direction, distance, echo, what comes shortly before and after, and how striking"
            " the sound is.",
            "dim",
        )
    )


def _as_options(lift: Lift) -> list[str]:
    words = []
    for step in lift.steps:
        fields = step.model_dump()
        name = fields.pop("step")
        words += [f"--{name}", ":".join(f"{value:g}" for value in fields.values())]
    return words


@app.command(
    short_help="Measure a loop's seam, find a better one, mark it, fade it.",
    epilog="Example: ichnos loop clips/wind.wav --better, or: ichnos loop clips/wind.wav --fade 0.5 --to wind-loop.wav",
)
def loop(
    clip: Clip,
    start: Annotated[int | None, typer.Option(metavar="FRAME", min=0, help="The first frame, counted from 0.")] = None,
    end: Annotated[int | None, typer.Option(metavar="FRAME", min=1, help="The last frame, played too.")] = None,
    better: Annotated[
        bool, typer.Option("--better", help="Look for better points near these, and take the best.")
    ] = False,
    within: Annotated[float, typer.Option(metavar="SECONDS", min=0, help="With --better: how far to look.")] = 0.5,
    fade: Annotated[
        float | None,
        typer.Option(metavar="SECONDS", min=0.001, help="Fade the end into the beginning: no seam is left."),
    ] = None,
    to: Annotated[Path | None, typer.Option(metavar="FILE.wav", help="Write the clip with the loop marked.")] = None,
    game: Annotated[
        str | None, typer.Option("--game", "-g", help="Whose way of marking loops counts, where it is comments.")
    ] = None,
    marks: Annotated[str, typer.Option(metavar="smpl|cue|both", help="The chunks that mark it.")] = "smpl",
    replace: Annotated[bool, typer.Option("--replace", help="Replace the file if it is there already.")] = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Measure the seam of a loop: the one that the clip marks, the one you say, or the whole clip.

    Exit code 1: the seam would be heard.
    """
    from ichnos.audio.files.loops import Near

    clip = _there(clip)
    if marks not in ("smpl", "cue", "both"):
        raise WrongCall(f"there are no marks {marks!r}", cure="choose smpl, cue or both")
    if fade is not None and (better or start is not None or end is not None):
        raise WrongCall("a fade makes the whole clip the loop", cure="leave out --start, --end and --better")
    if fade is not None and to is None:
        raise WrongCall("where is the faded loop to go?", cure="say --to FILE.wav")
    if to is not None:
        _refuse(clip, to, replacing=replace)
    from ichnos.audio.measure import remarks as verdict

    judge = verdict.judge_for(game, None, None)
    marking = judge.marking if judge else None
    given = None
    if start is not None or end is not None:
        plain = Near(clip, marking=marking)
        given = (start if start is not None else plain.loop[0], end if end is not None else plain.loop[1])
    near = Near(clip, given, within if better else 0.0, marking)
    chosen, seam = near.loop, near.seam()
    said: dict[str, Any] = {"loop": _as_json(chosen, seam)}
    if not json:
        _print_seam("The loop", near, chosen, seam)
    if better:
        chosen, seam = _better(near, seam, said, json)
    if to is not None and dry_run:
        said["dry-run"] = True
        if not json:
            print(f"would write {to}, frame {chosen[0]} to {chosen[1]} marked as the loop")
    elif to is not None:
        seam = _write(near, to, marks, chosen, fade)
        said["written"] = str(to)
        if not json:
            print(f"{to} is written, the loop marked{'' if fade is None else ', its end faded into its beginning'}.")
            written = Near(to)
            _print_seam("There the loop", written, written.loop, seam)
    if json:
        show.as_json({**said, "heard": seam.heard})
    if seam.heard:
        raise typer.Exit(1)


def _as_json(loop: tuple[int, int], seam: Seam) -> dict[str, Any]:
    return {
        "first": loop[0],
        "last": loop[1],
        "step": round(seam.step, 3),
        "slope": round(seam.slope, 3),
        "level-db": round(seam.level_db, 2),
        "heard": seam.heard,
    }


def _print_seam(what: str, near: Near, loop: tuple[int, int], seam: Seam) -> None:
    from rich.text import Text

    rate = near.facts.rate
    frames = loop[1] + 1 - loop[0]
    out = show.console()
    verdict = ("its seam would be heard", "bold red") if seam.heard else ("its seam is not heard", "bold green")
    out.print(Text.assemble(f"{what}: frame {loop[0]} to {loop[1]}, {frames} frames, {frames / rate:.3f} s: ", verdict))
    out.print(
        Text(
            f"    at the joint it steps {seam.step:.2f} times and bends {seam.slope:.2f} times as much as the clip"
            f" usually does (2 is too much), and the level changes by {seam.level_db:+.1f} dB",
            "dim",
        )
    )


def _better(near: Near, now: Seam, said: dict[str, Any], json: bool) -> tuple[tuple[int, int], Seam]:
    rated = sorted(
        ((near.seam(loop), loop, likeness) for loop, likeness in list(near.better())[:8]),
        key=lambda one: (one[0].heard, -round(one[2], 2), max(one[0].step, one[0].slope) + abs(one[0].level_db) / 6),
    )
    said["better"] = [{**_as_json(loop, seam), "likeness": round(likeness, 4)} for seam, loop, likeness in rated[:3]]
    if not rated or (rated[0][0].heard and not now.heard):
        if not json:
            print("No better points were found nearby.")
        return near.loop, now
    if not json:
        for seam, loop, likeness in rated[:3]:
            _print_seam(f"Likeness {likeness:.3f}", near, loop, seam)
    return rated[0][1], rated[0][0]


def _refuse(clip: Path, to: Path, *, replacing: bool) -> None:
    if to.suffix.lower() != ".wav":
        raise WrongCall(f"{to} is no WAV", cure="marks of other formats are the game's: the build writes them")
    if to.exists() and to.samefile(clip):
        raise WrongCall(f"{to} would replace the clip itself", cure="choose another name")
    if to.exists() and not replacing:
        raise WrongCall(f"{to} is there already", cure="choose another name, or say --replace")


def _write(near: Near, to: Path, marks: Any, chosen: tuple[int, int], fade: float | None) -> Seam:
    """Write the clip with its loop, and measure the seam that the file has."""
    from ichnos.audio.files.loops import Marking, Near
    from ichnos.audio.process.conversion import Target, convert
    from ichnos.audio.process.treatments import LoopFade
    from ichnos.files.writing import fresh

    facts = near.facts
    codec = "PCM 16" if facts.bits and facts.bits <= 16 else "PCM 24"
    steps = (LoopFade(seconds=fade),) if fade is not None else ()
    marking = Marking(marks, at=None if fade is not None else chosen)
    target = Target("WAV", codec, facts.rate, facts.channels, 0, "mix", steps, marking)
    with fresh(to) as beside, show.progress("writing", facts.seconds) as advance:
        convert(near.path, facts, target, beside, 0, advance)
    return Near(to).seam()


@app.command(
    short_help="Cut a recording with several takes in it at its silences.",
    epilog="Example: ichnos split gulls.wav --to takes --picture takes.png --dry-run",
)
def split(
    clip: Clip,
    to: Annotated[Path, typer.Option(metavar="FOLDER", help="Where the pieces go: NAME-1.wav, NAME-2.wav, ...")],
    threshold: Annotated[
        float, typer.Option(metavar="DBFS", min=-120, max=0, help="Below this it is silence.")
    ] = -45.0,
    gap: Annotated[float, typer.Option(metavar="SECONDS", min=0.01, help="So much silence parts two takes.")] = 0.3,
    shortest: Annotated[float, typer.Option(metavar="SECONDS", min=0, help="What is shorter is left out.")] = 0.08,
    margin: Annotated[float, typer.Option(metavar="SECONDS", min=0, help="Silence that stays around each.")] = 0.03,
    picture: Picture = None,
    replace: Annotated[bool, typer.Option("--replace", help="Replace files that are there already.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show the pieces, and write nothing.")] = False,
    json: Json = False,
) -> None:
    """Cut a recording at its silences into takes, each a WAV of its own with the samples as they are."""
    from ichnos.audio.files import clips as audio_clips
    from ichnos.audio.measure import splitting
    from ichnos.audio.process import exports

    clip = _there(clip)
    with clip.open("rb") as stream:
        facts = audio_clips.facts(stream, clip)
    with show.progress("listening", facts.seconds) as advance:
        pieces = splitting.pieces(clip, threshold, gap, shortest, margin, advance)
    if not pieces:
        raise IchnosError(
            f"nothing in {clip} passes {threshold:g} dBFS for {shortest:g} s", cure="lower --threshold or --shortest"
        )
    if picture is not None:
        from ichnos.audio.drawing import draw_split
        from ichnos.audio.measure.analysis import look
        from ichnos.files.writing import fresh

        with fresh(picture) as beside:
            draw_split(look(clip), [(a / facts.rate, b / facts.rate) for a, b in pieces], clip.name, beside)
        typer.echo(f"{picture} is drawn.", err=True)
    paths = exports.split_names(clip, len(pieces), to)
    if not dry_run:
        with show.progress("writing", sum(b - a for a, b in pieces) / facts.rate) as advance:
            exports.split(clip, pieces, to, advance, replacing=replace)
    if json:
        rows = [
            {"path": str(path), "first": a, "last": b - 1, "seconds": (b - a) / facts.rate}
            for path, (a, b) in zip(paths, pieces, strict=True)
        ]
        show.as_json({"pieces": rows, **({"dry-run": True} if dry_run else {})})
        return
    for path, (first, last) in zip(paths, pieces, strict=True):
        times = f"{first / facts.rate:8.2f} s to {last / facts.rate:8.2f} s, {(last - first) / facts.rate:6.2f} s long"
        print(f"{'would write' if dry_run else 'wrote'} {path}  {times}")
