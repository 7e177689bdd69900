"""The plan: what will be converted, written and left alone, and why. A pure value.

It is made in two steps: the outline, which is all that does not depend on what is inside the clips,
and then the clips. Where nothing but clips has changed, the last build's outline still holds.
"""

from __future__ import annotations

import fnmatch
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from ichnos.audio.files.clips import Facts
from ichnos.audio.process.target import Target, identity
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files.paths import LONGEST_NAME, folded, is_plain, windows_refuses
from ichnos.pack.workspace.folder import SILENT_CLIP

if TYPE_CHECKING:
    from ichnos.games.entries.edits import EntryChange


@dataclass(frozen=True)
class Clip:
    """A clip as found on disk: what it is, its SHA-256 in hexadecimal, and its signature."""

    facts: Facts
    sha256: str
    signature: tuple[int, int]


@dataclass(frozen=True)
class Conversion:
    """One clip to convert. ``identity`` is the name under which the result is kept."""

    clip: str
    signature: tuple[int, int]  # the clip's when it was looked at
    facts: Facts
    target: Target
    identity: str
    sha256: str = ""  # of the clip


@dataclass(frozen=True)
class PlannedFile:
    """One file of the pack: its bytes, or the conversion that gives them; ``reason`` says why."""

    path: str
    reason: str
    data: bytes | None = None
    conversion: Conversion | None = None
    changes: tuple[EntryChange, ...] = ()  # where it is merged into the game's own file
    encoded: Path | None = None  # what the game's own encoder made of the conversion
    is_built: bool = False  # it says something of finished sound files, and is filled again when they are there
    depends: str = ""  # on what, besides its own bytes


@dataclass(frozen=True)
class ClipUse:
    """A clip at its work: as a take or as a part of a sound, under which path of the pack, and what it becomes.

    ``part``: the part's name. ``place``: where the workspace says so.
    """

    role: Literal["take", "part"]
    clip: str
    path: str
    target: Target
    place: Place
    part: str | None = None


@dataclass(frozen=True)
class SoundSpec:
    """A sound file that the pack has. ``about``: what else to say of it, behind what the clip is.

    ``in_place``: it stands in the place of one of the game's own files. ``longest``: in seconds.
    """

    use: ClipUse
    about: str
    in_place: bool = False
    longest: float | None = None


@dataclass(frozen=True)
class Outline:
    """Everything of a plan that does not depend on what is inside the clips. ``megabytes``: the most."""

    package: str
    archive: bool
    files: tuple[PlannedFile, ...]
    sounds: tuple[SoundSpec, ...]
    profile: str = ""  # the digest of the game's profile
    notes: tuple[str, ...] = ()  # what the workspace says and the game has no place for
    game: str | None = None  # where it is for another game than the workspace's first
    unchecked: str = ""  # the game's title, where its keys are not known
    megabytes: float | None = None
    own_encoder: bool = False  # does only the game's own encoder write what it reads?
    afterwards: tuple[str, ...] = ()  # what is left for the modder's own hands
    last: tuple[str, ...] = ()  # patterns of files that stand at the archive's end


@dataclass(frozen=True)
class BuildPlan:
    """An outline, and all files of the pack by path."""

    outline: Outline
    files: tuple[PlannedFile, ...]

    @property
    def conversions(self) -> tuple[Conversion, ...]:
        """Each conversion that the pack is made of, once, in the order of the files."""
        needed = (file.conversion for file in self.files if file.conversion and not file.encoded)
        return tuple({conversion.identity: conversion for conversion in needed}.values())


