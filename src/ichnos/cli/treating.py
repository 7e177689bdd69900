"""``treat``. Its options for steps are made from the steps themselves, when they are needed."""

from __future__ import annotations

from collections.abc import Iterator
from inspect import Parameter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import converting, made, show
from ichnos.cli.app import DryRun, Json, Overwrite, app, examples
from ichnos.cli.converting import Bits, Category, Channels, Codec, Container, Kind, Mono, Quality, Rate
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.audio.process.exports import Exported


def _step_options() -> Iterator[Parameter]:
    """``--bell HZ:DB[:Q]`` and so on: a step's fields in their order, with colons between them."""
    from ichnos.audio.process.treatments import STEPS

    for kind in STEPS:
        name, fields = kind.step_name(), kind.step_fields()
        needed = [field for field in fields if kind.model_fields[field].is_required()] or fields[:1]
        metavar = ":".join(needed).upper() + "".join(f"[:{one.upper()}]" for one in fields[len(needed) :]) or None
        about = f"{kind.about[:1].upper()}{kind.about[1:]}."
        yield made.option(name, list[str] | None if fields else bool, f"--{name}", metavar=metavar, help=about)


Treatment = Annotated[
    str | None, typer.Option(metavar="NAME", help="A treatment's name: bundled, or in the workspace's ichnos.toml.")
]
BeforeAfter = Annotated[Path | None, typer.Option(metavar="FILE.png", help="Draw the clip before and after.")]
Order = Annotated[
    str | None,
    typer.Option(metavar="STEP,STEP", help="Which steps come first, in this order; the others follow as shown here."),
]
LikeGame = Annotated[str | None, typer.Option("--like-game", metavar="GAME", help="Write what this game reads.")]


@app.command(
    cls=made.with_options(_step_options, behind="names"),
    short_help="Treat clips: trim, fade, filter, loudness, pitch, by name or step by step.",
    epilog=examples(
        "ichnos treat gull.ogg --to ready --treatment over-the-din --before-after gull.png",
        "ichnos treat gull.ogg --to ready --trim -50 --bell 3000:5 --loudness -16",
    ),
)
def treat(
    ctx: typer.Context,
    clips: Annotated[list[Path] | None, typer.Argument(metavar="CLIP", help="Clips, or folders of them.")] = None,
    to: Annotated[Path | None, typer.Option(metavar="FOLDER", help="Where the new files go.")] = None,
    treatment: Treatment = None,
    names: Annotated[bool, typer.Option("--names", help="Show the treatments that have a name, and stop.")] = False,
    order: Order = None,
    before_after: BeforeAfter = None,
    like_game: LikeGame = None,
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
    """Treat clips. A named treatment comes first, then the steps, in the order shown here or by --order.

    Without --container or --like-game the result is a WAV of 24 bits.
    """
    from ichnos.audio.process import exports

    if names:
        _print_names(json)
        return
    if not clips or to is None:
        raise UsageError("which clips, and where to?", cure="say: ichnos treat CLIP --to FOLDER, and a step")
    steps = _wanted_steps(ctx, treatment, order)
    if like_game is None and container is None:
        container, bits = "wav", bits or "24"
    named = exports.found(clips)
    if before_after is not None and len(named) != 1:
        raise UsageError("a picture shows one clip", cure="name just one")
    form, how = (container, codec, bits), converting.choice(mono)
    become, marking = converting.wanted(like_game, category, kind, form, rate, channels, quality, how, steps)
    planned = exports.plan(named, become, to, marking=marking, overwrite=overwrite)
    done = converting.carry_out(planned, dry_run, json)
    if before_after is not None and done:
        _draw(done[0], ", ".join(map(str, steps)), before_after)


def _draw(one: Exported, done: str, to: Path) -> None:
    from ichnos.audio.drawing.clips import draw_before_after
    from ichnos.audio.files.clips import open_sound
    from ichnos.audio.measure.analysis import analyse
    from ichnos.files.writing import fresh

    clip, made = one.export.clip, one.export.to
    with open_sound(clip) as before, open_sound(made) as after, fresh(to) as beside:
        draw_before_after(analyse(before), analyse(after), clip.name, done, beside)
    show.say(f"{to} is drawn.", err=True)


def _steps(given: dict[str, Any]) -> list[Any]:
    """The steps that the options say, in their fixed order."""
    from ichnos.audio.process.treatments import STEPS

    texts = {name: [""] if value is True else value or () for name, value in given.items()}
    return [_step(kind, text) for kind in STEPS for text in texts.get(kind.step_name(), ())]


def _ordered(steps: list[Any], order: str | None) -> list[Any]:
    """The same steps, those first that are named, in that order. Raises UsageError for a name that none of them has."""
    names = [name.strip() for name in order.split(",")] if order else []
    here = [step.step_name() for step in steps]
    for name in names:
        if name not in here:
            cure = f"the steps are: {', '.join(dict.fromkeys(here)) or 'none'}"
            raise UsageError(f'--order names "{name}", and there is no such step', cure=cure)
    return sorted(steps, key=lambda step: names.index(step.step_name()) if step.step_name() in names else len(names))


def _step(kind: Any, text: str) -> Any:
    """A step from its option: ``3000:5:1``; an empty place is left as it is."""
    from pydantic import ValidationError

    from ichnos.documents.checked import in_words

    option, fields = f"--{kind.step_name()}", kind.step_fields()
    pieces = text.split(":") if fields else []
    if len(pieces) > len(fields):
        raise UsageError(f"{option} {text} is not understood", cure="see: ichnos treat --help")
    try:
        return kind.model_validate({name: piece for name, piece in zip(fields, pieces, strict=False) if piece.strip()})
    except ValidationError as error:
        detail = error.errors()[0]
        where = f" {detail['loc'][-1]}:" if detail["loc"] else ""
        reason = in_words(dict(detail))
        raise UsageError(f"{option} {text}:{where} {reason}", cure="see: ichnos treat --help") from None


def _of_workspace() -> dict[str, Any]:
    from ichnos.pack.workspace import reading as workspaces

    try:
        folder = workspaces.find_folder(Path())
    except UsageError:
        return {}
    return dict(workspaces.load(folder).pack_file.treatment)


def _wanted_steps(ctx: typer.Context, treatment: str | None, order: str | None) -> tuple[Any, ...]:
    """The steps of the named treatments, then those that the options say."""
    steps = (*_named(treatment), *_ordered(_steps(made.given(ctx)), order))
    if not steps:
        raise UsageError("nothing is to be done", cure="name a treatment (ichnos treat --names), or say a step")
    show.say(f"Steps in their order: {', '.join(map(str, steps))}.", err=True)
    return steps


def _named(name: str | None) -> tuple[Any, ...]:
    from ichnos.audio.process.treatments import BUNDLED

    if name is None:
        return ()
    own = _of_workspace()
    if name in own:
        return tuple(own[name])
    if name in BUNDLED:
        return BUNDLED[name][1]
    from ichnos.likeness import did_you_mean

    cure = f"{did_you_mean([*own, *BUNDLED], name)} See: ichnos treat --names"
    raise UsageError(f'there is no treatment "{name}"', cure=cure)


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
                    "steps": steps,
                }
                for name, about, steps in rows
            ]
        )
        return
    out = show.console()
    for name, about, steps in rows:
        out.print(Text.assemble((name, "bold"), f"  {about}"))
        out.print(Text(f"    {', '.join(map(str, steps))}", "dim"))
