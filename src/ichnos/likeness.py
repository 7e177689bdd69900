"""What somebody most likely meant who wrote a name that is not there."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Set

NEAR = 0.5  # from here on one name is like another; of 1, which is the same


def nearest(
    iterable: Iterable[str], name: str, count: int = 3, least: float = 0.0, *, capitals: bool = False
) -> list[str]:
    """The names that are spelled most like another, the nearest first.

    Args:
        least: how like they have to be, from 0 to 1 (a Damerau-Levenshtein distance of nothing).
        capitals: is a capital another letter than its small one?

    >>> nearest(["bell.near", "bell.far", "gull.low"], "bel.fra", 1)
    ['bell.far']
    """
    from rapidfuzz import process
    from rapidfuzz.distance import DamerauLevenshtein

    found = process.extract(
        name,
        sorted(iterable) if isinstance(iterable, Set) else list(dict.fromkeys(iterable)),
        scorer=DamerauLevenshtein.normalized_similarity,
        processor=None if capitals else str.lower,
        limit=count,
        score_cutoff=least,
    )
    return [choice for choice, _, _ in found]


def did_you_mean(
    known: Collection[str], name: str, count: int = 3, *, least: float = 0.0, otherwise: str = "correct the name"
) -> str:
    """The cure for a name that is not there: those that are like it, or something else where there are none.

    >>> did_you_mean(["bell.near", "bell.far", "gull.low"], "bel.fra", 2)
    'did you mean bell.far or bell.near?'
    """
    near = nearest(known, name, count, least)
    return f"did you mean {' or '.join(near)}?" if near else otherwise
