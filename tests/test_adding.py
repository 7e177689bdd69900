"""Definitions that add their takes to the game's, and do not replace them: heard by all who look at a pack."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from conftest import Made, clip, edit

RULES = """takes = {several = true, added = %s}
---
[install]
folder = "packs"
[[document]]
path = "noises.json"
"""
OWN = {
    "noises.json": '{"noises": [{"id": "weir", "files": ["o/a.wav", "o/b.wav"]}, {"id": "cog", "files": ["o/c.wav"]}]}',
    "packs/here": "",
}
SAID = """
[[sound]]
key = "weir"
takes = ["c1.wav"]
adds = true

[[sound]]
key = "cog"
takes = ["c2.wav"]
"""


def _game(folder: Path, added: str, mark: str) -> Made:
    tree = {
        "tree/noises.json": f'{{"noises": [{{"id": "@key@", {mark}"files": ["@file@"]}}]}}\n',
        "tree/@pack.name@/@key@-@take.number@.wav": "",
    }
    game = Made(folder, "mill", RULES % added, tree, OWN)
    (folder / "game" / "o").mkdir()
    for number, name in enumerate("abc"):
        clip(folder / "game" / "o" / f"{name}.wav", 5 + number)
    game.start(SAID, keys=2)
    return game


def _heard(game: Made) -> dict[str, list[str]]:
    """The takes that the stand-in game picks of each key."""
    told = game.run("rehearse", "--statistics", "200", cwd=game.own).out
    blocks = re.split(r"^(\S+), picked .*$", told, flags=re.MULTILINE)[1:]
    return {
        key: re.findall(r"take \d+, (\S+)", block) for key, block in zip(blocks[::2], blocks[1::2], strict=True)
    }  # fmt: skip


MARK = '"how": "@adds~yes-no(more,instead)@", '


@pytest.mark.parametrize(
    ("added", "mark", "marks", "heard"),
    [
        ("false", MARK, ["more", None], {"weir": ["a.wav", "b.wav", "weir-1.wav"]}),
        ("true", MARK, ["more", "instead"], {"weir": ["a.wav", "b.wav", "weir-1.wav"]}),
        ("true", "", [None, None], {"weir": ["a.wav", "b.wav", "weir-1.wav"], "cog": ["c.wav", "cog-1.wav"]}),
    ],
)
def test_takes_come_besides_the_game_s_own(
    tmp_path: Path, added: str, mark: str, marks: list[str | None], heard: dict[str, list[str]]
) -> None:
    game = _game(tmp_path, added, mark)
    pack = game.build()
    assert [one.get("how") for one in json.loads((pack / "noises.json").read_text())["noises"]] == marks
    assert _heard(game) == heard
    planned = game.run("build", "--dry-run", cwd=game.own)
    only = "Mill only adds to what it has, and cog will be heard besides the game's own"
    assert (only in planned.out + planned.err) == ("cog" in heard)
    page = tmp_path / "page.html"
    assert game.run("listen", "--to", page, cwd=game.own).code == 0
    data = re.search(r'<script[^>]*type="application/json"[^>]*>(.*?)</script>', page.read_text("utf-8"), re.DOTALL)
    assert data is not None
    of_weir = next(one for one in json.loads(data[1])["entries"] if one["key"] == "weir")
    assert "o/a.wav" in json.dumps(of_weir)
    back = game.run(
        "adopt", pack, "--game", game.profile, "--installation", tmp_path / "game", "--to", tmp_path / "back"
    )
    assert back.code == 0, back.out + back.err
    assert (tmp_path / "back/ichnos.toml").read_text("utf-8").count("adds = true") == len(heard)


def test_one_pack_s_takes_besides_another_s(tmp_path: Path) -> None:
    game = _game(tmp_path, "false", MARK)
    adding = game.build().rename(tmp_path / "adding")
    edit(game.own, "adds = true\n", "")
    replacing = game.build().rename(tmp_path / "replacing")

    def shared(*packs: Path) -> list[str]:
        told = game.run("check", *packs, cwd=game.own).out
        return [line for line in told.splitlines() if "key-shared" in line and "weir" in line]

    assert not shared(replacing, adding)
    assert re.search(r'"weir" is in \S+/adding too; \S+/replacing is heard', "".join(shared(adding, replacing)))


@pytest.mark.parametrize(
    ("added", "mark", "told"),
    [
        ("false", MARK, "noises.json:1:"),
        ("true", "", "added goes with no document of mode"),
    ],
)
def test_a_changed_entry_of_the_game_s_has_nothing_besides_it(tmp_path: Path, added: str, mark: str, told: str) -> None:
    rules = RULES.replace('"noises.json"', '"noises.json"\nmode = "merge"') % added
    tree = {
        "tree/noises.json": f'{{"noises": [{{"id": "@key@", {mark}"files": ["@file@"]}}]}}\n',
        "tree/@key@-@take.number@.wav": "",
    }
    done = Made(tmp_path, "mill", rules, tree, OWN).run("games", "check", tmp_path / "mill")
    assert done.code == 1
    assert told in done.err
    assert "entries are changed" in done.err
    assert "takes = [{kept = true}, ...]" in done.err
