"""What a game's own documents tell besides its keys: its events, areas and states, and which kind a key is of."""

from __future__ import annotations

import json
import re
from pathlib import Path

from conftest import Made

TREE = {
    "tree/happenings.json": '{"happenings": [{"at": "@trigger.event@"}]}\n',
    "tree/quays.json": '["@trigger.where@"]\n',
    "tree/rings.json": '{"rings": [\n  {"when": "@trigger.event@", "on": "@trigger.where@", "noise": "@trigger.key@"}\n]}\n',
    "tree/noises.json": '{"noises": [\n  {"id": "@key@", "wav": "@file@"}\n]}\n',
    "tree/songs.json": '{"songs": [\n  {"id": "@key@", "wav": "@file@"}\n]}\n',
    "tree/@pack.name@/@key@.wav": "",
}
RULES = """takes = {several = false}
---
[[kind]]
name = "song"
rate = 44100
[[document]]
path = "happenings.json"
mode = "known"
[[document]]
path = "quays.json"
mode = "known"
[[document]]
path = "noises.json"
mode = "merge"
[[document]]
path = "songs.json"
mode = "merge"
kinds = ["song"]
"""
OWN = {
    "happenings.json": '{"happenings": [{"at": "dusk"}, {"at": "high tide"}]}',
    "quays.json": '["north", "south"]',
    "noises.json": '{"noises": [\n  {"id": "weir", "wav": "o/weir.wav"}\n]}\n',
    "songs.json": '{"songs": [\n  {"id": "shanty", "wav": "o/shanty.wav"}\n]}\n',
}
SAID = """
[[sound]]
key = "shanty"
takes = ["c1.wav"]

[[trigger]]
name = "evening"
event = "high tide"
where = "north"
key = "shanty"
"""


def test_events_and_areas_of_the_game_are_known(tmp_path: Path) -> None:
    game = Made(tmp_path, "lock", RULES, TREE, OWN)
    game.start(SAID, keys=2)
    listed = game.run("keys", "--events", "--game", game.profile, "--json")
    assert json.loads(listed.out) == {"event": ["dusk", "high tide"], "where": ["north", "south"]}
    assert "high tide" in game.run("keys", "--events", "tide", "--game", game.profile).out
    pack = game.build()
    assert not (pack / "happenings.json").exists()
    assert 'no event "high tied"' in game.refused("high tide", "high tied")
    assert "did you mean north" in game.refused('"north"', '"nort"')


def test_the_document_of_a_key_tells_its_kind(tmp_path: Path) -> None:
    game = Made(tmp_path, "lock", RULES, TREE, OWN)
    game.start(SAID, keys=2)
    keys = json.loads(game.run("keys", "--game", game.profile, "--json").out)
    assert {one["key"]: one["document"] for one in keys} == {"weir": "noises.json", "shanty": "songs.json"}
    plan = json.loads(game.run("build", "--dry-run", "--json", cwd=game.own).out)
    becomes = {file["path"]: file.get("becomes", "") for file in plan["files"]}
    assert "44.1" in becomes["my-own/shanty.wav"] or "44100" in becomes["my-own/shanty.wav"]


def test_versions_of_a_game_may_share_a_number(tmp_path: Path) -> None:
    tree = {
        "tree/label.json": '{"for": "@game.version~table(formats)@"}\n', "tree/about.json": '{"game": "@game.version@"}\n',
        "tree/noises.json": '{"noises": [\n  {"id": "@key@", "wav": "@file@"}\n]}\n', "tree/wav/@key@.wav": "",
    }  # fmt: skip
    rules = 'takes = {several = false}\n---\n[tables.formats]\n"1.1" = "8"\n"1.*" = "7"\n'
    game = Made(tmp_path, "lock", rules, tree, {})
    game.start('\n[[sound]]\nkey = "weir"\nnew = true\ntakes = ["c1.wav"]\n')
    file = game.own / "ichnos.toml"
    for version, number in (("1.1", "8"), ("1.0", "7")):
        file.write_text(re.sub('game-version = ".*"', f'game-version = "{version}"', file.read_text("utf-8")), "utf-8")
        pack = game.build()
        assert json.loads((pack / "label.json").read_text()) == {"for": number}
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path).code == 0
    assert 'game-version = "1.0"' in (tmp_path / "theirs/ichnos.toml").read_text("utf-8")
