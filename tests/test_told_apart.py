"""Entries that a constant tells from others in the same list: what has another value is something else."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from conftest import Made, clip, edit

RULES = """takes = {several = false}
---
[install]
folder = ""
lay = "over"
[[document]]
path = "%s"
mode = "merge"
match = ["type"]
"""
SAID = '\n[[sound]]\nkey = "weir"\ntakes = ["c1.wav"]\n\n[[sound]]\nkey = "cog"\nnew = true\ntakes = ["c2.wav"]\n'
CASES = {
    "all.json": (
        '{"all": [{"type": "noise", "id": "@key@", "wav": "@file@"}]}\n',
        '{"all": [{"type": "noise", "id": "weir", "wav": "o.wav"}, {"type": "picture", "id": "mill", "wav": "p.png"},'
        ' {"id": "plain", "wav": "q.wav"}]}\n',
        ', {"type": "noise", "id": "cog", "wav": "own/cog.wav"}',
    ),
    "all.xml": (
        '<all>\n  <one type="noise" id="@key@" wav="@file@"/>\n</all>\n',
        '<all>\n  <one type="noise" id="weir" wav="o.wav"/>\n  <one type="picture" id="mill" wav="p.png"/>\n</all>\n',
        '\n  <one type="noise" id="cog" wav="own/cog.wav"/>',
    ),
}


@pytest.mark.parametrize("name", CASES)
def test_only_those_that_match_are_sounds(tmp_path: Path, name: str) -> None:
    exemplar, own, added = CASES[name]
    game = Made(tmp_path, "mill", RULES % name, {f"tree/{name}": exemplar, "tree/own/@key@.wav": ""}, {name: own})
    game.start(SAID, keys=1)
    text = (game.build() / name).read_text()
    assert added in text
    assert text.replace(added, "").replace("own/weir.wav", "o.wav") == own
    assert game.run("install", cwd=game.own).code == 0
    assert game.run("restore", cwd=game.own).code == 0
    assert (tmp_path / "game" / name).read_text() == own


def test_a_name_that_no_entry_has_is_a_slip(tmp_path: Path) -> None:
    tree = {"tree/all.json": CASES["all.json"][0], "tree/own/@key@.wav": ""}
    game = Made(tmp_path, "mill", RULES.replace('"type"', '"typ"') % "all.json", tree, {})
    done = game.run("games", "check", game.profile)
    assert done.code == 1
    assert "game.toml:" in done.err
    assert 'no entry has a value named "typ"' in done.err
    assert "did you mean type?" in done.err


def test_alternatives_are_told_apart(tmp_path: Path) -> None:
    tree = {
        "tree/all.json": '{"all": [{"type": "noise", "id": "@key@", "wav": "@file@"},'
        ' {"type": "song", "id": "@key@", "wav": "@file@", "slow": "@far@"}]}\n',
        "tree/own/@key@.wav": "",
    }
    own = {"all.json": '{"all": [{"type": "song", "id": "weir", "wav": "o.wav"}, {"type": "dial", "id": "mill"}]}\n'}
    game = Made(tmp_path, "mill", RULES % "all.json", tree, own)
    game.start(SAID.replace('["c2.wav"]', '["c2.wav"]\nfar = 3'), keys=1)
    said = json.loads((game.build() / "all.json").read_text())["all"]
    assert {one["id"]: (one["type"], one.get("slow")) for one in said} == {
        "weir": ("song", None), "mill": ("dial", None), "cog": ("song", 3),
    }  # fmt: skip


LISTED = '{"noises": [{"called": ["@key@"], "loud": "@volume@", "files": ["@file@"]}]}\n'
IN_LISTS = """{"noises": [
  {"called": ["gong", "bell", "chime"], "loud": 0.5, "files": ["a.wav"]},
  {"called": ["horn"], "files": []}
]}
"""
JOINED = '<a>\n  <n id="@key~joined(, )@" loud="@volume@"><f>@file@</f></n>\n</a>\n'
IN_TEXTS = """<a>
  <n id="gong, bell, chime" loud="0.5"><f>a.wav</f></n>
  <n id="horn"><f>b.wav</f></n>
