"""Entries that a constant tells from others in the same list: what has another value is something else."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from conftest import Made

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
