"""The proof cries no wolf: whatever a pack says, what is filled or merged comes back, in every bundled game."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ichnos.documents.formats import parse
from ichnos.errors import IchnosError
from ichnos.games.entries.arranged import arranged, said_in
from ichnos.games.entries.edit import merge
from ichnos.games.entries.fill import Bindings, fill, instances
from ichnos.games.entries.proof import DocumentProof
from ichnos.games.profiles import loading, profile
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.samples import sample_pack
from ichnos.games.things import PackThing

TEXT = st.text(st.sampled_from("aÄß漢🌙 .-_'\"<&>;#=,/\\@{}[]%1"), min_size=1, max_size=9).map(str.strip).filter(bool)
Said = tuple[dict[str, float | None], dict[str, str], float | None, tuple[int, int]]
NUMBER = st.one_of(st.none(), st.floats(0.01, 4).map(lambda number: round(number, 3)))
SAID = st.tuples(
    st.dictionaries(st.sampled_from(["volume", "pitch", "fade", "priority"]), NUMBER),
    st.dictionaries(st.sampled_from(["en", "de"]), TEXT),
    st.sampled_from([None, 2.0, 0.25]),
    st.sampled_from([(2, 3), (1, 0), (0, 1)]),
)


def _pack(game: Profile, said: list[Said]) -> PackThing:
    """The sample pack with other values, titles, takes and parts."""
    base, sounds = sample_pack(game), []
    for sound, (values, titles, weight, (takes, parts)) in zip(base.sounds, said, strict=False):
        given = {name: values.get(name, value) for name, value in sound.values.items()}
        weighed = [replace(take, values={**take.values, "weight": weight}) for take in sound.takes]
        sounds.append(
            replace(
                sound,
                values={name: value for name, value in given.items() if value is not None},
                texts={"title": {**titles, **({None: titles["en"]} if "en" in titles else {})}},
                inside={"take": tuple(weighed[: takes or (0 if sound.parts else 1)]), "part": sound.parts[:parts]},
            )
        )
    return base.with_sounds(sounds)


def _files(exemplar: Exemplar, game: Profile, said: PackThing, *, merged: bool) -> list[Bindings]:
    bound: list[Bindings] = [{"pack": arranged(said_in(exemplar, said, merged=merged), game)}]
    for scope in exemplar.file_scopes:
        bound = [inner for outer in bound for inner in instances(scope, outer)]
    return bound


@pytest.mark.parametrize("name", profile.bundled_names())
@given(said=st.lists(SAID, min_size=4, max_size=4))
@settings(max_examples=12)
def test_what_is_filled_or_merged_comes_back(name: str, said: list[Said]) -> None:
    game = loading.load(profile.BUNDLED / name)
    meant = _pack(game, said)
    files = [str(one.file) for sound in meant.sounds for one in (*sound.takes, *sound.parts)]
    files += [str(prop.values["prop.picture"]) for prop in meant.props]
    proof = DocumentProof(meant, game.rules.names.separator, files, name)
    others = sample_pack(game).sounds[1:]
    theirs = meant.with_sounds(replace(one, values={**one.values, "key": f"{one.key}x"}) for one in others)
    for exemplar in game.written:
        own = exemplar.document
        for bound in _files(exemplar, game, meant, merged=False):
            filled = parse(own.text.to_bytes(fill(exemplar, bound)), "filled", own.format, own.text.encoding)
            assert [str(error) for error in proof.differences(exemplar, filled, bound, merged=False)] == []
        before, after = (_files(exemplar, game, pack, merged=True) for pack in (theirs, meant))
        for there, bound in list(zip(before, after, strict=False))[:2]:
            game_s = parse(own.text.to_bytes(fill(exemplar, there)), "theirs", own.format, own.text.encoding)
            merged = parse(
                own.text.to_bytes(merge(exemplar, game_s, bound)[0]), "merged", own.format, own.text.encoding
            )
            assert [str(error) for error in proof.differences(exemplar, merged, bound, merged=True)] == []
            assert merge(exemplar, merged, bound)[1] == []  # rounded or not, it is there


def test_a_lost_value_is_no_secret() -> None:
    """The proof can fail: whatever is taken out of a filled document is missed, wherever it stands."""
    game = loading.load(profile.BUNDLED / "tarnlight")
    meant = sample_pack(game)
    files = [str(take.file) for sound in meant.sounds for take in sound.takes]
    proof = DocumentProof(meant, ".", files, "tarnlight")
    missed = 0
    for exemplar in game.written:
        for bound in _files(exemplar, game, meant, merged=False):
            text = fill(exemplar, bound)
            assert text
            for old, new in (
                ("near", "nigh"),
                ("0.5", "0.6"),
                ("-2.ogg", "-1.ogg"),
                ("Title 1", "Title 0"),
                ("1.2.0", "1"),
            ):
                if old in text:
                    document = parse(text.replace(old, new).encode(), "changed", exemplar.document.format)
                    differences = list(proof.differences(exemplar, document, bound, merged=False))
                    assert differences
                    assert all(isinstance(error, IchnosError) for error in differences)
                    missed += 1
    assert missed >= 5
