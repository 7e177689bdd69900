"""Several packs in load order: who has the same keys, ids and files, and who wins."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence, Set
from dataclasses import dataclass

from ichnos.errors import Place
from ichnos.files.paths import folded, listed
from ichnos.games.neighbours import Numbered, brought, clashing_id, clashing_numbers, numbers_in, shared
from ichnos.games.pristine import combining_of
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import ID_PREFIX, SOUND, settings
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject


def installed(subject: Subject) -> Iterator[Finding]:
    """What other packs in the game have already: ids, and keys that the game itself does not have."""
    context = subject.context
    if not context.neighbours:
        return
    clash = clashing_id(subject.pack.definitions.ids.values(), context.neighbours)
    if clash is not None:
        identity, other = clash
        place = subject.files.place
        yield finding("id-of-another", place, f"{identity} is also the id of {other.title}, which is in the game")
    places = {sound.key: sound.place for sound in subject.pack.defined()}
    own = context.catalogue
    brings = list(brought(context.profile, subject.pack, subject.names))
    for other in context.neighbours:
        yield from _numbers(subject, brings, other.brings, f"{other.title} ({other.name}), which is in the game,")
    for one, other in shared(brings, context.neighbours):
        what, _, name = one.partition(" ")
        if what == "number":
            continue
        if what == "key" and own is not None and name in own:
            continue  # both replace one of the game's
        place = places.get(name, subject.files.place)
        yield finding("key-taken", place, f'{other.title} ({other.name}), which is in the game, has "{name}", too')


@dataclass(frozen=True)
class Loaded:
    """A pack in the load order, by the name that it was called by."""

    name: str
    subject: Subject


def findings(profile: Profile, packs: Sequence[Loaded]) -> Iterator[Finding]:
    """What the packs do to each other. ``packs`` in the order in which the game loads them."""
    ids: defaultdict[str, list[tuple[str, Place]]] = defaultdict(list)
    for pack in packs:
        for document in pack.subject.pack.by_document.values():
            for name, value in document.ids.items():
                ids[value.lower()].append((pack.name, document.places[f"{ID_PREFIX}{name}"]))
    yield from _keys(profile, packs)
    for identity, claims in ids.items():
        owners = list(dict.fromkeys(name for name, _ in claims))
        if len(owners) > 1:
            yield finding("id-of-another", claims[-1][1], f"{identity} is also the id of {listed(owners[:-1])}")
    yield from _files(profile, packs)
    brings = [list(brought(profile, pack.subject.pack, pack.subject.names)) for pack in packs]
    for at, pack in enumerate(packs):
        for other, theirs in zip(packs[:at], brings, strict=False):
            yield from _numbers(pack.subject, brings[at], theirs, other.name)


def own_numbers(subject: Subject) -> Iterator[Finding]:
    """Numbers that two things of a pack have, or one of it and another of the game."""
    context, catalogue = subject.context, subject.context.catalogue
    entries = numbers_in(brought(context.profile, subject.pack, subject.names))
    for entry, other in clashing_numbers(entries, reversed(entries)):
        yield _number_taken(subject, entry, other, "this pack")
    by_field = catalogue.numbers if catalogue is not None else {}
    of_game = [Numbered(field, number, name) for field, by_name in by_field.items() for name, number in by_name.items()]
    for entry, other in clashing_numbers(entries, of_game):
        yield _number_taken(subject, entry, other, context.profile.rules.game.title)


def _numbers(subject: Subject, brings: Sequence[str], others: Sequence[str], whose: str) -> Iterator[Finding]:
    """Numbers of a pack under which somebody has another thing."""
    for entry, other in clashing_numbers(numbers_in(brings), numbers_in(others)):
        yield _number_taken(subject, entry, other, whose)


def _number_taken(subject: Subject, entry: Numbered, other: Numbered, whose: str) -> Finding:
    sound = next((sound for sound in subject.pack.definitions.sounds if sound.key == entry.name), None)
    place = sound.place if sound is not None else subject.files.place
    what = f'"{entry.name}" has the number {entry.number}, and so has "{other.name}" of {whose}'
    return finding("number-taken", place, what)


def _keys(profile: Profile, packs: Sequence[Loaded]) -> Iterator[Finding]:
    """Keys that several of the packs have, and not all in the same words."""
    keys: defaultdict[str, list[tuple[str, Place, object]]] = defaultdict(list)
    adding: defaultdict[str, set[str]] = defaultdict(set)  # by key, the packs that add to what is there
    for pack in packs:
        subject = pack.subject
        own = {one.partition(" ")[2] for one in brought(profile, subject.pack, subject.names) if one.startswith("key ")}
        for sound in subject.pack.defined():
            if profile.adds(sound.values.get("adds")):
                adding[sound.key].add(pack.name)
        sounds = {
            sound.key: sound
            for sound in subject.pack.defined()
            if sound.key in own or profile.adds(sound.values.get("adds"))
        }
        for key, sound in sounds.items():
            files = [
                (file, subject.sound_files.file_of(file) is not None and pack.name) for file, _, _ in sound.files()
            ]
            keys[key].append((pack.name, sound.place, (files, [sound.values.get(name) for name in settings(SOUND)])))
        if not _lies_over(profile):
            in_place = {key: name for name, names in subject.in_place.items() for key in names}
            for key, name in in_place.items():
                keys[key].append((pack.name, subject.label(name), (name, pack.name)))
    for key, claims in keys.items():
        owners = _down_to_one_that_replaces(profile, list(dict.fromkeys(name for name, _, _ in claims)), adding[key])
        if len(owners) > 1 and any(claim[2] != claims[0][2] for claim in claims):
            winner, losers = _winner(profile, owners)
            yield finding("key-shared", claims[-1][1], f'"{key}" is in {listed(losers)} too; {winner} is heard')


def _down_to_one_that_replaces(profile: Profile, owners: list[str], adding: Set[str]) -> list[str]:
    """The packs that have a key, without those that add to it when no other replaces it any more."""
    at = -1 if profile.rules.install.wins == "last" else 0
    while owners and owners[at] in adding:
        owners.pop(at)
    return owners


def _lies_over(profile: Profile) -> bool:
    """Do files of packs lie in one folder, over each other? Not where each pack has a folder or an archive."""
    install = profile.rules.install
    return install.lay == "over" or (install.folder is None and profile.by_path)


def _files(profile: Profile, packs: Sequence[Loaded]) -> Iterator[Finding]:
    """Files that lie over each other in the game."""
    if not _lies_over(profile):
        return
    names: defaultdict[str, list[tuple[Loaded, str]]] = defaultdict(list)
    merged = {name for pack in packs for name in pack.subject.pack.merged}
    merged = merged if profile.rules.install.root is None else set()  # there each pack brings it whole
    for pack in packs:
        for name in dict.fromkeys(pack.subject.names):
            names[folded(name)].append((pack, name))
    icon, notes = profile.rules.icon, profile.rules.credits.path or ""
    apart = {folded(name) for name in (icon.path if icon else "", notes)}
    inside = f"{profile.rules.install.folder}/" if profile.rules.install.folder else ""
    for alike, owners in names.items():
        name = owners[0][1]
        if len(owners) < 2 or alike in apart or name in merged or combining_of(profile, f"{inside}{name}"):
            continue
        if len({pack.subject.files.read(own) for pack, own in owners}) > 1:
            winner, _ = _winner(profile, [pack.name for pack, _ in owners])
            every = listed([pack.name for pack, _ in owners])
            yield finding("file-shadowed", Place(name), f"it is in {every}; that of {winner} is used")


def _winner(profile: Profile, names: Sequence[str]) -> tuple[str, list[str]]:
    """Who wins, and the others."""
    at = -1 if profile.rules.install.wins == "last" else 0
    others = list(names)
    return others.pop(at), others
