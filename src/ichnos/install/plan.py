"""What an install or a restore will do to a game's folder: each file, and why. Nothing is written here.

What stands at a path is a function: the game's own file, and upon it what each pack claims there, in the order in
which the packs went in. To put one in, or to take one out, is to work that out anew.
"""

from __future__ import annotations

import time
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, field, replace
from typing import Literal

from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files.guarded import FileState, GuardedFolder
from ichnos.files.journal import Claim, ClaimedPath, FileChange, GameRecord, InstalledPack, Journal, PendingTransaction
from ichnos.games import neighbours, pristine
from ichnos.games.entries.patches import EntryPatch, Identity, Patching, named
from ichnos.install import profiles
from ichnos.install.contents import Contents
from ichnos.install.packs import Prepared

OnChange = Literal["stop", "theirs", "force"]  # what is done about files that somebody else has changed since

_MODE = 0o644


@dataclass(frozen=True)
class PlannedChange:
    """One file, and why. ``state``: new, over, merged, line, cache, back or gone."""

    step: FileChange
    state: str
    reason: str


@dataclass
class InstallPlan:
    """All that will be done. ``stays``: files that are left as they are, and why."""

    root: GuardedFolder
    what: PendingTransaction
    before: GameRecord
    steps: list[PlannedChange]
    contents: Contents
    notes: list[str]
    stays: list[tuple[str, str]]
    below: tuple[str, ...] = ()  # contents of the pack's files that lie below another pack's, and come up later


@dataclass
class _Changed:
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


