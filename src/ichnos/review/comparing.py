"""Two packs, or a pack and the game, side by side: by what they say, and by how their sounds sound."""

from __future__ import annotations

import math
import os
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, replace
from itertools import zip_longest
from pathlib import PurePosixPath
from typing import IO, Any

from ichnos.audio.files import clips, loops
from ichnos.documents.facts import Fact, difference, facts
from ichnos.documents.tree import Value, is_same
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.games.entries.understanding import not_understood
from ichnos.games.facts import name_of, named, of_thing, own_facts
from ichnos.games.opening import Opened
from ichnos.games.pack_sounds import PackSounds
from ichnos.games.profiles import vocabulary
from ichnos.games.profiles.vocabulary import all_entry_scopes
from ichnos.games.things import PackThing, SoundThing, Thing
from ichnos.review.by_key import roles
from ichnos.review.doubles import kept_apart

ADDED, REMOVED, CHANGED = "added", "removed", "changed"
_ALIKE = -20.0  # dB: what differs by less is the same sound, coded again
_AHEAD = 1 << 21  # frames by which one may be longer than the other, until they are not held against each other


@dataclass(frozen=True)
class Change:
    """One difference. ``of``: pack, sound, trigger, prop, schedule or file; ``name``: which of them.

    ``field``: what of it, where it is in both; ``before``, ``after``: as they are said, or None.
    """

    what: str
    of: str
    name: str
    field: str | None = None
    before: Value = None
    after: Value = None


@dataclass(frozen=True)
class Compared:
    """What differs, and how much was held against each other. ``unread``: sounds that could not be decoded, and why.

    ``not_understood``: places of either that the profile does not understand, so that nobody knows what they say.
    """

    changes: tuple[Change, ...]
    same: int  # things that are in both and do not differ
    sounds: int  # files that were held against each other
    identical: int  # of those, the same byte for byte
    left_out: int  # keys of the game that the pack does not touch
    unread: tuple[IchnosError, ...] = ()
    not_understood: tuple[tuple[Place, str], ...] = ()


class _OnePack:
    def __init__(self, opened: Opened) -> None:
        self.opened = opened
        encoder = opened.profile.rules.own_encoder
        self.own_suffix = encoder.extension if encoder else None
        self.view = PackSounds(opened.profile, opened.files, opened.reading)
        self.definitions = kept_apart(opened.reading.by_document.values())
        self.things: dict[tuple[str, str], Thing] = {("pack", ""): self.definitions, **named(self.definitions)}

    def facts(self, name: tuple[str, str]) -> Iterator[Fact]:
        """What it says of one thing; where it is silent, what is usual counts."""
        thing = self.things[name]
        if isinstance(thing, PackThing):
            return own_facts(thing, ())
        return of_thing(thing, (name,), usual=self.opened.profile.usual)

    def files_of(self, sound: SoundThing) -> dict[str, str | None]:
        """The files of a sound by what they are there for; None where one is not there."""
        return {role: self.view.by_reference.file_of(file) if file else None for role, file, _ in roles(sound)}

    def loose(self) -> set[str]:
        """The sound files that no definition names."""
        named = {name for sound in self.definitions.sounds for name in self.view.files_of(sound)}
        return set(self.view.names) - named

    def rest(self) -> set[str]:
        """The files that are neither sounds nor understood."""
        return set(self.opened.files.names()) - set(self.view.names) - set(self.opened.reading.documents)

    def odd(self) -> Iterator[tuple[Place, str]]:
        """What its profile does not understand."""
        reading = self.opened.reading
        yield from ((error.place or self.opened.files.place, error.what) for error in reading.broken)
        yield from reading.strange
        yield from reading.differing
        yield from reading.disagreeing


