"""The program's frame: its groups of commands, the options that several have, and how errors are printed."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Annotated, Any, TypeVar

import typer
from typer.core import TyperCommand, TyperGroup

from ichnos import __version__
from ichnos.cli import show
from ichnos.errors import BEYOND, IchnosError, Problems, UsageError

F = TypeVar("F", bound=Callable[..., Any])

# The commands in the order of the work.
_SECTIONS = {
    "Begin": ("demo", "swap", "start", "adopt", "migrate", "learn", "games", "keys"),
    "Clips": ("look", "treat", "convert", "heard", "loop", "split"),
    "The pack": (
        "assign",
        "trigger",
        "prop",
        "schedule",
        "thing",
        "build",
        "insert",
        "check",
        "explain",
        "compare",
        "rehearse",
        "play",
        "listen",
        "sheet",
        "release",
        "status",
    ),
    "The game": ("install", "installed", "restore"),
}


class LightGroup(TyperGroup):
    """A group of commands that leaves its own options alone where a command is named at once.

    Looking at them would import much that most commands never need.
    """

    _named = False

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        self._named = bool(args) and args[0] in self.commands and not ctx.resilient_parsing
        return super().parse_args(ctx, args)

    def get_params(self, ctx: Any) -> list[Any]:
        return [] if self._named else super().get_params(ctx)


class InOrder(LightGroup):
    """The program: its commands are listed in the order in which one needs them."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        return super().parse_args(ctx, args or _in_workspace(ctx))

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        width = max(map(len, self.commands))
        last = [*_SECTIONS][-1]
        apart = [name for name in self.commands if not any(name in names for names in _SECTIONS.values())]
        for heading, known in _SECTIONS.items():
            names = [*known, *(apart if heading == last else ())]
            rows = [(name, self.commands[name].get_short_help_str(formatter.width - width)) for name in names]
            with formatter.section(heading):
                formatter.write_dl([(name.ljust(width), text) for name, text in rows])


def _in_workspace(ctx: Any) -> list[str]:
    """What is meant by no word at all: in a workspace, where one stands."""
    from ichnos.pack.workspace.folder import find_folder

    try:
        if not ctx.resilient_parsing:
            find_folder(Path())
            return ["status"]
    except IchnosError:
        pass
    return []


class Forgiving(LightGroup):
    """A group of commands in which anything else goes to one of them."""

    fallback = ""

    @classmethod
    def to(cls, fallback: str) -> type[Forgiving]:
        return type("Forgiving", (cls,), {"fallback": fallback})

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        first = args[0] if args else ""
        if first not in self.commands and first not in ctx.help_option_names:
            args = [self.fallback, *args]
        return super().parse_args(ctx, args)


class PlainCommand(TyperCommand):
    """A command whose help names its arguments, and not how Python calls their types; its numbers have an end."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        rest = super().parse_args(ctx, args)
        for param in self.params:
            value = ctx.params.get(param.name)
            if isinstance(value, int | float) and not abs(value) <= BEYOND:  # so that NaN does not pass either
                shown = f"{value:g}" if isinstance(value, float) else f"a number of {len(str(value))} digits"
                raise UsageError(f"{param.opts[-1]} cannot be {shown}", cure="give a number that can be meant")
        return rest

    def format_help(self, ctx: Any, formatter: Any) -> None:
        write = formatter.write_dl

        def plainly(rows: Any, *args: Any, **more: Any) -> None:
            write([(re.sub(r" <[^>]*>$", "", name), text) for name, text in rows], *args, **more)

        formatter.write_dl = plainly
        super().format_help(ctx, formatter)


class LightCommand(PlainCommand):
    """A command whose values stay the texts that were typed: turning them into others would import much."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        if ctx.resilient_parsing or any(name in args for name in self.get_help_option_names(ctx)):
            return super().parse_args(ctx, args)
        typed, rest, _ = self.make_parser(ctx).parse_args(args=list(args))
        if rest:
            return super().parse_args(ctx, args)  # which says what is wrong
        for param in self.params:
            value = typed.get(param.name)
            ctx.params[param.name] = (
                param.get_default(ctx) if not isinstance(value, str | bool | list | tuple) else value
            )
        return []


class Program(typer.Typer):
    """A group of such commands."""

    def command(self, *args: Any, cls: Any = None, **more: Any) -> Callable[[F], F]:
        return super().command(*args, cls=cls or PlainCommand, **more)


def examples(*lines: str) -> str:
    """Examples for a command's help, a line each, which is not folded and can be copied."""
    return "\n".join(["\b", "Examples:" if len(lines) > 1 else "Example:", *(f"  {line}" for line in lines)])


app = Program(
    name="ichnos",
    cls=InOrder,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    help="Makes game sound packs: you say which clip is for which sound key, Ichnos does the rest.",
    epilog=examples("ichnos demo"),
)

# Options that several commands have.
DryRun = Annotated[bool, typer.Option("--dry-run", help="Show what would be written, and write nothing.")]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]
Overwrite = Annotated[bool, typer.Option("--overwrite", help="Write over files that are there already.")]
_WORKSPACE = typer.Option(
    "--workspace", "-w", metavar="FOLDER", help="The workspace, or a folder in it.", show_default="here"
)
WorkspaceFolder = Annotated[Path, _WORKSPACE]
WorkspaceText = Annotated[str, _WORKSPACE]  # for light commands


def _version(wanted: bool) -> None:
    if wanted:
        show.say(f"ichnos {__version__}")
        raise typer.Exit


@app.callback()
def _main(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Say the version, and stop.")
    ] = False,
) -> None:
    pass


def report(error: IchnosError) -> None:
    """Print an error, and every one of several, on stderr."""
    for each in _each(error):
        show.say(each, lead="error:", err=True, fg="red", bold=True)
        if each.cure:
            show.say(each.cure, lead="  cure:", err=True, bold=True)


def report_to_programs(error: IchnosError) -> None:
    """Print errors as JSON on stdout, with the names that findings have."""
    show.as_json({"errors": [*_each(error)]})


def _each(error: IchnosError) -> Iterator[IchnosError]:
    if isinstance(error, Problems):
        for inner in error.errors:
            yield from _each(inner)
    else:
        yield error
