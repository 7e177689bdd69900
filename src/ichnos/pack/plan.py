"""The plan: what will be converted, written and left alone, and why. A pure value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from ichnos.audio.clips import Facts
from ichnos.audio.conversion import Target, identity
from ichnos.documents.tree import Value
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.games.fill import Around, Instance, fill, instances, resolve
from ichnos.games.profile import Profile
from ichnos.games.vocabulary import ID_PREFIX, LANGUAGE, PACK, SOUND, TAKE
from ichnos.pack.workspace import Sound, Workspace


@dataclass(frozen=True)
class Clip:
    """A clip as found on disk: what it is, and its SHA-256 in hexadecimal."""

    facts: Facts
    sha256: str


@dataclass(frozen=True)
class Conversion:
    """One clip to convert. ``identity`` is the name under which the result is kept."""

    clip: str
    facts: Facts
    target: Target
    identity: str


@dataclass(frozen=True)
class Written:
    """One file of the pack: its bytes, or the conversion that gives them; ``reason`` says why."""

    path: str
    reason: str
    data: bytes | None = None
    conversion: Conversion | None = None


@dataclass(frozen=True)
class Plan:
    """All files of the pack by path, and the name of the package that holds them."""

    package: str
    files: tuple[Written, ...]

    @property
    def conversions(self) -> tuple[Conversion, ...]:
        """Each conversion once, in the order of the files."""
        unique = {file.conversion.identity: file.conversion for file in self.files if file.conversion}
        return tuple(unique.values())


def target(profile: Profile) -> Target:
    """What this game's sounds are converted to."""
    rules = profile.rules.audio
    return Target(rules.container, rules.codec, rules.rate, rules.channels, rules.quality)


def make(workspace: Workspace, clips: Mapping[str, Clip]) -> Plan:
    """Decide everything, touching nothing.

    Args:
        clips: what each clip of the workspace is, by its name in ``ichnos.toml``.

    Raises:
        IchnosError: a name or a value that the game cannot carry; all of them together.
    """
    profile = workspace.profile
    pack = _pack(workspace)
    around: Around = {PACK: pack}
    files: list[Written] = []
    want = target(profile)
    for sound, bound in zip(workspace.pack_file.sound, instances(SOUND, around), strict=True):
        for take, inner in zip(sound.takes, instances(TAKE, bound), strict=True):
            clip = clips[take.clip]
            conversion = Conversion(take.clip, clip.facts, want, identity(clip.sha256, want))
            files.append(Written(str(inner[TAKE].values["file"]), f"{take.clip}: {clip.facts}", conversion=conversion))
    for exemplar in profile.documents:
        for bound in _files(exemplar.file_scopes, around):
            path = str(exemplar.path.fill(partial(resolve, around=bound)))
            text = fill(exemplar, bound)
            files.append(Written(path, _why(workspace, exemplar.scopes), exemplar.document.text.to_bytes(text)))
    for name in profile.plain_files:
        files.append(Written(name, "the same in every pack", (profile.tree / name).read_bytes()))
    files.sort(key=lambda file: file.path)
    _refuse_bad_paths(files)
    package = str(profile.package_name.fill(partial(resolve, around=around)))
    return Plan(package, tuple(files))


def _files(scopes: tuple[str, ...], around: Around) -> list[Around]:
    bound = [around]
    for scope in scopes:
        bound = [inner for outer in bound for inner in instances(scope, outer)]
    return bound


def _why(workspace: Workspace, scopes: Mapping[str, str]) -> str:
    count = len(workspace.pack_file.sound)
    if "title" in scopes:
        return "titles that players see"
    if TAKE in scopes.values():
        return f"the definition{'s' if count != 1 else ''} of {count} sound{'s' if count != 1 else ''}"
    if SOUND in scopes.values():
        return f"a list of {count} sound{'s' if count != 1 else ''}"
    return "the pack's title, version and ids"


def _pack(workspace: Workspace) -> Instance:
    """The workspace as values for the profile's holes."""
    pack, language = workspace.pack_file.pack, workspace.pack_file.pack.language
    values: dict[str, Value] = {
        "pack.title": pack.title,
        "pack.name": pack.name,
        "pack.version": pack.version,
        "pack.summary": pack.summary,
        "pack.author": pack.author,
        "pack.licence": pack.licence,
        "game.version": pack.game_version,
        **{f"{ID_PREFIX}{name}": value for name, value in workspace.pack_file.ids.items()},
    }
    languages = {tag or language: None for sound in workspace.pack_file.sound for tag in sound.title}
    sounds = tuple(_sound(workspace, sound, values) for sound in workspace.pack_file.sound)
    return Instance(values, {LANGUAGE: tuple(Instance({"language": tag}) for tag in languages), SOUND: sounds})


def _sound(workspace: Workspace, sound: Sound, pack: dict[str, Value]) -> Instance:
    default = workspace.pack_file.pack.language
    category = sound.category
    if category is None and workspace.catalogue is not None and sound.key in workspace.catalogue:
        category = workspace.catalogue.sounds[sound.key].category
    own: dict[str, Value] = {"key": sound.key, "category": category, "volume": sound.volume}
    takes = []
    for number, take in enumerate(sound.takes, 1):
        values: dict[str, Value] = {"weight": take.weight, "take.number": number}
        path = workspace.profile.sound_path.fill({**pack, **own, **values}.get)
        takes.append(Instance({**values, "file": path}))
    titles: dict[str | None, str] = {tag or default: title for tag, title in sound.title.items()}
    if default in titles:
        titles[None] = titles[default]
    return Instance(own, {TAKE: tuple(takes)}, titles)


def _refuse_bad_paths(files: list[Written]) -> None:
    errors: list[IchnosError] = []
    seen: dict[str, str] = {}
    for file in files:
        pieces = file.path.split("/")
        if any(piece in ("", ".", "..") for piece in pieces) or any(sign in file.path for sign in '\\:*?"<>|\0'):
            errors.append(
                IchnosError(
                    f'"{file.path}" cannot be a file\'s name in a pack',
                    place=Place("ichnos.toml"),
                    cure='give the sound a key without slashes at its ends, dots alone, or any of \\ : * ? " < > |',
                )
            )
        other = seen.setdefault(file.path.casefold(), file.path)
        if other is not file.path:
            errors.append(
                IchnosError(
                    f'"{file.path}" and "{other}" would be the same file',
                    place=Place("ichnos.toml"),
                    cure="give one of the two sounds another key",
                )
            )
    raise_all(errors)


def as_json(plan: Plan, states: Mapping[str, str]) -> dict[str, Any]:
    """The plan for programs; ``states`` says of each path whether it is new, changed or the same."""
    return {
        "package": plan.package,
        "files": [
            {
                "path": file.path,
                "state": states[file.path],
                "reason": file.reason,
                **(
                    {"clip": file.conversion.clip, "to": str(file.conversion.target)}
                    if file.conversion
                    else {"bytes": len(file.data or b"")}
                ),
            }
            for file in plan.files
        ],
    }
