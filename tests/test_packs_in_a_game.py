"""Several packs in one game, and a game that is changed or away: nothing of anybody's is lost without a word."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import Made, run
from test_install import workspace
from test_place import cues, lay, lay_all, tree


def put(folder: Path, name: str, *more: str) -> str:
    done = run("install", name, "--game", "profile", "--to", "game", *more, cwd=folder)
    assert done.code == 0, done.err
    return done.out + done.err


def refused(folder: Path, name: str, *more: str) -> str:
    before = tree(folder / "game")
    done = run("install", name, "--game", "profile", "--to", "game", *more, cwd=folder)
    assert done.code == 1, done.out
    assert tree(folder / "game") == before
    return done.err


def names_in_game() -> list[str]:
    return [one["name"] for game in json.loads(run("installed", "--json").out) for one in game["packs"]]


def test_of_a_game_that_is_away_only_the_named_pack_is_forgotten(tmp_path: Path) -> None:
    lay_all(tmp_path)
    for name in ("ash", "birch"):
        put(tmp_path, name)
    (tmp_path / "game").rename(tmp_path / "unmounted")
    listed = run("installed").out
    assert ("this folder is gone" in listed, "changed" in listed) == (True, False)
    assert "say --force" in run("restore", "birch").err
    dry = run("restore", "birch", "--force", "--dry-run")
    assert (dry.code, "say --force" in dry.out + dry.err) == (0, False)
    assert "would be forgotten" in dry.out
    lay(tmp_path / "own", {"ichnos.toml": '[pack]\nname = "ash"\n'})  # whose game is away
    assert "Ash" in run("restore", "--force", "--dry-run", cwd=tmp_path / "own").out.title()
    assert names_in_game() == ["ash", "birch"]
    assert json.loads(run("restore", "birch", "--force", "--json").out)["pack"] == "birch"
    assert names_in_game() == ["ash"]
    (tmp_path / "unmounted").rename(tmp_path / "game")
    assert names_in_game() == ["ash"]
    assert run("restore", "ash", "--force").code == 0
    assert (tmp_path / "game/base/scene.txt").read_text() == "own"


def test_a_pack_with_the_id_of_another_is_refused(tmp_path: Path, lay_tarnlight: Callable[..., Path]) -> None:
    game = lay_tarnlight(tmp_path)
    one = workspace(tmp_path, "one", "tarnlight", "tower-bell-near")
    two = workspace(tmp_path, "two", "tarnlight", "shore-foghorn-distant")
    own, copied = ((folder / "ichnos.toml").read_text().split('pack = "')[1].split('"')[0] for folder in (two, one))
    (two / "ichnos.toml").write_text((two / "ichnos.toml").read_text().replace(own, copied))
    assert run("install", cwd=one).code == 0
    before = tree(game)
    for words in (["build", "--install"], ["install", "--force"]):
        done = run(*words, cwd=two)
        assert done.code == 1
        assert f"{copied} of Two is also that of One (one), which is in the game" in done.err
        assert "ichnos restore one" in done.err
        assert tree(game) == before
    assert f"{copied} is also the id of One" in run("check", cwd=two).out
    assert run("install", cwd=one).code == 0  # the same pack goes in again
    assert names_in_game() == ["one"]


@pytest.fixture
def lay_tarnlight() -> Callable[..., Path]:
    from test_install import lay_game

    return lambda folder: lay_game(folder, "tarnlight")


def test_a_new_key_that_another_pack_has(tmp_path: Path, lay_tarnlight: Callable[..., Path]) -> None:
    lay_tarnlight(tmp_path)
    one, two = (workspace(tmp_path, name, "tarnlight", "tower-bell-near") for name in ("one", "two"))
    for folder in (one, two):
        assert run("assign", "my-own-wind", "0.wav", "--new", "--category", "weather", cwd=folder).code == 0
        assert run("build", cwd=folder).code == 0
    assert "key-taken" not in run("check", cwd=two).out
    assert run("install", cwd=one).code == 0
    found = json.loads(run("check", "--json", cwd=two).out)["findings"]
    assert [one["reason"] for one in found if one["id"] == "key-taken"] == [
        'One (one), which is in the game, has "my-own-wind", too'
    ]  # tower-bell-near is the game's, and both replace it
    done = run("install", cwd=two)
    assert (done.code, 'One (one) has "my-own-wind" already' in done.err) == (1, True)
    assert names_in_game() == ["one"]
    assert "that of two counts" in run("install", "--force", cwd=two).err
    assert run("install", cwd=two).code == 0  # it is settled
    assert "wins over one: tower-bell-near, my-own-wind" in run("installed").out


def test_a_new_entry_of_a_merged_file_that_another_pack_has(tmp_path: Path) -> None:
    lay_all(tmp_path)
    put(tmp_path, "birch")
    assert 'Birch (birch) has "both" already'.lower() in refused(tmp_path, "cedar").lower()
    put(tmp_path, "ash")  # "bell" is the game's own
    put(tmp_path, "cedar", "--force")
    assert "cedar-both" in (tmp_path / "game/base/cues.json").read_text()


FENLIGHT = """
[takes]
several = false
[install]
folder = "mods"
lay = "whole"
"""


def fenlight(folder: Path) -> Made:
    tree = {"mod.json": '{"called": "@pack.name@", "sounds": {"@key@": "@file@"}}', "snd/@key@.wav": ""}
    tree = {f"tree/{name}": text for name, text in tree.items()}
    game = Made(folder, "fenlight", FENLIGHT, tree, {"mod.json": '{"called": "", "sounds": {"bell": "own/bell.wav"}}'})
    (folder / "game/mods").mkdir()
    rules = folder / "fenlight/game.toml"
    rules.write_text(rules.read_text().replace('name = "@pack.name@"', 'name = "FAIR_@pack.name@"'))
    game.start('[[sound]]\nkey = "bell"\ntakes = ["c1.wav"]\n', keys=1)
    return game


def test_a_folder_of_a_name_that_is_only_alike_is_left_alone(tmp_path: Path) -> None:
    game = fenlight(tmp_path)
    built = game.build()
    theirs = tmp_path / "game/mods/fair_MY-own/notes.txt"
    theirs.parent.mkdir()
    if (tmp_path / "game/mods" / built.name).exists():
        pytest.skip("this disk takes both names for one")
    theirs.write_text("another author's")
    assert run("install", cwd=game.own).code == 0
    assert [path.name for path in theirs.parent.iterdir()] == ["notes.txt"]
    assert (tmp_path / "game/mods" / built.name / "mod.json").is_file()
    assert run("restore", cwd=game.own).code == 0
    assert [path.name for path in (tmp_path / "game/mods").iterdir()] == ["fair_MY-own"]


def test_a_workspace_knows_its_own_pack_with_a_prefix_as_folder_and_as_archive(tmp_path: Path) -> None:
    game = fenlight(tmp_path)
    built = game.build()
    rules = tmp_path / "fenlight/game.toml"
    for kind, suffix in (("folder", ""), ("archive", ".zip"), ("folder", "")):
        text = (
            rules.read_text()
            .replace('kind = "folder"', f'kind = "{kind}"')
            .replace('kind = "archive"', f'kind = "{kind}"')
        )
        rules.write_text(
            text.replace('@pack.name@.zip"', '@pack.name@"').replace(
                'name = "FAIR_@pack.name@"', f'name = "FAIR_@pack.name@{suffix}"'
            )
        )
        assert run("build", cwd=game.own).code == 0
        assert run("install", cwd=game.own).code == 0
        assert [one["latest"] for one in json.loads(run("status", "--json", cwd=game.own).out)["installed"]] == [True]
        assert names_in_game() == ["my-own"]
        assert [path.name for path in (tmp_path / "game/mods").iterdir()] == [f"{built.name}{suffix}"]
    assert run("restore", cwd=game.own).code == 0
    assert names_in_game() == []


def test_the_lower_pack_takes_nothing_from_the_upper_one_after_an_update(tmp_path: Path) -> None:
    lay_all(tmp_path)
    for name in ("ash", "birch"):
        put(tmp_path, name)
    scene = tmp_path / "game/base/scene.txt"
    scene.write_text("updated")
    put(tmp_path, "ash", "--force")
    (game,) = json.loads(run("installed", "--json").out)
    files = {one["name"]: one for one in game["packs"]}
    assert "base/scene.txt" in files["birch"]["files"]
    assert files["birch"]["changed"] == ["base/scene.txt"]  # as it is: the update lies there
    assert scene.read_text() == "updated"
    put(tmp_path, "birch", "--force")
    assert scene.read_text() == "birch"
    assert run("restore", "birch").code == 0
    assert scene.read_text() == "ash"
    assert run("restore", "ash").code == 0
    assert scene.read_text() == "updated"


WHOLE = """
[[document]]
path = "queue.list"
[[document]]
path = "words.txt"
format = "lines"
"""


def test_whole_lists_and_words_of_two_packs_go_together(tmp_path: Path) -> None:
    lay_all(tmp_path)
    lay(tmp_path / "profile/tree", {"queue.list": "@key@\n", "words.txt": "@key@ = @title@\n"})
    rules = tmp_path / "profile/game.toml"
    rules.write_text(rules.read_text().replace("[install]", WHOLE + "[install]", 1))
    lay(tmp_path / "game/base", {"queue.list": "bell\ngull\n", "words.txt": "bell = Bell\n"})
    before = tree(tmp_path / "game")
    for name in ("ash", "birch"):
        lay(
            tmp_path / name, {"queue.list": f"bell\ngull\n{name}\n", "words.txt": f"bell = Bell\n{name} = The {name}\n"}
        )
        put(tmp_path, name)
    base = tmp_path / "game/base"
    assert (base / "queue.list").read_text().splitlines() == ["bell", "gull", "ash", "birch"]
    assert (base / "words.txt").read_text().splitlines() == ["bell = Bell", "ash = The ash", "birch = The birch"]
    assert "words.txt" not in run("installed").out
    assert run("restore", "ash").code == 0
    assert (base / "words.txt").read_text().splitlines() == ["bell = Bell", "birch = The birch"]
    put(tmp_path, "ash")
    assert run("restore", "birch").code == 0
    assert (base / "words.txt").read_text().splitlines() == ["bell = Bell", "ash = The ash"]
    assert run("restore", "ash").code == 0
    assert tree(tmp_path / "game") == before


def test_a_whole_file_that_nobody_can_bring_together_is_told(tmp_path: Path) -> None:
    lay_all(tmp_path)
    assert "over ash's, which comes back" in put(tmp_path, "ash") + put(tmp_path, "birch")
    lay(tmp_path / "profile/tree", {"scene.txt": "the same in every pack"})
    checked = json.loads(run("check", "ash", "birch", "--game", "profile", "--json", cwd=tmp_path).out)
    found = [(one["id"], one["file"]) for one in checked["together"]]
    assert ("file-shadowed", "scene.txt") in found


NOTED = """    { "id": "bell", "src": "wav/ash-bell.wav" },
    { "id": "gull", "src": "own/gull.wav" },
    { "id": "frog", "src": "own/frog.wav" },
    // mine: louder than the frog
    { "id": "ash", "src": "wav/ash-ash.wav" }
"""


def test_a_comment_above_a_packs_entry_stays(tmp_path: Path) -> None:
    lay_all(tmp_path)
    put(tmp_path, "ash")
    file = tmp_path / "game/base/cues.json"
    text = file.read_text()
    file.write_text(text.replace('    { "id": "ash"', '    // mine: louder than the frog\n    { "id": "ash"'))
    assert NOTED in file.read_text()
    shutil.copytree(tmp_path / "ash", tmp_path / "again/ash")
    lay(tmp_path / "again/ash", {"more.txt": "a new edition"})
    put(tmp_path, "again/ash")
    assert NOTED in file.read_text()  # renewed, and still above it
    assert run("restore", "ash").code == 0
    left = file.read_text()
    assert "// mine: louder than the frog" in left
    assert json.loads("\n".join(line.partition("//")[0] for line in left.splitlines())) == json.loads(
        cues({"bell": "own/bell.wav", "gull": "own/gull.wav", "frog": "own/frog.wav"}).replace("// of the year", "")
    )
