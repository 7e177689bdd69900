"""Options that are made from a table of what can be said, when a command needs them: they never lag behind it."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterable
from typing import Annotated, Any

import typer

from ichnos.cli.app import PlainCommand

_GIVEN = "ichnos.made"  # where their values are kept


def with_options(make: Callable[[], Iterable[inspect.Parameter]], behind: str) -> type[PlainCommand]:
    """A kind of command that has further options behind one of its own.

    Args:
        make: gives them, each made by ``option``.
    """

    class WithOptions(PlainCommand):
        def get_params(self, ctx: Any) -> list[Any]:
            params = super().get_params(ctx)
            at = next(index for index, parameter in enumerate(params) if parameter.name == behind) + 1
            return [*params[:at], *_params(make()), *params[at:]]

    return WithOptions


def given(ctx: typer.Context) -> dict[str, Any]:
    """What was said with them, by their names."""
    return dict(ctx.meta.get(_GIVEN, {}))


def option(name: str, kind: Any, *spelled: str, needed: bool = False, **more: Any) -> inspect.Parameter:
    """One of them: its type and how it is said; its value is kept under its name."""

    def keep(ctx: typer.Context, value: Any) -> None:
        if value is not None and value != []:
            ctx.meta.setdefault(_GIVEN, {})[name] = value

    declared = typer.Option(*spelled, expose_value=False, callback=keep, **more)
    default = inspect.Parameter.empty if needed else None
    called = f"made_{name}".replace("-", "_")
    return inspect.Parameter(
        called, inspect.Parameter.KEYWORD_ONLY, default=default, annotation=Annotated[kind, declared]
    )


def _params(made: Iterable[inspect.Parameter]) -> list[Any]:
    def command() -> None: ...

    parameters = list(made)
    command.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    command.__annotations__ = {parameter.name: parameter.annotation for parameter in parameters}
    holder = typer.Typer(add_completion=False, rich_markup_mode=None)
    holder.command()(command)
    return list(typer.main.get_command(holder).params)