def make_plan(outline: Outline, clips: Mapping[str, Clip]) -> BuildPlan:
    """Make the plan for an outline.

    Args:
        clips: what each clip of the workspace is, by its name there.

    Raises:
        IchnosError: clips that are too long for the game, or names that no file can have; all of them together.
    """
    raise_all(list(_bad_paths(outline)))
    files = [*outline.files]
    too_long = []
    for sound in outline.sounds:
        use = sound.use
        clip = clips[use.clip]
        reason = "silence, on purpose" if use.clip == SILENT_CLIP else f"{use.clip}: {clip.facts}"
        target = use.target.of_clip(clip.facts)
        name = identity(clip.sha256, target)
        conversion = Conversion(use.clip, clip.signature, clip.facts, target, name, clip.sha256)
        files.append(PlannedFile(use.path, reason + sound.about, conversion=conversion))
        if sound.longest is not None and clip.facts.seconds > sound.longest:
            what = f"{use.clip} is {clip.facts.seconds:.1f} s long, and the game takes {sound.longest:g} s at most"
            too_long.append(IchnosError(what, place=use.place, cure="shorten the clip"))
    raise_all(too_long)
    sounds = ",".join(f"{file.path} {file.conversion.identity}" for file in files if file.conversion)
    files = [replace(file, depends=sounds) if file.is_built else file for file in files]
    files.sort(key=lambda file: (_rank(file.path, outline.last), file.path))
    return BuildPlan(outline, tuple(files))


def _rank(path: str, last: Sequence[str]) -> int:
    """The place of a file among those that stand last, from 1; 0 for all others."""
    return next((at for at, pattern in enumerate(last, 1) if fnmatch.fnmatchcase(path, pattern)), 0)


def _bad_paths(outline: Outline) -> Iterator[IchnosError]:
    whole = Place("ichnos.toml")
    yield from _bad_path(outline.package, whole)
    yield from bad_names(outline.sounds, outline.files)


def bad_names(sounds: Iterable[SoundSpec], files: Iterable[PlannedFile] = ()) -> Iterator[IchnosError]:
    """Paths of the pack that no file can have, and two different things under one path."""
    whole, among_takes = Place("ichnos.toml"), "takes of one key need @take.number@ in the profile's sound file"
    apart = f"give one of the two another key; {among_takes}"
    named = [(file.path, whole, "leave one of the two out, or give it another path") for file in files]
    for sound in sounds:
        cure = "the game plays this one file for both keys: give them the same clip" if sound.in_place else apart
        named.append((sound.use.path, sound.use.place, cure))
    seen: dict[str, int] = {}
    for index, (path, place, cure) in enumerate(named):
        yield from _bad_path(path, place)
        first = seen.setdefault(folded(path), index)
        if first != index:
            other, where, _ = named[first]
            also = "" if other == path else f' as "{other}"'
            what = f'"{path}" would be the same file{also}, which {where} is to be'
            yield IchnosError(what, place=place, cure=cure)


def _bad_path(path: str, place: Place) -> Iterator[IchnosError]:
    pieces = path.split("/")
    reserved = next((piece for piece in pieces if windows_refuses(piece)), None)
    if reserved is not None:
        what, cure = f'"{path}": Windows has no file called {reserved}', "give the sound, or the pack, another name"
        yield IchnosError(what, place=place, cure=cure)
    longest = max(pieces, key=lambda piece: len(piece.encode("utf-8", "surrogateescape")))
    if len(longest.encode("utf-8", "surrogateescape")) > LONGEST_NAME:
        what = f"no system takes so long a name for a file: {longest[:40]}... ({len(longest)} letters)"
        yield IchnosError(what, place=place, cure="give the sound, or the pack, a shorter one")
    elif not is_plain(path):
        what = f'"{path}" cannot be a file\'s name in a pack'
        cure = 'give the sound a key without slashes at its ends, dots alone, or any of \\ : * ? " < > |'
        yield IchnosError(what, place=place, cure=cure)


def as_json(plan: BuildPlan, states: Mapping[str, str], why: Mapping[str, str]) -> dict[str, Any]:
    """The plan for programs; ``states`` says of each path whether it is new, changed or the same."""
    return {
        "package": plan.outline.package,
        "notes": plan.outline.notes,
        "afterwards": plan.outline.afterwards,
        "files": [
            {
                "path": file.path,
                "state": states[file.path],
                "reason": file.reason,
                **({"why": why[file.path]} if file.path in why else {}),
                **(
                    {"clip": file.conversion.clip, "becomes": str(file.conversion.target)}
                    if file.conversion
                    else {"bytes": len(file.data or b"")}
                ),
                **({"changes": file.changes} if file.changes else {}),
            }
            for file in plan.files
        ],
    }
