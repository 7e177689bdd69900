"""What is checked, and against what: a pack, read once, with all that the families of checks look at."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import PurePosixPath

from ichnos.audio.files.forms import SoundForm
from ichnos.audio.process.target import Accepted, Target
from ichnos.errors import Place
from ichnos.files.sources import Files, Only
from ichnos.games.entries.packs import PackReading, SoundFiles, read_pack
from ichnos.games.own_forms import OwnForms
from ichnos.games.pack_sounds import PackSounds
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import Profile, without_extension
from ichnos.games.profiles.vocabulary import PACK
from ichnos.games.profiles.word import Word
from ichnos.games.targets import target
from ichnos.games.things import PackThing, Thing, sound_of
from ichnos.review.context import Context


@dataclass(frozen=True)
class Subject:
    """A pack and its context. ``is_game``: it is an installed game itself."""

    context: Context
    files: Files
    is_game: bool = False

    @property
    def profile(self) -> Profile:
        return self.context.profile

    @cached_property
    def names(self) -> list[str]:
        """The names of all its files."""
        return self.files.names()

    @cached_property
    def pack(self) -> PackReading:
        """What it says."""
        return read_pack(self.profile, self.files, own=self.context.own)

    @cached_property
    def view(self) -> PackSounds:
        """Which of its files is there for which key."""
        sound = self.context.pack_file.sound if self.context.pack_file else ()
        kinds = {one.key: one.kind for one in sound if one.kind is not None}
        return PackSounds(self.profile, self.files, self.pack, self.context.catalogue, kinds)

    @property
    def sounds(self) -> list[str]:
        """The names of its sound files."""
        return self.view.names

    @property
    def sound_files(self) -> SoundFiles:
        """The same, to be found by reference."""
        return self.view.by_reference

    @property
    def in_place(self) -> dict[str, list[str]]:
        """The sound files that stand in the place of the game's own, each with its keys there."""
        return self.view.in_place

    @property
    def kinds(self) -> dict[str, Kind]:
        """The kind of each file that a definition names, or that is in the place of one of the game's."""
        return self.view.kinds

    @cached_property
    def targets(self) -> dict[str, Target]:
        """What each of those files should be."""
        looped = {
            self.sound_files.file_of(reference)
            for sound in self.pack.defined()
            if sound.loops
            for reference in sound.looped_files()
        }
        own = {one.key for one in (self.context.pack_file.sound if self.context.pack_file else ()) if one.loop}
        looped |= {name for name, keys in self.in_place.items() if own.intersection(keys)}
        targets = {name: target(self.profile, kind, loop=name in looped) for name, kind in self.kinds.items()}
        if self.profile.rules.audio.like is not None:
            for name, form in self._own_forms():
                any_form = replace(targets[name], accepted=Accepted(None, None, None))
                targets[name] = any_form if form is None else targets[name].like(form)
        return targets

    def _own_forms(self) -> Iterator[tuple[str, SoundForm | None]]:
        """The files in the place of the game's own, each with the form of that; ``None`` where it is not known."""
        context, forms = self.context, OwnForms(self.context.own, self.profile.sound_suffixes)
        for name in self.in_place:
            yield name, forms.of(without_extension(name))
        for sound in self.pack.defined():
            known = context.catalogue is not None and sound.key in context.catalogue
            if sound.key in (context.new_keys or ()) or (context.catalogue is not None and not known):
                continue
            own = context.catalogue.entry(sound.key).files if context.catalogue is not None else ()
            for at, name in enumerate(self.view.files_of(sound)):
                yield name, forms.of(own[at] if at < len(own) else own[0]) if own else None

    def needs_no_definition(self, name: str) -> bool:
        """Is the file's name all that the game goes by, as nothing of its kind can be added?"""
        kind = self.view.kind_of(sound_of("", files=(name,)))
        return kind.replace == "by-path" and (not kind.new or self.context.catalogue is None)

    @cached_property
    def keys(self) -> set[str]:
        """The keys that it gives sounds to: by definition, or in the place of the game's own."""
        in_place = {key for keys in self.in_place.values() for key in keys}
        return {sound.key for sound in self.pack.defined()} | in_place | {*self.view.by_name.values()}

    def own_entries(self, name: str) -> set[str]:
        """The names of all entries of the game's own document of one name, whatever they are."""
        return {sound.key for pack in self._own_reading(name).by_document.values() for sound in pack.sounds}

    def own_titles(self, exemplar: Exemplar) -> dict[str, Mapping[str | None, str]]:
        """What the game's own documents of one exemplar call its sounds, by key."""
        own = self.context.own
        named = [name for name in own.names() if exemplar.path.match(name) is not None] if own is not None else ()
        documents = [pack for name in named for pack in self._own_reading(name).by_document.values()]
        return {sound.key: sound.titles for document in documents for sound in document.sounds}

    def _own_reading(self, name: str) -> PackReading:
        if name not in self._own_readings:
            own = self.context.own
            is_there = own is not None and name in own.names()
            self._own_readings[name] = read_pack(self.profile, Only(own, name)) if own and is_there else PackReading()
        return self._own_readings[name]

    @cached_property
    def _own_readings(self) -> dict[str, PackReading]:
        return {}

    @cached_property
    def games_files_in_fields(self) -> set[str]:
        """The files that the game's own documents name in fields of the profile's own."""
        own, rows = self.context.own, tuple(self.profile.rules.declared.of_files())
        packs = read_pack(self.profile, own).by_document.values() if own is not None else ()
        values = (thing.values.get(row.name) for pack in packs for row in rows for thing in things_of(pack, row))
        return {str(value) for value in values if value}

    @cached_property
    def over_its_own(self) -> set[str]:
        """The files under the path of one of the game's that change no other sound than they are there for."""
        catalogue = self.context.catalogue
        players = catalogue.players(self.profile.bare) if catalogue is not None else {}
        named: dict[str, set[str]] = {}
        for sound in self.pack.defined():
            for reference, _, _ in sound.files():
                name = self.sound_files.file_of(reference)
                if name is not None:
                    named.setdefault(name, set()).add(sound.key)
        own = {name for name, keys in named.items() if keys.issuperset(players.get(without_extension(name), [name]))}
        return own | {name for name in self.over_the_games if name not in named}

    @cached_property
    def over_the_games(self) -> set[str]:
        """The files that are laid over the game's own of the same path."""
        catalogue = self.context.catalogue
        if catalogue is None or self.profile.rules.install.lay != "over":
            return set()
        players = catalogue.players(self.profile.bare)
        return {name for name in self.sounds if without_extension(name) in players}

    @cached_property
    def silent(self) -> set[str]:
        """The sound files that are silent on purpose."""
        found = {
            self.sound_files.file_of(reference)
            for sound in self.pack.defined()
            if sound.key in self.context.silent_keys
            for reference, _, _ in sound.files()
        }
        silenced = set(self.context.silent_keys)
        in_place = {name for name, keys in self.in_place.items() if silenced.intersection(keys)}
        return {name for name in found if name is not None} | in_place

    @cached_property
    def at_a_place(self) -> dict[str, str]:
        """The sound files that fade with distance, as their sound or a trigger says, each with who says so."""
        pack_file = self.context.pack_file
        told = {sound.key: "positional" for sound in pack_file.sound if sound.positional} if pack_file else {}
        told |= {
            one.key: f"trigger {one.name}" for one in (pack_file.trigger if pack_file else ()) if one.from_ is not None
        }
        for trigger in self.pack.definitions.triggers:
            if trigger.key is not None and trigger.values.get("trigger.from"):
                told[trigger.key] = f"trigger {trigger.values.get('trigger.name') or trigger.key}"
        found: dict[str, str] = {}
        for sound in self.pack.defined():
            who = told.get(sound.key) or ("positional" if sound.values.get("positional") is True else "")
            for reference, _, _ in sound.files() if who else ():
                name = self.sound_files.file_of(reference)
                if name is not None:
                    found[name] = who
        return found

    def is_own_codec(self, name: str) -> bool:
        """Is it a sound in the game's own codec, which only the game can decode?"""
        encoder = self.profile.rules.own_encoder
        return encoder is not None and PurePosixPath(name).suffix.lower() == encoder.extension

    def label(self, name: str) -> Place:
        """The place of a file of the pack."""
        return Place(self.files.label(name))


def things_of(pack: PackThing, row: Word) -> Iterable[Thing]:
    """All that may have a field: the pack itself, or every thing of a scope in it."""
    return (pack,) if row.scope == PACK else pack.every(row.scope)