def compare(before: Opened, after: Opened, on_progress: Callable[[float], None] = lambda _: None) -> Compared:
    """Hold two packs, or a pack and the game, against each other.

    Where one of them is a game, only what the other has is looked at there.

    Args:
        on_progress: called for each pair of sound files that was held against each other, with 1.
    """
    one, other = _OnePack(before), _OnePack(after)
    first, second = one.things, other.things
    left_out = 0
    if before.is_game != after.is_game:
        left_out = _leave_out(first, second) if before.is_game else _leave_out(second, first)
    changes: list[Change] = []
    same: Counter[tuple[str, str]] = Counter()
    for thing in dict.fromkeys((*first, *second)):
        if thing not in second:
            changes.append(Change(REMOVED, *thing))
        elif thing not in first:
            changes.append(Change(ADDED, *thing))
        else:
            values = list(_values(thing, one, other))
            changes += values
            same[thing] = not values
    pairs = list(_pairs(one, other, first, second))
    if before.is_game == after.is_game:
        changes += _loose(one, other, pairs)
        changes += _other_files(one, other)
        changes += _not_understood(one, other)
    hearing = _Hearing(one, other)
    heard = hearing.differences(pairs, on_progress)
    for change in heard:
        same[change.of, change.name] = 0
    changes += heard
    same.pop(("pack", ""), None)
    return Compared(
        tuple(replace(change, of=vocabulary.spelled(change.of)) for change in sorted(changes, key=_order)),
        sum(same.values()),
        hearing.sounds,
        hearing.identical,
        left_out,
        tuple(hearing.unread),
        (*one.odd(), *other.odd()),
    )


def _leave_out(game: dict[tuple[str, str], Thing], pack: dict[tuple[str, str], Thing]) -> int:
    """Take out of a game's things what a pack does not touch, and of both what is the pack's own; gives the sounds."""
    untouched = [thing for thing in game if thing not in pack]
    for thing in (*untouched, ("pack", "")):
        game.pop(thing, None)
    pack.pop(("pack", ""), None)
    return sum(scope == "sound" for scope, _ in untouched)


def _order(change: Change) -> tuple[int, str, int]:
    of = ("pack", *all_entry_scopes((change.of,)), "file").index(change.of)
    return of, change.name, (REMOVED, ADDED, CHANGED).index(change.what)


def _values(thing: tuple[str, str], before: _OnePack, after: _OnePack) -> Iterator[Change]:
    for one, other in difference(
        before.facts(thing), after.facts(thing), lambda one, two: is_same(one.value, two.value)
    ):
        yield _changed(*thing, name_of(one or other), one, other)  # type: ignore[arg-type]


def _changed(of: str, name: str, field: str, before: Fact | None, after: Fact | None) -> Change:
    return Change(CHANGED, of, name, field, before.value if before else None, after.value if after else None)


def lost(before: Opened, after: Opened) -> Iterator[Fact]:
    """Values in documents of a pack that do not stand in another one, understood or not.

    The name of a sound file does, where the same sound's is there, whatever it is called in the other pack.
    """
    profile = before.profile
    first, second = _called_in(before, after)
    for name in before.reading.documents:
        exemplar = next(document for document in profile.documents if document.path.match(name) is not None)
        if name not in after.reading.documents:
            continue
        said: list[list[Fact]] = []
        for side in (before, after):
            with suppress(IchnosError):  # which is said where it is read
                data, label = side.files.read(name), side.files.label(name)
                said.append(list(facts(exemplar.parse(data, label))))
        if len(said) == 2:
            names = _names(before, name, {sound.key for sound in after.reading.definitions.sounds})
            differing = list(difference(said[0], said[1]))
            added = Counter(second.get(_last(fact.value)) for _, fact in differing if fact is not None)
            for fact in (fact for fact, _ in differing if fact is not None and fact.place not in names):
                renamed = first.get(_last(fact.value))
                if renamed is not None and added[renamed]:
                    added[renamed] -= 1
                else:
                    yield fact


