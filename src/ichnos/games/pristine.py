"""The game as it was: its files as they would be without the packs that Ichnos has put there."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from contextlib import closing
from pathlib import Path

from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError
from ichnos.files import disk, journal
from ichnos.files.journal import Claim, ClaimedPath, InstalledPack, Journal
from ichnos.files.paths import folded
from ichnos.files.sources import Files, Folder, Inside, files_at
from ichnos.files.views import Overlay, Renamed, Unfolded
from ichnos.games.entries.edit import GROUPS
from ichnos.games.entries.packs import read_pack
from ichnos.games.entries.patches import EntryPatch, Identity, Patching
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.profile import Profile, path_of
from ichnos.games.profiles.vocabulary import SOUND


def game_files(source: Path, profile: Profile, cure: str = "give the folder that the game is installed in") -> Files:
    """A game's files, in a folder or an archive, without the packs that Ichnos has put there.

    What links lead to is among them, and what lies in archives that the profile names.

    Raises:
        IchnosError: there is nothing there.
    """
    files = files_at(source, cure, with_links=True)
    if isinstance(files, Folder) and journal.is_there():
        with closing(Journal()) as notes:
            changes = dict(_changes(profile, notes, disk.resolved(source)))
        files = Overlay(files, changes) if changes else files
    catalogue = profile.rules.catalogue
    return Unfolded(files, catalogue.is_archive) if catalogue.archives else files


def as_tree(files: Files, profile: Profile) -> Inside:
    """A game's files under the names that they have in tree/."""
    catalogue = profile.rules.catalogue
    return Renamed(files, catalogue.folder, catalogue.named) if catalogue.paths else Inside(files, catalogue.folder)


def game_tree(source: Path, profile: Profile) -> Inside:
    """A game's files, without packs, under the names that they have in tree/; see ``game_files``."""
    return as_tree(game_files(source, profile), profile)


def _changes(profile: Profile, notes: Journal, root: Path) -> Iterator[tuple[str, bytes | Path | None]]:
    record, pending = notes.record(root)
    claims = all_claims(record.packs)
    paths = {**(pending.record.paths if pending else {}), **record.paths}
    for path, claimed in paths.items():
        original = notes.path_of(claimed.original.sha256) if claimed.original else None
        if pending is not None or journal.is_as_left(root / path, claimed.written):
            yield path, original
            continue
        data = _without_ours(profile, notes, [claim for _, claim in claims.get(path, ())], root, path, claimed)
        if data is not None:
            yield path, data


def _without_ours(
    profile: Profile, notes: Journal, claims: list[Claim], root: Path, path: str, known: ClaimedPath
) -> bytes | None:
    """A document that others have changed since, without our entries; ``None``: as it stands, it is theirs."""
    hows = {claim.how for claim in claims}
    if hows not in ({"line"}, {"merge"}) or not disk.is_file(root / path):
        return None
    if known.original is None or known.written is None:
        return None
    now = disk.read(root / path)
    left, base = notes.kept_bytes(known.written.sha256), notes.kept_bytes(known.original.sha256)
    if hows == {"line"}:
        return without_lines(now, base, claims, path)
    patching = patching_of(profile, path)
    if patching is None:
        return None
    ours = [identity for claim in claims for identity in EntryPatch.from_json(notes.kept_bytes(claim.content)).entries]
    try:
        return without_entries(patching, ours, now, left, base, str(root / path))[0]
    except IchnosError:
        return None  # it cannot be read any more, and whoever reads it will say so


def all_claims(packs: Iterable[InstalledPack]) -> dict[str, list[tuple[InstalledPack, Claim]]]:
    """Who claims each path, in the order in which the packs went in."""
    claims: dict[str, list[tuple[InstalledPack, Claim]]] = {}
    for pack in packs:
        for claim in pack.claims:
            claims.setdefault(claim.path, []).append((pack, claim))
    return claims


def merged_documents(profile: Profile) -> list[tuple[Pattern, Patching]]:
    """The documents whose entries go into the game's own: the pattern of their path, and how they are read."""
    return [
        (exemplar.path, Patching(exemplar))
        for exemplar in profile.written
        if profile.document_rules(exemplar).mode == "merge" and SOUND not in exemplar.file_scopes
    ]


def patching_of(profile: Profile, path: str) -> Patching | None:
    """How a file of the game is read, into which entries are merged; ``None`` for any other."""
    name = profile.rules.catalogue.name_of(path)
    merged = merged_documents(profile)
    patching = next((one for document, one in merged if document.match(name) is not None), None)
    alike = (one for document, one in merged if folded(path_of(document)) == folded(name))  # in other capitals
    return patching or next(alike, None)


def combining_of(profile: Profile, path: str) -> Patching | None:
    """How a document is read that packs bring whole, and that is laid over the game: entries of several go together.

    ``None`` for any other file, and where a document says something of the pack itself alone.
    """
    if profile.rules.install.lay != "over":
        return None
    folder = profile.rules.install.folder
    name = path.removeprefix(f"{folder}/") if folder else path
    for exemplar in profile.written:
        rules = profile.document_rules(exemplar)
        has_entries = any(scope not in GROUPS for scope in exemplar.units.values())
        if has_entries and rules.mode != "merge" and exemplar.path.match(name) is not None:
            return Patching(exemplar)
    return None


def keys(folder: Path, profile: Profile) -> set[str]:
    """The keys that the game's own documents have."""
    files = game_tree(folder, profile)
    return {sound.key for sound in read_pack(profile, files).definitions.sounds}


def without_entries(
    patching: Patching, ours: list[Identity], now: bytes, left: bytes, base: bytes, label: str, *, keep: bool = False
) -> tuple[bytes, list[Identity]]:
    """A document that others have changed since, without our entries: see ``Patching.taken_out``."""
    documents = [patching.exemplar.parse(data, label) for data in (now, left, base)]
    text, changed = patching.taken_out(ours, *documents, keep=keep)
    return documents[0].text.to_bytes(text), changed


def with_line(data: bytes, claim: Claim, label: str) -> bytes:
    """A list with a claim's line in it.

    Raises:
        IchnosError: the line that it must stand before or after is not there.
    """
    wanted, text = json.loads(claim.content), from_bytes(data, label)
    lines = text.content.splitlines(keepends=True)
    bare = [line.strip() for line in lines]
    if wanted["line"].strip() in bare:
        return data
    end = "\r\n" if "\r\n" in text.content else "\n"
    anchor = wanted["before"] or wanted["after"]
    if anchor is not None and anchor.strip() not in bare:
        what = f'the line "{wanted["line"]}" must stand {"above" if wanted["before"] else "below"} "{anchor}"'
        place = text.place(0)
        raise IchnosError(
            f"{what}, which is not in this list", place=place, cure="is this the game's folder, as it is?"
        )
    at = len(lines) if anchor is None else bare.index(anchor.strip()) + (wanted["before"] is None)
    if at and not lines[at - 1].endswith(("\n", "\r")):
        lines[at - 1] += end
    last = at == len(lines) and bool(lines) and not text.content.endswith(("\n", "\r"))
    lines.insert(at, wanted["line"] + ("" if last else end))
    return text.to_bytes("".join(lines))


def without_lines(now: bytes, base: bytes, claims: list[Claim], label: str) -> bytes:
    """A list that others have changed since, without our lines; those that it had before us stay."""
    text = from_bytes(now, label)
    before = {line.strip() for line in from_bytes(base, label).content.splitlines()}
    ours = {json.loads(claim.content)["line"].strip() for claim in claims} - before
    return text.to_bytes("".join(line for line in text.content.splitlines(keepends=True) if line.strip() not in ours))
