"""The proof of a document: read back through its profile, it says what the workspace means.

What is filled is compared before it is written, so that nothing can be lost between the two without a word.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeGuard

from ichnos.documents.tree import KEYED, Document, Unwritable, Value, spelled
from ichnos.errors import IchnosError, Place
from ichnos.games.definitions import (
    Definitions,
    EntryDefinition,
    PropDefinition,
    ScheduleDefinition,
    SoundDefinition,
    TriggerDefinition,
)
from ichnos.games.entries.fill import Bindings, resolve
from ichnos.games.entries.instances import said_in
from ichnos.games.entries.packs import SoundFiles, definitions_of, sound_entries
from ichnos.games.entries.read import DocumentReading, Found, every, read
from ichnos.games.profiles.converters import Unreadable
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.vocabulary import (
    CATEGORY,
    ENTRY,
    GROUP,
    IN_LANGUAGES,
    LANGUAGE,
    NAMING,
    PACK,
    PART,
    PROP,
    SCHEDULE,
    SOUND,
    TAKE,
    TAKE_SETTINGS,
    TRIGGER,
    part_in,
)

_ROUNDED = 0.005  # of a value: what a converter rounds by more than that is reported

_Player = TriggerDefinition | PropDefinition | EntryDefinition | ScheduleDefinition


@dataclass
class Proof:
    """Holds documents against what is meant.

    Args:
        said: what the workspace means.
        separator: what stands between the pieces of a key.
        files: the names of the pack's files that definitions can refer to.
        game: the name of the profile.
        notes: what converters round, one sentence for each value.
    """

    said: Definitions
    separator: str
    files: Sequence[str]
    game: str
    notes: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._sound_files = SoundFiles([*self.files])

    def differences(
        self, exemplar: Exemplar, document: Document, bindings: Bindings, *, merged: bool
    ) -> Iterator[IchnosError]:
        """What a document would say otherwise than is meant; nothing where all of it comes back.

        Args:
            document: what was filled, parsed again; its path is the one in the pack.
            bindings: what the file itself was repeated for.
            merged: the document has the game's own entries too, and values that nobody has said.
        """
        in_path = {hole.word.name: resolve(hole.word.name, bindings) for hole in exemplar.path.holes}
        reading = read(exemplar, document, in_path)
        if reading is None:
            what = "what was filled is not recognised again"
            yield self.error(what, Place("ichnos.toml"), document.text.place(document.root.start))
            return
        for node in [] if merged else reading.strays:
            what = f"an entry is not recognised again: {document.excerpt(node)}"
            yield self.error(what, Place("ichnos.toml"), document.text.place(node.start))
        for name, node, value in reading.differing:
            what = f'the {name} is "{spelled(value)}" in one place, and not in another'
            yield self.error(what, Place("ichnos.toml"), document.text.place(node.start))
        found = definitions_of(reading, self.separator, in_path)
        one = _OneDocument(self, exemplar, document.text.path, bindings, merged)
        yield from one.pack(reading)
        if set(exemplar.scopes.values()) & {SOUND, TAKE, PART}:
            yield from one.sounds(found.sounds)
        yield from one.players(TRIGGER, self.said.triggers, found.triggers)
        yield from one.props(found.props)
        yield from one.schedules(found.schedules)

    def unwritten(self, exemplar: Exemplar, path: str, bindings: Bindings) -> Iterator[IchnosError]:
        """What is lost without a document that has nothing to say: nothing, if it is right to leave it out."""
        one = _OneDocument(self, exemplar, path, bindings, merged=False)
        if set(exemplar.scopes.values()) & {SOUND, TAKE, PART}:
            yield from one.sounds(())
        yield from one.players(TRIGGER, self.said.triggers, ())
        yield from one.props(())
        yield from one.schedules(())

    def error(self, what: str, place: Place, there: Place) -> IchnosError:
        cure = f"correct the game's profile, and try it: ichnos games check {self.game}"
        return IchnosError(f"{there}: {what}", place=place, cure=cure)

    def leads_to(self, reference: str) -> str | None:
        """The file of the pack that a reference means."""
        return self._sound_files.file_of(reference)


@dataclass(frozen=True)
class _OneDocument:
    proof: Proof
    exemplar: Exemplar
    path: str
    bindings: Bindings
    merged: bool

    def pack(self, reading: DocumentReading) -> Iterator[IchnosError]:
        """The pack's own values, wherever they stand."""
        said, text = self.proof.said.pack, reading.document.text
        names = [name for name, scope in self.exemplar.scopes.items() if scope == PACK]
        outside = set(names) - {name for unit in self.exemplar.units for name in self.exemplar.names_below(unit)}
        if not names:
            return
        there: Iterable[Found] = every(reading.pack)
        if self.merged:  # only what the pack has brought is its own
            keys = {self.key(sound) for sound in self.meant()}
            own = [one for key, one in sound_entries(reading.pack, self.proof.separator) if key in keys]
            there = [inner for one in own for inner in every(one)]
        for found in there:
            for name in names:
                if name in found.nodes or (found is reading.pack and name in outside):
                    place = said.places.get(name, Place("ichnos.toml"))
                    where = text.place(found.nodes.get(name, found.node).start)
                    yield from self.value(name, said.values.get(name), found.values.get(name), place, where, "")

    def meant(self) -> list[SoundDefinition]:
        """The sounds that this file is for."""
        bound = self.bindings
        of: dict[str, Value] = {
            CATEGORY: resolve("category", bound), GROUP: resolve("key.group", bound), SOUND: resolve("key", bound)
        }  # fmt: skip
        sounds = []
        for sound in said_in(self.exemplar, self.proof.said, merged=self.merged).sounds:
            group = sound.key.rpartition(self.proof.separator)[0] or None
            own = {CATEGORY: sound.category, GROUP: group, SOUND: sound.key}
            if all(own[scope] == of[scope] for scope in (CATEGORY, GROUP, SOUND) if scope in bound):
                sounds.append(sound)
        return sounds

    def sounds(self, found: Sequence[SoundDefinition]) -> Iterator[IchnosError]:
        by_key: dict[str, list[SoundDefinition]] = {}
        for one in found:
            by_key.setdefault(one.key, []).append(one)
        taken: dict[str, SoundDefinition] = {}
        for sound in self.meant():
            key = self.key(sound)
            other = taken.setdefault(key, sound)
            if other is not sound:
                what = f'"{sound.key}" and "{other.key}" of {other.place} are both spelled "{key}" here'
                yield self.proof.error(what, sound.place, Place(self.path))
                continue
            entries = by_key.get(key, [])
            if entries:
                yield from self.sound(sound, entries)
            elif self.needs_entry(sound):
                yield self.proof.error(f'"{sound.key}" would not stand here', sound.place, Place(self.path))

    def key(self, sound: SoundDefinition) -> str:
        """The key as it is read from here."""
        group, _, own = sound.key.rpartition(self.proof.separator)
        scopes = self.exemplar.scopes
        if "key" in scopes:
            return spelled(self.carried("key", sound.key)[0])
        if "key.own" not in scopes:
            return sound.key
        has_group = "key.group" in scopes or GROUP in self.bindings
        named = ((("key.group", group),) if has_group and group else ()) + (("key.own", own),)
        pieces = [self.carried(name, value)[0] for name, value in named]
        return self.proof.separator.join(map(spelled, pieces))

    def needs_entry(self, sound: SoundDefinition) -> bool:
        """Must the sound stand here? Not where there is only room for what nobody has said of it."""
        names = {name for name, scope in self.exemplar.scopes.items() if scope in (SOUND, TAKE, PART)} - NAMING
        if not names or any(self.is_said(sound, name) for name in names):
            return True
        units = [node for node, scope in self.exemplar.units.items() if scope == SOUND]
        is_row = any(node.kind != KEYED for node in units)  # a line, or a list, of which nothing can be left out
        return not self.in_language and not is_row and SOUND not in self.exemplar.file_scopes

    @property
    def in_language(self) -> bool:
        """Does each language have its own list, or its own file?"""
        return LANGUAGE in self.exemplar.file_scopes or LANGUAGE in self.exemplar.units.values()

    def is_said(self, sound: SoundDefinition, name: str) -> bool:
        if name == "title":
            language = self.language
            return bool(sound.titles) if language is None else language in sound.titles
        if self.exemplar.scopes[name] == TAKE:
            return any(one.values.get(name) is not None if name in TAKE_SETTINGS else True for one in sound.takes)
        if self.exemplar.scopes[name] == PART:
            return bool(sound.parts)
        if (part := part_in(name)) is not None:
            return any(one.name == part for one in sound.parts)
        if name == "category" and self.in_language:
            return False
        return self.value_of(sound, name) is not None

    @property
    def language(self) -> str | None:
        value = resolve("language", self.bindings)
        return None if value is None else str(value)

    def value_of(self, sound: SoundDefinition, name: str) -> Value:
        if name == "category":
            return sound.category
        return sound.settings.get(name, sound.fields.get(name))

    def sound(self, sound: SoundDefinition, entries: Sequence[SoundDefinition]) -> Iterator[IchnosError]:
        """One sound against its entry; against all of them, where each language has one."""
        first = entries[0]
        if len({one.language for one in entries}) < len(entries):
            yield self.proof.error(f'"{sound.key}" would stand here twice', sound.place, entries[1].place)
        scopes = self.exemplar.scopes
        for name, scope in scopes.items():
            if scope in (CATEGORY, SOUND) and name not in NAMING and name != "title" and not part_in(name):
                said, back = self.value_of(sound, name), self.value_of(first, name)
                if said is not None or sound.like is None:  # what is not said is the other one's
                    place, there = sound.places.get(name, sound.place), first.places.get(name, first.place)
                    yield from self.value(name, said, back, place, there, sound.key)
        if "title" in scopes:
            yield from self.titles(sound, entries)
        if "file" in scopes:
            yield from self.files(
                sound, "take", [(one.file, one.place, one.weight) for one in sound.takes],
                [(one.file, one.place, one.weight) for one in first.takes], first.place,
            )  # fmt: skip
            names = [name for name in TAKE_SETTINGS if name in scopes]
            for take, other in zip(sound.takes, first.takes, strict=False):
                for name in names:
                    said, back = take.values.get(name), other.values.get(name)
                    if said is not None or sound.like is None:
                        yield from self.value(name, said, back, take.place, other.place, sound.key)
        if "part.file" in scopes:
            by_name = {one.name: one for one in first.parts}
            back_there = list(first.parts)
            if self.may_stay(sound):  # the others stay the game's
                back_there = [by_name[one.name] for one in sound.parts if one.name in by_name]
            yield from self.files(
                sound, "part", [(one.file, one.place, one.name) for one in sound.parts],
                [(one.file, one.place, one.name) for one in back_there], first.place,
            )  # fmt: skip
        elif any(part_in(name) for name in scopes):
            yield from self.parts(sound, first)

    def may_stay(self, sound: SoundDefinition) -> bool:
        """Does what nobody says of a sound stay as the game has it?"""
        return sound.is_changed or (self.merged and sound.like is None)

    def parts(self, sound: SoundDefinition, first: SoundDefinition) -> Iterator[IchnosError]:
        """Parts that have a place of their own each."""
        there = {part.name: part for part in first.parts}
        said = [part.name for part in sound.parts]
        for part in first.parts:
            if part.name not in said and not self.may_stay(sound):
                what = f'"{sound.key}" has no part {part.name}, and {part.file} would stand here'
                yield self.proof.error(what, sound.place, part.place)
        for part in sound.parts:
            other = there.get(part.name)
            if other is None or other.file is None:
                what = f'"{sound.key}" has a part {part.name}, which would not stand here'
                yield self.proof.error(what, part.place, first.place)
            elif part.file is not None and (self.proof.leads_to(other.file) or other.file) != part.file:
                what = f'"{sound.key}" plays {part.file}, and "{other.file}" stands here'
                yield self.proof.error(what, part.place, other.place)

    def titles(self, sound: SoundDefinition, entries: Sequence[SoundDefinition]) -> Iterator[IchnosError]:
        there = {tag: (title, one) for one in entries for tag, title in one.titles.items()}
        language = self.language
        if language is not None:
            meant: Mapping[str | None, str | None] = {language: sound.titles.get(language)}
        elif "language" in self.exemplar.scopes:
            meant = {tag: title for tag, title in sound.titles.items() if tag is not None}
        else:
            meant = {None: sound.titles.get(None)}
        for tag, title in meant.items():
            as_read = tag if tag is None or language is not None else spelled(self.carried("language", tag)[0])
            back, one = there.get(as_read, (None, entries[0]))
            back = back or None  # an empty cell, which keeps its place
            name = f"title ({tag})" if tag else "title"
            place = one.places.get(f"title.{as_read}" if as_read else "title", one.place)
            at = sound.places.get("title", sound.place)
            if title is None and back is not None and sound.is_changed:
                continue  # it is the game's own
            if title is None and back is not None and sound.like is not None:
                what = f'"{sound.key}" has no title of its own, and would have "{back}", that of {sound.like}'
                yield self.proof.error(what, at, place)
            else:
                yield from self.value("title", title, back, at, place, sound.key, name)

    def files(
        self,
        sound: SoundDefinition,
        role: str,
        meant: Sequence[tuple[str | None, Place, Value]],
        there: Sequence[tuple[str | None, Place, Value]],
        at: Place,
    ) -> Iterator[IchnosError]:
        """Takes or parts: as many as are meant, each leading to its own file."""
        if len(meant) != len(there) and (meant or not self.may_stay(sound)):
            what = f'"{sound.key}" has {len(meant)} {role}s, and {len(there)} would stand here'
            yield self.proof.error(what, sound.place, at)
            return
        file, more = ("file", "weight") if role == "take" else ("part.file", "part.name")
        for (path, place, said), (reference, where, back) in zip(meant, there, strict=bool(meant)):
            if path is not None and reference is not None and (self.proof.leads_to(reference) or reference) != path:
                leads = self.proof.leads_to(reference) or "no file of the pack"
                what = f'"{sound.key}" plays {path}, and the reference "{reference}" leads to {leads}'
                yield self.proof.error(what, place, where)
            elif path is not None and reference is None:
                yield from self.value(file, path, reference, place, where, sound.key)
            if more in self.exemplar.scopes:
                yield from self.value(more, said, back, place, where, sound.key)

    def players(self, scope: str, meant: Iterable[_Player], found: Sequence[_Player]) -> Iterator[IchnosError]:
        names = [name for name, of in self.exemplar.scopes.items() if of == scope and name not in IN_LANGUAGES]
        if not names:
            return
        wanted = list(meant)
        if scope in self.bindings:
            wanted = [one for one in wanted if dict(one.values) == dict(self.bindings[scope].values)]
        left = list(found)
        for one in wanted:
            other = self.like_it(one, left, names)
            if other is None:
                what = f"a {scope} would not stand here: {_called(one)}"
                yield self.proof.error(what, one.place, Place(self.path))
                continue
            left.remove(other)
            for name in names:
                yield from self.value(
                    name, one.values.get(name), other.values.get(name), one.place, other.place, _called(one)
                )

    def props(self, found: Sequence[PropDefinition]) -> Iterator[IchnosError]:
        """The props, and what players read of them in the languages that stand here."""
        scopes, said = self.exemplar.scopes, self.proof.said.props
        if PROP in self.bindings:
            said = tuple(one for one in said if one.name == self.bindings[PROP].values["prop.name"])
        if self.in_language:  # one that says nothing in it has no place there
            names = [name for name, of in scopes.items() if of == PROP and name not in NAMING]
            said = tuple(
                one
                for one in said
                if any(self.spoken(one, name) if name in IN_LANGUAGES else one.values.get(name) for name in names)
            )
        yield from self.players(PROP, said, found)
        for one in said:
            other = next((two for two in found if self.comes_back("prop.name", one.name, two.name)), None)
            if other is None and "prop.name" not in scopes and len(said) == len(found) == 1:
                other = found[0]
            if other is None:
                continue
            for name, there in (("prop.title", other.titles), ("prop.text", other.texts)):
                for tag, text in self.spoken(one, name).items() if name in scopes else ():
                    yield from self.spoken_there(name, tag, text, there, one, other)

    def spoken_there(
        self,
        name: str,
        tag: str | None,
        text: str | None,
        there: Mapping[str | None, str],
        one: PropDefinition,
        other: PropDefinition,
    ) -> Iterator[IchnosError]:
        as_read = tag if tag is None or self.language is not None else spelled(self.carried("language", tag)[0])
        called = f"{name} ({tag})" if tag else name
        yield from self.value(name, text, there.get(as_read), one.place, other.place, _called(one), called)

    def spoken(self, one: PropDefinition, name: str) -> dict[str | None, str]:
        """What is to stand here of a prop's title or text, by language."""
        said = one.titles if name == "prop.title" else one.texts
        if self.language is not None:
            return {tag: text for tag, text in said.items() if tag == self.language}
        if self.exemplar.in_languages(name):
            return {tag: text for tag, text in said.items() if tag is not None}
        return {tag: text for tag, text in said.items() if tag is None}

    def like_it(self, one: _Player, found: Sequence[_Player], names: Sequence[str]) -> _Player | None:
        """The one that is most like it."""

        def alike(other: _Player) -> int:
            return sum(self.comes_back(name, one.values.get(name), other.values.get(name)) for name in names)

        return max(found, key=alike, default=None)

    def schedules(self, found: Sequence[ScheduleDefinition]) -> Iterator[IchnosError]:
        said = self.proof.said.schedules
        yield from self.players(SCHEDULE, said, found)
        names = [name for name, of in self.exemplar.scopes.items() if of == ENTRY]
        if SCHEDULE in self.bindings:
            said = tuple(one for one in said if dict(one.values) == dict(self.bindings[SCHEDULE].values))
        for one in said if names else ():
            other = self.like_it(one, found, [name for name, of in self.exemplar.scopes.items() if of == SCHEDULE])
            if not isinstance(other, ScheduleDefinition):
                continue
            if len(other.entries) != len(one.entries):
                what = f"{_called(one)} has {len(one.entries)} entries, and {len(other.entries)} would stand here"
                yield self.proof.error(what, one.place, other.place)
                continue
            for entry, back in zip(one.entries, other.entries, strict=True):
                for name in names:
                    value, read_value = entry.values.get(name), back.values.get(name)
                    yield from self.value(name, value, read_value, entry.place, back.place, _called(one))

    def value(
        self, name: str, said: Value, back: Value, place: Place, there: Place, of: str, called: str = ""
    ) -> Iterator[IchnosError]:
        """One value of a hole: it must come back, or be rounded; and where nothing is said, nothing comes."""
        whose = f"the {called or name}" + (f' of "{of}"' if of else "")
        back = None if back == "" else back  # an empty cell, which keeps its place
        holes = self.exemplar.holes_named(name)
        if said is None or said == "":
            if back is not None and not self.merged and not any(hole.default is not None for hole in holes):
                yield self.proof.error(f'nobody has said {whose}, and here it is "{spelled(back)}"', place, there)
            return
        if back is None:
            yield self.proof.error(f'{whose} is "{spelled(said)}", and would not stand here', place, there)
        elif not self.comes_back(name, said, back):
            one, other = spelled(said), spelled(back)
            kinds = f" ({_kind(said)}, and there {_kind(back)})" if one == other else ""
            what = f'{whose} is "{one}", and would be read as "{other}"{kinds}'
            yield self.proof.error(what, place, there)
        elif _is_number(said) and isinstance(back, float) and abs(float(said) - back) > _ROUNDED * abs(float(said)):
            self.proof.notes.append(f"{whose} is {spelled(float(said))}, and {self.path} rounds it to {spelled(back)}")

    def comes_back(self, name: str, said: Value, back: Value) -> bool:
        if said is None or back is None:
            return said is back
        return any(_same(value, back) for value in self.carried(name, said))

    def carried(self, name: str, value: Value) -> list[Value]:
        """What the holes of a name make of a value; itself where there is none."""
        found = []
        for hole in self.exemplar.holes_named(name):
            try:
                found.append(hole.carried(value))
            except (Unreadable, Unwritable):
                continue
        return found or [value]


def _is_number(value: Value) -> TypeGuard[float]:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _kind(value: Value) -> str:
    return "a number" if _is_number(value) else "yes or no" if isinstance(value, bool) else "a text"


def _same(one: Value, other: Value) -> bool:
    if isinstance(one, float) and isinstance(other, float):
        return math.isclose(one, other, rel_tol=1e-9, abs_tol=1e-12)
    return spelled(one) == spelled(other)


def _called(one: _Player) -> str:
    names = (str(value) for name, value in one.values.items() if name in NAMING and value is not None)
    return next(names, "without a name")
