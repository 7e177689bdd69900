"""Things that stand in pieces: a list here and a list there, of one document, for any kind of thing."""

from __future__ import annotations

import json
from pathlib import Path

from conftest import Made, edit

TREE = {
    "tree/mill.json": """{
  "sails": [
    {"sail": "@prop.name@", "plays": "@prop.key@"}
  ],
  "words": [
    {"of": "@prop.name@", "says": "@prop.title@"}
  ],
  "desk": [
    {"channel": "@channel.name@", "gain": "@channel.gain@"}
  ],
  "lamps": [
    {"channel": "@channel.name@", "lamp": "@channel.lamp@"}
  ],
  "noises": [
    {"id": "@key@", "wav": "@file@"}
  ]
}
""",
    "tree/own/@key@.wav": "",
}
RULES = """takes = {several = false}
---
[[thing]]
name = "channel"
about = "a channel of the mixing desk"
[[field]]
of = "channel"
name = "gain"
kind = "number"
about = "how loud"
[[field]]
of = "channel"
name = "lamp"
about = "its lamp"
[[document]]
path = "mill.json"
mode = "merge"
"""
OWN = {
    "mill.json": """{
  "sails": [ {"sail": "old", "plays": "weir"} ],
  "words": [ {"of": "old", "says": "The old sail"} ],
  "desk": [ {"channel": "yard", "gain": 1} ],
  "lamps": [ {"channel": "yard", "lamp": "red"} ],
  "noises": [ {"id": "weir", "wav": "o/weir.wav"} ]
}
"""
}
SAID = """
[[sound]]
key = "cog"
new = true
takes = ["c1.wav"]

[[prop]]
name = "crank"
title = "The crank"
key = "cog"

[[prop]]
name = "rope"
title = "A rope"
key = "weir"

[[channel]]
name = "loft"
gain = 0.5
lamp = "green"

[[channel]]
name = "cellar"
gain = 2
"""


def test_any_thing_may_stand_in_pieces(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, OWN)
    game.start(SAID, keys=1)
    pack = game.build()
    said = json.loads((pack / "mill.json").read_text())
    assert [one["sail"] for one in said["sails"]] == ["old", "crank", "rope"]
    assert {one["of"]: one["says"] for one in said["words"]} == {
        "old": "The old sail", "crank": "The crank", "rope": "A rope",
    }  # fmt: skip
    assert {one["channel"]: one["gain"] for one in said["desk"]} == {"yard": 1, "loft": 0.5, "cellar": 2}
    assert {one["channel"]: one.get("lamp") for one in said["lamps"]} == {
        "yard": "red",
        "loft": "green",
        "cellar": None,
    }
    assert game.run("install", "--to", tmp_path / "game", cwd=game.own).code in (0, 1)
    back = game.run(
        "adopt", pack, "--game", game.profile, "--installation", tmp_path / "game", "--to", tmp_path / "back"
    )
    assert back.code == 0, back.out + back.err
    assert "Nothing differs" in back.out
    edit(game.own, 'title = "A rope"', 'title = "A long rope"')
    assert "A long rope" in (game.build() / "mill.json").read_text()
