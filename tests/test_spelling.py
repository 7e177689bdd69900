"""How values are spelled: in columns, only where another is said, with slashes guarded as the game has them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from conftest import Made, edit

RULES = """takes = {several = false}
---
[[document]]
path = "noises.txt"
format = "lines"
[[document]]
path = "words.txt"
format = "line-patterns"
"""
TREE = {
    "tree/noises.json": '{"noises": [\n  {"id": "@key@", "in": "a\\/b", "near": "@near~only-with(far)=2.0@", "far": "@far@", "wav": "@file@"}\n]}\n',
    "tree/noises.txt": "@key~wide(12)@= @volume~decimals(2)=1.00@\n",
    "tree/words.txt": "WORDS\n  @key~wide(12)@@title@\nEND\n",
    "tree/own/@key@.wav": "",
}
SAID = """
[[sound]]
key = "weir"
takes = ["c1.wav"]
title = "The old weir"
far = 30

[[sound]]
key = "cog"
takes = ["c2.wav"]
title = "Cog"
volume = 0.5
"""


def test_values_are_spelled_as_the_exemplar_is(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, {})
    game.start(SAID)
    pack = game.build()
    text = (pack / "noises.json").read_text()
    assert '"wav": "own\\/weir.wav"' in text
    assert json.loads(text)["noises"] == [
        {"id": "weir", "in": "a/b", "near": 2.0, "far": 30, "wav": "own/weir.wav"},
        {"id": "cog", "in": "a/b", "wav": "own/cog.wav"},
    ]
    assert (pack / "noises.txt").read_text() == "weir        = 1.00\ncog         = 0.50\n"
    assert (pack / "words.txt").read_text() == "WORDS\n  weir        The old weir\n  cog         Cog\nEND\n"
    edit(game.own, "far = 30", "near = 3")
    done = game.run("build", cwd=game.own)
    assert done.code == 1
    assert "far" in done.err
    assert "near" in done.err


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("~only-with(far)", "~only-with(fra)", "which other field?"),
        ("~wide(12)@=", "~wide(x)@=", "how many characters?"),
        ("@key~wide(12)@@title@", "@key@@title@", "two holes stand one behind the other"),
    ],
)
def test_slips_in_spelling_are_told(tmp_path: Path, old: str, new: str, told: str) -> None:
    tree = {name: text.replace(old, new) for name, text in TREE.items()}
    game = Made(tmp_path, "mill", RULES, tree, {})
    assert told in game.run("games", "check", game.profile).err


def test_a_value_longer_than_its_column_is_refused(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, {})
    game.start(SAID.replace('"weir"', '"weir.of.the.mill"'))
    done = game.run("build", cwd=game.own)
    assert done.code == 1
    assert '"weir.of.the.mill" does not fit into a column of 12 characters' in done.err


def test_files_stand_at_two_paths(tmp_path: Path) -> None:
    rules = RULES + '[copies]\n"own/@path@.wav" = "small/@path@.wav"\n"noises.txt" = "old/noises.txt"\n'
    game = Made(tmp_path, "mill", rules, TREE, {})
    game.start(SAID)
    pack = game.build()
    for name, copy in (("own/weir.wav", "small/weir.wav"), ("noises.txt", "old/noises.txt")):
        assert (pack / name).read_bytes() == (pack / copy).read_bytes()
    back = game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "back")
    assert back.code == 0, back.out + back.err
    assert "Nothing differs" in back.out
    assert "old/noises.txt" not in (tmp_path / "back/ichnos.toml").read_text("utf-8")
    (pack / "small/weir.wav").write_bytes((pack / "own/cog.wav").read_bytes())
    (pack / "old/noises.txt").unlink()
    told = game.run("check", pack, cwd=game.own).out
    assert "this game wants own/weir.wav here, too, and small/weir.wav is another file" in told
    assert "this game wants noises.txt here, too, and old/noises.txt is not here" in told
