"""Writing into a workspace's file without disturbing what a person wrote there."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import tomlkit
from pydantic import ValidationError
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT

from ichnos.documents.checked import beyond, checked, decimal_point, in_words
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, UsageError, raise_all
from ichnos.files import disk
from ichnos.files.writing import write_whole
from ichnos.games.profiles.kinds import Kind
from ichnos.pack.workspace import declared, sound_slips
from ichnos.pack.workspace.copies import Copies
from ichnos.pack.workspace.folder import FILE_NAME
from ichnos.pack.workspace.pack_file import Sound, Take
from ichnos.pack.workspace.workspace import Workspace


def as_typed(words: Mapping[str, str]) -> dict[str, str | float]:
    """What was typed for fields of a sound, or of a take, as their values.

    Raises:
        UsageError: a value that the field cannot have.
    """
    fields: dict[str, str | float] = {}
    for name, text in words.items():
        model, rest = (Take, {"clip": "-"}) if name == "weight" else (Sound, {"key": "-", "takes": ["-"]})
        try:
            fields[name] = getattr(model.model_validate({**rest, name: text}), name)
        except ValidationError as error:
            reason = in_words(dict(error.errors()[0]))
            about = decimal_point(text) or f"{name}: {model.model_fields[name].description}"
            raise UsageError(f"--{name} {text}: {reason}", cure=about) from None
        if what := beyond(fields[name]):
            raise UsageError(f"--{name} {text}: {what}", cure=f"{name}: {model.model_fields[name].description}")
    return fields


@dataclass(frozen=True)
class Assignment:
    """What an assignment changed. ``copied``: those of the takes that were copied into the workspace."""

    key: str
    takes: tuple[str, ...]
    how: str  # "new", "added" or "replaced"
    copied: tuple[str, ...] = ()


@dataclass(frozen=True)
class AssignmentRequest:
    """What is wanted of an assignment, besides its clips.

    ``to_existing``: what to do where the key has takes already, "add" or "replace". ``new``: the key is the
    modder's own; the game does not have it. ``titles``: by language; "" is the pack's own language. ``said``: other
    fields of the sound, such as its kind or its volume. ``weight``: of these takes.
    """

    to_existing: str | None = None
    new: bool = False
    titles: Mapping[str, str] = field(default_factory=dict)
    said: Mapping[str, str | float] = field(default_factory=dict)
    weight: float | None = None


def mint_missing_ids(loaded: Workspace) -> list[str]:
    """Write an id for each that the game needs and the workspace's file lacks; their names.

    A workspace that was copied and given another name gets ids of its own.
    """
    missing = loaded.ids_to_mint()
    if missing:
        document = document_of(loaded)
        if loaded.is_copy:
            document["minted-for"] = loaded.pack_file.pack.name
        ids: Any = document.setdefault("ids", tomlkit.table())
        for name in missing:
            ids[name] = str(uuid.uuid4())
        save(loaded, document)
    return missing


def document_of(loaded: Workspace) -> tomlkit.TOMLDocument:
    """The workspace's file, to be changed and saved."""
    try:
        return tomlkit.parse(loaded.file.text.content)
    except TOMLKitError as error:
        raise IchnosError(str(error), place=Place(FILE_NAME), cure="correct the file in your editor") from None


def save(loaded: Workspace, document: tomlkit.TOMLDocument) -> None:
    """Write the workspace's file as changed; the caller holds the workspace's lock.

    Raises:
        IchnosError: it would not be read again, or somebody has saved it since it was read.
    """
    data = _as_bytes(loaded, document)
    file = TomlFile(data, FILE_NAME)
    checked(declared.pack_file_for(declared.of_games(file, loaded.folder)), file)
    path = loaded.folder / FILE_NAME
    disk.refuse_way_out(loaded.folder, path, FILE_NAME)
    if disk.read(path, FILE_NAME) != loaded.file.text.to_bytes(loaded.file.text.content):
        what = "this file was saved while it was being changed, so it is left as it is"
        raise IchnosError(what, place=Place(FILE_NAME), cure="say it again")
    write_whole(path, data)


def _as_bytes(loaded: Workspace, document: tomlkit.TOMLDocument) -> bytes:
    """The document as the file was spelled: its encoding and its line ends."""
    content = tomlkit.dumps(document)
    if "\r\n" in loaded.file.text.content:
        content = content.replace("\r\n", "\n").replace("\n", "\r\n")
    return loaded.file.text.to_bytes(content)


def assign(
    loaded: Workspace, key: str, clips: Sequence[Path], request: AssignmentRequest, *, dry_run: bool = False
) -> Assignment:
    """Write into the workspace's file that these clips are the takes of a key.

    Args:
        clips: as seen from the current folder.

    Raises:
        IchnosError: a clip that is not there, or a key that the game does not have, all together.
        UsageError: the key has takes already, and ``to_existing`` does not say what to do.
    """
    copies, document = Copies(loaded.folder), document_of(loaded)
    sounds: Any = document.setdefault("sound", tomlkit.aot())
    existing = next((table for table in sounds if table.get("key") == key), None)
    already = existing.get("takes", ()) if existing is not None and request.to_existing == "add" else ()
    names = [copies.name_of(clip) for clip in clips]
    errors = [error for error in names if isinstance(error, IchnosError)]
    kind, is_new = _kind(loaded, key, request.said), request.new or _is_new(loaded, key)
    errors += sound_slips.key_slips(loaded.profile, loaded.catalogue, key, is_new, None, kind)
    errors += sound_slips.too_many_takes(loaded.profile, key, len(clips) + len(already), None, kind)
    raise_all(errors)
    takes = [str(name) for name in names]
    written: list[Any] = takes
    if request.weight is not None:
        written = [_weighted(name, request.weight) for name in takes]
    _refuse_in_table(loaded, key)
    if existing is None:
        how = "new"
        _append(sounds, key, written, request.new)
        existing = sounds[-1]
    else:
        how = _change(existing, key, written, request.to_existing)
    for name, value in request.said.items():
        existing[name] = value
    if request.titles:
        default = loaded.pack_file.pack.language
        _set_titles(existing, {tag or default: title for tag, title in request.titles.items()}, default)
    if how == "new" and existing is sounds[-1]:
        set_apart(sounds, existing)
    if not dry_run:
        copies.carry_out()
        save(loaded, document)
    return Assignment(key, tuple(takes), how, tuple(copies.made))


