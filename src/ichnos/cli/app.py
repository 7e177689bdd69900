"""The ``ichnos`` program. Heavy packages are imported where a command needs them, never here."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated, Any

import typer
from typer.core import TyperGroup

from ichnos import __version__
from ichnos.cli import show
from ichnos.errors import IchnosError, Problems


class Forgiving(TyperGroup):
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


app = typer.Typer(
    name="ichnos",
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    help="Makes game sound packs: you say which clip is for which sound key, Ichnos does the rest.",
    epilog="See it all at once: ichnos demo",
)

# Options that several commands have.
DryRun = Annotated[bool, typer.Option("--dry-run", help="Show what would be written, and write nothing.")]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]
WorkspaceFolder = Annotated[
    Path,
    typer.Option("--workspace", "-w", metavar="FOLDER", help="The workspace, or a folder in it.", show_default="here"),
]


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"ichnos {__version__}")
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
    if isinstance(error, Problems):
        for each in error.errors:
            report(each)
        return
    typer.echo(f"{show.styled('error:', fg='red', bold=True)} {error}", err=True)
    if error.cure:
        typer.echo(f"  {show.styled('to do:', bold=True)} {error.cure}", err=True)


def main() -> None:
    """Run the program; every error that a person is meant to read is printed here."""
    from ichnos.cli import checking, converting, demo, games, hearing, keys, looking, making, treating

    del (
        checking,
        converting,
        demo,
        games,
        hearing,
        keys,
        looking,
        making,
        treating,
    )  # importing them adds their commands
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="replace")  # a console that lacks a letter must not stop the work
    try:
        app()
    except IchnosError as error:
        report(error)
        sys.exit(error.exit_code)
    except BrokenPipeError:
        sys.stderr.close()  # the reader has seen enough
        sys.exit(1)
