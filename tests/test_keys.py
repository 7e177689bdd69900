"""The catalogue: harvested, kept, searched as people search, and used by a workspace."""

from __future__ import annotations

import csv
import io
import json
import os
import re
import shutil
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import LOCAL, edit, run
from ichnos.games import made_up
from ichnos.games.catalogues import library
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.profiles import loading, profile


@pytest.fixture
def game(workspace: Path) -> Path:
    folder = workspace.parent / "Tarnlight"
    result = run("keys", "harvest", folder, "--game", "tarnlight")
    assert "Tarnlight has 231 sound keys." in result.out
    assert "The originals of 2 could be read" in result.out
    return folder


def _keys(*words: str) -> list[dict[str, object]]:
    result = run("keys", *words, "--game", "tarnlight", "--json", "--most", "0")
    return list(json.loads(result.out)) if result.out else []


@pytest.mark.usefixtures("game")
def test_search_takes_words_in_any_order_and_forgives_slips() -> None:
    near_bells = {"shore-bell-near", "tower-bell-near", "boat-bell-near", "buoy-bell-near"}
    for words in (["bell", "near"], ["near", "BELL"], ["bel", "near"], ["beel", "neer"], ["signals", "bell", "near"]):
        assert {one["key"] for one in _keys(*words)} == near_bells, words
    assert len(_keys()) == 231
    nothing = run("keys", "zzzzzz", "--game", "tarnlight")
    assert (nothing.code, nothing.out) == (1, "")
    house = run("keys", "--game", "tarnlight", "--category", "house", "--csv", "--most", "0")
    rows = list(csv.DictReader(io.StringIO(house.out)))
    assert {row["category"] for row in rows} == {"house"}
    assert len(rows) == 30
    wrong = run("keys", "--game", "tarnlight", "--category", "hose")
    assert wrong.code == 2
    assert "creatures, house, keeper, signals, weather" in wrong.err


@pytest.mark.usefixtures("game")
def test_what_is_known_of_a_key() -> None:
    (bell,) = [one for one in _keys("tower", "bell") if one["key"] == "tower-bell-near"]
    assert bell == {
        "key": "tower-bell-near", "category": "signals", "takes": 1, "mentions": 1, "seconds": 2.0,
        "peak-dbfs": pytest.approx(-6.0, abs=0.6), "sound": "Ogg Vorbis, mono",
        "files": ["lore/audio/signals/tower-bell-near-1.ogg"], "document": "lore/log.json",
    }  # fmt: skip
    (locked,) = _keys("stove", "wound")
    assert locked["seconds"] is None  # the name counts, whatever it lies in
    used = [
        one["mentions"] for one in json.loads(run("keys", "--game", "tarnlight", "--sort", "mentions", "--json").out)
    ]
    assert used == sorted(used)
    assert used[0] == 0
    names = [one["key"] for one in json.loads(run("keys", "--game", "tarnlight", "--sort", "name", "--json").out)]
    assert names == sorted(names)
    lengths = [
        one["seconds"] for one in json.loads(run("keys", "--game", "tarnlight", "--sort", "length", "--json").out)
    ]
    assert lengths[:3] == [1.5, 2.0, None]


def test_the_catalogue_follows_the_game(game: Path) -> None:
    path = game / "base/lore/log.json"
    path.write_text(path.read_text().replace('"tower-bell-near"', '"tower-bell-cracked"'))
    os.utime(path, (1, 1))
    result = run("keys", "cracked", "--game", "tarnlight")
    assert "The game has changed" in result.err
    assert "tower-bell-cracked" in result.out
    assert run("keys", "cracked", "--game", "tarnlight").err == ""
    shutil.rmtree(game)
    gone = run("keys", "cracked", "--game", "tarnlight")
    assert "is gone" in gone.err
    assert "tower-bell-cracked" in gone.out


def test_a_zip_is_harvested_too(workspace: Path, tmp_path: Path) -> None:
    archive = shutil.make_archive(str(tmp_path / "game"), "zip", workspace.parent / "Tarnlight")
    dry = run("keys", "harvest", archive, "--game", "tarnlight", "--dry-run", "--json")
    assert json.loads(dry.out)["keys"] == 231
    assert "not known yet" in run("keys", "bell", "--game", "tarnlight").err
    edit(workspace, 'installation = "../Tarnlight"', "", LOCAL)
    run("keys", "harvest", archive, cwd=workspace)  # the workspace says which game
    assert run("keys", "bell", cwd=workspace).code == 0
    assert "no sound keys" in run("keys", "harvest", tmp_path, "--game", "tarnlight").err


