"""``convert`` and ``treat``."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import app, report
from ichnos.errors import WrongCall

if TYPE_CHECKING:
    from ichnos.audio.clips import Facts
    from ichnos.audio.conversion import Target
    from ichnos.pack.exports import Export, Exported

Clips = Annotated[list[Path], typer.Argument(metavar="CLIP", help="Clips, or folders of them.")]
To = Annotated[Path, typer.Option(metavar="FOLDER", help="Where the new files go.")]
Rate = Annotated[int | None, typer.Option(help="Frames a second.", min=8000, max=192000, show_default="the clip's own")]
Channels = Annotated[int | None, typer.Option(help="1 or 2.", min=1, max=2, show_default="the clip's own, at most 2")]
Quality = Annotated[float, typer.Option(help="Of vorbis and opus: 0 is small, 10 is large.", min=0, max=10)]
Mono = Annotated[
    str,
    typer.Option(metavar="mix|left|right|auto", help="What mono is made of; auto: the mix unless the sides cancel."),
]
Container = Annotated[str | None, typer.Option(help="ogg, wav or flac.")]
Codec = Annotated[str | None, typer.Option(help="Of ogg: vorbis or opus.", show_default="vorbis")]
Bits = Annotated[str | None, typer.Option(help="Of wav and flac: 16 or 24; of wav also float.")]
Replace = Annotated[bool, typer.Option("--replace", help="Replace files that are there already.")]
DryRun = Annotated[bool, typer.Option("--dry-run", help="Show what would be written, and write nothing.")]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]


@app.command(
    short_help="Convert clips, and prove the result.",
    epilog="Example: ichnos convert clips/ --to ready --like-game tarnlight,"
    " or: ichnos convert wind.mp4 --to ready --container wav --bits 16 --rate 44100 --channels 1",
)
def convert(
    clips: Clips,
    to: To,
    like_game: Annotated[
        str | None, typer.Option("--like-game", metavar="GAME", help="As this game reads its sounds.")
    ] = None,
    category: Annotated[str | None, typer.Option(help="With --like-game: for sounds of this category.")] = None,
    container: Container = None,
    codec: Codec = None,
    bits: Bits = None,
    rate: Rate = None,
    channels: Channels = None,
    quality: Quality = 5.0,
    mono: Mono = "auto",
    replace: Replace = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Convert clips; each result is decoded again and compared with what went in.

    Reads WAV, AIFF, FLAC, Ogg, MP3, and with ichnos[video] the sound of MP4 and WebM recordings.
    """
    from ichnos.pack import exports

    wanted = _wanted(like_game, category, (container, codec, bits), rate, channels, quality, _choice(mono))
    _carry_out(exports.plan(exports.found(clips), wanted, to, replacing=replace), dry_run, json)


def _choice(mono: str) -> Any:
    from typing import get_args

    from ichnos.audio.forms import Choice

    if mono not in get_args(Choice):
        raise WrongCall(f"mono cannot be made of {mono!r}", cure=f"choose one: {', '.join(get_args(Choice))}")
    return mono


def _wanted(
    like_game: str | None,
    category: str | None,
    form: tuple[str | None, str | None, str | None],
    rate: int | None,
    channels: int | None,
    quality: float,
    mono: Any,
    steps: tuple[Any, ...] = (),
) -> Callable[[Facts], Target]:
    """What each clip is to become."""
    from ichnos.pack.exports import Wish, wish, with_treatment

    container, codec, bits = form
    if like_game is not None:
        from ichnos.games import profile
        from ichnos.pack.targets import target

        if any(value is not None for value in (*form, rate, channels)):
            raise WrongCall("the game says what its sounds are", cure="leave out --like-game, or the other settings")
        of_game = with_treatment(target(profile.load(profile.find(like_game)), "", category), steps, mono)
        return lambda facts: of_game
    if category is not None:
        raise WrongCall("a category means something only to a game", cure="say --like-game GAME")
    if container is None:
        raise WrongCall("what are they to become?", cure="say --container ogg (or wav, flac), or --like-game GAME")
    return Wish(*wish(container, codec, bits), rate, channels, quality, mono, steps).target


def _carry_out(planned: list[Export], dry_run: bool, json: bool) -> list[Exported]:
    from ichnos.pack import exports

    if dry_run:
        _print_plan(planned, json)
        if any(one.error for one in planned):
            raise typer.Exit(1)
        return []
    seconds = sum(one.facts.seconds for one in planned if one.facts)
    with show.progress("converting", seconds) as advance:
        done = exports.run(planned, advance)
    if json:
        show.as_json({"clips": [_as_json(one) for one in done]})
    else:
        _print_done([one for one in done if one.converted])
    for one in done:
        if one.error:
            report(one.error)
    if any(one.error for one in done):
        raise typer.Exit(1)
    return done


def _print_plan(planned: list[Export], json: bool) -> None:
    if json:
        show.as_json(
            {
                "dry-run": True,
                "clips": [
                    {"clip": str(one.clip), "to": str(one.to), "becomes": str(one.target) if one.target else None}
                    for one in planned
                ],
            }
        )
    else:
        for one in planned:
            if one.target is not None:
                print(f"would write {one.to}: {one.target}; from {one.clip}: {one.facts}")
                if one.target.treatment:
                    print(f"    treated: {', '.join(map(str, one.target.treatment))}")
    for one in planned:
        if one.error:
            report(one.error)


