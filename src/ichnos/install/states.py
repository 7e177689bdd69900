"""How files in a game stand: as they were without packs, as they are now, and as they are to be with them."""

from __future__ import annotations

import time
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, field, replace
from typing import Literal

from ichnos.errors import IchnosError, Place
from ichnos.files.file_state import FileState
from ichnos.files.guarded import GuardedFolder
from ichnos.files.journal import Claim, ClaimedPath, GameRecord, InstalledPack
from ichnos.games import pristine
from ichnos.games.entries.patches import EntryPatch, Identity, Patching, named
from ichnos.install import profiles
from ichnos.install.contents import Contents

OnChange = Literal["stop", "theirs", "force"]  # what is done about files that somebody else has changed since

_MODE = 0o644


@dataclass
class Changed:
    """A file that somebody else has changed since."""

    path: str
    left: FileState | None
    now: FileState | None
    entries: list[str] = field(default_factory=list)

    def error(self, root: GuardedFolder, *, install: bool) -> IchnosError:
        def size(stand: FileState | None) -> str:
            return f"{stand.size:,} bytes, {stand.sha256[:8]}" if stand else "not there"

        if self.entries:
            what = f"entries of the pack's own have been changed by somebody else since: {', '.join(self.entries)}"
        else:
            what = f"this has been changed by somebody else since (we left: {size(self.left)}; now: {size(self.now)})"
        cure = (
            "--force lays the pack over it; what stands there now is kept, and comes back on restore"
            if install
            else "--keep-theirs leaves it as it is now, --force brings back what was there before the pack"
        )
        return IchnosError(what, place=Place(str(root.path(self.path))), cure=cure)


