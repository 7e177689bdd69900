"""``split``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, Overwrite, app, examples
from ichnos.cli.heard import Clip, Picture
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    from ichnos.audio.files.clips import OpenSound

Threshold = Annotated[
    float | None,
    typer.Option(metavar="DBFS", min=-120, max=0, help="Below this it is silence.", show_default="above its own floor"),
]


@app.command(
    short_help="Cut a recording with several takes in it at its silences.",
    epilog=examples("ichnos split gulls.wav --to takes --picture takes.png --dry-run"),
)
def split(
    clip: Clip,
    to: Annotated[Path, typer.Option(metavar="FOLDER", help="Where the pieces go: NAME-1.wav, NAME-2.wav, ...")],
    threshold: Threshold = None,
    gap: Annotated[float, typer.Option(metavar="SECONDS", min=0.01, help="So much silence parts two takes.")] = 0.3,
    shortest: Annotated[float, typer.Option(metavar="SECONDS", min=0, help="What is shorter is left out.")] = 0.08,
    margin: Annotated[float, typer.Option(metavar="SECONDS", min=0, help="Silence that stays around each.")] = 0.03,
    picture: Picture = None,
    overwrite: Overwrite = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Cut a recording at its silences into takes, each a WAV of its own with the samples as they are."""
    from ichnos.audio.files.clips import open_sound
    from ichnos.audio.measure import splitting
    from ichnos.audio.process import exports

    clip = exports.one_clip(clip)
    with open_sound(clip) as sound:
        facts = sound.facts
        with show.progress("listening", facts.seconds) as advance:
            pieces, silence = splitting.pieces(sound, threshold, gap, shortest, margin, advance)
        if not pieces:
            what = f"nothing in {clip} passes {silence:g} dBFS for {shortest:g} s"
            raise IchnosError(what, cure="lower --threshold or --shortest")
        if picture is not None:
            _draw(sound, [(a / facts.rate, b / facts.rate) for a, b in pieces], silence, picture)
    if threshold is None:
        show.say(f"Silence is what stays below {silence:g} dBFS, as this recording is.", err=True)
    if len(pieces) == 1:
        show.say(f"This is one piece: nothing in it stays below {silence:g} dBFS for {gap:g} s.", err=True)
    paths = exports.split_names(clip, len(pieces), to)
    if not dry_run:
        with show.progress("writing", sum(b - a for a, b in pieces) / facts.rate) as advance:
            exports.split(clip, pieces, to, advance, overwrite=overwrite)
    if json:
        rows = [
            {"to": path, "first": a, "last": b - 1, "seconds": (b - a) / facts.rate}
            for path, (a, b) in zip(paths, pieces, strict=True)
        ]
        show.as_json({"threshold-dbfs": silence, "pieces": rows, **({"dry-run": True} if dry_run else {})})
        return
    for path, (first, last) in zip(paths, pieces, strict=True):
        times = f"{first / facts.rate:8.2f} s to {last / facts.rate:8.2f} s, {(last - first) / facts.rate:6.2f} s long"
        show.say(f"{'would write' if dry_run else 'wrote'} {path}  {times}")


def _draw(sound: OpenSound, spans: list[tuple[float, float]], silence: float, picture: Path) -> None:
    from ichnos.audio.drawing.clips import draw_split
    from ichnos.audio.measure.analysis import analyse
    from ichnos.files.writing import fresh

    with fresh(picture) as beside:
        draw_split(analyse(sound), spans, silence, sound.path.name, beside)
    show.say(f"{picture} is drawn.", err=True)
