"""Takes that are other keys: written, checked, circles found, played."""

from __future__ import annotations

import json
from pathlib import Path

from conftest import Made, run

DOCUMENT = """{"noises": [
  {"noise": "@key@", "plays": [{"wav": "@file@", "odds": "@weight@"}, {"noise": "@take.key@", "odds": "@weight@"}]}
]}
"""
TREE = {"tree/noises.json": DOCUMENT, "tree/mine/@key@-@take.number@.wav": ""}
SAID = """
[[sound]]
key = "gate"
new = true
takes = [{clip = "c1.wav", weight = 2}, {key = "latch"}, {key = "weir"}]

[[sound]]
key = "latch"
new = true
takes = ["c2.wav"]
"""
OWN = '{"noises": [\n  {"noise": "weir", "plays": [{"wav": "own/weir.wav"}]}\n]}\n'


def test_a_take_may_be_another_key(tmp_path: Path) -> None:
    game = Made(tmp_path, "lock", "", TREE, {"noises.json": OWN})
    game.start(SAID, keys=1)
    pack = game.build()
    gate, latch = json.loads((pack / "noises.json").read_text())["noises"]
    assert gate["plays"] == [{"wav": "mine/gate-1.wav", "odds": 2}, {"noise": "latch"}, {"noise": "weir"}]
    assert latch["plays"] == [{"wav": "mine/latch-1.wav"}]
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path).code == 0
    assert '{key = "latch"}' in (tmp_path / "theirs/ichnos.toml").read_text("utf-8")
    assert "did you mean weir" in game.refused('"weir"', '"wier"')
    circle = game.refused('takes = ["c2.wav"]', 'takes = [{key = "gate"}]')
    assert "gate plays itself: gate plays latch plays gate" in circle
    text = (pack / "noises.json").read_text()
    (pack / "noises.json").write_text(text.replace('{"noise": "weir"}', '{"noise": "wier"}'))
    checked = json.loads(run("check", pack, "--json", cwd=game.own).out)
    assert [one["id"] for one in checked["findings"]] == ["play-unknown"]


def test_another_key_is_heard_in_its_place(tmp_path: Path) -> None:
    game = Made(tmp_path, "lock", "", TREE, {})
    game.start(SAID.replace(', {key = "weir"}', "").replace('{clip = "c1.wav", weight = 2}, ', ""))
    game.build()
    heard = game.run("rehearse", "--json", cwd=game.own)
    assert heard.code == 0, heard.err + heard.out
    gate, latch = json.loads(heard.out)["sounds"]
    assert (gate["key"], gate["what"], gate["files"]) == ("gate", "latch", ["mine/latch-1.wav"])
    assert (latch["key"], latch["files"]) == ("latch", ["mine/latch-1.wav"])


def test_a_game_without_such_takes_refuses_them(tmp_path: Path) -> None:
    tree = {**TREE, "tree/noises.json": '{"noises": [{"noise": "@key@", "plays": ["@file@"]}]}\n'}
    game = Made(tmp_path, "lock", "", tree, {})
    game.start(SAID.replace(', {key = "weir"}', ""))
    done = run("build", cwd=game.own)
    assert (done.code, "Lock has no takes that are other keys" in done.err) == (1, True)
