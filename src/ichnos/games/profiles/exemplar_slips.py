"""What is wrong in a document of a profile, though it can be understood: it would do nothing, or the wrong thing."""

from __future__ import annotations

from collections.abc import Collection

from ichnos.games.profiles.declared import Declarations
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.hole import Hole
from ichnos.games.profiles.holes import known
from ichnos.games.profiles.vocabulary import part_in


def refuse_slips(exemplar: Exemplar, declared: Declarations, parts: Collection[str]) -> None:
    """Raises IchnosError, with its place, for the first. ``parts``: those that the game's sounds have."""
    _refuse_lost_holes(exemplar, declared)
    _refuse_two_extensions(exemplar)
    _need_parts(exemplar, parts)


def _refuse_lost_holes(exemplar: Exemplar, declared: Declarations) -> None:
    """A hole that stands where nothing is filled in, as in a comment, would be in every pack as it is."""
    filled = [
        (start, end)
        for node in exemplar.document.root.walk()
        for patterns, start, end in (
            (exemplar.values, node.body_start, node.body_end),
            (exemplar.labels, node.label_start, node.label_end),
        )
        if node in patterns
    ]
    for at, written in known(exemplar.document.text.content, declared):
        if not any(start <= at < end for start, end in filled):
            what = f"nothing is filled in here, and every pack would have {written} as it stands"
            raise exemplar.document.error(what, at, "put it where a value stands; write @@ for a plain @")


def _refuse_two_extensions(exemplar: Exemplar) -> None:
    """A reference that has its extension already, with one written behind it."""
    for node in exemplar.document.root.walk():
        for pattern in (exemplar.values.get(node), exemplar.labels.get(node)):
            for part, following in zip(pattern.parts, pattern.parts[1:], strict=False) if pattern else ():
                if (
                    isinstance(part, Hole)
                    and part.word.kind == "path"
                    and isinstance(following, str)
                    and following.startswith(".")
                    and not any(converter.drops_extension for converter in part.converters)
                ):
                    raise exemplar.document.error(
                        f"@{part.word.name}@ has its extension already, and {following} would be a second one",
                        node.start,
                        f"write @{part.word.name}~no-extension@{following}, or leave {following} out",
                    )


def _need_parts(exemplar: Exemplar, parts: Collection[str]) -> None:
    """A place for one part is for one that a kind of sound has."""
    for node in exemplar.document.root.walk():
        for name in exemplar.names_at(node):
            part = part_in(name)
            if part is not None and part not in parts:
                raise exemplar.document.error(
                    f'no sound of this game has a part "{part}"',
                    node.start,
                    f"its parts are: {', '.join(sorted(parts))}" if parts else "say [parts], names = [...]",
                )
