"""Which clip is for which key, by their names alone: clear pairs, and doubtful ones with scores."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

CLEAR, APART = 90.0, 8.0  # of 100: how alike a clear pair is, and how much more than with the next key
_NUMBER = re.compile(r"[\s._-]*[(\[]?(\d+)[)\]]?\s*$")


@dataclass(frozen=True)
class Pairs:
    """``clear``: of each key, its clips in the order of their numbers. ``doubtful``: each clip with the
    nearest keys and how alike they are, from 0 to 100."""

    clear: dict[str, list[Path]]
    doubtful: list[tuple[Path, list[tuple[str, float]]]]


def _words(text: str) -> str:
    from anyascii import anyascii

    split = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", anyascii(text))
    return " ".join(re.findall(r"[a-z]+|\d+", split.lower()))


def pairs(clips: Sequence[Path], keys: Sequence[str]) -> Pairs:
    """Pair clips with keys. A number at the end of a clip's name says which take it is.

    Where a key ends in that number itself, it is the key's, and no take's.

    >>> found = pairs([Path("BellFar2.wav"), Path("bell far 1.wav")], ["bell.far", "bell.near"])
    >>> {key: [clip.name for clip in clips] for key, clips in found.clear.items()}
    {'bell.far': ['bell far 1.wav', 'BellFar2.wav']}
    """
    from rapidfuzz import fuzz, process

    spelled = [_words(key) for key in keys]
    clear: defaultdict[str, list[tuple[int, Path]]] = defaultdict(list)
    doubtful = []
    for clip in clips:
        number = _NUMBER.search(clip.stem)
        stem = clip.stem[: number.start()] if number and number.start() else clip.stem
        best: list[tuple[str, float, bool]] = []
        for name, numbered in ((stem, True), (clip.stem, False)):
            found = process.extract(_words(name), spelled, scorer=fuzz.token_sort_ratio, limit=3)
            best += [(keys[index], score, numbered) for _, score, index in found]
        best.sort(key=lambda one: (-one[1], one[2]))
        nearest = list(dict.fromkeys(key for key, _, _ in best))[:3]
        scores = {key: max(score for name, score, _ in best if name == key) for key in nearest}
        others = [scores[key] for key in nearest[1:]]
        if nearest and scores[nearest[0]] >= CLEAR and (not others or scores[nearest[0]] - others[0] >= APART):
            take = int(number[1]) if number and best[0][2] else 0
            clear[nearest[0]].append((take, clip))
        else:
            doubtful.append((clip, [(key, scores[key]) for key in nearest]))
    ordered = {
        key: [clip for _, clip in sorted(found, key=lambda one: (one[0], one[1].name))] for key, found in clear.items()
    }
    return Pairs(ordered, doubtful)
