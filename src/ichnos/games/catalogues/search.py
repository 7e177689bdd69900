"""Searching a catalogue as people search: several words in any order, misspelt now and then."""

from __future__ import annotations

import re
from collections.abc import Sequence

_PIECE = re.compile(r"[^\W_]+")
_JOINTS = "._-/:\\"  # what joins the pieces of keys
_NO_DIGITS = str.maketrans("", "", "0123456789")
_ALIKE = 65  # of 100; below it two words have little in common
_MANY = 5000  # found: beyond it nobody asks which fits best, and shorter keys come first
_AS_GOOD = 5  # so close to the best that it may be meant as well


def search(keys: Sequence[str], beside: Sequence[str | None], words: Sequence[str]) -> list[int]:
    """The places of the keys that fit every word, the best first.

    Args:
        beside: what may be found too, such as each key's category.
    """
    if not words:
        return list(range(len(keys)))
    texts = [f"{key} {more}".lower() if more else key.lower() for key, more in zip(keys, beside, strict=True)]
    found: Sequence[int] = range(len(texts))
    for word in words:
        found = _fitting(texts, found, word.lower())
    if len(found) > _MANY:
        return sorted(found, key=lambda index: len(texts[index]))
    pieces = {word.lower() for word in words}

    def rank(index: int) -> tuple[int, int, int]:
        whole = len(pieces & set(_PIECE.findall(texts[index])))
        return (-whole, len(texts[index]), index)

    return sorted(found, key=rank)


def _fitting(texts: list[str], among: Sequence[int], word: str) -> list[int]:
    found = [index for index in among if word in texts[index]]
    if found:
        return found
    from rapidfuzz import process
    from rapidfuzz.fuzz import ratio

    everything = "\n".join([texts[index] for index in among])
    if word.isalpha():  # numbers in keys are many, and nobody means one by a word
        everything = everything.translate(_NO_DIGITS)
    for sign in _JOINTS:
        everything = everything.replace(sign, " ")
    near = process.extract(word, set(everything.split()), scorer=ratio, limit=4, score_cutoff=_ALIKE)
    alike = [piece for piece, score, _ in near if score > near[0][1] - _AS_GOOD]
    return sorted({index for piece in alike for index in among if piece in texts[index]})