class Planner:
    """Works out what is to stand at each path."""

    def __init__(self, root: GuardedFolder, record: GameRecord, contents: Contents, on_change: OnChange):
        self.root = root
        self.record = record
        self.contents = contents
        self.on_change = on_change
        self.now = time.time_ns()
        self.changed: list[_Changed] = []
        self.forgotten: set[str] = set()  # paths that are theirs from now on
        self.lost: dict[str, set[str]] = {}  # packs whose files somebody else has written over
        self.given_up: dict[str, set[Identity]] = {}  # the same of entries
        self.stays: list[tuple[str, str]] = []
        self.shifted = record.shifted
        self.packs = list(record.packs)  # and the one that goes in
        self._profiles = profiles.Profiles(contents)
        self._claims = pristine.all_claims(record.packs)

    def known(self, path: str, now: FileState | None, *, install: bool) -> ClaimedPath | None:
        """How a path was without packs; ``None`` where it is theirs from now on."""
        known, claims = self.record.paths.get(path), self._claims.get(path, [])
        if known is None:
            return ClaimedPath(now, now)
        if _same(now, known.written) or _same(now, known.original):
            return known
        hows = {claim.how for _, claim in claims}
        if hows == {"cache"}:
            return known  # the game has made it anew, with our sounds in it
        if now is not None and known.original is not None and hows in ({"merge"}, {"line"}):
            return self.rebased(path, now, known, [claim for _, claim in claims], install=install)
        self.shifted |= self.on_change != "force" or install
        if self.on_change == "stop":
            self.changed.append(_Changed(path, known.written, now))
        if install:  # what stands there now is the game's own from now on
            self.lost[path] = {
                pack.name for pack, claim in self._claims[path] if claim.how == "file" and not self.has(claim.content)
            }
            return ClaimedPath(now, now)
        if self.on_change == "theirs":
            self.forgotten.add(path)
            self.stays.append((path, "somebody else has changed it since: it stays as it is"))
            return None
        return known

    def rebased(
        self, path: str, now: FileState, known: ClaimedPath, claims: list[Claim], *, install: bool
    ) -> ClaimedPath:
        """How a file is without our entries, that others have changed since: that is the game's own from now on."""
        assert known.original is not None
        assert known.written is not None
        label = str(self.root.path(path))
        data, base = self.root.read(path), self.contents.read(known.original.sha256)
        self.shifted = True
        if claims[0].how == "line":
            return self.original(pristine.without_lines(data, base, claims, label), now)
        patches = [EntryPatch.from_json(self.contents.read(claim.content)) for claim in claims]
        ours = [identity for patch in patches for identity in patch.entries]
        left = self.contents.read(known.written.sha256)
        patching, keep = self.patching(path), self.on_change == "theirs" or install
        without, changed = pristine.without_entries(patching, ours, data, left, base, label, keep=keep)
        if changed and self.on_change == "stop":
            self.changed.append(_Changed(path, known.written, now, named(changed)))
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
        found = pristine.grafting_of(self._profiles.of(pack.profile), path)
        assert found is not None, path
        return found

    def target(
        self, path: str, known: ClaimedPath, now: FileState | None, claims: Iterable[tuple[str, Claim]]
    ) -> FileState | None:
        """How a path is to stand.

        Raises:
            IchnosError: there is nothing to merge into, or the line that ours must stand before is not there.
        """
        content: str | bytes | None = known.original.sha256 if known.original else None
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
            document = patching.parsed(data, label)
            content = document.text.to_bytes(patching.set_in(patch, document))
        if content is None:
            return None
        sha256 = self.contents.add(content) if isinstance(content, bytes) else content
        if known.original is not None and sha256 == known.original.sha256:
            return known.original
        mode = (known.original or now or FileState("", 0, 0, _MODE)).mode
        if now is not None and sha256 == now.sha256:
            return now
        return FileState(sha256, self.contents.size(sha256), self.now, mode)

    def is_combined(self, path: str, pack: InstalledPack) -> bool:
        """Is it a document whose entries are brought together, where several packs have it whole?"""
        return pristine.combining_of(self._profiles.of(pack.profile), path) is not None

    def combined(self, path: str, name: str, lower: bytes, upper: str) -> bytes | None:
        """A document that two packs have whole, with the entries of both; None where it cannot be read."""
        pack = next(one for one in reversed(self.packs) if one.name == name)
        combining = pristine.combining_of(self._profiles.of(pack.profile), path)
        if combining is None:
            return None
        label = str(self.root.path(path))
        try:
            under, over = (combining.parsed(data, label) for data in (lower, self.contents.read(upper)))
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
            below = f"{claim.path}/"
            there = self.root.files_below(claim.path)
            known = [path for path in self.record.paths if path.startswith(below)]
            alone = [] if self.root.listing(claim.path) else [claim.path]
            found[claim.path] = [replace(claim, path=path) for path in dict.fromkeys([*there, *known, *alone])]
        return rest, found

    def was_cache(self, path: str) -> bool:
        """Does it lie where a pack that is in has cleared a cache? Then the game has made it since."""
        claims = [claim for pack in self.record.packs for claim in pack.claims if claim.how == "cache"]
        return any(path == one.content or path.startswith(f"{one.content}/") for one in claims)

    def plan(self, what: Literal["install", "restore"], pack: InstalledPack, notes: Iterable[str] = ()) -> InstallPlan:
        """The plan for a pack to go in (again, where it is there already), or to be taken out.

        Raises:
            IchnosError: files that somebody else has changed since, all together; whatever cannot be worked out.
        """
        install = what == "install"
        old = next((one for one in self.record.packs if one.is_same(pack)), None)
        if install:
            others = [one for one in self.record.packs if one is not old]
            _refuse_taken(self.root, pack, others)
            notes = [*notes, *_replaced(old, pack), *self.clashes(pack, old, others)]
        if install:
            rest, found = self.expanded(pack.claims)
            rest += [one for several in found.values() for one in several]
            rest += [Claim(path, "cache", path) for path in found]  # also while there is no file at it
            pack = replace(pack, claims=tuple(dict.fromkeys(rest)))
        claims = [claim for one in (old, pack) if one for claim in one.claims]
        touched = dict.fromkeys(claim.path for claim in claims)
        caches = {claim.path for claim in claims if claim.how == "cache"}
        for one in self.record.packs:  # what the game has made anew since is of no use to anybody
            _, found = self.expanded(claim for claim in one.claims if claim.path == claim.content)
            regenerated = [claim.path for several in found.values() for claim in several]
            caches |= set(regenerated)
            touched |= dict.fromkeys(regenerated)
        stack = [pack if one is old else one for one in self.record.packs]
        stack += [pack] if install and old is None else []
        if not install:
            stack = [one for one in stack if not one.is_same(pack)]
        self.packs.extend([pack] if install else [])
        paths, in_stack = dict(self.record.paths), pristine.all_claims(stack)
        steps: list[PlannedChange] = []
        errors: list[IchnosError] = []
        later: list[str] = []
        for path in touched:
            if path in caches and self.root.listing(path) is not None:
                continue
            top, claim = self._claims.get(path, [(None, None)])[-1]
            if claim is not None and top is not None and claim.how == "file" and top is not old:
                is_above = old is not None and self.record.packs.index(top) > self.record.packs.index(old)
                if is_above and not self.is_combined(path, top):
                    continue  # what this pack has here lies below another's file
            is_new_in_cache = path in caches and path not in self.record.paths and (not install or self.was_cache(path))
            try:
                now = self.root.stand(path)
                known = ClaimedPath(None, None) if is_new_in_cache else self.known(path, now, install=install)
                if known is None:
                    paths.pop(path, None)
                    continue
                claims_here = [
                    (one.name, self.without_given_up(claim))
                    for one, claim in in_stack.get(path, ())
                    if one is pack or (path not in self.forgotten and one.name not in self.lost.get(path, ()))
                ]
                if not claims_here and path in caches:
                    later.append(path)
                    continue
                if path in caches and (not claims_here or (not install and is_new_in_cache)):
                    claims_here = [("", Claim(path, "cache", path))]
                after = self.target(path, known, now, claims_here)
            except IchnosError as error:
                errors.append(error)
                continue
            if any(name for name, _ in claims_here):
                paths[path] = ClaimedPath(known.original, after)
            else:
                paths.pop(path, None)
            self.step(steps, path, now, after, known, claims_here, pack)
        for path in later:  # caches that nobody claims any more: as they were, where all else is as it was
            now, kept = self.root.stand(path), self.record.paths.get(path)
            after = None if self.shifted or kept is None else kept.original
            paths.pop(path, None)
            self.step(steps, path, now, after, kept or ClaimedPath(None, None), [], pack)
        raise_all([*errors, *(one.error(self.root, install=install) for one in self.changed)])
        stack = [replace(one, claims=tuple(self.left_of(one, is_new=one is pack))) for one in stack]
        made, folders = self.folders(steps)
        record = GameRecord(tuple(stack), paths, (*self.record.made, *made), folders, self.shifted and bool(stack))
        pending = PendingTransaction(
            what, pack.name, not install, tuple(one.step for one in steps), tuple(made), record
        )
        notes = [*notes, *(self.told_lost(path, names) for path, names in self.lost.items() if names)]
        stands = {path: known.written.sha256 for path, known in paths.items() if known.written is not None}
        files = [claim for claim in pack.claims if install and claim.how == "file"]
        below = tuple(dict.fromkeys(one.content for one in files if stands.get(one.path) != one.content))
        return InstallPlan(self.root, pending, self.record, steps, self.contents, notes, self.stays, below)

    def told_lost(self, path: str, names: Iterable[str]) -> str:
        whose = _and(sorted(names))
        return f"{path}: the file of {whose} was written over by somebody else, and is not {whose}'s any more."

    def clashes(self, pack: InstalledPack, old: InstalledPack | None, others: Collection[InstalledPack]) -> list[str]:
        """New keys, ids and entries that other packs in the game have already, a sentence for each.

        Args:
            old: the edition of it that is in the game; what that has was settled when it went in.

        Raises:
            IchnosError: there are some, and nobody has said that they are to be replaced.
        """
        settled = set(old.brings) if old else set()
        found = list(neighbours.shared([one for one in pack.brings if one not in settled], others))
        if found:
            profile = self._profiles.of(pack.profile)
            own = {f"key {key}" for key in pristine.keys(self.root.folder, profile)}
            found = [(one, other) for one, other in found if one not in own]
        found += [
            (one, other)
            for one, other in self.shared_entries(pack, old, others)
            if f"key {one}" not in settled and (f"key {one}", other) not in found
        ]
        told = [f'{other.title} ({other.name}) has "{one.partition(" ")[2] or one}" already' for one, other in found]
        if told and self.on_change == "stop":
            more = f"; and {len(told) - 5} more" if len(told) > 5 else ""
            what = f"another pack in the game has what is new in this one: {'; '.join(told[:5])}{more}"
            cure = f"give it another key in one of the two, or --force: then that of {pack.name} counts"
            raise IchnosError(what, place=Place(str(self.root.folder)), cure=cure)
        return [f"{one}; that of {pack.name} counts from now on." for one in told]

    def shared_entries(
        self, pack: InstalledPack, old: InstalledPack | None, others: Iterable[InstalledPack]
    ) -> Iterator[tuple[str, InstalledPack]]:
        """Entries that this pack and another add to one of the game's own documents; the old edition did not."""
        merges = {claim.path: claim for claim in pack.claims if claim.how == "merge"}
        before = {claim.path: self.entries(claim) for claim in (old.claims if old else ()) if claim.how == "merge"}
        for other in others:
            for claim in other.claims:
                mine = merges.get(claim.path) if claim.how == "merge" else None
                if mine is None:
                    continue
                ours, theirs = self.entries(mine), self.entries(claim)
                both = [one for one in ours if one in theirs and one not in before.get(claim.path, ())]
                known = self.record.paths[claim.path].original
                if both and known is not None:
                    label = str(self.root.path(claim.path))
                    patching = self.patching(claim.path)
                    own = patching.identities(patching.parsed(self.contents.read(known.sha256), label))
                    yield from ((name, other) for name in named(one for one in both if one not in own))

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

    def step(
        self,
        steps: list[PlannedChange],
        path: str,
        now: FileState | None,
        after: FileState | None,
        known: ClaimedPath,
        claims: list[tuple[str, Claim]],
        pack: InstalledPack,
    ) -> None:
        """Take in what is to be done at a path, where anything is."""
        if _same(now, after):
            return
        steps.append(PlannedChange(FileChange(path, now, after), *_why(now, after, known, claims, pack)))

    def folders(self, steps: Iterable[PlannedChange]) -> tuple[list[str], dict[str, tuple[int, str]]]:
        """The folders that are to be made, the outer ones first; and the times of those that are changed."""
        made: dict[str, None] = {}
        times = dict(self.record.folders)
        there: dict[str, tuple[int, str] | None] = {}
        for one in steps:
            parts = one.step.path.split("/")[:-1]
            for depth in range(len(parts), -1, -1):
                folder = "/".join(parts[:depth])
                if folder not in there:
                    there[folder] = self.root.listing(folder)
                found = there[folder]
                if found is not None:
                    if folder not in self.record.made:
                        times.setdefault(folder, found)
                    break
                made[folder] = None
        return sorted(made, key=lambda name: name.count("/")), times


