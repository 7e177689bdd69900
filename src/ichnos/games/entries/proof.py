"""The proof of a document: read back through its profile, it says what the workspace means.

What is filled is compared before it is written, so that nothing can be lost between the two without a word.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ichnos.documents.facts import Fact, difference
from ichnos.documents.tree import KEYED, Document, Unwritable, Value, in_text, is_number, is_same, spelled
from ichnos.errors import IchnosError, Place
from ichnos.games.entries.arranged import said_in
from ichnos.games.entries.contents import contents, sound_entries
from ichnos.games.entries.fill import Bindings, resolve
from ichnos.games.entries.found import Found, every
from ichnos.games.entries.packs import SoundFiles
from ichnos.games.entries.read import DocumentReading, read
from ichnos.games.facts import name_of, of_thing
from ichnos.games.profiles import vocabulary
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.vocabulary import (
    CATEGORY,
    GROUP,
    LANGUAGE,
    PACK,
    PART,
    SOUND,
    TAKE,
    all_entry_scopes,
    inner_scopes,
    is_name,
    is_spoken,
    part_in,
    settings,
)
from ichnos.games.things import NOWHERE, PackThing, SoundThing, Thing

_ROUNDED = 0.005  # of a value: what a converter rounds by more than that is reported
_ONE_EACH = "the game has an entry for each take, and its own cannot be replaced: give the sound a key of its own"
_OF_SOUNDS = {SOUND, TAKE, PART}
_SORTED = {CATEGORY: "category", GROUP: "key.group", SOUND: "key"}


@dataclass
class DocumentProof:
    """Holds documents against what is meant.

    Args:
        said: what the workspace means.
        separator: what stands between the pieces of a key.
        files: the names of the pack's files that definitions can refer to.
        game: the name of the profile.
        notes: what converters round, one sentence for each value.
        standing: the keys of the sounds that stand in each document.
        left_out: the documents that a sound has no entry in, by its key, with the values that it would need there.
    """

    said: PackThing
    separator: str
    files: Sequence[str]
    game: str
    notes: list[str] = field(default_factory=list)
    standing: dict[str, set[str]] = field(default_factory=dict)
    left_out: dict[str, dict[str, set[str]]] = field(default_factory=dict)

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
        in_document = _OneDocument(self, exemplar, document.text.path, bindings, merged)
        yield from in_document.pack(reading)
        yield from in_document.entries(contents(reading, self.separator, in_path))

    def unwritten(self, exemplar: Exemplar, path: str, bindings: Bindings) -> Iterator[IchnosError]:
        """What is lost without a document that has nothing to say: nothing, if it is right to leave it out."""
        yield from _OneDocument(self, exemplar, path, bindings, merged=False).entries(PackThing(PACK))

    def error(self, what: str, place: Place, there: Place, cure: str = "") -> IchnosError:
        cure = cure or f"correct the game's profile, and try it: ichnos games check {self.game}"
        return IchnosError(f"{there}: {what}", place=place, cure=cure)

    def leads_to(self, reference: str) -> str | None:
        """The file of the pack that a reference means."""
        return self._sound_files.file_of(reference)


@dataclass(frozen=True)
class _OneDocument:
    proof: DocumentProof
    exemplar: Exemplar
    path: str
    bindings: Bindings
    merged: bool

    def pack(self, reading: DocumentReading) -> Iterator[IchnosError]:
        """The pack's own values, wherever they stand."""
        meant, text = self.proof.said, reading.document.text
        if not (names := [name for name, scope in self.exemplar.scopes.items() if scope == PACK]):
            return
        outside = set(names) - {name for unit in self.exemplar.units for name in self.exemplar.names_below(unit)}
        tags = {spelled(self.carried("language", tag)[0]): tag for tag in meant.languages}
        there: Iterable[Found] = every(reading.pack)
        if self.merged:  # only what the pack has brought is its own
            keys = {self.key(sound) for sound in self.meant()}
            own = [one for key, one in sound_entries(reading.pack, self.proof.separator) if key in keys]
            there = [inner for one in own for inner in every(one)]
        for part in there:
            for name in names:
                if name in part.nodes or (part is reading.pack and name in outside):
                    place = meant.places.get(name, Place("ichnos.toml"))
                    where = text.place(part.nodes.get(name, part.node).start)
                    tag = tags.get(spelled(part.values.get("language") or self.language))
                    wanted, back = meant.in_language(name, tag), part.values.get(name)
                    yield from self.value(name, wanted, back, place, where, "")

    def entries(self, read_back: PackThing) -> Iterator[IchnosError]:
        """All that this document says of sounds, and of what plays them."""
        if set(self.exemplar.scopes.values()) & _OF_SOUNDS:
            yield from self.sounds(read_back.sounds)
        for scope in all_entry_scopes(self.exemplar.scopes.values()):
            if scope != SOUND and set(self.exemplar.scopes.values()) & {scope, *inner_scopes(scope)}:
                yield from self.players(scope, read_back.of(scope))

    def meant(self) -> list[SoundThing]:
        """The sounds that this file is for."""
        bound = self.bindings
        of: dict[str, Value] = {scope: resolve(name, bound) for scope, name in _SORTED.items()}

        def own(sound: SoundThing) -> dict[str, Value]:
            group = sound.key.rpartition(self.proof.separator)[0] or None
            return {CATEGORY: sound.category, GROUP: group, SOUND: sound.key}

        sounds = said_in(self.exemplar, self.proof.said, merged=self.merged).sounds
        return [sound for sound in sounds if all(own(sound)[scope] == of[scope] for scope in of if scope in bound)]

    def sounds(self, read_back: Sequence[SoundThing]) -> Iterator[IchnosError]:
        by_key: dict[str, list[SoundThing]] = {}
        for one in read_back:
            by_key.setdefault(one.key, []).append(one)
        taken: dict[str, SoundThing] = {}
        for sound in self.meant():
            key = self.key(sound)
            other = taken.setdefault(key, sound)
            if other is not sound:
                what = f'"{sound.key}" and "{other.key}" of {other.place} are both spelled "{key}" here'
                yield self.proof.error(what, sound.place, Place(self.path))
                continue
            entries = by_key.get(key, [])
            if entries:
                self.proof.standing.setdefault(self.path, set()).add(sound.key)
                yield from self.sound(sound, entries)
            elif self.needs_entry(sound):
                yield self.proof.error(f'"{sound.key}" would not stand here', sound.place, Place(self.path))
            elif not self.in_language:
                self.proof.left_out.setdefault(sound.key, {})[self.path] = self.values_of_sounds

    def key(self, sound: SoundThing) -> str:
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

    def needs_entry(self, sound: SoundThing) -> bool:
        """Must the sound stand here? Not where there is only room for what nobody has said of it."""
        names = self.values_of_sounds
        if not names or any(self.is_said(sound, name) for name in names):
            return True
        units = [node for node, scope in self.exemplar.units.items() if scope == SOUND]
        is_row = any(node.kind != KEYED for node in units)  # a line, or a list, of which nothing can be left out
        return not self.in_language and not is_row and SOUND not in self.exemplar.file_scopes

    @property
    def values_of_sounds(self) -> set[str]:
        return {name for name, of in self.exemplar.scopes.items() if of in _OF_SOUNDS and not is_name(name)}

    @property
    def in_language(self) -> bool:
        """Does each language have its own list, or its own file?"""
        return LANGUAGE in self.exemplar.file_scopes or LANGUAGE in self.exemplar.units.values()

    def is_said(self, sound: SoundThing, name: str) -> bool:
        if name == "title":
            language = self.language
            return bool(sound.titles) if language is None else language in sound.titles
        if self.exemplar.scopes[name] == TAKE:
            of_takes = settings(TAKE)
            return any(take.values.get(name) is not None if name in of_takes else True for take in sound.takes)
        if self.exemplar.scopes[name] == PART:
            return bool(sound.parts)
        if (part := part_in(name)) is not None:
            return any(thing.name == part for thing in sound.parts)
        if name == "category" and self.in_language:
            return False
        return sound.values.get(name) is not None

    @property
    def language(self) -> str | None:
        value = resolve("language", self.bindings)
        return None if value is None else str(value)

    def may_stay(self, thing: Thing) -> bool:
        """Does what nobody says of a sound stay as the game has it?"""
        return isinstance(thing, SoundThing) and (thing.is_changed or (self.merged and thing.like is None))

    def sound(self, sound: SoundThing, entries: Sequence[SoundThing]) -> Iterator[IchnosError]:
        """One sound against its entry; against all of them, where each language has one."""
        roles = self.merged and self.exemplar.has_roles  # a sound is named wherever the game plays it
        if not roles and len({entry.values.get("language") for entry in entries}) < len(entries):
            yield self.proof.error(f'"{sound.key}" would stand here twice', sound.place, entries[1].place)
        titles = {tag: title for entry in entries for tag, title in entry.titles.items()}
        places = {name: entry.place_of(name) for entry in reversed(entries) for name in entry.places}
        for one in entries if roles else entries[:1]:
            yield from self.thing(sound, replace(one, texts={**one.texts, "title": titles}, places=places), sound.key)

    def players(self, scope: str, things: Sequence[Thing]) -> Iterator[IchnosError]:
        """What plays sounds: each against the entry that is most like it."""
        names = [name for name, of in self.exemplar.scopes.items() if of == scope]
        wanted = [one for one in self.proof.said.of(scope) if self.has_place(one, names)]
        if scope in self.bindings:
            wanted = [one for one in wanted if one.values == self.bindings[scope].values]
        left = list(things)
        for thing in wanted:
            other = max(left, key=lambda other, thing=thing: self.alike(thing, other, names), default=None)  # type: ignore[misc]
            if other is None:
                called = thing.name or "without a name"
                yield self.proof.error(
                    f"a {vocabulary.spelled(scope)} would not stand here: {called}", thing.place, Place(self.path)
                )
            else:
                left.remove(other)
                yield from self.thing(thing, other, thing.name or "without a name")

    def has_place(self, thing: Thing, names: Sequence[str]) -> bool:
        """Must it stand here? In a list of one language what says nothing in that has no place."""
        names_said = [name for name in names if not is_name(name)]
        if not self.in_language or not any(map(is_spoken, names_said)):
            return True
        return any(
            self.texts(name, thing.texts.get(name, {})) if is_spoken(name) else thing.values.get(name)
            for name in names_said
        )

    def alike(self, one: Thing, other: Thing, names: Sequence[str]) -> int:
        """How many values of one come back as those of the other."""
        return sum(self.comes_back(name, one.values.get(name), other.values.get(name)) for name in names)

    def texts(self, name: str, by_language: Mapping[str | None, str]) -> dict[str | None, str]:
        """What is to stand here of a text that players read, by language as that is spelled here."""
        if self.language is not None:
            return {tag: text for tag, text in by_language.items() if tag == self.language}
        if not self.exemplar.in_languages(name):
            return {tag: text for tag, text in by_language.items() if tag is None}
        return {spelled(self.carried("language", tag)[0]): text for tag, text in by_language.items() if tag is not None}

    def thing(self, one: Thing, other: Thing, called: str) -> Iterator[IchnosError]:
        """All that is meant of a thing, against what is read back of it."""
        texts = {name: self.texts(name, in_languages) for name, in_languages in one.texts.items()}
        places = {
            f"{name}.{tag}" if tag else name: one.place_of(name)
            for name, in_languages in texts.items()
            for tag in in_languages
        }
        meant, there = replace(one, texts=texts, places={**one.places, **places}), other
        for scope in inner_scopes(one.scope):
            if any(of == scope or (scope == PART and part_in(name)) for name, of in self.exemplar.scopes.items()):
                fitting = self.fitting(scope, one, other)
                count = len(one.of(scope)), len(fitting)
                if count[0] != count[1] and (count[0] or not self.may_stay(one)):
                    many = vocabulary.plural(scope, count[0])
                    what = f'"{called}" has {count[0]} {many}, and {count[1]} would stand here'
                    cure = _ONE_EACH if self.merged and self.exemplar.together.get(SOUND) == scope else ""
                    yield self.proof.error(what, one.place, other.place, cure)
                elif count[0]:
                    there = replace(there, inside={**there.inside, scope: fitting})
                    continue
            meant = replace(meant, inside={**meant.inside, scope: ()})
            there = replace(there, inside={**there.inside, scope: ()})
        of_one, of_other = of_thing(meant, (), self.stands_here), of_thing(there, (), self.stands_here)
        for fact, back in difference(of_one, of_other, lambda *_: False):
            yield from self.fact(one, fact, back, called, other.place)

    def fitting(self, scope: str, one: Thing, other: Thing) -> tuple[Thing, ...]:
        """What stands in an entry of an inner scope; parts by their names, where others stay the game's."""
        there = other.of(scope)
        if scope != PART or ("part.file" in self.exemplar.scopes and not self.may_stay(one)):
            return there
        by_name = {part.values.get("part.name"): part for part in there}
        meant = [part.values.get("part.name") for part in one.of(PART)]
        more = [] if self.may_stay(one) else [part for name, part in by_name.items() if name not in meant]
        return (*(by_name[name] for name in meant if name in by_name), *more)

    def stands_here(self, name: str) -> bool:
        """Is it a field that this document has, and not only what an entry is found by?"""
        scopes = self.exemplar.scopes
        if name in ("part.file", "part.name"):
            return name in scopes or (name == "part.file" and any(map(part_in, scopes)))
        of_sounds = scopes.get(name) in (SOUND, TAKE)
        return name in scopes and not (is_name(name) and of_sounds) and part_in(name) is None

    def fact(
        self, thing: Thing, meant_fact: Fact | None, back: Fact | None, called: str, entry: Place
    ) -> Iterator[IchnosError]:
        """One value that is meant, and what is read back of it."""
        fact = meant_fact or back
        assert fact is not None
        meant, there = meant_fact.value if meant_fact else None, back.value if back else None
        place, at = (
            meant_fact.place if meant_fact else thing.place,
            back.place if back and back.place != NOWHERE else entry,
        )
        if fact.field in ("file", "part.file"):
            if meant is not None and there is not None:
                yield from self.file(str(meant), str(there), called, place, at)
                return
            if meant is None:
                return
        elif isinstance(thing, SoundThing) and meant is None and thing.like is not None and fact.field != "weight":
            if fact.field == "title" and not thing.is_changed:
                what = f'"{called}" has no title of its own, and would have "{there}", that of {thing.like}'
                yield self.proof.error(what, thing.place_of("title"), at)
            return  # what is not said is the other one's
        yield from self.value(fact.field, meant, there, place, at, called, name_of(fact))

    def file(self, path: str, reference: str, called: str, place: Place, there: Place) -> Iterator[IchnosError]:
        """A file that is meant, and the reference that stands for it."""
        leads = self.proof.leads_to(reference)
        if (leads or reference) != path:
            what = f'"{called}" plays {path}, and the reference "{reference}" leads to {leads or "no file of the pack"}'
            yield self.proof.error(what, place, there)

    def value(
        self, name: str, meant: Value, back: Value, place: Place, there: Place, of: str, called: str = ""
    ) -> Iterator[IchnosError]:
        """One value of a hole: it must come back, or be rounded; and where nothing is said, nothing comes."""
        whose = f"the {called or name}" + (f' of "{of}"' if of else "")
        back = None if back == "" else back  # an empty cell, which keeps its place
        holes = self.exemplar.holes_named(name)
        if meant is None or meant == "":
            if back is not None and not self.merged and not any(hole.default is not None for hole in holes):
                yield self.proof.error(f'nobody has said {whose}, and here it is "{in_text(back)}"', place, there)
            return
        if back is None:
            yield self.proof.error(f'{whose} is "{in_text(meant)}", and would not stand here', place, there)
        elif not self.comes_back(name, meant, back):
            shown, other = in_text(meant), in_text(back)
            kinds = f" ({_kind(meant)}, and there {_kind(back)})" if shown == other else ""
            what = f'{whose} is "{shown}", and would be read as "{other}"{kinds}'
            yield self.proof.error(what, place, there)
        elif is_number(meant) and isinstance(back, float) and abs(float(meant) - back) > _ROUNDED * abs(float(meant)):
            self.proof.notes.append(f"{whose} is {spelled(float(meant))}, and {self.path} rounds it to {in_text(back)}")

    def comes_back(self, name: str, meant: Value, back: Value) -> bool:
        if meant is None or back is None:
            return meant is back
        return any(is_same(value, back) for value in self.carried(name, meant))

    def carried(self, name: str, value: Value) -> list[Value]:
        """What the holes of a name make of a value; itself where there is none."""
        spellings = []
        for hole in self.exemplar.holes_named(name):
            try:
                spellings.append(hole.carried(value))
            except (Unreadable, Unwritable):
                continue
        return spellings or [value]


def _kind(value: Value) -> str:
    return "a number" if is_number(value) else "yes or no" if isinstance(value, bool) else "a text"