def _called_in(before: Opened, after: Opened) -> tuple[dict[str, str], dict[str, str]]:
    """For two packs, what their sounds' files are called: of each name, the one that the first pack has for it."""
    one, other = _OnePack(before), _OnePack(after)
    pairs = _pairs(one, other, one.things, other.things)
    names = [(_last(first), _last(second)) for _, _, first, second in pairs if first and second]
    return (
        {said: name for name, _ in names for said in (name, PurePosixPath(name).stem)},
        {said: of for of, name in names for said in (name, PurePosixPath(name).stem)},
    )


def _last(value: Value) -> str:
    """What a file is called, however its folder and its owner are said."""
    return str(value).replace("\\", "/").replace(":", "/").rpartition("/")[2]


def _names(pack: Opened, document: str, keys: Collection[str]) -> set[Place]:
    """Where keys stand in a document that are all among others: an entry with several may be several entries."""
    there = [(sound.place, sound.key in keys) for sound in pack.reading.by_document[document].sounds]
    return {place for place, _ in there} - {place for place, is_there in there if not is_there}


_Pair = tuple[tuple[str, str], str, str | None, str | None]  # a sound, what it is there for, both files


def _pairs(
    one: _OnePack, other: _OnePack, first: Collection[tuple[str, str]], second: Collection[tuple[str, str]]
) -> Iterator[_Pair]:
    sounds = {sound.key: sound for sound in other.definitions.sounds}
    for sound in one.definitions.sounds:
        thing = "sound", sound.key
        if thing in first and thing in second:
            before, after = one.files_of(sound), other.files_of(sounds[sound.key])
            for role in dict.fromkeys((*before, *after)):
                yield thing, role, before.get(role, ""), after.get(role, "")


def _loose(one: _OnePack, other: _OnePack, pairs: list[_Pair]) -> Iterator[Change]:
    """Sound files that no definition names: they are known by their paths."""
    first, second = one.loose(), other.loose()
    yield from (Change(REMOVED, "file", name) for name in sorted(first - set(other.view.names)))
    yield from (Change(ADDED, "file", name) for name in sorted(second - set(one.view.names)))
    pairs += [(("file", name), "", name, name) for name in sorted(first & second)]


def _other_files(one: _OnePack, other: _OnePack) -> Iterator[Change]:
    """Scripts, pictures, credits: files that say something in their own way."""
    first, second = one.rest(), other.rest()
    for name in sorted(first | second):
        if name not in second:
            yield Change(REMOVED, "file", name)
        elif name not in first:
            yield Change(ADDED, "file", name)
        else:
            with one.opened.files.stream(name) as before, other.opened.files.stream(name) as after:
                differs = disk.digest_of(before) != disk.digest_of(after)
            if differs:
                sizes = (side.opened.files.size(name) for side in (one, other))
                yield Change(CHANGED, "file", name, "contents", *(f"{size:,} bytes" for size in sizes))


def _not_understood(one: _OnePack, other: _OnePack) -> Iterator[Change]:
    """Values that a profile does not know: nobody knows what they mean, but they are not the same."""
    first, second = (list(not_understood(side.opened.profile, side.opened.files)) for side in (one, other))
    documents = {fact.place: name for name, fact in (*first, *second)}
    for before, after in difference([fact for _, fact in first], [fact for _, fact in second]):
        fact = before or after
        assert fact is not None
        name = "/".join([*(piece.lstrip("/") for piece in fact.of), *([fact.field] if fact.field else [])])
        field = f"{name or 'a value'}, which is not understood"
        yield _changed("file", documents[fact.place], field, before, after)


