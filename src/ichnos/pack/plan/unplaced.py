"""What a workspace says and the game has no place for: nothing of that is lost without a word."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from typing import Any

from ichnos.documents.checked import TomlTable
from ichnos.games.entries.arranged import stands_without_files
from ichnos.games.entries.proof import DocumentProof
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import (
    ENTRY,
    OWN,
    PACK,
    SOUND,
    TAKE,
    TRIGGER,
    free_prefix,
    names_of_free,
    player_scopes,
    said_of,
    settings,
    spoken,
    spoken_prefix,
)
from ichnos.games.profiles.word import attribute
from ichnos.games.targets import marking
from ichnos.likeness import did_you_mean
from ichnos.pack.workspace.declared import all_declared_tables
from ichnos.pack.workspace.pack_file import PackFile, Sound
from ichnos.pack.workspace.workspace import Workspace


def notes(workspace: Workspace) -> Iterator[str]:
    """A sentence for each: sounds that are left out, of a kind that nobody knows, or with values that go nowhere."""
    yield from _left_out(workspace)
    yield from _of_no_kind(workspace)
    yield from _without_place(workspace)
    yield from _unknown_keys(workspace)
    yield from _without_clip(workspace)
    yield from _still_played(workspace)
    yield from _of_usual_form(workspace)
    yield from _besides(workspace)


def standing_nowhere(workspace: Workspace, proof: DocumentProof) -> Iterator[str]:
    """Sounds that no document names, as it would need a value there that nobody has said."""
    if workspace.profile.scripts:
        return
    standing = set().union(*proof.standing.values())
    keys_by_need: dict[str, list[str]] = {}
    for placed in workspace.sounds:
        sound = placed.sound
        missing = proof.left_out.get(sound.key, {})
        if not missing or sound.key in standing or not (sound.clips() or sound.silent):
            continue
        if sound.new or workspace.kind_of(sound).replace != "by-path":
            needs = [f"{path} holds a sound only with its {' and '.join(sorted(of))}" for path, of in missing.items()]
            keys_by_need.setdefault("; ".join(needs), []).append(sound.key)
    for need, keys in keys_by_need.items():
        named = ", ".join(keys[:3]) + (f" and {len(keys) - 3} others" if len(keys) > 3 else "")
        yield f"{named}: in no document of the pack, as {need}"


def _of_usual_form(workspace: Workspace) -> Iterator[str]:
    """Sounds that are to have the form of the game's own, where nobody knows that."""
    if workspace.profile.rules.audio.like is None:
        return
    replaced = [sound.key for sound in workspace.pack_file.sound if not sound.new and sound.take_clips()]
    unknown = [key for key in replaced if not all(workspace.forms_of(key) or (None,))]
    if unknown:
        more = f" and {len(unknown) - 3} others" if len(unknown) > 3 else ""
        yield f"the form of the game's own {', '.join(unknown[:3])}{more} is not known, so it gets the usual form"


def _besides(workspace: Workspace) -> Iterator[str]:
    """Sounds of the game's own keys, in a game that only adds to what it has."""
    profile = workspace.profile
    if profile.rules.takes.added and not profile.can_say_adds:
        replaced = [sound.key for sound in workspace.pack_file.sound if not (sound.new or sound.adds)]
        if replaced:
            more = f" and {len(replaced) - 3} others" if len(replaced) > 3 else ""
            what = f"{profile.rules.game.title} only adds to what it has, and {', '.join(replaced[:3])}{more} will be"
            yield f"{what} heard besides the game's own; say adds = true where that is meant"


def _unknown_keys(workspace: Workspace) -> Iterator[str]:
    """What plays a key that is none of this pack's, where nobody knows the game's."""
    own = {sound.key for sound in workspace.pack_file.sound}
    if workspace.catalogue is None:
        for key, path in workspace.pack_file.played():
            if key not in own and key not in workspace.given:
                cure = did_you_mean(own, key, 1, otherwise="")
                also = f" ({cure})" if cure else ""
                title = workspace.profile.rules.game.title
                yield (
                    f'{workspace.place(*path)}: "{key}" is no sound of this pack{also}, and whether {title} has it is'
                    " not known"
                )


def _without_clip(workspace: Workspace) -> Iterator[str]:
    """What is said of sounds that have no clip here, and stands only in documents that are about files."""
    profile = workspace.profile
    for sound in workspace.pack_file.sound:
        if sound.clips() or sound.silent or workspace.changes_entry(sound):
            continue
        there: set[str] = set()
        for exemplar in profile.written:
            if stands_without_files(exemplar, merged=profile.document_rules(exemplar).mode == "merge"):
                there |= set(exemplar.scopes)
        names = [name for name in settings(SOUND) if getattr(sound, name) is not None]
        lost = [name for name in names if name not in there]
        lost += [f"field {name}" for name in sound.fields if there.isdisjoint(names_of_free(SOUND, name))]
        if lost:
            yield (
                f"{sound.key} has no clip, and its entry in the game is not known here, so its {', '.join(lost)} would"
                " stand nowhere; give it a clip, or say where the game is installed"
            )


