"""``convert``."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, Overwrite, app, examples, report
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.audio.files.clips import Facts
    from ichnos.audio.files.loops import Marking
    from ichnos.audio.process.exports import Export, Exported
    from ichnos.audio.process.target import Target

Clips = Annotated[list[Path], typer.Argument(metavar="CLIP", help="Clips, or folders of them.")]
To = Annotated[Path, typer.Option(metavar="FOLDER", help="Where the new files go.")]
Rate = Annotated[
    int | None, typer.Option(metavar="HZ", help="The sample rate.", min=8000, max=192000, show_default="the clip's own")
]
Channels = Annotated[
    int | None,
    typer.Option(metavar="1|2", help="Mono or stereo.", min=1, max=2, show_default="the clip's own, at most 2"),
]
Quality = Annotated[
    float, typer.Option(metavar="0..10", help="Of vorbis and opus: 0 is small, 10 is large.", min=0, max=10)
]
Mono = Annotated[
    str,
    typer.Option(metavar="mix|left|right|auto", help="What mono is made of; auto: the mix unless it is out of phase."),
]
Container = Annotated[str | None, typer.Option(metavar="ogg|wav|flac", help="What the files become.")]
Codec = Annotated[str | None, typer.Option(metavar="vorbis|opus", help="Of ogg.", show_default="vorbis")]
Bits = Annotated[str | None, typer.Option(metavar="16|24|float", help="Of wav and flac; float of wav alone.")]
Category = Annotated[str | None, typer.Option(metavar="NAME", help="With --like-game: for sounds of this category.")]
Kind = Annotated[str | None, typer.Option(metavar="NAME", help="With --like-game: for this kind of its sounds.")]


@app.command(
    short_help="Convert clips, and prove the result.",
    epilog=examples(
        "ichnos convert clips/ --to ready --like-game tarnlight",
        "ichnos convert wind.mp4 --to ready --container wav --bits 16 --rate 44100 --channels 1",
    ),
)
def convert(
    clips: Clips,
    to: To,
    like_game: Annotated[
        str | None, typer.Option("--like-game", metavar="GAME", help="As this game reads its sounds.")
    ] = None,
    category: Category = None,
    kind: Kind = None,
    container: Container = None,
    codec: Codec = None,
    bits: Bits = None,
    rate: Rate = None,
    channels: Channels = None,
    quality: Quality = 5.0,
    mono: Mono = "auto",
    overwrite: Overwrite = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Convert clips; each result is decoded again and compared with what went in.

    Reads WAV, AIFF, FLAC, Ogg, MP3, and with ichnos[video] the sound of MP4 and WebM recordings.
    """
    from ichnos.audio.process import exports

    form = (container, codec, bits)
    become, marking = wanted(like_game, category, kind, form, rate, channels, quality, choice(mono))
    carry_out(exports.plan(exports.found(clips), become, to, marking=marking, overwrite=overwrite), dry_run, json)


def choice(mono: str) -> Any:
    """How mono is made, as it was typed. Raises UsageError for anything else."""
    from typing import get_args

    from ichnos.audio.files.forms import Choice

    if mono not in get_args(Choice):
        raise UsageError(f"mono cannot be made of {mono!r}", cure=f"choose one: {', '.join(get_args(Choice))}")
    return mono


def wanted(
    like_game: str | None,
    category: str | None,
    kind: str | None,
    form: tuple[str | None, str | None, str | None],
    rate: int | None,
    channels: int | None,
    quality: float,
    mono: Any,
    steps: tuple[Any, ...] = (),
) -> tuple[Callable[[Facts], Target], Marking | None]:
    """What each clip is to become, and how a game wants loops marked. Raises UsageError for what does not fit."""
    from ichnos.audio.process.exports import Wish, wish

    container, codec, bits = form
    if like_game is not None:
        import dataclasses

        from ichnos.games import targets
        from ichnos.games.profiles import loading, profile

        if any(value is not None for value in (*form, rate, channels)):
            raise UsageError("the game says what its sounds are", cure="leave out --like-game, or the other settings")
        game = loading.load(profile.find(like_game))
        game.need_kind(kind)
        of_kind = game.kind_of("", category, said=kind)
        of_game = dataclasses.replace(targets.target(game, of_kind), treatment=steps, mono=mono)
        return of_game.of_clip, targets.marking(game.rules.loops, of_game.container)
    if category is not None or kind is not None:
        raise UsageError("a category or a kind means something only to a game", cure="say --like-game GAME")
    if container is None:
        raise UsageError("what are they to become?", cure="say --container ogg (or wav, flac), or --like-game GAME")
    return Wish(*wish(container, codec, bits), rate, channels, quality, mono, steps).target, None