class PathStates:
    """Works out how each path is to stand, for all packs that have a claim on it."""

    def __init__(self, root: GuardedFolder, record: GameRecord, contents: Contents, on_change: OnChange):
        self.root = root
        self.record = record
        self.contents = contents
        self.on_change = on_change
        self.now = time.time_ns()
        self.changed: list[Changed] = []
        self.forgotten: set[str] = set()  # paths that are theirs from now on
        self.lost: dict[str, set[str]] = {}  # packs whose files somebody else has written over
        self.given_up: dict[str, set[Identity]] = {}  # the same of entries
        self.stays: list[tuple[str, str]] = []
        self.shifted = record.shifted
        self.packs = list(record.packs)  # and the one that goes in
        self.profiles = profiles.Profiles(contents)
        self.claims = pristine.all_claims(record.packs)

    def known(self, path: str, now: FileState | None, *, install: bool) -> ClaimedPath | None:
        """How a path was without packs; ``None`` where it is theirs from now on."""
        claimed, claims = self.record.paths.get(path), self.claims.get(path, [])
        if claimed is None:
            return ClaimedPath(now, now)
        if same(now, claimed.written) or same(now, claimed.original):
            return claimed
        hows = {claim.how for _, claim in claims}
        if hows == {"cache"}:
            return claimed  # the game has made it anew, with our sounds in it
        if now is not None and claimed.original is not None and hows in ({"merge"}, {"line"}):
            return self.rebased(path, now, claimed, [claim for _, claim in claims], install=install)
        self.shifted |= self.on_change != "force" or install
        if self.on_change == "stop":
            self.changed.append(Changed(path, claimed.written, now))
        if install:  # what stands there now is the game's own from now on
            self.lost[path] = {
                pack.name for pack, claim in self.claims[path] if claim.how == "file" and not self.has(claim.content)
            }
            return ClaimedPath(now, now)
        if self.on_change == "theirs":
            self.forgotten.add(path)
            self.stays.append((path, "somebody else has changed it since: it stays as it is"))
            return None
        return claimed

    def rebased(
        self, path: str, now: FileState, claimed: ClaimedPath, claims: list[Claim], *, install: bool
    ) -> ClaimedPath:
        """How a file is without our entries, that others have changed since: that is the game's own from now on."""
        assert claimed.original is not None
        assert claimed.written is not None
        label = str(self.root.path(path))
        data, base = self.root.read(path), self.contents.read(claimed.original.sha256)
        self.shifted = True
        if claims[0].how == "line":
            return self.original(pristine.without_lines(data, base, claims, label), now)
        patches = [EntryPatch.from_json(self.contents.read(claim.content)) for claim in claims]
        ours = [identity for patch in patches for identity in patch.entries]
        left = self.contents.read(claimed.written.sha256)
        patching, keep = self.patching(path), self.on_change == "theirs" or install
        without, changed = pristine.without_entries(patching, ours, data, left, base, label, keep=keep)
        if changed and self.on_change == "stop":
            self.changed.append(Changed(path, claimed.written, now, named(changed)))
        elif changed and self.on_change == "theirs":
            self.given_up[path] = set(changed)
            self.stays.append((path, f"entries that somebody else has changed stay: {', '.join(named(changed))}"))
        return self.original(without, now)

    def has(self, sha256: str) -> bool:
        """Is a content to be had?"""
        try:
            self.contents.size(sha256)
        except IchnosError:
            return False
        return True

    def original(self, data: bytes, now: FileState) -> ClaimedPath:
        stand = FileState(self.contents.add(data), len(data), now.time, now.mode)
        return ClaimedPath(stand, now)

    def patching(self, path: str) -> Patching:
        """How a merged file is read, by the profile that the first pack with a claim on it went in through."""
        pack = next(one for one in self.packs if any((c.path, c.how) == (path, "merge") for c in one.claims))
        patching = pristine.patching_of(self.profiles.of(pack.profile), path)
        assert patching is not None, path
        return patching

    def target(
        self, path: str, claimed: ClaimedPath, now: FileState | None, claims: Iterable[tuple[str, Claim]]
    ) -> FileState | None:
        """How a path is to stand.

        Raises:
            IchnosError: there is nothing to merge into, or the line that ours must stand before is not there.
        """
        content: str | bytes | None = claimed.original.sha256 if claimed.original else None
        claims = list(claims)
        if any(claim.how == "cache" for _, claim in claims):
            return None
        has_file = False
        for name, claim in claims:
            if claim.how == "file":
                lower = self.bytes_of(path, content, now) if has_file else None
                combined = self.combined(path, name, lower, claim.content) if lower is not None else None
                content, has_file = claim.content if combined is None else combined, True
                continue
            data = self.bytes_of(path, content, now)
            label = str(self.root.path(path))
            if claim.how == "line":
                content = pristine.with_line(data or b"", claim, label)
                continue
            if data is None:
                what, cure = "there is no such file in the game to merge into", "is this the game's folder, and whole?"
                raise IchnosError(what, place=Place(label), cure=cure)
            patching, patch = self.patching(path), EntryPatch.from_json(self.contents.read(claim.content))
            document = patching.exemplar.parse(data, label)
            content = document.text.to_bytes(patching.set_in(patch, document))
        if content is None:
            return None
        sha256 = self.contents.add(content) if isinstance(content, bytes) else content
        if claimed.original is not None and sha256 == claimed.original.sha256:
            return claimed.original
        mode = (claimed.original or now or FileState("", 0, 0, _MODE)).mode
        if now is not None and sha256 == now.sha256:
            return now
        return FileState(sha256, self.contents.size(sha256), self.now, mode)

    def is_combined(self, path: str, pack: InstalledPack) -> bool:
        """Is it a document whose entries are brought together, where several packs have it whole?"""
        return pristine.combining_of(self.profiles.of(pack.profile), path) is not None

    def combined(self, path: str, name: str, lower: bytes, upper: str) -> bytes | None:
        """A document that two packs have whole, with the entries of both; None where it cannot be read."""
        pack = next(one for one in reversed(self.packs) if one.name == name)
        combining = pristine.combining_of(self.profiles.of(pack.profile), path)
        if combining is None:
            return None
        label = str(self.root.path(path))
        try:
            under, over = (combining.exemplar.parse(data, label) for data in (lower, self.contents.read(upper)))
            patch, _ = combining.difference(over, under, lambda _: True)
            return under.text.to_bytes(combining.set_in(patch, under))
        except IchnosError:
            return None

    def bytes_of(self, path: str, content: str | bytes | None, now: FileState | None) -> bytes | None:
        if content is None or isinstance(content, bytes):
            return content
        return self.root.read(path) if now is not None and now.sha256 == content else self.contents.read(content)

    def expanded(self, claims: Iterable[Claim]) -> tuple[list[Claim], dict[str, list[Claim]]]:
        """The paths that a pack's claims are about: a cache may be a folder of files, also of ones made since."""
        found: dict[str, list[Claim]] = {}
        rest = []
        for claim in claims:
            if claim.how != "cache":
                rest.append(claim)
                continue
            inside = f"{claim.path}/"
            there = self.root.files_below(claim.path)
            paths = [path for path in self.record.paths if path.startswith(inside)]
            alone = [] if self.root.listing(claim.path) else [claim.path]
            found[claim.path] = [replace(claim, path=path) for path in dict.fromkeys([*there, *paths, *alone])]
        return rest, found

    def was_cache(self, path: str) -> bool:
        """Does it lie where a pack that is in has cleared a cache? Then the game has made it since."""
        claims = [claim for pack in self.record.packs for claim in pack.claims if claim.how == "cache"]
        return any(path == one.content or path.startswith(f"{one.content}/") for one in claims)

    def entries(self, claim: Claim) -> Collection[Identity]:
        """Those of a patch that a claim is about."""
        return EntryPatch.from_json(self.contents.read(claim.content)).entries

    def without_given_up(self, claim: Claim) -> Claim:
        """A claim without the entries that are somebody else's from now on."""
        gone = self.given_up.get(claim.path)
        if gone is None:
            return claim
        patch = EntryPatch.from_json(self.contents.read(claim.content))
        rest = {identity: text for identity, text in patch.entries.items() if identity not in gone}
        return replace(claim, content=self.contents.add(EntryPatch(rest, patch.groups).to_json()))

    def left_of(self, pack: InstalledPack, *, is_new: bool) -> Iterator[Claim]:
        """A pack's claims without what is somebody else's from now on."""
        for claim in pack.claims:
            is_lost = claim.path in self.forgotten or pack.name in self.lost.get(claim.path, ())
            if is_new or not is_lost:
                yield self.without_given_up(claim)


def same(state: FileState | None, other: FileState | None) -> bool:
    """Have two states of a file the same bytes?"""
    return (state.sha256 if state else None) == (other.sha256 if other else None)
