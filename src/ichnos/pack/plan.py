"""The plan: what will be converted, written and left alone, and why. A pure value."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from functools import partial
from typing import Any

from ichnos.audio.clips import Facts
from ichnos.audio.conversion import Target, identity
from ichnos.documents.formats import parse
from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.games.edit import Change, merge
from ichnos.games.exemplar import Exemplar
from ichnos.games.fill import Around, Filler, Instance, fill, instances, repetitions, resolve
from ichnos.games.originals import Originals
from ichnos.games.profile import Script
from ichnos.games.scripts import render, with_region
from ichnos.games.vocabulary import CARRIER, LANGUAGE, PACK, PART, ROTATION, SOUND, TAKE, TRIGGER
from ichnos.pack import credit, icon
from ichnos.pack.values import HOLES_OF_A_SOUND, PackValues, script_values, spelled_path
from ichnos.pack.workspace import Workspace


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
        """Each conversion once, in the order of the files."""
        unique = {file.conversion.identity: file.conversion for file in self.files if file.conversion}
        return tuple(unique.values())


def make(workspace: Workspace, clips: Mapping[str, Clip], originals: Originals) -> Plan:
    """Decide everything, writing nothing.

    Args:
        clips: what each clip of the workspace is, by its name in ``ichnos.toml``.
        originals: the game's own documents.

    Raises:
        IchnosError: a name or a value that the game cannot carry; all of them together.
    """
    profile = workspace.profile
    values = PackValues(workspace)
    around: Around = {PACK: values.pack()}
    files = [*_sound_files(workspace, clips, values), *_pictures(workspace, values), *_credits(workspace)]
    for exemplar in profile.documents:
        for bound in _files(exemplar.file_scopes, around):
            written = _document(workspace, exemplar, bound, originals)
            if written is not None:
                files.append(written)
    files += _icon(workspace)
    files += [_script(workspace, script) for script in profile.scripts]
    files += [
        Written(name, "the same in every pack", (profile.tree / name).read_bytes()) for name in profile.plain_files
    ]
    files.sort(key=lambda file: file.path)
    _refuse_bad_paths(files)
    _refuse_foreign(workspace, files)
    package = spelled_path(profile.package_name, partial(resolve, around=around))
    notes = (*_left_out(workspace), *_without_place(workspace))
    return Plan(package, profile.rules.packaging.kind == "archive", tuple(files), profile.digest, notes)


def _left_out(workspace: Workspace) -> Iterator[str]:
    if workspace.left_out:
        names = ", ".join(workspace.left_out[:5]) + (", ..." if len(workspace.left_out) > 5 else "")
        yield f"{len(workspace.left_out)} of the sounds say nothing of {workspace.game}, and are left out: {names}"


def _without_place(workspace: Workspace) -> Iterator[str]:
    """What would be lost without a word: fields that are set and stand nowhere in this game's files."""
    profile, pack = workspace.profile, workspace.pack_file
    title = profile.rules.game.title
    known = {name for exemplar in profile.documents for name in exemplar.scopes}
    scopes = {scope for exemplar in profile.documents for scope in exemplar.scopes.values()}
    if profile.rules.loops.kind != "field":
        known.add("loop")
    for sound in pack.sound:
        lost = [
            name
            for name in (*HOLES_OF_A_SOUND, "title")
            if getattr(sound, name) not in (None, {}) and name not in known
        ]
        if lost:
            yield f"{sound.key}: {title} has no place for {', '.join(lost)}"
        strange = [name for name in sound.fields if name not in profile.field_names]
        if strange:
            has = f"it asks for {', '.join(profile.field_names)}" if profile.field_names else "it asks for none"
            yield f"{sound.key}: {title} has no field {', '.join(strange)}; {has}"
    if not profile.scripts:
        for scope, items in ((TRIGGER, pack.trigger), (CARRIER, pack.carrier), (ROTATION, pack.rotation)):
            if items and scope not in scopes:
                yield f"{title} has no place for a {scope}"


