"""Where a game keeps its sounds is not where a pack does: other paths, archives, links, folders outside of the game."""

from __future__ import annotations

import json
import os
import re
import shutil
import zipfile
from pathlib import Path

import pytest

from conftest import Made, clip, edit

PATHS = """takes = {several = false}
---
[modes]
replace = "by-path"
new = false
[catalogue]
folder = "rooms"
archives = ["rooms/*/spare.box"]
[catalogue.paths]
"**/noises/@path@.wav" = "noises/@path@.wav"
"*/spare.box/@path@.wav" = "noises/@path@.wav"
[names]
separator = "/"
[install]
folder = "rooms"
lay = "over"
"""


def _game(folder: Path) -> Made:
    """Noises in two rooms, in an archive with an extension of its own, and in a folder that a link leads to."""
    game = Made(folder, "mill", PATHS, {"tree/noises/@key@.wav": ""}, {})
    rooms = folder / "game" / "rooms"
    for number, path in enumerate(("loft/noises/sack.wav", "cellar/deep/noises/water/drip.wav", "../../far/gull.wav")):
        (rooms / path).parent.mkdir(parents=True, exist_ok=True)
        clip(rooms / path, 3 + number)
    with zipfile.ZipFile(rooms / "loft" / "spare.box", "w") as archive:
        archive.write(rooms / "loft/noises/sack.wav", "cog.wav")
    (rooms / "yard").mkdir()
    (rooms / "yard" / "noises").symlink_to(folder / "far")
    (rooms / "yard" / "again").symlink_to(rooms)  # which leads round and round
    return game


@pytest.mark.skipif(os.name == "nt", reason="links need a privilege there")
def test_keys_are_found_in_other_folders_archives_and_behind_links(tmp_path: Path) -> None:
    game = _game(tmp_path)
    game.start('\n[[sound]]\nkey = "water/drip"\ntakes = ["c1.wav"]\n', keys=4)
    listed = json.loads(game.run("keys", "--game", game.profile, "--json").out)
    assert {one["key"]: one["seconds"] for one in listed} == dict.fromkeys(("sack", "water/drip", "gull", "cog"), 0.1)
    pack = game.build()
    assert (pack / "noises/water/drip.wav").is_file()
    replaced = tmp_path / "game/rooms/cellar/deep/noises/water/drip.wav"
    before = replaced.read_bytes()
    done = game.run("install", cwd=game.own)
    assert done.code == 0, done.err
    assert "rooms/cellar/deep/noises/water/drip.wav" in done.out
    assert replaced.read_bytes() == (pack / "noises/water/drip.wav").read_bytes() != before
    assert game.run("restore", cwd=game.own).code == 0
    assert replaced.read_bytes() == before
    with zipfile.ZipFile(tmp_path / "game/rooms/loft/spare.box", "a") as archive:  # an update of the game
        archive.write(replaced, "wheel.wav")
    assert "wheel" in game.run("keys", "wheel", cwd=game.own).out
    (tmp_path / "game/rooms/loft/spare.box").write_bytes(b"PK is not all")
    harvested = game.run("keys", "harvest", tmp_path / "game", "--game", game.profile)
    assert "rooms/loft/spare.box: this is not a whole zip archive" in harvested.out + harvested.err


def test_nothing_is_merged_into_an_archive(tmp_path: Path) -> None:
    rules = """takes = {several = false}
---
[catalogue]
folder = "data/base.box"
archives = ["data/*.box"]
[install]
folder = "packs"
[[document]]
path = "noises.json"
mode = "merge"
"""
    tree = {"tree/noises.json": '{"noises": [{"id": "@key@", "wav": "@file@"}]}\n', "tree/@pack.name@/@key@.wav": ""}
    game = Made(tmp_path, "mill", rules, tree, {"packs/here": ""})
    (tmp_path / "game/data").mkdir()
    with zipfile.ZipFile(tmp_path / "game/data/base.box", "w") as archive:
        archive.writestr("noises.json", '{"noises": [{"id": "weir", "wav": "o/weir.wav"}]}')
    game.start('\n[[sound]]\nkey = "weir"\ntakes = ["c1.wav"]\n', keys=1)
    pack = game.build()
    assert json.loads((pack / "noises.json").read_text())["noises"] == [{"id": "weir", "wav": "my-own/weir.wav"}]
    done = game.run("install", cwd=game.own)
    assert done.code == 1
    assert "noises.json lies in the game's archive data/base.box, and nothing can be merged into that" in done.err


ROOTS = """takes = {several = false}
---
[roots]
player = "the player's own folder"
[install]
root = "player"
folder = "noise-sets"
[[install.lists]]
path = "order.txt"
line = "@pack.name@"
[[document]]
path = "noises.json"
mode = "merge"
"""


