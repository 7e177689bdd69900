"""``heard``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Json, app, examples

if TYPE_CHECKING:
    from ichnos.audio.measure.audibility import Audibility
    from ichnos.audio.process.lifting import Lift

Clip = Annotated[Path, typer.Argument(metavar="CLIP", help="The clip.")]
Picture = Annotated[Path | None, typer.Option(metavar="FILE.png", help="Draw it.")]


_NEAR = 0.5  # dB: as near to a wish as the model can tell


@app.command(
    short_help="Is a clip heard over the game's own mix?",
    epilog=examples("ichnos heard clips/gull.ogg --bed storm-recording.wav --wish 6 --picture heard.png"),
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
    from ichnos.audio.files.clips import open_sound
    from ichnos.audio.measure import audibility
    from ichnos.audio.process import exports, lifting

    clip, bed = exports.one_clip(clip), exports.one_clip(bed)
    with show.progress("listening", None) as advance, open_sound(clip) as sound, open_sound(bed) as under:
        levels = audibility.levels(sound, advance)
        cover = audibility.covered(audibility.levels(under, advance))
        found = audibility.compare(levels, cover)
        lift = lifting.lift(levels, cover, wish) if found.stands_out < wish else None
        proved = audibility.compare(lifting.levels_of_treated(sound, lift.steps), cover) if lift else None
    if picture is not None:
        from ichnos.audio.drawing.beds import draw_audibility
        from ichnos.files.writing import fresh

        with fresh(picture) as beside:
            cure = (", ".join(map(str, lift.steps)), proved) if lift and proved else None
            draw_audibility(found, clip.name, bed.name, wish, cure, beside)
    if json:
        show.as_json(_as_json(found, lift, proved, wish))
    else:
        _print(found, lift, proved, wish)
    if picture is not None:
        show.say(f"{picture} is drawn.", err=True)
    if lift is not None:
        raise typer.Exit(1)


def _as_json(found: Audibility, lift: Lift | None, proved: Audibility | None, wish: float) -> dict[str, Any]:
    return {
        "stands-out-db": found.stands_out,
        "audible-share": found.share,
        "wish-db": wish,
        "bands": [{"hz": hz, "db": db} for hz, db in found.best_bands(len(found.hz))],
        "curve-db": found.curve.tolist(),
        "curve-step-seconds": found.hop,
        "lift": None
        if lift is None
        else {
            "steps": lift.steps,
            "enough": _is_enough(lift, proved, wish),
            "stands-out-db": None if proved is None else proved.stands_out,
        },
    }


def _is_enough(lift: Lift, proved: Audibility | None, wish: float) -> bool:
    """Does the clip stand out as wished, by what was measured after the change?"""
    return (lift.reached if proved is None else proved.stands_out) >= wish - _NEAR


def _print(audibility_of: Audibility, lift: Lift | None, proved: Audibility | None, wish: float) -> None:
    from rich.text import Text

    from ichnos.audio.process import lifting

    out = show.console()
    style = "bold green" if lift is None else "bold yellow" if audibility_of.stands_out >= 0 else "bold red"
    out.print(Text.assemble("It ", (str(audibility_of), style), f"; wished: {wish:g} dB."))
    best = ", ".join(f"{hz:.0f} Hz ({_apart(db)})" for hz, db in audibility_of.best_bands())
    most = "It stands out most" if audibility_of.stands_out >= 0 else "It comes nearest to being heard"
    out.print(f"{most} around {best}.")
    if lift is not None and proved is not None:
        out.print(f"The least change found: {', '.join(map(str, lift.steps))}.")
        out.print(f"Measured with it, it {proved}.")
        if not _is_enough(lift, proved, wish):
            out.print(
                f"That is less than wished: more than {lifting.MOST_GAIN:g} dB of gain and {lifting.MOST_EQ:g} dB of EQ"
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


def _apart(db: float) -> str:
    """How far above what the bed covers, or under it."""
    return f"{db:z.0f} dB" if round(db) >= 0 else f"{-db:z.0f} dB under"


def _as_options(lift: Lift) -> list[str]:
    words = []
    for step in lift.steps:
        fields = step.model_dump()
        name = fields.pop("step")
        words += [f"--{name}", ":".join(f"{value:g}" for value in fields.values())]
    return words