@pytest.mark.usefixtures("game")
def test_a_workspace_uses_what_is_kept(workspace: Path, tmp_path: Path) -> None:
    run("start", tmp_path / "other", "--game", "tarnlight")
    clip = workspace / "clips/gull.ogg"
    result = run("assign", "tower-bel-near", clip, cwd=tmp_path / "other")
    assert "did you mean tower-bell-near" in result.err


def test_what_is_not_understood_is_named(workspace: Path) -> None:
    folder = workspace.parent / "Tarnlight"
    path = folder / "base/lore/log.json"
    lines = path.read_text().replace('"voice": "tower-bell-near"', '"voyce": "tower-bell-near"')
    path.write_text(lines.replace('"voice": "boat-bell-near"', '"VOICE": "boat-bell-near"'))
    (folder / "base/almanac.json").write_text('{"watch": [}')
    result = run("keys", "harvest", folder, "--game", "tarnlight")
    assert result.code == 0
    assert "Tarnlight has 229 sound keys." in result.out
    at = next(
        number for number, line in enumerate(path.read_text().splitlines(), 1) if "voyce" in line or '"VOICE"' in line
    )
    assert re.search(rf"2 entries fit no exemplar; the first is \S+log.json:({at}|{at - 1}):\d+: ", result.out)
    assert re.search(r"kept as it stands: hush \(\d+ times\)", result.out)
    assert "almanac.json:1:12: found '}'" in result.out


@pytest.mark.parametrize("name", ["ombervale", "quillmarsh", "vesper-yard", "open-pack"])
def test_every_made_up_game_is_harvested_whole(name: str, tmp_path: Path) -> None:
    sample = made_up.sample_of(profile.BUNDLED / name)
    assert sample
    made_up.lay_installation(sample, tmp_path / "game")
    counts = [
        len(group["words"][0]) * len(group["words"][1]) * (len(group["words"][2]) if len(group["words"]) > 2 else 1)
        for group in sample.values["installation"]["group"]
    ]
    result = json.loads(run("keys", "harvest", tmp_path / "game", "--game", name, "--json").out)
    assert (result["keys"], result["strays"]) == (sum(counts), 0)
    assert result["readable"] == len(sample.values["installation"]["sound"])


def test_a_workspace_that_knows_its_game_needs_no_harvest(workspace: Path) -> None:
    first = run("keys", "tower", "bell", cwd=workspace)
    assert "Reading " in first.err
    assert "tower-bell-near" in first.out
    assert run("keys", "tower", "bell", cwd=workspace).err == ""
    (workspace / "ichnos.toml").write_text("game = ")
    assert "error: ichnos.toml:1:" in run("keys", "tower", cwd=workspace).err


def test_words_that_fit_whole_come_first() -> None:
    library.save("mine", "mine", _catalogue("a.bellows", "a.bell", "bell.a", "other"))
    found, count = library.search("mine", ["bell"])
    assert ([entry.key for entry in found], count) == (["a.bell", "bell.a", "a.bellows"], 3)
    assert [entry.key for entry in library.search("mine", ["el"], most=1)[0]] == ["a.bell"]  # too short for the index


@pytest.mark.usefixtures("game")
@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("bell", "--sort", "rarest"), "keys cannot be sorted by 'rarest'"),
        (("bell", "--most", "ten"), "'ten' is no count"),
        (("bell", "--category", "sea"), 'no key has the category "sea"'),
        (("bell", "--game", "nowhere"), "nowhere"),
        (("bell", "--most"), "--most"),
        (("bell", "--mots", "3"), "--mots"),
    ],
)
def test_what_cannot_be_searched(words: tuple[str, ...], said: str, tmp_path: Path) -> None:
    result = run("keys", "--game", "tarnlight", *words, cwd=tmp_path)
    assert (result.code, result.out) == (2, "")
    assert said in result.err
    assert "Traceback" not in result.err


@pytest.mark.usefixtures("game")
@pytest.mark.parametrize("words", [("bell", "--most", "9" * 30), ("bell\udcff",), ('be"ll', "AND", "*"), ("bell\0",)])
def test_an_odd_search_costs_nobody_the_catalogue(words: tuple[str, ...], tmp_path: Path) -> None:
    result = run("keys", "--game", "tarnlight", *words, cwd=tmp_path)
    assert result.code in (0, 1)
    assert "Traceback" not in result.err
    assert len(_keys()) == 231