def test_packs_go_into_a_folder_outside_of_the_game(tmp_path: Path) -> None:
    tree = {"tree/noises.json": '{"noises": [{"id": "@key@", "wav": "@file@"}]}\n', "tree/@pack.name@/@key@.wav": ""}
    own = {"noises.json": '{"noises": [{"id": "weir", "wav": "o/weir.wav"}, {"id": "cog", "wav": "o/cog.wav"}]}\n'}
    game = Made(tmp_path, "mill", ROOTS, tree, own)
    game.start('\n[[sound]]\nkey = "weir"\ntakes = ["c1.wav"]\n', keys=2)
    pack = game.build()
    player = tmp_path / "player"
    player.mkdir()
    (player / "order.txt").write_bytes(b"other\n")
    done = game.run("install", cwd=game.own)
    assert done.code == 2
    assert "where is the player's own folder?" in done.err
    assert 'player = "..." under [roots] in ichnos.local.toml' in done.err
    local = game.own / "ichnos.local.toml"
    local.write_text(local.read_text() + '\n[roots]\nplyer = "../player"\n')
    said = game.run("install", cwd=game.own).err
    assert re.search(r"ichnos.local.toml:5:1: .*no folder plyer", said), said
    assert "did you mean player?" in said
    local.write_text(local.read_text().replace("plyer", "player"))
    pack = game.build()
    assert "ichnos install" in game.run("status", cwd=game.own).out
    assert game.run("install", cwd=game.own).code == 0
    assert json.loads((player / "noise-sets/my-own/noises.json").read_text())["noises"] == [
        {"id": "weir", "wav": "my-own/weir.wav"}, {"id": "cog", "wav": "o/cog.wav"},
    ]  # fmt: skip
    assert (player / "noise-sets/my-own/my-own/weir.wav").read_bytes() == (pack / "my-own/weir.wav").read_bytes()
    assert (player / "order.txt").read_bytes() == b"other\nmy-own\n"
    assert (tmp_path / "game/noises.json").read_text() == own["noises.json"]
    assert str(player) in game.run("installed").out
    assert game.run("restore", cwd=game.own).code == 0
    assert sorted(path.name for path in player.rglob("*")) == ["order.txt"]
    assert (player / "order.txt").read_bytes() == b"other\n"


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ('root = "player"', 'root = "plyer"', '"plyer" is none of [roots]'),
        ("[roots]", '[catalogue.paths]\n"a/@one@.wav" = "@two@.wav"\n[roots]', "@two@ of @two@.wav does not stand in"),
        (
            "[roots]",
            '[catalogue.paths]\n"a/*.wav" = "b/*.wav"\n[roots]',
            "only the path on the left may have a *, and b/*.wav has one",
        ),
    ],
)
def test_slips_in_where_things_are_are_told(tmp_path: Path, old: str, new: str, told: str) -> None:
    tree = {"tree/noises.json": '{"noises": [{"id": "@key@", "wav": "@file@"}]}\n', "tree/@pack.name@/@key@.wav": ""}
    game = Made(tmp_path, "mill", ROOTS.replace(old, new), tree, {})
    checked = game.run("games", "check", game.profile)
    assert checked.code == 1
    assert told in checked.err
    assert "game.toml:" in checked.err


SET = """takes = {several = false}
---
[roots]
player = "the player's own folder"
[modes]
replace = "by-path"
[catalogue]
folder = "share/noises/base"
[catalogue.paths]
"stereo/@path@.oga" = "stereo/@path@.wav"
[install]
root = "player"
folder = "noises"
[[document]]
path = "index.set"
format = "ini"
"""


