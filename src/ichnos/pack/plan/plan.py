"""The plan: what will be converted, written and left alone, and why. A pure value.

It is made in two steps: the outline, which is all that does not hang on what is inside the clips,
and then the clips. Where nothing but clips has changed, the last build's outline still holds.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ichnos.audio.files.clips import Facts
from ichnos.audio.process.conversion import Target, identity
from ichnos.errors import IchnosError, Place, raise_all

if TYPE_CHECKING:
    from ichnos.games.entries.edit import Change

SILENCE = ":silence"  # stands for a clip that ships with Ichnos; no file's name begins with a colon everywhere


@dataclass(frozen=True)
class Clip:
    """A clip as found on disk: what it is, its SHA-256 in hexadecimal, its size and time (nanoseconds)."""

    facts: Facts
    sha256: str
    seen: tuple[int, int]


@dataclass(frozen=True)
class Conversion:
    """One clip to convert. ``identity`` is the name under which the result is kept."""

    clip: str
    seen: tuple[int, int]  # the clip's size and time when it was looked at
    facts: Facts
    target: Target
    identity: str
    sha256: str = ""  # of the clip


@dataclass(frozen=True)
class Written:
    """One file of the pack: its bytes, or the conversion that gives them; ``reason`` says why."""

    path: str
    reason: str
    data: bytes | None = None
    conversion: Conversion | None = None
    changes: tuple[Change, ...] = ()  # where it is merged into the game's own file
    laid: Path | None = None  # what the game's own encoder made of the conversion


@dataclass(frozen=True)
class Wanted:
    """A sound file that the pack has: which clip it is made of, what it becomes, and where that is asked for."""

    path: str
    clip: str
    target: Target
    about: str  # what there is to say of it, behind what the clip is
    place: Place


@dataclass(frozen=True)
class Outline:
    """Everything of a plan that does not hang on what is inside the clips. ``seconds``, ``megabytes``: limits."""

    package: str
    archive: bool
    files: tuple[Written, ...]
    sounds: tuple[Wanted, ...]
    profile: str = ""  # the digest of the game's profile
    notes: tuple[str, ...] = ()
    game: str | None = None  # where it is for another game than the workspace's first
    unchecked: str = ""  # the game's title, where its keys are not known
    seconds: float | None = None
    megabytes: float | None = None
    closed: bool = False  # does only the game's own encoder write what it reads?


@dataclass(frozen=True)
class Plan:
    """All files of the pack by path, and the name of the archive or folder that holds them."""

    package: str
    archive: bool
    files: tuple[Written, ...]
    profile: str = ""  # the digest of the game's profile
    notes: tuple[str, ...] = ()  # what the workspace says and the game has no place for

    @property
    def conversions(self) -> tuple[Conversion, ...]:
        """Each conversion that the pack is made of, once, in the order of the files."""
        open_ones = (file.conversion for file in self.files if file.conversion and not file.laid)
        return tuple({conversion.identity: conversion for conversion in open_ones}.values())


def planned(outline: Outline, clips: Mapping[str, Clip]) -> Plan:
    """The plan for an outline.

    Args:
        clips: what each clip of the workspace is, by its name there.

    Raises:
        IchnosError: clips that are too long for the game, or names that no file can have; all of them together.
    """
    raise_all(list(_bad_paths(outline)))
    files = [*outline.files]
    too_long = []
    for sound in outline.sounds:
        clip = clips[sound.clip]
        reason = "silence, on purpose" if sound.clip == SILENCE else f"{sound.clip}: {clip.facts}"
        name = identity(clip.sha256, sound.target)
        conversion = Conversion(sound.clip, clip.seen, clip.facts, sound.target, name, clip.sha256)
        files.append(Written(sound.path, reason + sound.about, conversion=conversion))
        if outline.seconds is not None and clip.facts.seconds > outline.seconds:
            what = f"{sound.clip} is {clip.facts.seconds:.1f} s long, and the game takes {outline.seconds:g} s at most"
            too_long.append(IchnosError(what, place=sound.place, cure="shorten the clip"))
    raise_all(too_long)
    files.sort(key=lambda file: file.path)
    return Plan(outline.package, outline.archive, tuple(files), outline.profile, outline.notes)


_FORBIDDEN = re.compile(r'[\\:*?"<>|\x00-\x1f]')
_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(\..*)?|.*[. ]", re.IGNORECASE)


def windows_refuses(name: str) -> bool:
    """Is it a name of a device, or one with a dot or a space at its end, that Windows would cut?"""
    return name not in ("", ".", "..") and _RESERVED.fullmatch(name) is not None


def _bad_paths(outline: Outline) -> Iterator[IchnosError]:
    whole = Place("ichnos.toml")
    yield from _bad_path(outline.package, whole)
    paths = [(file.path, whole) for file in outline.files]
    paths += [(sound.path, sound.place) for sound in outline.sounds]
    seen: dict[str, str] = {}
    for path, place in paths:
        yield from _bad_path(path, place)
        other = seen.setdefault(path.casefold(), path)
        if other is not path:
            what = f'"{path}" and "{other}" would be the same file'
            yield IchnosError(what, place=place, cure="give one of the two sounds another key")


def _bad_path(path: str, place: Place) -> Iterator[IchnosError]:
    pieces = path.split("/")
    reserved = next((piece for piece in pieces if windows_refuses(piece)), None)
    if reserved is not None:
        what, cure = f'"{path}": Windows has no file called {reserved}', "give the sound, or the pack, another name"
        yield IchnosError(what, place=place, cure=cure)
    if any(piece in ("", ".", "..") for piece in pieces) or _FORBIDDEN.search(path):
        what = f'"{path}" cannot be a file\'s name in a pack'
        cure = 'give the sound a key without slashes at its ends, dots alone, or any of \\ : * ? " < > |'
        yield IchnosError(what, place=place, cure=cure)


def as_json(plan: Plan, states: Mapping[str, str], why: Mapping[str, str]) -> dict[str, Any]:
    """The plan for programs; ``states`` says of each path whether it is new, changed or the same."""
    return {
        "package": plan.package,
        "notes": list(plan.notes),
        "files": [
            {
                "path": file.path,
                "state": states[file.path],
                "reason": file.reason,
                **({"why": why[file.path]} if file.path in why else {}),
                **(
                    {"clip": file.conversion.clip, "to": str(file.conversion.target)}
                    if file.conversion
                    else {"bytes": len(file.data or b"")}
                ),
                **({"changes": [asdict(change) for change in file.changes]} if file.changes else {}),
            }
            for file in plan.files
        ],
    }
