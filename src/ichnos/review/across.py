"""Several packs in load order: who has the same keys, ids and files, and who wins."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ichnos.errors import Place
from ichnos.files.paths import folded
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import ID_PREFIX
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject


@dataclass(frozen=True)
class Loaded:
    """A pack in the load order, by the name that it was called by."""

    name: str
    subject: Subject


def findings(profile: Profile, packs: Sequence[Loaded]) -> Iterator[Finding]:
    """What the packs do to each other. ``packs`` in the order in which the game loads them."""
    keys: defaultdict[str, list[tuple[str, Place]]] = defaultdict(list)
    ids: defaultdict[str, list[tuple[str, Place]]] = defaultdict(list)
    names: defaultdict[str, list[str]] = defaultdict(list)
    documents: set[str] = set()
    for pack in packs:
        read = pack.subject.pack
        documents.update(read.documents)
        for key, place in {sound.key: sound.place for sound in read.defined()}.items():
            keys[key].append((pack.name, place))
        for one in read.by_document.values():
            for name, value in one.pack.ids.items():
                ids[value.lower()].append((pack.name, one.pack.places[f"{ID_PREFIX}{name}"]))
        for name in dict.fromkeys(pack.subject.names):
            names[folded(name)].append(pack.name)
    for key, claims in keys.items():
        if len(claims) > 1:
            winner, losers = _winner(profile, [name for name, _ in claims])
            place = claims[-1][1]
            yield finding("key-shared", place, f'"{key}" is in {_and(losers)} too; {winner} is heard')
    for identity, claims in ids.items():
        owners = list(dict.fromkeys(name for name, _ in claims))
        if len(owners) > 1:
            yield finding("id-of-another", claims[-1][1], f"{identity} is also the id of {_and(owners[:-1])}")
    plain = {folded(name) for name in (*documents, *profile.plain_files)}
    icon = profile.rules.icon.path.casefold() if profile.rules.icon else ""
    notes = (profile.rules.credits.path or "").casefold()
    for name, owners in names.items():
        if len(owners) > 1 and name not in plain and name not in (icon, notes):
            winner, losers = _winner(profile, owners)
            yield finding("file-shadowed", Place(name), f"it is in {_and(owners)}; that of {winner} is used")


def _winner(profile: Profile, names: Sequence[str]) -> tuple[str, list[str]]:
    """Who wins, and the others."""
    at = -1 if profile.rules.install.wins == "last" else 0
    others = list(names)
    return others.pop(at), others


def _and(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