def _catalogue(*keys: str) -> Catalogue:
    nothing = [None] * len(keys)
    return Catalogue(
        keys=list(keys), categories=nothing, files=["x"] * len(keys), mentions=nothing, sounds=nothing,
        seconds=nothing, peaks=nothing, documents=nothing, kinds=nothing,
    )  # fmt: skip


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.text("ab.c\"'%_ é", min_size=1, max_size=8), min_size=1, max_size=12, unique=True),
    st.text("ab\"'%_*", min_size=1, max_size=4),
)
def test_a_word_is_found_wherever_it_is(keys: list[str], word: str) -> None:
    """Whatever the index makes of its letters."""
    library.save("mine", "mine", _catalogue(*keys))
    fitting = {key for key in keys if word in key}
    found = {entry.key for entry in library.search("mine", [word])[0]}
    assert found == fitting if fitting else not any(word in key for key in found)


def test_a_catalogue_belongs_to_its_profile(game: Path, workspace: Path, tmp_path: Path) -> None:
    """Another profile that calls itself the same has keys of its own, and each can be forgotten."""
    other = tmp_path / "other"
    shutil.copytree(profile.BUNDLED / "tarnlight", other)
    assert "not known yet" in run("keys", "bell", "--game", other).err
    path = game / "base/lore/log.json"
    path.write_text(path.read_text().replace('"tower-bell-near"', '"tower-bell-other"'))
    assert run("keys", "harvest", game, "--game", other).code == 0
    assert "tower-bell-other" in run("keys", "tower", "--game", other).out
    dry = json.loads(run("keys", "forget", "--game", other, "--dry-run", "--json").out)
    assert [one["keys"] for one in dry["forgotten"]] == [231]
    assert run("keys", "forget", "--game", other).out.startswith("forgot 231 keys")
    assert "not known yet" in run("keys", "bell", "--game", other).err
    assert run("keys", "bell", "--game", "tarnlight").code == 0
    assert run("keys", "forget", "--all").code == 0
    assert "not known yet" in run("keys", "bell", "--game", "tarnlight").err


def test_replacing_by_path_and_limits(workspace: Path, tmp_path: Path) -> None:
    """A game whose own files are replaced where they lie, with a limit on a pack's size."""
    folder = tmp_path / "paths"
    shutil.copytree(profile.BUNDLED / "tarnlight", folder)
    rules = (folder / "game.toml").read_text().replace("by-definition", "by-path").replace('"tarnlight"', '"paths"')
    (folder / "game.toml").write_text(rules + "\n[limits]\nmegabytes = 1\n")
    (workspace / "ichnos.toml").write_text(
        (workspace / "ichnos.toml").read_text("utf-8").replace('"tarnlight"', f'"{folder}"'), "utf-8"
    )
    plan = json.loads(run("build", "--dry-run", "--json", cwd=workspace).out)
    paths = {file["path"] for file in plan["files"]}
    assert "lore/audio/signals/tower-bell-near-1.ogg" in paths
    assert "lore/audio/storm-watch/lamp-draught-storm-1.ogg" in paths  # a new key has no place yet
    assert run("build", cwd=workspace).code == 0
    (folder / "game.toml").write_text(rules + "\n[limits]\nmegabytes = 0.1\nseconds = 4.5\n")
    too_long = run("build", cwd=workspace)
    assert "clips/draught.wav is 5.0 s long, and the game takes 4.5 s at most" in too_long.err
    (folder / "game.toml").write_text(rules + "\n[limits]\nmegabytes = 0.1\n")
    edit(workspace, 'title = "Storm watch"', 'title = "Larger"')
    too_large = run("build", cwd=workspace)
    assert too_large.code == 1
    assert "MB at most" in too_large.err


def test_a_file_in_another_encoding(tmp_path: Path) -> None:
    """What is text in UTF-8 as well is still read as the profile says."""
    folder = tmp_path / "own"
    shutil.copytree(profile.BUNDLED / "tarnlight", folder)
    encoding = '\n[[document]]\npath = "lore/log.json"\nencoding = "latin-1"\n'
    (folder / "game.toml").write_text((folder / "game.toml").read_text() + encoding)
    lore = tmp_path / "game/base/lore"
    lore.mkdir(parents=True)
    (lore / "log.json").write_bytes(
        '{"log": [{"page": "p", "heard": [{"voice": "bell-Â°", "odds": {"a.ogg": 1}}]}]}'.encode("latin-1")
    )
    assert harvest(loading.load(folder), tmp_path / "game").keys == ["bell-Â°"]