def _as_json(one: Exported) -> dict[str, Any]:
    said: dict[str, Any] = {"clip": str(one.export.clip), "to": str(one.export.to)}
    if one.converted is None:
        return {**said, "error": str(one.error)}
    done = one.converted
    return {
        **said,
        "became": str(one.export.target),
        "frames": done.frames,
        "bytes-before": one.export.size,
        "bytes": done.size,
        "damage-db": None if done.damage is None else round(done.damage, 2),
        "mono": done.side,
        "clipped": done.clipped,
        "told": list(done.told()),
    }


def _print_done(done: Sequence[Exported]) -> None:
    from rich.table import Table
    from rich.text import Text

    if not done:
        return
    out = show.console(tables=True)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    lossy = any(one.converted and one.converted.damage is not None for one in done)
    names = ["written", "it is", "size", "saved", *(["damage"] if lossy else [])]
    for name in names:
        table.add_column(name, justify="right" if name in ("size", "saved", "damage") else "left", header_style="bold")
    before = after = 0
    for one in done:
        if one.converted is None:
            continue
        size = one.converted.size
        before, after = before + one.export.size, after + size
        row: list[str | Text] = [
            Text(str(one.export.to)),
            str(one.export.target),
            show.size(size),
            _saved(one.export.size, size),
        ]
        if lossy:
            damage = one.converted.damage
            row.append("none" if damage is None else f"{damage:.1f} dB")
        table.add_row(*row)
    out.print(table)
    for one in done:
        for note in one.converted.told() if one.converted else ():
            typer.echo(f"Note: {one.export.clip}: {note}.", err=True)
    sizes = f"{show.size(before)} became {show.size(after)}"
    print(f"{show.counted(len(done), 'clip')}: {sizes}, each decoded again and compared.")


def _saved(before: int, after: int) -> str:
    if not before:
        return ""
    share = 100 * (1 - after / before)
    return f"{share:.0f} %" if share >= 0 else f"{-share:.0f} % more"


def _pair(text: str, option: str, least: int, most: int) -> list[float | None]:
    """``3000:5:1`` as numbers; an empty place is None."""
    pieces = text.split(":")
    try:
        if not least <= len(pieces) <= most:
            raise ValueError
        return [float(piece) if piece.strip() else None for piece in pieces]
    except ValueError:
        raise WrongCall(f"{option} {text} is not understood", cure="see: ichnos treat --help") from None


@app.command(
    short_help="Treat clips: trim, fade, filter, loudness, pitch, by name or step by step.",
    epilog="Example: ichnos treat gull.ogg --to ready --treatment over-the-din --before-after gull.png,"
    " or: ichnos treat gull.ogg --to ready --trim -50 --bell 3000:5 --loudness -16",
)
def treat(
    clips: Annotated[list[Path] | None, typer.Argument(metavar="CLIP", help="Clips, or folders of them.")] = None,
    to: Annotated[Path | None, typer.Option(metavar="FOLDER", help="Where the new files go.")] = None,
    treatment: Annotated[
        str | None, typer.Option(help="A treatment's name: bundled, or in the workspace's ichnos.toml.")
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
    replace: Replace = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Treat clips. A named treatment comes first, then the options, always in the order shown here.

    Without --container or --like-game the result is a WAV of 24 bits.
    """
    from ichnos.pack import exports

    if names:
        _print_names(json)
        return
    if not clips or to is None:
        raise WrongCall("which clips, and where to?", cure="say: ichnos treat CLIP --to FOLDER, and what is to be done")
    lists: dict[str, Any] = {
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
    steps = (*_named(treatment), *_steps(lists))
    if not steps:
        raise WrongCall("nothing is to be done", cure="name a treatment (ichnos treat --names), or say a step")
    if like_game is None and container is None:
        container, bits = "wav", bits or "24"
    found = exports.found(clips)
    if before_after is not None and len(found) != 1:
        raise WrongCall("a picture shows one clip", cure="name just one")
    wanted = _wanted(like_game, None, (container, codec, bits), rate, channels, quality, _choice(mono), steps)
    planned = exports.plan(found, wanted, to, replacing=replace)
    done = _carry_out(planned, dry_run, json)
    if before_after is not None and done:
        from ichnos.audio.look import look
        from ichnos.audio.pictures import draw_before_after
        from ichnos.pack.writing import fresh

        with fresh(before_after) as beside:
            said = ", ".join(map(str, steps))
            draw_before_after(
                look(done[0].export.clip), look(done[0].export.to), done[0].export.clip.name, said, beside
            )
        typer.echo(f"{before_after} is drawn.", err=True)


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

    from ichnos.audio.treatments import STEPS

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
                raise WrongCall(f"--{name}:{where} {reason}", cure="see: ichnos treat --help") from None
    return steps


def _of_workspace() -> dict[str, Any]:
    from ichnos.pack import workspace

    try:
        folder = workspace.find_folder(Path())
    except WrongCall:
        return {}
    return dict(workspace.load(folder).pack_file.treatment)


def _named(name: str | None) -> tuple[Any, ...]:
    from ichnos.audio.treatments import BUNDLED

    if name is None:
        return ()
    own = _of_workspace()
    if name in own:
        return tuple(own[name])
    if name in BUNDLED:
        return BUNDLED[name][1]
    from ichnos.games.catalogue import nearest

    near = " or ".join(nearest([*own, *BUNDLED], name))
    raise WrongCall(f'there is no treatment "{name}"', cure=f"did you mean {near}? See: ichnos treat --names")


def _print_names(json: bool) -> None:
    from rich.text import Text

    from ichnos.audio.treatments import BUNDLED

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
