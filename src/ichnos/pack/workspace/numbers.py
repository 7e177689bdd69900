"""Numbers that a game tells things apart by: counted up, unique among the packs of a game, and kept."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count

from ichnos.games.neighbours import numbers_in
from ichnos.games.profiles.vocabulary import SOUND, entry_scopes, number_field
from ichnos.pack.workspace.lockfile import Numbers
from ichnos.pack.workspace.workspace import Workspace


def numbers(workspace: Workspace) -> Numbers:
    """The number of each thing of the pack, where the game has numbers for such things.

    What is said counts; then what a build before gave; then the next from the profile's first that no other thing
    has: of the pack, of the game, or of a pack of somebody else that Ichnos has put there.
    """
    return {
        scope: dict(_counted(workspace, scope, first))
        for scope in entry_scopes()
        if (first := workspace.profile.first_number(scope)) is not None
    }


def said(workspace: Workspace, scope: str) -> list[tuple[str, int | None]]:
    """What each thing of a scope is called, and the number that somebody has said."""
    if scope == SOUND:
        return [(sound.key, sound.number) for sound in workspace.pack_file.sound]
    return [(table.name, table.number) for table in getattr(workspace.pack_file, scope)]


def _counted(workspace: Workspace, scope: str, first: int) -> Iterator[tuple[str, int]]:
    things, field = said(workspace, scope), number_field(scope)
    of_game = workspace.catalogue.numbers.get(field, {}) if workspace.catalogue is not None else {}
    of_others = (entry for pack in workspace.neighbours() for entry in numbers_in(pack.brings))
    kept = {**workspace.numbers.get(scope, {}), **of_game}  # what takes the place of the game's has its number
    taken = {number for _, number in things if number is not None}
    unsaid = (name for name, number in things if number is None)
    given = {name: kept[name] for name in unsaid if name in kept and kept[name] not in taken}
    taken |= {*given.values(), *of_game.values(), *(entry.number for entry in of_others if entry.field == field)}
    free = (number for number in count(first) if number not in taken)
    for name, number in things:
        yield name, number if number is not None else given[name] if name in given else next(free)
