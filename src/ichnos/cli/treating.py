"""``treat``."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import converting, show
from ichnos.cli.app import DryRun, Json, Overwrite, app, examples
from ichnos.cli.converting import Bits, Channels, Codec, Container, Mono, Quality, Rate
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.audio.process.exports import Exported


def _pair(text: str, option: str, least: int, most: int) -> list[float | None]:
    """``3000:5:1`` as numbers; an empty place is None."""
    pieces = text.split(":")
    try:
        if not least <= len(pieces) <= most:
            raise ValueError
        return [float(piece) if piece.strip() else None for piece in pieces]
    except ValueError:
        raise UsageError(f"{option} {text} is not understood", cure="see: ichnos treat --help") from None


@app.command(
    short_help="Treat clips: trim, fade, filter, loudness, pitch, by name or step by step.",
    epilog=examples(
        "ichnos treat gull.ogg --to ready --treatment over-the-din --before-after gull.png",
        "ichnos treat gull.ogg --to ready --trim -50 --bell 3000:5 --loudness -16",
    ),
)
def treat(
    clips: Annotated[list[Path] | None, typer.Argument(metavar="CLIP", help="Clips, or folders of them.")] = None,
    to: Annotated[Path | None, typer.Option(metavar="FOLDER", help="Where the new files go.")] = None,
    treatment: Annotated[
        str | None, typer.Option(metavar="NAME", help="A treatment's name: bundled, or in the workspace's ichnos.toml.")
    ] = None,
    names: Annotated[bool, typer.Option("--names", help="Show the treatments that have a name, and stop.")] = False,
    cut: Annotated[str | None, typer.Option(metavar="START:END", help="Keep what lies between, in seconds.")] = None,
    trim: Annotated[float | None, typer.Option(metavar="DBFS", help="Take silence below this off both ends.")] = None,
    reverse: Annotated[bool, typer.Option("--reverse", help="Backwards.")] = False,
    speed: Annotated[float | None, typer.Option(metavar="FACTOR", help="Speed and pitch together.")] = None,
    pitch: Annotated[float | None, typer.Option(metavar="SEMITONES", help="Pitch alone.")] = None,
    high_pass: Annotated[float | None, typer.Option(metavar="HZ", help="Take away what lies below.")] = None,
    low_pass: Annotated[float | None, typer.Option(metavar="HZ", help="Take away what lies above.")] = None,
    low_shelf: Annotated[str | None, typer.Option(metavar="HZ:DB", help="Raise or lower what lies below.")] = None,
    high_shelf: Annotated[str | None, typer.Option(metavar="HZ:DB", help="Raise or lower what lies above.")] = None,
    bell: Annotated[
        list[str] | None, typer.Option(metavar="HZ:DB[:Q]", help="Raise or lower what lies around.")
    ] = None,
    gain: Annotated[float | None, typer.Option(metavar="DB", help="Louder or quieter.")] = None,
    soft_clip: Annotated[
        float | None, typer.Option(metavar="DB", help="Drive it into soft clipping by so much.")
    ] = None,
    loudness: Annotated[
        str | None, typer.Option(metavar="LUFS[:DBTP]", help="Bring it to a loudness, with peaks below -1 dBTP or so.")
    ] = None,
    limit: Annotated[float | None, typer.Option(metavar="DBTP", help="Hold true peaks below this.")] = None,
    fade: Annotated[
        str | None, typer.Option(metavar="IN:OUT[:SHAPE]", help="Fade, in seconds; straight, smooth or power.")
    ] = None,
    repeat: Annotated[int | None, typer.Option(metavar="TIMES", help="Several times, one after the other.")] = None,
    loop_fade: Annotated[
        float | None, typer.Option(metavar="SECONDS", help="A loop without a seam: fade the end into the beginning.")
    ] = None,
    before_after: Annotated[
        Path | None, typer.Option(metavar="FILE.png", help="Draw the clip before and after.")
    ] = None,
    like_game: Annotated[
        str | None, typer.Option("--like-game", metavar="GAME", help="Write what this game reads.")
    ] = None,
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
    """Treat clips. A named treatment comes first, then the options, always in the order shown here.

    Without --container or --like-game the result is a WAV of 24 bits.
    """
    from ichnos.audio.process import exports

    if names:
        _print_names(json)
        return
    if not clips or to is None:
        raise UsageError(
            "which clips, and where to?", cure="say: ichnos treat CLIP --to FOLDER, and what is to be done"
        )
    said: dict[str, Any] = {
        "cut": None if cut is None else dict(zip(("start", "end"), _pair(cut, "--cut", 2, 2), strict=False)),
        "trim": None if trim is None else {"threshold": trim},
        "reverse": {} if reverse else None,
        "speed": None if speed is None else {"factor": speed},
        "pitch": None if pitch is None else {"semitones": pitch},
        "high-pass": None if high_pass is None else {"hz": high_pass},
        "low-pass": None if low_pass is None else {"hz": low_pass},
        "low-shelf": _fields(low_shelf, "--low-shelf", ("hz", "db")),
        "high-shelf": _fields(high_shelf, "--high-shelf", ("hz", "db")),
        "bell": [_fields(one, "--bell", ("hz", "db", "q"), 2) for one in bell or ()],
        "gain": None if gain is None else {"db": gain},
        "soft-clip": None if soft_clip is None else {"drive": soft_clip},
        "loudness": _fields(loudness, "--loudness", ("lufs", "ceiling"), 1),
        "limit": None if limit is None else {"ceiling": limit},
        "fade": _fade(fade),
        "repeat": None if repeat is None else {"times": repeat},
        "loop-fade": None if loop_fade is None else {"seconds": loop_fade},
    }
    steps = (*_named(treatment), *_steps(said))
    if not steps:
        raise UsageError("nothing is to be done", cure="name a treatment (ichnos treat --names), or say a step")
    if like_game is None and container is None:
        container, bits = "wav", bits or "24"
    found = exports.found(clips)
    if before_after is not None and len(found) != 1:
        raise UsageError("a picture shows one clip", cure="name just one")
    form, choice = (container, codec, bits), converting.choice(mono)
    become, marking = converting.wanted(like_game, None, form, rate, channels, quality, choice, steps)
    planned = exports.plan(found, become, to, marking=marking, overwrite=overwrite)
    done = converting.carry_out(planned, dry_run, json)
    if before_after is not None and done:
        _draw(done[0], ", ".join(map(str, steps)), before_after)


def _draw(one: Exported, done: str, to: Path) -> None:
    from ichnos.audio.drawing import draw_before_after
    from ichnos.audio.measure.analysis import analyse
    from ichnos.files.writing import fresh, opened

    clip, made = one.export.clip, one.export.to
    with opened(clip) as before, opened(made) as after, fresh(to) as beside:
        draw_before_after(analyse(before, clip), analyse(after, made), clip.name, done, beside)
    typer.echo(f"{to} is drawn.", err=True)


def _fields(text: str | None, option: str, names: tuple[str, ...], least: int | None = None) -> dict[str, Any] | None:
    if text is None:
        return None
    values = _pair(text, option, least or len(names), len(names))
    return {name: value for name, value in zip(names, values, strict=False) if value is not None}


def _fade(text: str | None) -> dict[str, Any] | None:
    if text is None:
        return None
    rise, _, rest = text.partition(":")
    fall, _, shape = rest.partition(":")
    fields = _fields(f"{rise or 0}:{fall or 0}", "--fade", ("rise", "fall")) or {}
    return {**fields, "shape": shape} if shape else fields


def _steps(said: dict[str, Any]) -> list[Any]:
    """The steps that the options say, in their fixed order."""
    from pydantic import ValidationError

    from ichnos.audio.process.treatments import STEPS

    steps = []
    for kind in STEPS:
        name = str(kind.model_fields["step"].default)
        wanted = said[name]
        for fields in wanted if isinstance(wanted, list) else [] if wanted is None else [wanted]:
            try:
                steps.append(kind.model_validate({key: value for key, value in fields.items() if value is not None}))
            except ValidationError as error:
                detail = error.errors()[0]
                where = f" {detail['loc'][-1]}" if detail["loc"] else ""
                reason = str(detail["msg"]).removeprefix("Value error, ").removeprefix("Input ")
                raise UsageError(f"--{name}:{where} {reason}", cure="see: ichnos treat --help") from None
    return steps


def _of_workspace() -> dict[str, Any]:
    from ichnos.pack.workspace import workspace

    try:
        folder = workspace.find_folder(Path())
    except UsageError:
        return {}
    return dict(workspace.load(folder).pack_file.treatment)


def _named(name: str | None) -> tuple[Any, ...]:
    from ichnos.audio.process.treatments import BUNDLED

    if name is None:
        return ()
    own = _of_workspace()
    if name in own:
        return tuple(own[name])
    if name in BUNDLED:
        return BUNDLED[name][1]
    from ichnos.games.catalogues.catalogue import nearest

    near = " or ".join(nearest([*own, *BUNDLED], name))
    raise UsageError(f'there is no treatment "{name}"', cure=f"did you mean {near}? See: ichnos treat --names")


def _print_names(json: bool) -> None:
    from rich.text import Text

    from ichnos.audio.process.treatments import BUNDLED

    rows = [(name, "of this workspace", steps) for name, steps in _of_workspace().items()]
    rows += [(name, about, steps) for name, (about, steps) in BUNDLED.items()]
    if json:
        show.as_json(
            [
                {
                    "name": name,
                    "for": about,
                    "steps": [step.model_dump(by_alias=True, exclude_none=True) for step in steps],
                }
                for name, about, steps in rows
            ]
        )
        return
    out = show.console()
    for name, about, steps in rows:
        out.print(Text.assemble((name, "bold"), f"  {about}"))
        out.print(Text(f"    {', '.join(map(str, steps))}", "dim"))