</a>
"""


@pytest.mark.parametrize(("name", "shape", "own"), [("n.json", LISTED, IN_LISTS), ("n.xml", JOINED, IN_TEXTS)])
def test_an_entry_with_several_keys_gives_one_away(tmp_path: Path, name: str, shape: str, own: str) -> None:
    rules = f'[install]\nfolder = ""\nlay = "over"\n[[document]]\npath = "{name}"\nmode = "merge"\n'
    tree = {f"tree/{name}": shape, "tree/mine/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "pier", rules, tree, {name: own})
    game.start('\n[[sound]]\nkey = "bell"\ntakes = ["c1.wav"]\n\n[[sound]]\nkey = "horn"\ntakes = ["c2.wav"]\n', keys=4)
    before = own.partition("bell")[0]
    text = (game.build() / name).read_text()
    assert text.startswith(before.removesuffix('"'))  # up to the name that is gone, no byte has changed
    assert "bell" not in text.splitlines()[1]
    assert "chime" in text.splitlines()[1]
    assert game.run("install", cwd=game.own).code == 0
    path = tmp_path / "game" / name
    assert path.read_text() == text
    (tmp_path / "game" / name).write_text(text.replace("gong", "gongs"))  # somebody goes on with it
    assert game.run("restore", "--keep-theirs", cwd=game.own).code == 0
    assert "mine/" not in path.read_text()
    harvested = game.run("keys", "harvest", tmp_path / "game", "--game", game.profile, "--json")
    assert json.loads(harvested.out)["keys"] == 4
    for key, file in (("gongs", "a.wav"), ("bell", "a.wav"), ("chime", "a.wav")):
        shown = game.run("keys", key, "--game", game.profile, "--json")
        assert file in shown.out


DOORS = """<doors>
  <door name="barn" opens="creak" opens-loud="1" shuts="thud" shuts-loud="0.5"/>
  <door name="gate" opens="squeal" opens-loud="1" shuts="creak" shuts-loud="1"/>
</doors>
"""


def test_an_entry_that_names_several_keys_in_several_roles(tmp_path: Path) -> None:
    rules = RULES.replace('match = ["type"]', "") % "doors.xml"
    both = '<doors>\n  <door opens="@key@" opens-loud="@volume@"/>\n  <door shuts="@key@" shuts-loud="@volume@"/>\n</doors>\n'
    tree = {"tree/doors.xml": both, "tree/own/@key@.wav": ""}
    game = Made(
        tmp_path,
        "mill",
        rules,
        tree,
        {"doors.xml": DOORS, **{f"own/{one}.wav": "" for one in ("creak", "thud", "squeal")}},
    )
    said = SAID.replace("weir", "thud").replace('takes = ["c1', 'volume = 0.75\ntakes = ["c1')
    game.start(said, keys=3)
    new = '\n  <door opens="cog"/>'
    text = (game.build() / "doors.xml").read_text()
    assert text.replace(new, "") == DOORS.replace('"0.5"', '"0.75"')
    assert game.run("install", cwd=game.own).code == 0
    assert game.run("restore", cwd=game.own).code == 0
    assert (tmp_path / "game/doors.xml").read_text() == DOORS
    edit(game.own, 'key = "thud"', 'key = "creak"')  # which two doors have, in two roles
    doors = ET.fromstring((game.build() / "doors.xml").read_text())
    loud = {(one.get(of), one.get(f"{of}-loud")) for one in doors for of in ("opens", "shuts")}
    assert loud >= {("creak", "0.75"), ("thud", "0.5"), ("squeal", "1")}
    assert len([one for one in loud if one[0] == "creak"]) == 1
    one = both.replace('/>\n  <door shuts="@key@"', ' shuts="@key@"').replace(' shuts-loud="@volume@"', "")
    (game.profile / "tree/doors.xml").write_text(one)
    ran = game.run("keys", "harvest", tmp_path / "game", "--game", game.profile)
    assert "2 values differ from what stands elsewhere in the entry" in ran.out + ran.err


def test_a_pack_s_entry_with_several_keys_is_adopted_whole(tmp_path: Path) -> None:
    tree = {"tree/n.json": LISTED, "tree/mine/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "pier", "", tree, {})
    (tmp_path / "pack/mine").mkdir(parents=True)
    (tmp_path / "pack/n.json").write_text('{"noises": [{"called": ["gong", "bell"], "files": ["mine/x.wav"]}]}\n')
    clip(tmp_path / "pack/mine/x.wav", 3)
    made = game.run("adopt", tmp_path / "pack", "--game", game.profile, "--to", tmp_path / "again", cwd=tmp_path)
    assert "2 sound keys" in made.out
    assert "bell does not come back" not in made.out + made.err
