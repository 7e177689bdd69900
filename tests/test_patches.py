"""Entries cut out of a pack's copy, set into the game's own file, and taken out again: in every made-up game's files."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ichnos.games.entries.arranged import arranged, said_in
from ichnos.games.entries.edit import merge
from ichnos.games.entries.fill import fill
from ichnos.games.entries.patches import EntryPatch, Patching
from ichnos.games.profiles import loading, profile
from ichnos.games.profiles.vocabulary import PACK
from ichnos.games.samples import sample_pack

PROFILES = {name: loading.load(profile.BUNDLED / name) for name in profile.bundled_names()}
DOCUMENTS = [
    (name, number)
    for name, found in PROFILES.items()
    for number, one in enumerate(found.written)
    if not one.file_scopes and one.units
]
some = st.lists(st.integers(0, 8), min_size=1, max_size=5, unique=True)


@pytest.mark.parametrize(("game", "number"), DOCUMENTS)
@settings(max_examples=15)
@given(own=some, ours=some, theirs=some)
def test_set_in_is_what_a_merge_gives_and_taken_out_leaves_theirs(
    game: str, number: int, own: list[int], ours: list[int], theirs: list[int]
) -> None:
    found = PROFILES[game]
    exemplar, sample = found.written[number], sample_pack(found)
    categories = [*found.rules.tables.get("kinds", ("a", "b", "c"))]

    def bound(keys: list[int], volume: float) -> Any:
        named = [(f"k{key}{found.rules.names.separator}x", categories[key % 3]) for key in keys]
        like = sample.sounds
        sounds = [
            replace(one, values={**one.values, "key": key, "category": category, "volume": volume})
            for one, (key, category) in zip([like[n % len(like)] for n in range(len(named))], named, strict=True)
        ]
        triggers = [
            replace(one, values={**one.values, "trigger.name": key, "trigger.key": key})
            for one in sample.triggers
            for key, _ in named
        ]
        said = replace(sample, inside={**sample.inside, "sound": tuple(sounds), "trigger": tuple(triggers)})
        return {PACK: arranged(said_in(exemplar, said, merged=True), found)}

    patching = Patching(exemplar)

    def parsed(text: str) -> Any:
        return patching.exemplar.parse(exemplar.document.text.to_bytes(text), "a file")

    base = parsed(fill(exemplar, bound(own, 0.5)))
    packed = parsed(merge(exemplar, base, bound(ours, 0.25))[0])
    patch, left = patching.difference(packed, base, lambda file: True)
    patch = EntryPatch.from_json(patch.to_json())
    assert left == []
    assert patching.set_in(patch, base) == packed.text.content
    assert patching.taken_out(patch.entries, base, packed, base) == (base.text.content, [])
    others = [key for key in theirs if key not in ours]
    now = parsed(merge(exemplar, packed, bound(others, 0.75))[0]) if others else packed
    wanted = parsed(merge(exemplar, base, bound(others, 0.75))[0]) if others else base
    text, changed = patching.taken_out(patch.entries, now, packed, base)
    assert changed == []
    there, meant = patching.difference(parsed(text), wanted, lambda file: True)[0], wanted.text.content
    assert there.entries == {}
    assert sorted(text.split()) == sorted(meant.split()), "in another order at most"