def assign_pairs(
    loaded: Workspace, pairs: Mapping[str, list[Path]], *, said: Mapping[str, str | float] | None = None, dry_run: bool
) -> tuple[list[Assignment], list[str]]:
    """Write takes for several keys at once; the keys that have something already are left alone, and returned.

    Args:
        said: other fields of all of these sounds.
    """
    keys = {sound.key for sound in loaded.pack_file.sound}
    standing = [key for key in pairs if key in keys]
    document = document_of(loaded)
    sounds: Any = document.get("sound")
    if sounds is None:
        sounds = tomlkit.aot()
        document["sound"] = sounds
    done = []
    copies = Copies(loaded.folder)
    for key, clips in pairs.items():
        if key in keys:
            continue
        raise_all(
            list(sound_slips.too_many_takes(loaded.profile, key, len(clips), None, _kind(loaded, key, said or {})))
        )
        before = set(copies.made)
        names = [copies.name_of(clip) for clip in clips]
        raise_all([name for name in names if isinstance(name, IchnosError)])
        takes = [str(name) for name in names]
        _append(sounds, key, takes, new=False)
        for name, value in (said or {}).items():
            sounds[-1][name] = value
        set_apart(sounds, sounds[-1])
        done.append(Assignment(key, tuple(takes), "new", tuple(name for name in copies.made if name not in before)))
    if done and not dry_run:
        copies.carry_out()
        save(loaded, document)
    return done, standing


def refuse_missing(folder: Path, clips: Sequence[Path]) -> None:
    """Raises IchnosError where clips are not there, or have names that no workspace can hold."""
    copies = Copies(folder)
    raise_all([name for clip in clips if isinstance(name := copies.name_of(clip), IchnosError)])


def _kind(loaded: Workspace, key: str, said: Mapping[str, str | float]) -> Kind:
    """The kind that a sound would be of. Raises UsageError for one that the game does not have."""
    own = next((sound for sound in loaded.pack_file.sound if sound.key == key), None)
    kind = str(said["kind"]) if "kind" in said else own.kind if own else None
    loaded.profile.need_kind(kind)
    category = said.get("category") or (loaded.catalogue.category(key) if loaded.catalogue else None)
    return loaded.profile.kind_of(key, str(category) if category else None, said=kind)


def _weighted(clip: str, weight: float) -> Any:
    take = tomlkit.inline_table()
    take.update({"clip": clip, "weight": weight})
    return take


def _refuse_in_table(loaded: Workspace, key: str) -> None:
    """A key that stands in the table is changed there: this file is the only one that is written."""
    for index, sound in enumerate(loaded.pack_file.sound):
        place = loaded.sound_place(index)
        if sound.key == key and place.path != FILE_NAME:
            raise UsageError(f'"{key}" stands in {place}', cure="add a row for it there")


def _is_new(loaded: Workspace, key: str) -> bool:
    return any(sound.key == key and sound.new for sound in loaded.pack_file.sound)


def _append(sounds: Any, key: str, takes: list[Any], new: bool) -> None:
    table = tomlkit.table() if isinstance(sounds, AoT) else tomlkit.inline_table()
    table["key"] = key
    table["takes"] = _listed(takes)
    if new:
        table["new"] = True
    sounds.append(table)


def set_apart(tables: Any, table: Any) -> None:
    """Put a blank line before a table that was appended, or behind it where one stood before what follows."""
    if not isinstance(tables, AoT):
        return
    if len(tables) > 1 and tables[-2].as_string().endswith("\n\n"):
        table.add(tomlkit.nl())
    else:
        table.trivia.indent = "\n"


def _change(existing: Any, key: str, takes: list[Any], to_existing: str | None) -> str:
    count = len(existing.get("takes", ()))
    if not count:  # it has parts alone
        existing["takes"] = _listed(takes)
        return "new"
    if to_existing is None:
        raise UsageError(
            f'"{key}" has {count} take{"s" if count != 1 else ""} already',
            cure="say --add for further takes, or --replace to put these in their place",
        )
    if to_existing == "replace":
        existing["takes"] = _listed(takes)
        return "replaced"
    for take in takes:
        as_table = isinstance(existing["takes"], AoT) and isinstance(take, str)  # as [[sound.takes]]
        existing["takes"].append({"clip": take} if as_table else take)
    return "added"


def _listed(takes: list[Any]) -> Any:
    """Takes as one list, also where each of them is a table."""
    found = tomlkit.array()
    found.extend(takes)
    return found


def _set_titles(table: Any, titles: dict[str, str], default: str) -> None:
    if list(titles) == [default] and not isinstance(table.get("title"), dict):
        table["title"] = titles[default]
        return
    old = table.get("title")
    if not isinstance(old, dict):
        table["title"] = tomlkit.inline_table()
        if old is not None:
            table["title"][default] = old
    for language, title in titles.items():
        table["title"][language] = title
