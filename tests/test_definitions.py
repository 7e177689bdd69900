"""One value, both directions: what a workspace means is what its pack is read as."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from conftest import run
from ichnos.files.sources import files_at
from ichnos.games import made_up
from ichnos.games.entries.packs import SoundFiles, read_pack
from ichnos.games.profiles import loading, profile
from ichnos.games.things import PackThing
from ichnos.pack.build import building
from ichnos.pack.plan import meaning
from ichnos.pack.plan.naming import ClipUses
from ichnos.pack.workspace import reading as workspaces

KEYS = {
    "tarnlight": ("roof-rain-faint", "roof-rain-wild"),
    "ombervale": ("block/bell/one", "block/bell/two"),
    "quillmarsh": ("heron_calls_day", "heron_lands_day"),
    "vesper-yard": ("barge.hull.moored", "barge.ramp.moored"),
    "open-pack": ("apple.falls", "apple.creaks"),
}


def _workspace(game: str, tmp_path: Path) -> Path:
    for name, to in ((game, tmp_path / "game"), ("tarnlight", tmp_path / "clips")):
        sample = made_up.sample_of(profile.BUNDLED / name)
        assert sample
        (made_up.lay_installation if name == game and to.name == "game" else made_up.lay_clips)(sample, to)
    folder = tmp_path / "own"
    words = ("--game", game, "--title", "Both ways", "--licence", "MIT", "--installation", tmp_path / "game")
    assert run("start", folder, *words).code == 0
    shutil.copytree(tmp_path / "clips/clips", folder / "clips")
    rules = loading.load(profile.BUNDLED / game).rules
    takes = 'takes = [{clip = "clips/gull.ogg", weight = 2}, "clips/draught.wav"]'
    one = 'takes = ["clips/gull.ogg"]'
    text = f"""
[[sound]]
key = "{KEYS[game][0]}"
{takes if rules.takes.several else one}
volume = 0.5
near = 3
far = 70
loop = true
positional = true
fade = 0.25
title = {{en = "The <first> & best", de = "Der Erste"}}

[[sound]]
key = "{KEYS[game][1]}"
takes = ["clips/bell-take3.wav"]
title = {{en = "The second", de = "Die Zweite"}}

[[trigger]]
name = "dusk"
event = "dusk"
where = "quay"
key = "{KEYS[game][0]}"
once = true

[[prop]]
name = "stove"
title = "A stove"
text = "It is warm."
key = "{KEYS[game][1]}"

[[schedule]]
name = "night"
entries = ["{KEYS[game][0]}", {{key = "{KEYS[game][1]}", kind = "between"}}]
after = 4
apart = 5
"""
    path = folder / "ichnos.toml"
    path.write_text(path.read_text("utf-8") + text, "utf-8")
    return folder


def _both(game: str, tmp_path: Path) -> tuple[PackThing, PackThing, set[str], SoundFiles]:
    """What the workspace means, what its pack is read as, the holes of the game, and the pack's sound files."""
    folder = _workspace(game, tmp_path)
    built, _ = building.carry_out(building.plan(folder), lambda _: None)
    loaded = workspaces.load(folder)
    meant = meaning.things(loaded, ClipUses(loaded, meaning.pack_values(loaded)))
    files = files_at(built.package)
    given = read_pack(loaded.profile, files).definitions
    holes = {name for exemplar in loaded.profile.documents for name in exemplar.scopes}
    return meant, given, holes, SoundFiles(files.names())


@pytest.mark.parametrize("game", KEYS)
def test_what_is_meant_is_what_is_read(game: str, tmp_path: Path) -> None:
    meant, given, holes, sounds = _both(game, tmp_path)
    read = {sound.key: sound for sound in given.sounds}
    for one in meant.sounds:
        other = read[one.key]
        if "file" in holes:
            assert [sounds.file_of(str(take.file)) for take in other.takes] == [take.file for take in one.takes]
        if "weight" in holes:
            said = [take.weight for take in one.takes]  # where nobody says any, those of the game's own stay
            assert not any(said) or [take.weight or 1 for take in other.takes] == [weight or 1 for weight in said]
        for name, value in one.values.items():
            if name in holes and isinstance(value, float):
                assert other.values[name] == pytest.approx(value, abs=0.001), name
        if "language" in holes:
            assert {tag: text for tag, text in other.titles.items() if tag} == {
                tag: text for tag, text in one.titles.items() if tag
            }
        if "category" in holes and one.category is not None:
            assert other.category == one.category
        assert other.place.line is not None
        assert Path(other.place.path).is_relative_to(tmp_path)
    for name, value in meant.values.items():
        if name in holes and value is not None:
            assert given.values[name] == value
            assert given.places[name].line is not None
    assert given.ids == {name: value for name, value in meant.ids.items() if f"uuid.{name}" in holes}
    for ours, theirs, hole in (
        (meant.triggers, given.triggers, "trigger.key"),
        (meant.props, given.props, "prop.key"),
        (meant.schedules, given.schedules, "schedule.name"),
    ):
        if hole in holes:
            assert len(ours) == len(theirs) == 1
            for mine, its in zip(ours, theirs, strict=True):
                said = {name: value for name, value in mine.values.items() if name in holes and value is not None}
                assert {name: its.values.get(name) for name in said} == said
    if "entry.key" in holes:
        assert [(entry.key, entry.values["entry.kind"]) for entry in given.schedules[0].of("entry")] == [
            (KEYS[game][0], "piece"), (KEYS[game][1], "between"),
        ]  # fmt: skip
        assert sorted(key for key, _ in given.played()) == sorted(key for key, _ in meant.played())