def test_a_set_of_noises_that_inherits_another(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    tree = {
        "tree/index.set": "[Noise Set]\nName=@pack.title@\nName[@language@]=@pack.title@\nInherits=base\n",
        "tree/stereo/@key@.wav": "",
    }
    game = Made(tmp_path, "sett", SET, tree, {"share/noises/base/index.set": "[Noise Set]\nName=Base\n"})
    (tmp_path / "game/share/noises/base/stereo").mkdir()
    for name in ("bell", "dial"):
        clip(tmp_path / f"game/share/noises/base/stereo/{name}.oga", 3)
    rules = game.profile / "game.toml"
    rules.write_text(rules.read_text().replace('replace = "by-path"\n', ""))
    told = game.run("keys", "harvest", tmp_path / "game", "--game", game.profile).err
    assert (
        "no document of the profile has keys; where they are the names of the game's sound files, say replace =" in told
    )
    rules.write_text(rules.read_text().replace("[modes]\n", '[modes]\nreplace = "by-path"\n'))
    game.start('\n[[sound]]\nkey = "bell"\ntakes = ["c1.wav"]\n', keys=2)
    (tmp_path / "home/share").mkdir(parents=True)
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    monkeypatch.setenv("USERPROFILE", str(tmp_path / "home"))
    local = game.own / "ichnos.local.toml"
    local.write_text(local.read_text() + '\n[roots]\nplayer = "~/share"\n')
    text = (game.own / "ichnos.toml").read_text("utf-8")
    (game.own / "ichnos.toml").write_text(text.replace('"My own"', '{en = "My own", de = "Meins"}', 1), "utf-8")
    game.build()
    assert game.run("install", cwd=game.own).code == 0
    there = tmp_path / "home/share/noises/my-own"
    assert (there / "index.set").read_text().splitlines()[1:] == [
        "Name=My own", "Name[en]=My own", "Name[de]=Meins", "Inherits=base",
    ]  # fmt: skip
    assert (there / "stereo/bell.wav").is_file()
    assert "1. My own (my-own): 3 files" in game.run("installed").out
    assert game.run("restore", cwd=game.own).code == 0
    assert not [*(tmp_path / "home/share").rglob("*")]


@pytest.mark.skipif(os.name == "nt", reason="links need a privilege there")
def test_nothing_is_written_through_a_link(tmp_path: Path) -> None:
    rules = 'takes = {several = false}\n---\n[modes]\nreplace = "by-path"\n[install]\nfolder = ""\nlay = "over"\n'
    game = Made(tmp_path, "mill", rules, {"tree/noises/@key@.wav": ""}, {"noises/here": ""})
    clip(tmp_path / "weir.wav", 3)
    (tmp_path / "game/noises/weir.wav").symlink_to(tmp_path / "weir.wav")
    before = (tmp_path / "weir.wav").read_bytes()
    game.start('\n[[sound]]\nkey = "weir"\ntakes = ["c1.wav"]\n', keys=1)
    game.build()
    done = game.run("install", cwd=game.own)
    assert done.code == 1
    assert "a link stands here" in done.err
    assert (tmp_path / "game/noises/weir.wav").is_symlink()
    assert (tmp_path / "weir.wav").read_bytes() == before


ROOMS = """takes = {several = false}
---
[modes]
replace = "by-path"
[catalogue]
folder = "rooms"
[install]
folder = "packs"
"""


def test_a_game_is_not_taken_for_a_pack_nor_a_pack_for_the_game(tmp_path: Path) -> None:
    """A pack in one folder too many looks like the game, and nothing of it would be heard."""
    game = Made(tmp_path, "pier", ROOMS, {"tree/n/@key@@loop~yes-no(~,)=@.wav": ""}, {})
    (tmp_path / "game/rooms/n").mkdir(parents=True)
    clip(tmp_path / "game/rooms/n/bell.wav", 3)
    game.start('\n[[sound]]\nkey = "bell"\nloop = true\ntakes = ["c1.wav"]\n', keys=1)
    (game.own / "ichnos.toml").write_text(
        (game.own / "ichnos.toml").read_text()
        + '\n[[sound]]\nkey = "tide"\nnew = true\nloop = true\ntakes = ["c2.wav"]\n'
    )
    pack = game.build()  # a new sound that is known by its name is no file that nothing plays
    assert "no place for loop" not in game.run("build", cwd=game.own).err  # it is the mark in the file's name
    wrapped = tmp_path / "wrapped/rooms"
    shutil.copytree(pack, wrapped)
    checked = game.run("check", wrapped.parent, "--game", game.profile)
    assert checked.code == 1
    assert "file-unused" in checked.out
    assert "its name is not like n/@key@@loop@.wav" in checked.out
    theirs = shutil.copytree(pack, tmp_path / "theirs")
    (theirs / "n/tide~.wav").rename(theirs / "n/bel.wav")
    assert 'n/bel.wav: Pier has no key "bel"' in game.run("check", theirs, "--game", game.profile).out
    of_game = ("check", tmp_path / "game", "--game", game.profile)
    assert "no findings" in game.run(*of_game).out
    (tmp_path / "game/rooms/n/bell.wav").write_bytes(b"RIFF")
    assert "take-damaged" in game.run(*of_game).out


def test_a_pack_that_is_called_by_its_id_is_the_workspace_s_own(tmp_path: Path) -> None:
    game = Made(tmp_path, "pier", ROOMS, {"tree/n/@key@.wav": ""}, {"rooms/n/here": ""})
    toml = game.profile / "game.toml"
    toml.write_text(toml.read_text().replace('name = "@pack.name@"', 'name = "@pack.id@"'))
    clip(tmp_path / "game/rooms/n/bell.wav", 3)
    game.start('\n[[sound]]\nkey = "bell"\ntakes = ["c1.wav"]\n', keys=1)
    edit(game.own, "[pack]\n", '[pack]\nid = "My_Own"\n')
    game.build()
    assert game.run("install", cwd=game.own).code == 0
    assert (tmp_path / "game/packs/My_Own/n/bell.wav").is_file()
    assert game.run("build", cwd=game.own).code == 0  # its own keys are no neighbour's
    restored = game.run("restore", cwd=game.own)
    assert restored.code == 0, restored.err
    assert not (tmp_path / "game/packs").exists()
