"""What a pack that goes into a game has in common with others that are there."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator

from ichnos.errors import IchnosError, Place
from ichnos.files.guarded import GuardedFolder
from ichnos.files.journal import InstalledPack
from ichnos.games import neighbours, pristine
from ichnos.games.entries.patches import named
from ichnos.install.states import PathStates


def refuse_taken(root: GuardedFolder, pack: InstalledPack, others: Collection[InstalledPack]) -> None:
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
    alike = next(
        (installed for installed in others if (installed.game, installed.name) == (pack.game, pack.name)), None
    )
    if alike is not None:
        what = f"another pack with the name {pack.name} is in the game already: {alike.title}, which has other ids"
        raise IchnosError(what, place=place, cure=f"give this one another name, or first: ichnos restore {alike.name}")


def replaced(old: InstalledPack | None, pack: InstalledPack) -> Iterator[str]:
    """What is to be said of an edition that makes room for this one."""
    if old is not None and old.version != pack.version:
        yield f"{old.title} {old.version} goes out for it."


def clashes(
    states: PathStates, pack: InstalledPack, old: InstalledPack | None, others: Collection[InstalledPack]
) -> list[str]:
    """New keys, ids and entries that other packs in the game have already, a sentence for each.

    Args:
        old: the edition of it that is in the game; what that has was settled when it went in.

    Raises:
        IchnosError: there are some, and nobody has said that they are to be replaced.
    """
    settled = set(old.brings) if old else set()
    shared = list(neighbours.shared([bring for bring in pack.brings if bring not in settled], others))
    if shared:
        profile = states.profiles.of(pack.profile)
        own = {f"key {key}" for key in pristine.keys(states.root.folder, profile)}
        shared = [(one, other) for one, other in shared if one not in own]
    shared += [
        (name, other)
        for name, other in _shared_entries(states, pack, old, others)
        if f"key {name}" not in settled and (f"key {name}", other) not in shared
    ]
    told = [f'{other.title} ({other.name}) has "{one.partition(" ")[2] or one}" already' for one, other in shared]
    if told and states.on_change == "stop":
        more = f"; and {len(told) - 5} more" if len(told) > 5 else ""
        what = f"another pack in the game has what is new in this one: {'; '.join(told[:5])}{more}"
        cure = f"give it another key or number in one of the two, or --force: then that of {pack.name} counts"
        raise IchnosError(what, place=Place(str(states.root.folder)), cure=cure)
    return [f"{sentence}; that of {pack.name} counts from now on." for sentence in told]


def _shared_entries(
    states: PathStates, pack: InstalledPack, old: InstalledPack | None, others: Iterable[InstalledPack]
) -> Iterator[tuple[str, InstalledPack]]:
    """Entries that this pack and another add to one of the game's own documents; the old edition did not."""
    merges = {claim.path: claim for claim in pack.claims if claim.how == "merge"}
    before = {claim.path: states.entries(claim) for claim in (old.claims if old else ()) if claim.how == "merge"}
    for other in others:
        for claim in other.claims:
            mine = merges.get(claim.path) if claim.how == "merge" else None
            if mine is None:
                continue
            ours, theirs = states.entries(mine), states.entries(claim)
            both = [our for our in ours if our in theirs and our not in before.get(claim.path, ())]
            state = states.record.paths[claim.path].original
            if both and state is not None:
                label = str(states.root.path(claim.path))
                patching = states.patching(claim.path)
                own = patching.identities(patching.exemplar.parse(states.contents.read(state.sha256), label))
                yield from ((name, other) for name in named(key for key in both if key not in own))
