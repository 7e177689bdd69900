"""Files that keep their own names: path = for a take, part-paths, adopt --keep-names."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from conftest import Made, edit

TREE = {
    "tree/noises.json": '{"noises": [{"id": "@key@", "wavs": ["@file@"], "parts": {"@part.name@": "@part.file@"}}]}\n',
    "tree/own/@pack.name@/@key@-@take.number@.wav": "",
    "tree/own/@pack.name@/@key@-@part.name@.wav": "",
}
RULES = 'takes = {several = true}\nparts = {names = ["intro", "body"]}\n---\n'
SAID = """
[[sound]]
key = "weir"
takes = [{clip = "c1.wav", path = "wet/deep/Weir Low"}, "c2.wav"]

[[sound]]
key = "tune"
parts = {intro = "c3.wav", body = "c4.wav"}
part-paths = {intro = "tunes/first.wav"}
"""


def _files(pack: Path) -> dict[str, list[str]]:
    noises = json.loads((pack / "noises.json").read_text())["noises"]
    return {one["id"]: [*one.get("wavs", ()), *one.get("parts", {}).values()] for one in noises}


def test_files_keep_their_own_names(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, {})
    game.start(SAID)
    pack = game.build()
    named = {
        "weir": ["wet/deep/Weir Low.wav", "own/my-own/weir-2.wav"],
        "tune": ["tunes/first.wav", "own/my-own/tune-body.wav"],
    }
    assert _files(pack) == named
    assert all((pack / file).is_file() for files in named.values() for file in files)
    for words, same in (((), False), (("--keep-names",), True)):
        back = tmp_path / f"back{len(words)}"
        done = game.run("adopt", pack, "--game", game.profile, "--to", back, *words)
        assert done.code == 0, done.out + done.err
        assert ("--keep-names keeps these" in done.out) is not same
        assert (_files(Path(json.loads(game.run("build", "--json", cwd=back).out)["to"])) == named) is same
    edit(game.own, "tunes/first.wav", "wet/deep/weir low.wav")
    done = game.run("build", cwd=game.own)
    assert done.code == 1
    assert "ichnos.toml:" in done.err


@pytest.mark.parametrize("path", ["../out", "/etc/x", "a//b", "con/x"])
def test_a_path_stays_in_the_pack(tmp_path: Path, path: str) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, {})
    game.start(SAID)
    game.refused("wet/deep/Weir Low", path)