class _Hearing:
    """Holds sound files against each other."""

    def __init__(self, one: _OnePack, other: _OnePack) -> None:
        self.one, self.other = one, other
        self.sounds = self.identical = 0
        self.unread: list[IchnosError] = []

    def differences(self, pairs: Sequence[_Pair], on_progress: Callable[[float], None]) -> list[Change]:
        """What is to be said of each pair that is not the same."""

        def difference(pair: _Pair) -> Change | None:
            change = self._difference(pair)
            on_progress(1)
            return change

        with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
            return [change for change in pool.map(difference, pairs) if change is not None]

    def _difference(self, pair: _Pair) -> Change | None:
        thing, role, before, after = pair
        field = f"{role}'s sound" if role else "sound"
        if before and after:
            self.sounds += 1
            try:
                told = self._told(before, after)
            except IchnosError as error:
                self.unread.append(error)
                return None
            return Change(CHANGED, *thing, field, *told) if told is not None else None
        if before == after:
            return None
        words = {"": "none", None: "a file that is not there, or locked"}
        return Change(CHANGED, *thing, field, *(words.get(name, name) for name in (before, after)))

    def _told(self, before: str, after: str) -> tuple[str, str] | None:
        """How two files differ to the ear, each in a few words; None where they do not."""
        one, other = self.one, self.other
        with one.opened.files.stream(before) as first, other.opened.files.stream(after) as second:
            if disk.digest_of(first) == disk.digest_of(second):
                self.identical += 1
                return None
            first.seek(0)
            second.seek(0)
            if one.own_suffix and before.lower().endswith(one.own_suffix):
                return "in the game's own codec", "another one"
            try:
                return _told(_Sound(first, before), _Sound(second, after))
            except IchnosError as error:
                at = [side.opened.files.label(name) for side, name in ((one, before), (other, after))]
                raise IchnosError(error.what, place=Place(" or ".join(at)), cure=error.cure) from None


class _Sound:
    """A sound file being measured."""

    def __init__(self, stream: IO[bytes], name: str) -> None:
        from ichnos.audio.measure.loudness import LoudnessMeter

        sound = clips.OpenSound(stream, name)
        self.facts, self.blocks = sound.facts, sound.blocks()
        self.loop = loops.marked(stream, self.facts)
        self.meter = LoudnessMeter(self.facts.rate, self.facts.channels)
        self.frames = 0

    @property
    def shape(self) -> tuple[int, int]:
        return self.facts.rate, self.facts.channels

    def add(self, block: Any) -> None:
        self.meter.add(block)
        self.frames += len(block)

    def __str__(self) -> str:
        facts, level = self.facts, self.meter.result().level
        loud = f"{level:z.1f} LUFS" if math.isfinite(level) else "silent"
        channels = {1: "mono", 2: "stereo"}.get(facts.channels, f"{facts.channels} channels")
        loop = f", a loop from {self.loop[0]} to {self.loop[1]}" if self.loop else ""
        return f"{facts.kind}, {channels}, {facts.rate / 1000:g} kHz, {self.frames / facts.rate:.2f} s, {loud}{loop}"


def _told(one: _Sound, other: _Sound) -> tuple[str, str] | None:
    """Both sounds decoded in step, sample against sample where they can be."""
    import numpy as np

    rest: list[Any] = [np.zeros((0, sound.facts.channels)) for sound in (one, other)]
    power = residual = 0.0
    alike = one.shape == other.shape
    for blocks in zip_longest(one.blocks, other.blocks):
        for sound, block in zip((one, other), blocks, strict=True):
            if block is not None:
                sound.add(block)
        if not alike:
            continue
        rest = [kept if new is None else np.concatenate([kept, new]) for kept, new in zip(rest, blocks, strict=True)]
        common = min(map(len, rest))
        first, second = (kept[:common].astype("float64") for kept in rest)
        rest = [kept[common:] for kept in rest]
        power += float(np.square(first).sum())
        residual += float(np.square(first - second).sum())
        alike = max(map(len, rest)) < _AHEAD
    if alike and one.frames == other.frames:
        if residual == 0:
            return None if (one.facts.kind, one.loop) == (other.facts.kind, other.loop) else (str(one), str(other))
        apart = 10 * math.log10(residual / power) if power else 0.0
        if apart < _ALIKE:
            return str(one), f"{other}: coded again, {-apart:z.0f} dB below it is other"
    return str(one), str(other)
