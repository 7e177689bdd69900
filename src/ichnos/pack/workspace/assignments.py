"""Writing into a workspace's file without disturbing what a person wrote there."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
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
from ichnos.games.catalogues.catalogue import nearest
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.vocabulary import TRIGGER
from ichnos.pack.workspace import workspace as workspaces
from ichnos.pack.workspace.folder import nearest_file
from ichnos.pack.workspace.pack_file import PackFile, Sound, Take, Trigger
from ichnos.pack.workspace.workspace import FILE_NAME, Workspace


def as_typed(words: Mapping[str, str]) -> dict[str, str | float]:
    """What was typed for fields of a sound, or of a take, as their values.

    Raises:
        UsageError: a value that the field cannot have.
    """
    found: dict[str, str | float] = {}
    for name, text in words.items():
        model, rest = (Take, {"clip": "-"}) if name == "weight" else (Sound, {"key": "-", "takes": ["-"]})
        try:
            found[name] = getattr(model.model_validate({**rest, name: text}), name)
        except ValidationError as error:
            reason = in_words(dict(error.errors()[0]))
            about = decimal_point(text) or f"{name}: {model.model_fields[name].description}"
            raise UsageError(f"--{name} {text}: {reason}", cure=about) from None
        if what := beyond(found[name]):
            raise UsageError(f"--{name} {text}: {what}", cure=f"{name}: {model.model_fields[name].description}")
    return found


@dataclass(frozen=True)
class Assignment:
    """What an assignment changed."""

    key: str
    takes: tuple[str, ...]
    how: str  # "new", "added" or "replaced"


def mint_missing_ids(loaded: Workspace) -> list[str]:
    """Write an id for each that the game needs and the workspace's file lacks; their names.

    A workspace that was copied and given another name gets ids of its own.
    """
    missing = loaded.ids_to_mint()
    if missing:
        document = _document(loaded)
        if loaded.is_copy:
            document["minted-for"] = loaded.pack_file.pack.name
        ids: Any = document.setdefault("ids", tomlkit.table())
        for name in missing:
            ids[name] = str(uuid.uuid4())
        save(loaded, document)
    return missing


def _document(loaded: Workspace) -> tomlkit.TOMLDocument:
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
    checked(PackFile, TomlFile(data, FILE_NAME))
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
    loaded: Workspace,
    key: str,
    clips: Sequence[Path],
    *,
    to_existing: str | None = None,
    new: bool = False,
    titles: Mapping[str, str] | None = None,
    said: Mapping[str, str | float] | None = None,
    weight: float | None = None,
    dry_run: bool = False,
) -> Assignment:
    """Write into the workspace's file that these clips are the takes of a key.

    Args:
        clips: as seen from the current folder.
        to_existing: what to do where the key has takes already: "add" or "replace".
        new: the key is the modder's own; the game does not have it.
        titles: by language; "" is the pack's own language.
        said: other fields of the sound, such as its kind or its volume.
        weight: of these takes.

    Raises:
        IchnosError: a clip that is not there, or a key that the game does not have, all together.
        WrongCall: the key has takes already, and ``to_existing`` does not say what to do.
    """
    names = [_clip_name(loaded.folder, clip) for clip in clips]
    errors = [error for error in names if isinstance(error, IchnosError)]
    kind = _kind(loaded, key, said or {})
    errors += workspaces.key_slips(loaded.profile, loaded.catalogue, key, new or _is_new(loaded, key), None, kind)
    already = next((sound.takes for sound in loaded.pack_file.sound if sound.key == key), ())
    count = len(clips) + (len(already) if to_existing == "add" else 0)
    errors += workspaces.too_many_takes(loaded.profile, key, count, None, kind)
    raise_all(errors)
    takes = [str(name) for name in names]
    written: list[Any] = takes if weight is None else [_weighted(name, weight) for name in takes]
    _refuse_in_table(loaded, key)
    document = _document(loaded)
    sounds: Any = document.get("sound")
    if sounds is None:
        sounds = tomlkit.aot()
        document["sound"] = sounds
    existing = next((table for table in sounds if table.get("key") == key), None)
    if existing is None:
        how = "new"
        _append(sounds, key, written, new)
        existing = sounds[-1]
    else:
        how = _change(existing, key, written, to_existing)
    for name, value in (said or {}).items():
        existing[name] = value
    if titles:
        default = loaded.pack_file.pack.language
        _set_titles(existing, {tag or default: title for tag, title in titles.items()}, default)
    if not dry_run:
        save(loaded, document)
    return Assignment(key, tuple(takes), how)


def assign_pairs(
    loaded: Workspace, pairs: Mapping[str, list[Path]], *, said: Mapping[str, str | float] | None = None, dry_run: bool
) -> tuple[list[Assignment], list[str]]:
    """Write takes for several keys at once; the keys that have something already are left alone, and returned.

    Args:
        said: other fields of all of these sounds.
    """
    known = {sound.key for sound in loaded.pack_file.sound}
    standing = [key for key in pairs if key in known]
    document = _document(loaded)
    sounds: Any = document.get("sound")
    if sounds is None:
        sounds = tomlkit.aot()
        document["sound"] = sounds
    done = []
    for key, clips in pairs.items():
        if key in known:
            continue
        raise_all(
            list(workspaces.too_many_takes(loaded.profile, key, len(clips), None, _kind(loaded, key, said or {})))
        )
        takes = [str(_clip_name(loaded.folder, clip)) for clip in clips]
        _append(sounds, key, takes, new=False)
        for name, value in (said or {}).items():
            sounds[-1][name] = value
        done.append(Assignment(key, tuple(takes), "new"))
    if done and not dry_run:
        save(loaded, document)
    return done, standing


def add_trigger(
    loaded: Workspace, key: str, words: Mapping[str, str], fields: Mapping[str, str], *, dry_run: bool
) -> str:
    """Write a trigger into the workspace's file. The caller holds the workspace's lock.

    Args:
        words: what was typed for its fields, by their names; a name that is missing is made of the event.
        fields: what the game's profile asks for besides.

    Returns:
        Its name.

    Raises:
        UsageError: a value that a field cannot have; the game has no place for triggers.
        IchnosError: nothing has the key.
    """
    profile = loaded.profile
    if not profile.scripts and not any(TRIGGER in one.scopes.values() for one in profile.written):
        what = f"{profile.rules.game.title} has no place for a trigger"
        raise UsageError(what, cure="its profile has neither a document nor a script for them")
    own = [sound.key for sound in loaded.pack_file.sound]
    known = loaded.catalogue
    if key not in own and known is not None and key not in known:
        near = " or ".join(nearest([*own, *known.keys], key))
        what = f'there is no sound "{key}" to play, neither in this pack nor in the game'
        raise IchnosError(what, cure=f"did you mean {near}?")
    name = words.get("name") or _free_name(loaded, words["event"])
    said: dict[str, Any] = {**words, "name": name, "key": key, "fields": dict(fields)}
    try:
        trigger = Trigger.model_validate(said)
    except ValidationError as error:
        detail = error.errors()[0]
        at = str(detail["loc"][0]) if detail["loc"] else ""
        raise UsageError(
            f"--{at} {said.get(at, '')}: {in_words(dict(detail))}".replace("-- : ", ""),
            cure="see: ichnos trigger --help",
        ) from None
    document = _document(loaded)
    triggers: Any = document.setdefault("trigger", tomlkit.aot())
    table = tomlkit.table() if isinstance(triggers, AoT) else tomlkit.inline_table()
    for field, value in trigger.model_dump(by_alias=True, exclude_defaults=True).items():
        table[field] = value
    triggers.append(table)
    if isinstance(triggers, AoT):
        table.trivia.indent = "\n"
    if not dry_run:
        save(loaded, document)
    return name


def _free_name(loaded: Workspace, event: str) -> str:
    """A name for a trigger that no other has, made of its event."""
    name, taken = workspaces.short_name(event), {one.name for one in loaded.pack_file.trigger}
    return name if name not in taken else next(f"{name}-{n}" for n in range(2, 10**6) if f"{name}-{n}" not in taken)


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


def _clip_name(folder: Path, clip: Path) -> str | IchnosError:
    """A clip's name in the file: relative to the workspace, with slashes, where it lies inside."""
    path = disk.spelled(clip.absolute())
    if not disk.is_file(path) and "\\" in str(clip):
        path = Path(str(clip).replace("\\", "/")).absolute()
    if not disk.is_file(path):
        near = nearest_file(Path.cwd(), path)
        return IchnosError(
            "this clip is not there",
            place=Place(str(clip)),
            cure=f"did you mean {near}?" if near else "correct the name; paths are seen from the current folder",
        )
    resolved, root = disk.resolved(path), disk.resolved(folder)
    name = resolved.relative_to(root).as_posix() if resolved.is_relative_to(root) else resolved.as_posix()
    try:
        name.encode()
    except UnicodeEncodeError:
        what = "this clip's name is no UTF-8, so that ichnos.toml cannot hold it"
        return IchnosError(what, place=Place(str(clip)), cure="rename the clip")
    return name


def _append(sounds: Any, key: str, takes: list[Any], new: bool) -> None:
    table = tomlkit.table() if isinstance(sounds, AoT) else tomlkit.inline_table()
    table["key"] = key
    table["takes"] = takes
    if new:
        table["new"] = True
    sounds.append(table)
    if isinstance(sounds, AoT):  # a blank line before it, also where the file did not end with one
        table.trivia.indent = "\n"


def _change(existing: Any, key: str, takes: list[Any], to_existing: str | None) -> str:
    count = len(existing.get("takes", ()))
    if not count:  # it has parts alone
        existing["takes"] = takes
        return "new"
    if to_existing is None:
        raise UsageError(
            f'"{key}" has {count} take{"s" if count != 1 else ""} already',
            cure="say --add for further takes, or --replace to put these in their place",
        )
    if to_existing == "replace":
        existing["takes"] = takes
        return "replaced"
    for take in takes:
        existing["takes"].append(take)
    return "added"


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