def _same(one: FileState | None, other: FileState | None) -> bool:
    return (one.sha256 if one else None) == (other.sha256 if other else None)


def _refuse_taken(root: GuardedFolder, pack: InstalledPack, others: Collection[InstalledPack]) -> None:
    """Raises IchnosError where another pack in the game has an id of this one, or its name."""
    place = Place(str(root.folder))
    clash = neighbours.clashing_id(pack.ids, others)
    if clash is not None:
        identity, other = clash
        what = f"the id {identity} of {pack.title} is also that of {other.title} ({other.name}), which is in the game"
        cure = (
            "a game breaks with two packs of one id: if this is another pack, mint ids of its own (in its workspace,"
            f" delete [ids] and build again); if it shall take the other's place: ichnos restore {other.name}"
        )
        raise IchnosError(what, place=place, cure=cure)
    alike = next((one for one in others if (one.game, one.name) == (pack.game, pack.name)), None)
    if alike is not None:
        what = f"another pack with the name {pack.name} is in the game already: {alike.title}, which has other ids"
        raise IchnosError(what, place=place, cure=f"give this one another name, or first: ichnos restore {alike.name}")


def _replaced(old: InstalledPack | None, pack: InstalledPack) -> Iterator[str]:
    """What is to be said of an edition that makes room for this one."""
    if old is not None and old.version != pack.version:
        yield f"{old.title} {old.version} goes out for it."