def _still_played(workspace: Workspace) -> Iterator[str]:
    """Of keys that are replaced file by file, which of the game's own files still play."""
    for sound in workspace.pack_file.sound:
        files = workspace.files_in_place(sound)
        left = files[len(sound.takes) :] if sound.takes else ()
        if left:
            many = f"{len(left)} of the game's own {len(files)} files still {'play' if len(left) > 1 else 'plays'}"
            named = ", ".join(left[:5]) + (", ..." if len(left) > 5 else "")
            yield (
                f"{sound.key}: {many}: {named}; every-file = true puts your clips in the place of all of them,"
                " {kept = true} in takes says that one stays"
            )


def _left_out(workspace: Workspace) -> Iterator[str]:
    if workspace.left_out:
        names = ", ".join(workspace.left_out[:5]) + (", ..." if len(workspace.left_out) > 5 else "")
        yield f"{len(workspace.left_out)} of the sounds say nothing of {workspace.game}, and are left out: {names}"


def _of_no_kind(workspace: Workspace) -> Iterator[str]:
    """Sounds whose kind goes by a category that nobody knows."""
    rules = workspace.profile.rules
    if workspace.catalogue is None and not workspace.given and any(kind.categories for kind in rules.kind):
        for sound in workspace.pack_file.sound:
            if sound.kind is None and sound.category is None and not workspace.kind_of(sound).name:
                yield (
                    f"{sound.key}: {rules.game.title} has kinds of sound, and without its category it is taken for one"
                    ' of no kind; say category = "..." or kind = "..."'
                )


def _without_place(workspace: Workspace) -> Iterator[str]:
    """What would be lost without a word: what is said and stands nowhere in this game's files."""
    profile, pack = workspace.profile, workspace.pack_file
    title = profile.rules.game.title
    in_scripts = _in_scripts(profile)
    by_kind = {name: _holes_for(profile, name) | in_scripts for name in profile.kinds}
    scopes = {scope for exemplar in profile.written for scope in exemplar.scopes.values()}
    for sound in pack.sound:
        kind = workspace.kind_of(sound)
        holes = by_kind[kind.name]
        if marking(profile.rules.loops, kind.container) is not None:
            holes.add("loop")
        if profile.rules.takes.added and sound.adds:
            holes.add("adds")
        lost = [
            name for name in (*settings(SOUND), "title") if getattr(sound, name) not in (None, {}) and name not in holes
        ]
        lost += _other_languages(profile, "title", sound.title, pack.pack.language, holes)
        lost += _lost_texts(profile, SOUND, sound.fields, pack.pack.language, holes)
        lost += _lost_of_takes(sound, holes)
        if not {"part.file", "parts"} & holes:
            lost += [f"the part {part}" for part in sound.parts if f"part.{part}.file" not in holes]
        if lost:
            yield f"{sound.key}: {title} has no place for {', '.join(lost)}"
        strange = [name for name in sound.fields if not {name, *names_of_free(SOUND, name)} & {*holes}]
        if strange:
            has = f"it asks for {', '.join(profile.field_names)}" if profile.field_names else "it asks for none"
            yield f"{sound.key}: {title} has no field {', '.join(strange)}; {has}"
    there = profile.hole_names | in_scripts
    yield from _pack_without_place(profile, pack, in_scripts)
    yield from _own_without_place(profile, pack, there)
    for scope in player_scopes():
        for item in getattr(pack, scope):
            if scope not in scopes and not profile.scripts:
                yield f"{title} has no place for a {scope}: {item.name}"
                continue
            lost = list(_lost_of(profile, scope, item, pack.pack.language, there, in_scripts))
            if lost and (scope, lost) != (TRIGGER, ["name"]):  # that alone is how the modder calls it
                yield f"{item.name}: {title} has no place for {', '.join(lost)} of a {scope}"


def _pack_without_place(profile: Profile, pack: PackFile, in_scripts: Collection[str]) -> Iterator[str]:
    """What is said of the pack itself, and stands nowhere."""
    title, there = profile.rules.game.title, profile.hole_names.union(in_scripts)
    lost = [name for name in ("id", "text") if getattr(pack.pack, name) and not {f"{PACK}.{name}", name} & there]
    lost += [name for name in pack.pack.fields if there.isdisjoint((*names_of_free(PACK, name), name))]
    if lost:
        yield f"{title} has no place for {', '.join(lost)} of the pack"
    lost = list(_lost_texts(profile, PACK, pack.pack.fields, pack.pack.language, ()))
    for name, texts in pack.pack.translated.items():
        lost += _other_languages(profile, f"{PACK}.{name}", texts, pack.pack.language, ())
    if lost and "translated" not in in_scripts:
        yield f"{title} has no place for {', '.join(lost)} of the pack"