def _sound_files(workspace: Workspace, clips: Mapping[str, Clip], values: PackValues) -> list[Written]:
    files = []
    longest = workspace.profile.rules.limits.seconds
    too_long = []
    written: set[str] = set()
    for index, sound in enumerate(workspace.pack_file.sound):
        for path, (name, at) in zip(values.paths(sound), sound.clips(), strict=True):
            clip = clips[name]
            if path in written:
                continue  # stored once, for several keys
            if workspace.profile.rules.takes.shared:
                written.add(path)
            want = values.target(sound, part=at[0] == "parts")
            conversion = Conversion(name, clip.seen, clip.facts, want, identity(clip.sha256, want), clip.sha256)
            reason = "silence, on purpose" if sound.silent else f"{name}: {clip.facts}"
            reason += f", {sound.treatment}" if sound.treatment else ""
            spelled = workspace.profile.rules.names.spelled(sound.key)
            reason += f"; {sound.key} is spelled {spelled}" if spelled != sound.key else ""
            files.append(Written(path, reason, conversion=conversion))
            if longest is not None and clip.facts.seconds > longest:
                too_long.append(
                    IchnosError(
                        f"{name} is {clip.facts.seconds:.1f} s long, and the game takes {longest:g} s at most",
                        place=workspace.sound_place(index, *at),
                        cure="shorten the clip",
                    )
                )
    raise_all(too_long)
    return files


def _pictures(workspace: Workspace, values: PackValues) -> list[Written]:
    return [
        Written(
            path, f"{carrier.picture}: the picture of {carrier.name}", workspace.clip_path(carrier.picture).read_bytes()
        )
        for carrier in workspace.pack_file.carrier
        if carrier.picture is not None and (path := values.picture_path(carrier)) is not None
    ]


def _credits(workspace: Workspace) -> list[Written]:
    path = workspace.profile.rules.credits.path
    text = credit.text(workspace.pack_file)
    return [Written(path, "where the clips are from", text.encode())] if path and text else []


def _icon(workspace: Workspace) -> list[Written]:
    rules, pack = workspace.profile.rules.icon, workspace.pack_file.pack
    if rules is None:
        return []
    if pack.icon is None:
        return [Written(rules.path, "an icon drawn from the title", icon.drawn(pack.title, rules.size))]
    path = workspace.clip_path(pack.icon)
    if not path.is_file():
        place = workspace.file.place("pack", "icon")
        raise IchnosError(f'the icon "{pack.icon}" is not there', place=place, cure="correct the name")
    data = icon.from_picture(path, pack.icon, rules.size, pack.icon_shape)
    return [Written(rules.path, f"{pack.icon}, {pack.icon_shape} to a square", data)]


def _document(workspace: Workspace, exemplar: Exemplar, around: Around, originals: Originals) -> Written | None:
    """One document of the pack; ``None`` where it would have nothing to say."""
    rules = workspace.profile.document_rules(exemplar)
    path = spelled_path(exemplar.path, partial(resolve, around=around))
    spelling = exemplar.document.text
    scopes = set(exemplar.scopes.values()) - {PACK}
    repeats = set(exemplar.units.values())
    changes: list[Change] = []
    if rules.mode == "merge":
        document = originals.document(exemplar, path, rules.encoding)
        like = partial(originals.like, exemplar, path, rules.encoding)
        content, changes = merge(exemplar, document, around, like)
        spelling = document.text
        if not changes:
            return None
    else:
        may_be_empty = LANGUAGE not in exemplar.file_scopes and rules.mode == "whole"
        if not may_be_empty and not any(_says_anything(exemplar, scope, around) for scope in repeats):
            return None
        content = _filled(exemplar, path, rules.encoding, around, originals)
    data = spelling.to_bytes(content)
    parse(data, path, exemplar.document.format, rules.encoding)  # what cannot be read again is never written
    reason = f"merged into the game's own, {len(changes)} changed" if changes else _why(workspace, exemplar, scopes)
    return Written(path, reason, data, changes=tuple(changes))