def _why(
    now: FileState | None,
    after: FileState | None,
    known: ClaimedPath,
    claims: list[tuple[str, Claim]],
    pack: InstalledPack,
) -> tuple[str, str]:
    """The state of a step, and its reason."""
    if after is None:
        if any(claim.how == "cache" for _, claim in claims):
            return "cache", "stale: the game makes it anew"
        return "gone", "of this pack alone"
    top, claim = claims[-1] if claims else ("", None)
    if claim is None:
        return "back", "the game's own, as it was"
    if claim.how == "merge":
        return "merged", f"entries of {_and([name for name, _ in claims])} in the game's own"
    if claim.how == "line":
        return "line", f"lines of {_and([name for name, _ in claims])} in the list"
    if top != pack.name:
        return "back", f"{top}'s, which lay below"
    if len(claims) > 1:
        return "over", f"over {claims[-2][0]}'s, which comes back on restore"
    if known.original is None:
        return ("new", "the game has none of this name") if now is None else ("over", "a new edition")
    return "over", "over the game's own, which is kept"


def _and(names: Collection[str]) -> str:
    unique = list(dict.fromkeys(names))
    return unique[0] if len(unique) == 1 else f"{', '.join(unique[:-1])} and {unique[-1]}"


def for_install(
    root: GuardedFolder, record: GameRecord, prepared: Prepared, contents: Contents, on_change: OnChange
) -> InstallPlan:
    """The plan for a pack to go into a game. Raises IchnosError as ``Planner.plan`` does."""
    planner = Planner(root, record, contents, on_change)
    return planner.plan("install", prepared.pack, prepared.notes)


def for_restore(
    root: GuardedFolder, journal: Journal, record: GameRecord, pack: InstalledPack, on_change: OnChange
) -> InstallPlan:
    """The plan for a pack to be taken out. Raises IchnosError as ``Planner.plan`` does."""
    return Planner(root, record, Contents(journal), on_change).plan("restore", pack)
