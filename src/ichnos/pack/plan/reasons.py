"""What the documents of a pack are there for, as the plan says it."""

from __future__ import annotations

from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.vocabulary import ID_PREFIX, OWN, PACK, PART, SOUND, TAKE, part_in, player_scopes
from ichnos.pack.workspace.declared import tables_of
from ichnos.pack.workspace.workspace import Workspace


def why(workspace: Workspace, exemplar: Exemplar, sounds: int) -> str:
    """What a document of the pack is there for.

    Args:
        sounds: how many stand in it.
    """
    scopes = set(exemplar.scopes.values()) - {PACK}

    def counted(count: int, noun: str) -> str:
        return f"{count} {noun}{'' if count == 1 else 's'}"

    pack = workspace.pack_file
    plays = bool(scopes & {TAKE, PART}) or any(part_in(name) for name in exemplar.scopes)
    if "title" in exemplar.scopes and not plays:
        return "titles that players see"
    if plays:
        many = "the definition of a sound" if SOUND in exemplar.file_scopes else None
        return many or f"the definitions of {counted(sounds, 'sound')}"
    for scope in player_scopes():
        if scope in scopes:
            return f"a {scope}" if scope in exemplar.file_scopes else counted(len(getattr(pack, scope)), scope)
    for scope in workspace.profile.rules.declared.scopes:
        if scope in scopes:
            name = scope.removeprefix(OWN)
            return f"a {name}" if scope in exemplar.file_scopes else counted(len(tables_of(pack, scope)), name)
    if SOUND in scopes:
        return f"a list of {counted(sounds, 'sound')}"
    return _of_itself(exemplar)


def _of_itself(exemplar: Exemplar) -> str:
    """What a document says of the pack itself."""
    kinds = {"pack.title": "title", "pack.version": "version", "game.version": "game version"}
    kinds_said = [kind for name, kind in kinds.items() if name in exemplar.scopes]
    kinds_said += ["ids"] if any(name.startswith(ID_PREFIX) for name in exemplar.scopes) else []
    if not kinds_said:
        return "what the pack says of itself"
    return f"the pack's {' and '.join([', '.join(kinds_said[:-1]), kinds_said[-1]] if kinds_said[1:] else kinds_said)}"
