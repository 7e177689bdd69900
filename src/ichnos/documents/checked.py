"""A TOML file checked against a model: what is wrong is said with line and column."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from functools import cache
from typing import Any, ClassVar, TypeVar, get_args

from pydantic import BaseModel, ConfigDict, ValidationError, ValidationInfo, field_validator
from pydantic.fields import FieldInfo
from pydantic_core import PydanticCustomError

from ichnos.documents.toml import TomlFile
from ichnos.errors import BEYOND, IchnosError, raise_all
from ichnos.likeness import NEAR, nearest

Model = TypeVar("Model", bound=BaseModel)


_ROOM = 40  # characters of a value that is shown
_UNKNOWN = "extra_forbidden"  # pydantic's name for a field that the model does not have


class TomlTable(BaseModel):
    """A table of a TOML file: unknown fields are errors, names are written with hyphens.

    ``elsewhere``: fields that belong into another file, with what to do.
    """

    elsewhere: ClassVar[dict[str, str]] = {}
    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        alias_generator=lambda name: name.replace("_", "-"),
        populate_by_name=True,
        allow_inf_nan=False,
    )

    @field_validator("*", mode="before")
    @classmethod
    def _no_number_is_true(cls, value: Any, info: ValidationInfo) -> Any:
        is_said = isinstance(value, bool) or (isinstance(value, list) and any(isinstance(one, bool) for one in value))
        if is_said and _is_of_numbers(cls, str(info.field_name)):
            raise PydanticCustomError("float_type", "a number is expected")
        return value


@cache
def _is_of_numbers(model: type[BaseModel], name: str) -> bool:
    kinds: list[Any] = [model.model_fields[name].annotation]
    for kind in kinds:
        kinds += get_args(kind)
    return (float in kinds or int in kinds) and bool not in kinds and Any not in kinds


def checked(model: type[Model], file: TomlFile) -> Model:
    """The file's values as the model.

    Raises:
        IchnosError: for each field that is missing, unknown or of the wrong kind, all together.
    """
    raise_all(list(_beyond(file, file.values, ())))
    try:
        return model.model_validate(file.values)
    except ValidationError as error:
        details = error.errors()
        found = {_suggestion(model, detail["loc"]): detail["loc"] for detail in details if detail["type"] == _UNKNOWN}
        misspelt = [detail for detail in details if not (detail["type"] == "missing" and detail["loc"] in found)]
        raise_all([_readable(dict(detail), model, file) for detail in misspelt])
        raise


def beyond(value: Any) -> str:
    """What is wrong with a number that nobody can mean; empty for all other values.

    >>> beyond(1e308), beyond(0.5), beyond("1e308")
    ('it is beyond any number that can be meant', '', '')
    """
    if isinstance(value, bool) or not isinstance(value, int | float) or abs(value) <= BEYOND:
        return ""
    if isinstance(value, float) and not math.isfinite(value):
        return "a number is expected that is not without end"
    return "it is beyond any number that can be meant"


def _beyond(file: TomlFile, value: Any, path: tuple[str | int, ...]) -> Iterator[IchnosError]:
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for name, inner_value in inner:
        yield from _beyond(file, inner_value, (*path, name))
    if what := beyond(value):
        cure = "write one that has an end, and that the game can have"
        yield IchnosError(f'the field "{path[-1]}" is not as expected: {what}', place=file.place(*path), cure=cure)


def _readable(detail: dict[str, Any], model: type[BaseModel], file: TomlFile) -> IchnosError:
    path = tuple(part for part in detail["loc"] if part in _real(detail["loc"], file.values))
    name = str(detail["loc"][-1])
    what = f'the field "{name}"'
    if isinstance(detail["loc"][-1], int):  # it is about an entry of a list
        name = next((str(part) for part in reversed(detail["loc"]) if isinstance(part, str)), "the list")
        what = f"this entry of {name}"
    place = file.place(*path)
    kind = detail["type"]
    if kind == "missing":
        is_table = name in _tables(model)
        what, cure = ("table", f"add it: [{name}]") if is_table else ("field", f"add a line: {name} = ...")
        return IchnosError(f'the {what} "{name}" is missing', place=place, cure=cure)
    if kind == _UNKNOWN:
        near = _suggestion(model, detail["loc"])
        cure = f'did you mean "{near[-1]}"?' if near else f"these exist here: {', '.join(_fields(model, path[:-1]))}"
        cure = getattr(model, "elsewhere", {}).get(name, cure)
        return IchnosError(f'there is no field "{name}" here', place=place, cure=cure)
    expected = in_words(detail)
    if kind.startswith("tuple") and isinstance(detail["input"], dict) and path and len(path) == 1:
        expected = f"it is a list of tables: write [[{name}]]"
    field = _field(model, path)
    if kind == "string_pattern_mismatch" and field is not None and field.examples:
        expected = f"it is written like {' or '.join(map(str, field.examples))}"
    about = field.description if field is not None and field.description else expected
    return IchnosError(
        f"{what} is not as expected: {expected}{_shown(detail['input'])}",
        place=place,
        cure=decimal_point(detail["input"]) or f"{name}: {about}",
    )


# What pydantic finds, in the words of the file, by the beginning of its name for it.
_EXPECTED = {
    "tuple": 'a list is expected, in brackets: ["..."]',
    "list": 'a list is expected, in brackets: ["..."]',
    "string_type": "a text is expected, in quotation marks",
    "string_too_short": "it cannot be empty",
    "too_short": "it cannot be empty",
    "missing": "nothing is said here, and something must be",
    "float": "a number is expected",
    "int_from_float": "a whole number is expected",
    "int": "a whole number is expected",
    "bool": "true or false is expected, without quotation marks",
    "dict": "a table is expected, in braces: {name = ...}",
    "model": "a table is expected, in braces: {name = ...}",
    "finite_number": "a number is expected that is not without end",
}
_BOUNDS = {
    "greater_than_equal": ("ge", "at least"),
    "greater_than": ("gt", "more than"),
    "less_than_equal": ("le", "at most"),
    "less_than": ("lt", "less than"),
}


def in_words(detail: Mapping[str, Any]) -> str:
    """One of pydantic's findings as a person would say it."""
    kind = str(detail["type"])
    if kind in _BOUNDS:
        name, words = _BOUNDS[kind]
        return f"it must be {words} {detail['ctx'][name]:g}"
    if kind == "literal_error":
        return f"one of these is expected: {detail['ctx']['expected']}"
    expected = next((words for beginning, words in _EXPECTED.items() if kind.startswith(beginning)), None)
    return expected or str(detail["msg"]).removeprefix("Value error, ").removeprefix("Input ")


