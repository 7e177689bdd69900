"""The sounds of a finished pack as tables of ``ichnos.toml``, and their files as clips."""

from __future__ import annotations

import posixpath
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from ichnos.audio.files import clips, loops
from ichnos.documents.tree import Value
from ichnos.errors import IchnosError, Place
from ichnos.files.paths import is_plain, windows_refuses
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.entries.packs import SoundFiles
from ichnos.games.opening import Opened
from ichnos.games.pack_sounds import PackSounds
from ichnos.games.profiles.declared import by_declaration
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import without_extension
from ichnos.games.profiles.vocabulary import FIELD_PREFIX, SOUND, TAKE, free_prefix, goes_round, said_of, spoken_prefix
from ichnos.games.targets import marking
from ichnos.games.things import SoundThing, TakeThing, Thing
from ichnos.pack.adopting.notes import Notes, Usual, fitting, whole
from ichnos.pack.plan.naming import named_path
from ichnos.pack.workspace.declared import tables_for

FOLDER = "clips"


class AdoptedSounds:
    """``tables``: of the sounds, as ``ichnos.toml`` has them; ``clips``: the pack's file for each clip's name.

    ``loose``: sound files that no key plays.
    """

    def __init__(
        self,
        opened: Opened,
        sounds: Iterable[SoundThing],
        catalogue: Catalogue | None,
        own: Mapping[str, Value],
        language: str,
        notes: Notes,
        *,
        keep_names: bool = False,
    ) -> None:
        self.keep_names = keep_names
        self.opened, self.profile, self.known, self.own = opened, opened.profile, catalogue, own
        self.language, self.notes, self.usual = language, notes, Usual(opened.profile)
        self.view = PackSounds(self.profile, opened.files, opened.reading)
        self.there = [name for name in self.view.names if self._can_be_a_file(name)]
        self.files = SoundFiles(self.there)
        self.around = posixpath.commonpath([posixpath.dirname(name) for name in self.there]) if self.there else ""
        self.clips: dict[str, str] = {}
        self.tables: list[dict[str, Any]] = []
        self.loose: list[str] = []
        self._used: dict[str, str] = {}  # by file: the first key that plays it
        self._left: dict[str, int] = {}  # by document: entries of the game's own
        self._renamed: list[str] = []
        self._documents: dict[str, list[str]] = {}  # by key: those that it stands in
        for name, pack in opened.reading.by_document.items():
            for one in pack.sounds:
                self._documents.setdefault(one.key, []).append(name)
        for sound in sounds:
            self._take_in(sound)
        if self.profile.by_path:
            self._in_place()
        self._tell()

    def _can_be_a_file(self, name: str) -> bool:
        if is_plain(name) and not any(map(windows_refuses, name.split("/"))):
            return True
        self.notes.lose(Place(self.opened.files.label(name)), "no system takes such a name for a file")
        return False

    def _clip(self, name: str, key: str) -> str:
        self._used.setdefault(name, key)
        clip = f"{FOLDER}/{posixpath.relpath(name, self.around or '.')}"
        self.clips[clip] = name
        return clip

    def _is_games_own(self, sound: SoundThing) -> bool:
        """Is it an entry of the game's, in the pack's copy of the game's own document?"""
        documents = self._documents.get(sound.key, ())
        merged = self.opened.reading.merged
        if not documents or not merged.issuperset(documents):
            return False
        if any(self.files.file_of(file) for file, _, _ in sound.files()):
            return False
        self._left[documents[0]] = self._left.get(documents[0], 0) + 1
        return True

    def _take_in(self, sound: SoundThing) -> None:
        if self._is_games_own(sound):
            return
        takes = self._takes(sound)
        parts = self._parts(sound)
        titles = spoken(sound.titles, self.language)
        if not takes and not parts and not titles:
            self.notes.lose(sound.place, f"{sound.key} stands here, and has no sound in this pack")
            return
        kind = self.view.kind_of(sound)
        values: dict[str, Any] = {"key": sound.key}
        new = self._is_new(sound.key, kind)
        if takes:
            values["takes"] = takes
        if parts:
            values["parts"] = parts
        if new and (takes or parts):
            values["new"] = True
        elif self._replaces_entry(sound.key, kind):
            values["fresh"] = True  # what the pack does not say, it does not say
        if titles:
            values["title"] = titles
        category = sound.category
        if category and not self.usual.says("category", category):
            values["category"] = category
        if self.profile.kind_of(sound.key, category, parts=bool(parts)).name != kind.name:
            values["kind"] = kind.name
        values |= self._settings(sound, kind)
        if self.profile.rules.takes.added and not new:
            values["adds"] = self.profile.adds(sound.values.get("adds"))
        fields = {name.removeprefix(FIELD_PREFIX): whole(value) for name, value in sound.free.items()}
        fields = {name: value for name, value in fields.items() if not self.usual.says(FIELD_PREFIX + name, value)}
        fields |= own_texts(sound, self.language)
        values |= by_declaration(self.profile.rules.declared, SOUND, fields)
        if self.keep_names and (paths := dict(self._part_paths(sound, kind))):
            values["part-paths"] = paths
        own_name = None if self.keep_names else self._own_name(sound, kind)
        if own_name is not None:
            values["file"] = own_name
        fitted = fitting(tables_for(self.profile.rules.declared)[SOUND], values, sound.key, sound.place, self.notes)
        if fitted is not None:
            self.tables.append(fitted)

    def _is_new(self, key: str, kind: Kind) -> bool:
        if kind.replace == "no":
            return True
        return kind.new and self.known is not None and key not in self.known

    def _takes(self, sound: SoundThing) -> list[Any]:
        takes = []
        for number, take in enumerate(sound.takes, 1):
            values: dict[str, Any] = {}
            name = self.files.file_of(take.file) if take.file else None
            if name is not None:
                values["clip"] = self._clip(name, sound.key)
            elif take.file is None and take.key is not None:
                values["key"] = take.key
            elif self._is_kept(sound, take, number):
                values["kept"] = True
            else:
                what = f"take {number} of {sound.key} leads to no sound of this pack"
                self.notes.lose(take.place, f"{what}: {take.file}" if take.file else what)
                continue
            values |= self._settings_of(take)
            if name is not None and self._is_named_otherwise(sound, number, name):
                values["path"] = name
            model = tables_for(self.profile.rules.declared)[TAKE]
            fitted = fitting(model, values, f"take {number} of {sound.key}", take.place, self.notes)
            if fitted is not None:
                takes.append(fitted["clip"] if list(fitted) == ["clip"] else fitted)
        return takes

    def _replaces_entry(self, key: str, kind: Kind) -> bool:
        """Stands it in a document of the pack's own in place of the game's entry?"""
        if kind.replace != "by-definition" or self.known is None or key not in self.known:
            return False
        written = (one for one in self.profile.written if SOUND in one.scopes.values())
        return any(self.profile.document_rules(exemplar).mode != "merge" for exemplar in written)

    def _is_kept(self, sound: SoundThing, take: TakeThing, number: int) -> bool:
        """Is it the game's own file in that place?"""
        if self.known is None or sound.key not in self.known or take.file is None:
            return False
        files = self.known.entry(sound.key).files
        return number <= len(files) and self.profile.bare(files[number - 1]) == self.profile.bare(take.file)

    def _parts(self, sound: SoundThing) -> dict[str, str]:
        parts: dict[str, str] = {}
        for part in sound.parts:
            name = self.files.file_of(part.file) if part.file else None
            if name is None or part.name is None:
                what = f"the part {part.name or 'without a name'} of {sound.key} leads to no sound of this pack"
                self.notes.lose(part.place, f"{what}: {part.file}" if part.file else what)
            elif part.name in parts:
                self.notes.lose(part.place, f"{sound.key} has two parts named {part.name}")
            else:
                parts[part.name] = self._clip(name, sound.key)
        return parts

    def _settings_of(self, thing: Thing) -> dict[str, Any]:
        """What is said of a sound or a take, by the fields of the workspace's file."""
        generator = ((field, thing.values.get(field.name)) for field in said_of(thing.scope))
        said = {
            field.field: whole(value)
            for field, value in generator
            if value is not None and not self.usual.says(field.name, value)
        }
        prefix = free_prefix(thing.scope)
        free = {name: whole(value) for name, value in thing.free.items() if not self.usual.says(prefix + name, value)}
        return said | (by_declaration(self.profile.rules.declared, thing.scope, free) if thing.scope != SOUND else {})

    def _settings(self, sound: SoundThing, kind: Kind) -> dict[str, Any]:
        settings = self._settings_of(sound)
        how = marking(self.profile.rules.loops, kind.container)
        if how is None:
            return settings
        parts = [part.name for part in sound.parts]
        looped = [take.file for take in sound.takes] + [
            part.file for part in sound.parts if goes_round(part.name, parts)
        ]
        names = [name for file in looped if file and (name := self.files.file_of(file))]
        marked = [name for name in names if self._is_marked(name)]
        if marked and len(marked) < len(names):
            what = f"{sound.key}: of its {len(names)} files {len(marked)} are marked as a loop"
            self.notes.lose(sound.place, what)
        if marked and "loop" not in sound.values:
            settings["loop"] = True
        return settings

    def _is_marked(self, name: str) -> bool:
        try:
            with self.opened.files.stream(name) as stream:
                container = clips.OpenSound(stream, name).facts.container
                how = marking(self.profile.rules.loops, container)
                stream.seek(0)
                return how is not None and loops.read(stream, how) is not None
        except IchnosError:
            return False  # a damaged one is told when it is decoded

    def _is_named_otherwise(self, sound: SoundThing, number: int, name: str) -> bool:
        """Has a take's file another name than a build would give it, and is that to stay?"""
        pattern = self.profile.take_paths.get(self.view.kind_of(sound).name)
        if not self.keep_names or pattern is None:
            return False
        more: dict[str, Value] = {"take.number": number, "take.alone": len(sound.takes) == 1}
        return not self._as_named([(pattern, more, name)], sound, sound.key)

    def _part_paths(self, sound: SoundThing, kind: Kind) -> Iterator[tuple[str, str]]:
        """The files of parts that have other names than a build would give them."""
        pattern = self.profile.part_paths.get(kind.name)
        if pattern is None:
            return
        for part in sound.parts:
            name = self.files.file_of(part.file) if part.file else None
            if name and part.name and not self._as_named([(pattern, {"part.name": part.name}, name)], sound, sound.key):
                yield part.name, name

    def _own_name(self, sound: SoundThing, kind: Kind) -> str | None:
        """What the files of a sound are called, where that does not come of its key."""
        pattern, part_pattern = self.profile.take_paths.get(kind.name), self.profile.part_paths.get(kind.name)
        named: list[tuple[Pattern, dict[str, Value], str]] = []
        for number, take in enumerate(sound.takes, 1):
            name = self.files.file_of(take.file) if take.file else None
            if name is not None and pattern is not None:
                named.append((pattern, {"take.number": number, "take.alone": len(sound.takes) == 1}, name))
        for part in sound.parts:
            name = self.files.file_of(part.file) if part.file else None
            if name is not None and part_pattern is not None:
                named.append((part_pattern, {"part.name": part.name}, name))
        if self.profile.rules.takes.shared:  # a file has the name that the first of its keys gives it
            named = [entry for entry in named if self._used[entry[2]] == sound.key]
        if not named or self._as_named(named, sound, sound.key):
            return None
        if kind.replace != "by-path":
            for path, _, name in named:
                match = path.match(name) or {}
                other = str(match.get("key") or match.get("key.own") or "")
                if other and self._as_named(named, sound, other):
                    return other
        self._renamed.append(named[0][2])
        return None

    def _as_named(self, named: list[tuple[Pattern, dict[str, Value], str]], sound: SoundThing, key: str) -> bool:
        """Would the build give all of them the names that they have?"""
        group, _, own = sound.key.rpartition(self.profile.rules.names.separator)
        same = key == sound.key
        naming: dict[str, Value] = {
            **sound.values, "key": key, "key.group": group or None, "key.own": own if same else key,
            "category": sound.category,
        }  # fmt: skip
        try:
            return all(
                named_path(self.profile.rules.names, path, {**self.own, **naming, **more}.get) == name
                for path, more, name in named
            )
        except IchnosError:
            return False

    def _in_place(self) -> None:
        """Sound files in the place of the game's own: their keys are those that play them there."""
        players = self.known.players(self.profile.bare) if self.known else {}
        by_key: dict[str, dict[int, str]] = {}
        for name in self.there:
            if name in self._used:
                continue
            keys = players.get(without_extension(name), [])
            for key in keys:
                files = [self.profile.bare(file) for file in self.known.entry(key).files] if self.known else []
                by_key.setdefault(key, {})[files.index(without_extension(name))] = name
        for key, given in by_key.items():
            assert self.known is not None
            count = len(self.known.entry(key).files)
            takes: list[Any] = [self._clip(given[at], key) if at in given else {"kept": True} for at in range(count)]
            while isinstance(takes[-1], dict):
                takes.pop()
            self.tables.append({"key": key, "takes": takes})
        if self.known is None and self.profile.by_path_alone:
            self._by_names()

    def _by_names(self) -> None:
        """The same where the names themselves hold the keys."""
        by_key: dict[str, dict[int, str]] = {}
        for name in self.there:
            for path in self.profile.sound_paths:
                matched = path.match(name)
                if matched is not None and "key" in matched:
                    number = matched.get("take.number")
                    at = int(number) if isinstance(number, float) else 1
                    by_key.setdefault(str(matched["key"]), {}).setdefault(at, name)
                    break
        for key, given in by_key.items():
            new = {"new": True} if self.profile.kind_of(key, None, parts=False).new else {}
            self.tables.append({"key": key, **new, "takes": [self._clip(given[at], key) for at in sorted(given)]})
        if any("new" in table for table in self.tables):
            what = "which of these keys the game has is not known, so all are said to be new"
            self.notes.told.append(f"{what}; --installation FOLDER tells them apart")

    def _tell(self) -> None:
        for document, count in self._left.items():
            many = f"{count} entries" if count > 1 else "1 entry"
            where = f"in {document or 'its documents'}"
            self.notes.told.append(f"{many} {where} {'are' if count > 1 else 'is'} the game's own")
        if self._renamed:
            others = f" and {len(self._renamed) - 1} more" if len(self._renamed) > 1 else ""
            what = "the profile names such files otherwise, and so does a build; --keep-names keeps these"
            self.notes.told.append(f"{self._renamed[0]}{others}: {what}")
        self.loose = [name for name in self.there if name not in self._used]
        if self.loose and self.profile.by_path and self.known is None:
            what = f"it is not known which keys play it ({len(self.loose)} such files)"
            self.notes.lose(Place(self.opened.files.label(self.loose[0])), f"{what}: say --installation FOLDER")
        elif self.loose:
            others = f" and {len(self.loose) - 1} more" if len(self.loose) > 1 else ""
            self.notes.told.append(f"{self.loose[0]}{others}: no key plays it; it is taken over as it is")


def own_texts(thing: Thing, language: str) -> dict[str, Any]:
    """The texts of a thing that the profile declares, as the pack file has them."""
    prefix = spoken_prefix(thing.scope)
    own = ((name, said) for name, said in thing.texts.items() if name.startswith(prefix) and said)
    return {name.removeprefix(prefix): spoken(said, language) for name, said in own}


def spoken(said: Mapping[str | None, str], language: str) -> Any:
    """A text as the pack file has it: alone, or by language."""
    if None in said and len(said) == 1:
        return said[None]
    texts = {tag: text for tag, text in said.items() if tag is not None}
    if None in said and language not in texts:
        texts[language] = said[None]
    return texts