def carry_out(planned: list[Export], dry_run: bool, json: bool) -> list[Exported]:
    """Show the plan or carry it out, and print what became of it. Raises typer.Exit where something failed."""
    from ichnos.audio.process import exports

    if dry_run:
        _print_plan(planned, json)
        if any(export.error for export in planned):
            raise typer.Exit(1)
        return []
    seconds = sum(one.facts.seconds for one in planned if one.facts)
    with show.progress("converting", seconds) as advance:
        done = exports.run(planned, advance)
    if json:
        show.as_json({"clips": [_as_json(one) for one in done]})
    else:
        _print_done([exported for exported in done if exported.converted])
    for made in done:
        if made.error:
            report(made.error)
    if any(one.error for one in done):
        raise typer.Exit(1)
    return done


def _print_plan(planned: list[Export], json: bool) -> None:
    if json:
        show.as_json(
            {
                "dry-run": True,
                "clips": [
                    {"clip": one.clip, "to": one.to, "becomes": str(one.target) if one.target else None}
                    for one in planned
                ],
            }
        )
    else:
        for export in planned:
            if export.target is not None:
                show.say(f"would write {export.to}: {export.target}; from {export.clip}: {export.facts}")
                if export.target.treatment:
                    show.say(f"    treated: {', '.join(map(str, export.target.treatment))}")
    for export in planned:
        if export.error:
            report(export.error)


def _as_json(one: Exported) -> dict[str, Any]:
    row: dict[str, Any] = {"clip": one.export.clip, "to": one.export.to}
    if one.converted is None:
        return {**row, "error": one.error}
    done = one.converted
    return {
        **row,
        "becomes": str(one.export.target),
        "steps": [str(step) for step in one.export.target.treatment] if one.export.target else [],
        "samples": done.frames,
        "bytes-before": one.export.size,
        "bytes": done.size,
        "coding-loss-db": done.coding_loss,
        "mono": done.side,
        "clipped": done.clipped,
        "notes": [*done.remarks()],
    }


def _print_done(done: Sequence[Exported]) -> None:
    from rich.table import Table
    from rich.text import Text

    if not done:
        return
    out = show.console(tables=True)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    lossy = any(exported.converted and exported.converted.coding_loss is not None for exported in done)
    names = ["written", "it is", "size", "was", *(["coding loss"] if lossy else [])]
    for name in names:
        table.add_column(
            name, justify="right" if name in ("size", "was", "coding loss") else "left", header_style="bold"
        )
    before = after = 0
    for made in done:
        if made.converted is None:
            continue
        size = made.converted.size
        before, after = before + made.export.size, after + size
        row: list[str | Text] = [
            Text(str(made.export.to)),
            str(made.export.target),
            show.size(size),
            show.size(made.export.size),
        ]
        if lossy:
            coding_loss = made.converted.coding_loss
            row.append("none" if coding_loss is None else f"{coding_loss:z.1f} dB")
        table.add_row(*row)
    out.print(table)
    for made in done:
        for note in made.converted.remarks() if made.converted else ():
            show.say(f"Note: {made.export.clip}: {note}.", err=True)
    sizes = f"{show.size(before)} became {show.size(after)}"
    show.say(f"{show.counted(len(done), 'clip')}: {sizes}, each decoded again and compared.")