def decimal_point(value: Any) -> str:
    """The cure for a number with a decimal comma; empty for anything else."""
    match = re.fullmatch(r"\s*(-?\d+),(\d+)\s*", value) if isinstance(value, str) else None
    return f"write a point: {match[1]}.{match[2]}" if match else ""


def _shown(value: Any) -> str:
    """What was found, as it stands in the file; nothing where that is more than a word."""
    if isinstance(value, bool):
        return f", and not {str(value).lower()}"
    if isinstance(value, int | float):
        return f", and not {value}"
    return f', and not "{value}"' if isinstance(value, str) and 0 < len(value) <= _ROOM else ""


def _suggestion(model: type[BaseModel], loc: tuple[str | int, ...]) -> tuple[str | int, ...]:
    """The location of the field that a misspelt one most likely means; empty where none is near."""
    near = nearest(_fields(model, loc[:-1]), str(loc[-1]), 1, NEAR)
    return (*loc[:-1], *near) if near else ()


def _real(loc: tuple[Any, ...], values: Any) -> set[str | int]:
    """The parts of an error's location that exist in the file; the model's own branch names do not."""
    real: set[str | int] = set()
    for part in loc:
        if (isinstance(values, dict) and part in values) or (
            isinstance(values, list) and isinstance(part, int) and part < len(values)
        ):
            values = values[part]
            real.add(part)
    return real


def _fields(model: type[BaseModel], path: tuple[str | int, ...]) -> list[str]:
    """The names of the fields of the table at ``path``."""
    inner = _at(model, path)
    return [field.alias or name for name, field in inner.model_fields.items()] if inner else []


def _at(model: type[BaseModel], path: tuple[str | int, ...]) -> type[BaseModel] | None:
    """The model of the table at ``path``."""
    for part in path:
        if isinstance(part, int):
            continue
        field = next((f for n, f in model.model_fields.items() if (f.alias or n) == part), None)
        inner = _table_of(field.annotation) if field else None
        if inner is None:
            return None
        model = inner
    return model


def _field(model: type[BaseModel], path: tuple[str | int, ...]) -> FieldInfo | None:
    """What the model says of the field at ``path``, or of the one that it is an item of."""
    while path and isinstance(path[-1], int):
        path = path[:-1]
    inner = _at(model, path[:-1]) if path else None
    return next((f for n, f in inner.model_fields.items() if (f.alias or n) == path[-1]), None) if inner else None


def _tables(model: type[BaseModel]) -> set[str]:
    """The names of a model's fields that are tables."""
    return {field.alias or name for name, field in model.model_fields.items() if _table_of(field.annotation)}


def _table_of(annotation: Any) -> type[BaseModel] | None:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    return next((t for a in getattr(annotation, "__args__", ()) if (t := _table_of(a))), None)