def _own_without_place(profile: Profile, pack: PackFile, holes: Collection[str]) -> Iterator[str]:
    """Things of another game's profile, and fields of them that stand nowhere."""
    title = profile.rules.game.title
    for scope, tables in all_declared_tables(pack):
        name = scope.removeprefix(OWN)
        for table in tables:
            if scope not in profile.rules.declared.scopes:
                yield f"{title} has no place for a {name}: {table.name}"
                continue
            lost = [field for field in table.fields if {*holes}.isdisjoint(names_of_free(scope, field))]
            lost += _lost_texts(profile, scope, table.fields, pack.pack.language, holes)
            if lost:
                yield f"{table.name}: {title} has no place for {', '.join(lost)} of a {name}"


def _lost_of_takes(sound: Sound, holes: Collection[str]) -> Iterator[str]:
    """What is said of a sound's takes, and the game has no place for."""
    for number, take in enumerate(sound.takes, 1):
        for name in settings(TAKE):
            if name not in holes and getattr(take, attribute(name)) is not None:
                yield f"the {name.removeprefix('take.')} of take {number}"
        for name in take.fields:
            if f"{free_prefix(TAKE)}{name}" not in holes and f"take.{name}" not in holes:
                yield f"the {name} of take {number}"


def _lost_of(
    profile: Profile, scope: str, item: TomlTable, language: str, known: Collection[str], in_scripts: Collection[str]
) -> Iterator[str]:
    """What a table says of what plays a sound, and the game has no place for."""
    for field in said_of(scope):
        value, default = getattr(item, field.attribute), type(item).model_fields[field.attribute].default
        if field.name not in known and field.field not in in_scripts and value not in (None, False, default):
            yield field.field
    for name in spoken(scope):
        yield from _other_languages(profile, name, getattr(item, attribute(name)), language, known)
    yield from _lost_texts(profile, scope, getattr(item, "fields", {}), language, known)
    for name in getattr(item, "fields", {}):
        if {*known}.isdisjoint(names_of_free(scope, name)) and name not in in_scripts:
            yield name
    for number, entry in enumerate(getattr(item, "entries", ()), 1):
        for name in entry.fields:
            if f"{free_prefix(ENTRY)}{name}" not in known and name not in in_scripts:
                yield f"{name} of entry {number}"


def _lost_texts(
    profile: Profile, scope: str, fields: Mapping[str, Any], language: str, known: Collection[str]
) -> Iterator[str]:
    """The languages of declared texts that go nowhere."""
    for name, said in fields.items():
        if isinstance(said, dict):
            yield from _other_languages(profile, f"{spoken_prefix(scope)}{name}", said, language, known)


def _other_languages(
    profile: Profile, hole: str, said: Mapping[str, str], language: str, known: Collection[str]
) -> list[str]:
    """The languages of a text that go nowhere, where the game has a place for one alone."""
    name = hole.rpartition(".")[2]
    holders = [exemplar for exemplar in profile.written if hole in exemplar.scopes]
    if f"{name}s" in known or any(one.in_languages(hole) for one in holders):
        return []
    return [f"the {name} in {tag}" for tag in said if tag not in ("", language)] if holders or name in known else []


def _holes_for(profile: Profile, kind: str) -> set[str]:
    """The names of the holes that sounds of a kind have in this game's files."""
    paths = (profile.take_paths.get(kind), profile.part_paths.get(kind))
    holes = {hole.word.name for path in paths if path is not None for hole in path.holes}
    for exemplar in profile.written:
        if exemplar.how.kinds and kind not in exemplar.how.kinds:
            continue
        others = {unit for unit, own in exemplar.entry_kinds.items() if own != kind}
        outside = set(exemplar.document.root.walk()) - {node for unit in others for node in unit.walk()}
        holes.update(name for node in outside for name in exemplar.names_at(node))
    return holes


def _in_scripts(profile: Profile) -> set[str]:
    """The words of the scripts' templates: what stands there by name has its place there."""
    words: set[str] = set()
    for text in profile.script_texts:
        found = re.findall(r"""[.\[]["']?(\w+)""", text)  # sound.volume, trigger["from"]
        words.update(name for word in found for name in (word, word.replace("_", "-")))
    return words | {f"take.{word}" for word in words} | ({"title"} if "titles" in words else set())
