"""What ``[pack]`` of ``ichnos.toml`` says: the pack itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BeforeValidator, Field, PrivateAttr, model_validator

from ichnos.documents.checked import TomlTable


def _with_slashes(path: str) -> str:
    return path.replace("\\", "/")


Fields = dict[str, str | bool | int | float]
FileName = Annotated[str, AfterValidator(_with_slashes)]  # a file's, as seen from the workspace; either slash will do

_NUMBER, _WORD = r"(0|[1-9]\d*)", r"(0|[1-9]\d*|\d*[A-Za-z-][0-9A-Za-z-]*)"
_SEMVER = rf"^{_NUMBER}\.{_NUMBER}\.{_NUMBER}(-{_WORD}(\.{_WORD})*)?(\+[0-9A-Za-z-]+(\.[0-9A-Za-z-]+)*)?$"


def is_semver(version: str) -> bool:
    """Is it a version after SemVer 2.0.0?"""
    return re.match(_SEMVER, version) is not None


def in_order(version: str) -> tuple[int, ...]:
    """What versions of a game are put in order by: their numbers."""
    return tuple(map(int, re.findall(r"\d+", version)))


def _in_order(said: Any) -> Any:
    several = [said] if isinstance(said, str) else said
    is_plain = isinstance(several, list | tuple) and all(isinstance(one, str) for one in several)
    return tuple(sorted(dict.fromkeys(several), key=in_order)) if is_plain else said


Versions = Annotated[tuple[str, ...], BeforeValidator(_in_order, json_schema_input_type=str | list[str])]

# A text in the pack's own language; where it is said in several, those are ``translated``.
Told = Annotated[str, BeforeValidator(lambda said: said, json_schema_input_type=str | dict[str, str])]


class Pack(TomlTable):
    title: Told = Field(min_length=1, description="the pack's title, as players see it; or one for each language")
    name: str = Field(
        pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$",
        examples=["storm-watch"],
        description="short, in small letters; used in file names so that none collide",
    )
    version: str = Field(pattern=_SEMVER, examples=["1.0.0", "1.0.0-beta.1"], description="SemVer 2.0.0")
    game_version: Versions = Field(
        min_length=1,
        examples=["2.1", ["2.0", "2.1"]],
        description="the version of the game that the pack is for, or a list of several",
    )
    id: str | None = Field(
        default=None,
        min_length=1,
        description="its id in the game's own spelling, with capitals and blanks; without it, the name",
    )
    summary: Told | None = Field(default=None, description="what the pack is, in a sentence; or one for each language")
    text: Told | None = Field(
        default=None, min_length=1, description="what players read of it at length; or one for each language"
    )
    author: str | None = Field(default=None, description="who made it")
    licence: str | None = Field(default=None, description="the pack's own, an SPDX expression")
    commercial: bool = Field(
        default=False, description="is the pack sold? Clips whose licence forbids that are reported"
    )
    icon: FileName | None = Field(
        default=None, description="a picture's file; without it, one is drawn where the game shows one"
    )
    icon_shape: Literal["padded", "cropped"] = Field(
        default="padded", description="how a picture of another shape is made to fit the game's"
    )
    language: str = Field(
        default="en",
        pattern=r"^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$",
        examples=["en", "pt-BR"],
        description="of titles that do not say theirs, a BCP 47 tag",
    )
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @pack.field.NAME@")

    _translated: dict[str, dict[str, str]] = PrivateAttr(default_factory=dict)

    @property
    def translated(self) -> Mapping[str, Mapping[str, str]]:
        """Of title, summary and text, where they are said in several languages: each of them."""
        return self._translated

    @model_validator(mode="wrap")
    @classmethod
    def _in_languages(cls, said: Any, handler: Callable[[Any], Pack]) -> Pack:
        if not isinstance(said, dict):
            return handler(said)
        own = said.get("language", "en")
        told = {name: said[name] for name in ("title", "summary", "text") if isinstance(said.get(name), dict)}
        single = {name: texts.get(own) or next(iter(texts.values()), "") for name, texts in told.items()}
        pack = handler({**said, **single})
        pack._translated = told
        return pack