def _says_anything(exemplar: Exemplar, scope: str, around: Around) -> bool:
    filler = Filler(exemplar)
    parents = {exemplar.parents[unit] for unit, of in exemplar.units.items() if of == scope}
    return any(
        filler.entry(parent, scope, inner) is not None
        for inner in repetitions(exemplar, scope, around)
        for parent in parents
    )


def _filled(exemplar: Exemplar, path: str, encoding: str | None, around: Around, originals: Originals) -> str:
    like = around[SOUND].values.get("like") if SOUND in around else None
    if like:
        its_own = Instance({**around[SOUND].values, "key": like})
        original = spelled_path(exemplar.path, partial(resolve, around={**around, SOUND: its_own}))
        text = originals.whole_like(exemplar, original, encoding, around)
        if text is not None:
            return text
    return fill(exemplar, around, partial(originals.like, exemplar, path, encoding))


def _script(workspace: Workspace, script: Script) -> Written:
    body = render(workspace.profile.folder / "scripts", script.template, script_values(workspace.pack_file))
    reason = "a script that plays the sounds"
    if script.region is not None:
        own = workspace.folder / "own" / script.path
        theirs = from_bytes(own.read_bytes(), f"own/{script.path}").content if own.is_file() else ""
        reason += f", in the marked region of own/{script.path}" if theirs else ""
        body = with_region(theirs, body, script.region)
    return Written(script.path, reason, body.encode())


def _files(scopes: tuple[str, ...], around: Around) -> list[Around]:
    bound = [around]
    for scope in scopes:
        bound = [inner for outer in bound for inner in instances(scope, outer)]
    return bound


def _why(workspace: Workspace, exemplar: Exemplar, scopes: set[str]) -> str:
    def counted(count: int, noun: str) -> str:
        return f"{count} {noun}{'' if count == 1 else 's'}"

    pack = workspace.pack_file
    if "title" in exemplar.scopes and not scopes & {TAKE, PART}:
        return "titles that players see"
    if scopes & {TAKE, PART}:
        many = "the definition of a sound" if SOUND in exemplar.file_scopes else None
        return many or f"the definitions of {counted(len(pack.sound), 'sound')}"
    for scope, items in ((TRIGGER, pack.trigger), (CARRIER, pack.carrier), (ROTATION, pack.rotation)):
        if scope in scopes:
            return f"a {scope}" if scope in exemplar.file_scopes else counted(len(items), scope)
    if SOUND in scopes:
        return f"a list of {counted(len(pack.sound), 'sound')}"
    return "the pack's title, version and ids"


_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(\..*)?|.*[. ]", re.IGNORECASE)


def windows_refuses(name: str) -> bool:
    """Is it a name of a device, or one with a dot or a space at its end, that Windows would cut?"""
    return name not in ("", ".", "..") and _RESERVED.fullmatch(name) is not None


def _refuse_foreign(workspace: Workspace, files: list[Written]) -> None:
    """A file of the pack under the name of one of the game's own would change another sound."""
    known, profile = workspace.catalogue, workspace.profile
    if known is None or profile.rules.modes.replace == "by-path":
        return
    own = known.all_files()
    errors = [
        IchnosError(
            f'"{file.path}" is the name of a file that the game has already',
            place=Place("ichnos.toml"),
            cure="give the pack or the sound another name; a profile's sound files should have @pack.name@ in theirs",
        )
        for file in files
        if file.conversion and (file.path in own or file.path.rpartition(".")[0] in own)
    ]
    raise_all(errors)


def _refuse_bad_paths(files: list[Written]) -> None:
    errors: list[IchnosError] = []
    seen: dict[str, str] = {}
    for file in files:
        pieces = file.path.split("/")
        reserved = next((piece for piece in pieces if windows_refuses(piece)), None)
        if reserved is not None:
            errors.append(
                IchnosError(
                    f'"{file.path}": Windows has no file called {reserved}',
                    place=Place("ichnos.toml"),
                    cure="give the sound, or the pack, another name",
                )
            )
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
