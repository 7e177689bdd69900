"""What is in which game: the packs, whether they are as they were left, and which wins over which."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from ichnos.errors import IchnosError
from ichnos.files import disk, journal
from ichnos.files.journal import Claim, GameRecord, InstalledPack, Journal
from ichnos.games import neighbours, pristine
from ichnos.games.entries.patches import EntryPatch, named
from ichnos.games.profiles.profile import Profile
from ichnos.install.contents import Contents
from ichnos.install.profiles import Profiles


@dataclass(frozen=True)
class PackInGame:
    """A pack in a game. ``changed``: files that others have changed, or that are gone; none where the game is away."""

    pack: InstalledPack
    changed: tuple[str, ...]
    wins: tuple[tuple[str, str], ...]  # over which pack, and where


@dataclass(frozen=True)
class GameWithPacks:
    """A game with packs in it. ``kept``: the bytes of its own files that are kept for the way back."""

    folder: Path
    packs: tuple[PackInGame, ...]
    kept: int
    is_there: bool


def games(notes: Journal) -> list[GameWithPacks]:
    """Every game that a pack is in. Raises IchnosError where what was kept cannot be read."""
    games_of, profiles = [], Profiles(Contents(notes))
    for name in notes.games():
        folder = Path(name)
        record, _ = notes.record(folder)
        packs = tuple(
            PackInGame(
                pack, tuple(_changed(folder, record, pack)), tuple(dict.fromkeys(_wins(notes, profiles, record, pack)))
            )
            for pack in record.packs
        )
        kept = {path.original.sha256: path.original.size for path in record.paths.values() if path.original}
        games_of.append(GameWithPacks(folder, packs, sum(kept.values()), disk.is_folder(folder)))
    return games_of


def _changed(folder: Path, record: GameRecord, pack: InstalledPack) -> Iterator[str]:
    if not disk.is_folder(folder):  # nobody has changed what is away as a whole
        return
    for claim in pack.claims:
        claimed = record.paths.get(claim.path)
        path = folder / claim.path
        if claim.how == "cache" or claimed is None or journal.is_as_left(path, claimed.written):
            continue
        if claimed.written is None or not disk.is_file(path) or disk.digest(path) != claimed.written.sha256:
            yield claim.path


def _wins(notes: Journal, profiles: Profiles, record: GameRecord, pack: InstalledPack) -> Iterator[tuple[str, str]]:
    """Over which packs that went in before it, and where."""
    mine = {claim.path: claim for claim in pack.claims if claim.how in ("file", "merge")}
    is_apart = profiles.of(pack.profile).rules.install.lay == "whole"  # then documents of packs do not meet
    for other in record.packs[: record.packs.index(pack)]:
        if is_apart:
            keys = [one for one in pack.brings if one.startswith("key ")]
            yield from ((other.name, key.partition(" ")[2]) for key, _ in neighbours.shared(keys, [other]))
        for claim in other.claims:
            own = mine.get(claim.path)
            if own is None or own.how != claim.how:
                continue
            if own.how == "merge":
                ours, theirs = (EntryPatch.from_json(notes.kept_bytes(one.content)).entries for one in (own, claim))
                yield from ((other.name, name) for name in named(key for key in theirs if key in ours))
            elif own.content != claim.content:
                entries = _combined(notes, profiles.of(pack.profile), own, claim)
                yield from ((other.name, name) for name in ([claim.path] if entries is None else entries))


def _combined(notes: Journal, profile: Profile, own: Claim, other: Claim) -> list[str] | None:
    """Entries that a document of two packs has otherwise in each; None where one lies over the other whole."""
    combining = pristine.combining_of(profile, own.path)
    if combining is None or not (notes.has(own.content) and notes.has(other.content)):
        return None
    try:
        over, under = (combining.exemplar.parse(notes.kept_bytes(claim.content), claim.path) for claim in (own, other))
        patch, _ = combining.difference(over, under, lambda _: True)
        return named(identity for identity in patch.entries if identity in combining.identities(under))
    except IchnosError:
        return None
