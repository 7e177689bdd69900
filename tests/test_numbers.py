"""Numbers that a game tells things apart by: counted up, kept, and never those of somebody else."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from conftest import Made, clip, edit

RULES = """takes = {several = false}
---
[install]
folder = ""
lay = "over"
[[document]]
path = "noises.json"
mode = "merge"
[[document]]
path = "rings/@pack.name@.json"
"""
TREE = {
    "tree/noises.json": '{"noises": [{"nr": "@number=500@", "id": "@key@", "wav": "@file@"}]}\n',
    "tree/rings/@pack.name@.json": '[{"nr": "@trigger.number=70@", "at": "@trigger.event@", "plays": "@trigger.key@"}]\n',
    "tree/own/@pack.name@/@key@.wav": "",
}
OWN = {
    "noises.json": '{"noises": [{"nr": 7, "id": "weir", "wav": "o/weir.wav"}, {"nr": 501, "id": "cog", "wav": "o/cog.wav"}]}'
}
SAID = """
[[sound]]
key = "sluice"
takes = ["c1.wav"]
new = true

[[sound]]
key = "weir"
takes = ["c2.wav"]

[[sound]]
key = "wheel"
takes = ["c3.wav"]
new = true

[[trigger]]
name = "dusk"
event = "dusk"
key = "sluice"
"""


def _numbers(pack: Path) -> dict[str, int]:
    return {one["id"]: one["nr"] for one in json.loads((pack / "noises.json").read_text())["noises"]}


def test_numbers_are_counted_and_kept(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, OWN)
    game.start(SAID, keys=2)
    pack = game.build()
    # 501 is the game's; what takes the place of one of the game's has its number.
    assert _numbers(pack) == {"weir": 7, "cog": 501, "sluice": 500, "wheel": 502}
    assert [one["nr"] for one in json.loads((pack / "rings/my-own.json").read_text())] == [70]
    edit(
        game.own,
        '[[sound]]\nkey = "sluice"',
        '[[sound]]\nkey = "gate"\ntakes = ["c4.wav"]\nnew = true\n\n[[sound]]\nkey = "sluice"',
    )
    assert _numbers(game.build()) == {"weir": 7, "cog": 501, "sluice": 500, "wheel": 502, "gate": 503}
    edit(game.own, 'key = "gate"', 'key = "gate"\nnumber = 900')
    assert _numbers(game.build())["gate"] == 900
    assert 'sluice" has the number 900, and so has' not in game.run("check", cwd=game.own).out
    told = game.refused('key = "sluice"\ntakes', 'key = "sluice"\nnumber = 900\ntakes')
    assert "sluice and gate both have the number 900" in told or "gate and sluice both have the number 900" in told
    assert game.run("install", cwd=game.own).code == 0

    other = tmp_path / "other"
    done = game.run(
        "start",
        other,
        "--game",
        game.profile,
        "--title",
        "Other",
        "--licence",
        "MIT",
        "--installation",
        tmp_path / "game",
    )
    assert done.code == 0, done.err
    clip(other / "c1.wav", 3)
    (other / "ichnos.toml").write_text(
        (other / "ichnos.toml").read_text() + '\n[[sound]]\nkey = "rat"\ntakes = ["c1.wav"]\nnew = true\n'
    )
    built = json.loads(game.run("build", "--json", cwd=other).out)
    assert _numbers(Path(built["to"]))["rat"] == 501 + 2  # beyond those of the game and of the pack that is in it
    assert game.run("check", cwd=other).code == 0
    (other / "ichnos.toml").write_text(
        (other / "ichnos.toml").read_text().replace('key = "rat"', 'key = "rat"\nnumber = 500')
    )
    assert game.run("build", cwd=other).code == 0
    told = game.run("check", cwd=other).out
    assert '"rat" has the number 500, and so has "sluice" of my-own (my-own), which is in the game' in told
    done = game.run("install", cwd=other)
    assert done.code == 1
    assert 'my-own (my-own) has "the number 500" already' in done.err


def test_odd_numbers_are_told(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, OWN)
    game.start(SAID, keys=2)
    pack = game.build()
    path = pack / "noises.json"
    path.write_text(path.read_text().replace('"nr": 502', '"nr": 1e999'))
    assert game.run("check", pack, cwd=game.own).code in (0, 1)
    path.write_text(path.read_text().replace('"nr": 1e999', '"nr": 7'))
    told = game.run("check", pack, cwd=game.own).out
    assert '"wheel" has the number 7, and so has "weir" of this pack' in told
    (game.profile / "tree/noises.json").write_text(TREE["tree/noises.json"].replace("=500", "=first"))
    assert "this default is no first number" in game.run("games", "check", game.profile).err


def test_a_damaged_lock_is_no_reason_to_count_anew(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, OWN)
    game.start(SAID, keys=2)
    game.build()
    lock = game.own / "ichnos.lock"
    before = lock.read_text("utf-8")
    lock.write_text(before.replace("{", "<<<<<<<", 1), "utf-8")
    done = game.run("build", cwd=game.own)
    assert done.code == 1
    assert "ichnos.lock: this cannot be read any more, and says which numbers and lines are this pack's" in done.err
    lock.write_text(before.replace('"sluice": 500', '"sluice": 555'), "utf-8")  # another branch's
    assert _numbers(game.build())["sluice"] == 555


def test_two_without_a_name_are_two(tmp_path: Path) -> None:
    tree = {**TREE, "tree/rings/@pack.name@.json": '[{"nr": "@trigger.number=70@", "plays": "@trigger.key@"}]\n'}
    game = Made(tmp_path, "mill", RULES, tree, OWN)
    game.start(SAID, keys=2)
    pack = game.build()
    (pack / "rings/my-own.json").write_text('[{"nr": 70, "plays": "sluice"}, {"nr": 70, "plays": "cog"}]\n')
    assert "number-taken" in game.run("check", pack, cwd=game.own).out


FLAGS = '"4@loop~sum(1)@@positional~sum(2)@@category~table(groups)~sum(16)@"'
SUMMED = [
    ("n.json", f'{{"all": [{{"id": "@key@", "flags": {FLAGS}, "files": ["@file@"]}}]}}\n',
     '{"all": [\n {"id": "gong", "flags": 141, "files": ["a.wav"]}\n]}\n', '"flags": 142', '"flags": 21'),
    ("n.xml", f'<a>\n <n id="@key@" flags={FLAGS}><f>@file@</f></n>\n</a>\n',
     '<a>\n <n id="gong" flags="141"><f>a.wav</f></n>\n</a>\n', 'flags="142"', 'flags="21"'),
]  # fmt: skip
BITS = """
[[sound]]
key = "gong"
loop = false
positional = true
takes = ["c1.wav"]

[[sound]]
key = "hum"
new = true
loop = true
category = "deep"
takes = ["c2.wav"]
"""


@pytest.mark.parametrize(("name", "shape", "own", "changed", "added"), SUMMED)
def test_several_values_are_one_sum(tmp_path: Path, name: str, shape: str, own: str, changed: str, added: str) -> None:
    groups = '[tables.groups]\nhigh = "0"\ndeep = "1"\n'
    rules = f'{groups}[[document]]\npath = "{name}"\nmode = "merge"\n'
    tree = {f"tree/{name}": shape, "tree/mine/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "pier", rules, tree, {name: own})
    game.start(BITS, keys=1)
    edit(game.own, 'category = "deep"', 'category = "deep"\nvolume = 1')
    assert game.run("build", cwd=game.own).code == 0
    text = (game.own / "build/my-own" / name).read_text()
    assert changed in text  # 128 and 8 mean something to the game alone
    assert added in text
    for old, new, what in (
        ("~sum(2)", "~sum(3)", "overlap"),
        ("@loop~sum(1)@", "@volume~sum(1)@", "neither yes nor no"),
    ):
        wrong = {path: content.replace(old, new) for path, content in tree.items()}
        checked = game.run("games", "check", Made(tmp_path / what[:7], "pier", rules, wrong, {}).profile)
        assert what in checked.err


def test_what_nobody_says_adds_nothing_to_a_sum(tmp_path: Path) -> None:
    shape = '[{"id": "@key@", "flags": "@loop~sum(1)=1@@positional~sum(2)@", "file": "@file@"}]\n'
    game = Made(
        tmp_path, "pier", "takes = {several = false}\n---\n", {"tree/n.json": shape, "tree/m/@key@.wav": ""}, {}
    )
    game.start('\n[[sound]]\nkey = "a"\nnew = true\ntakes = ["c1.wav"]\n\n[[sound]]\nkey = "b"\nnew = true\nloop = false\n'
               'positional = true\ntakes = ["c2.wav"]\n')  # fmt: skip
    pack = game.build()
    assert [entry["flags"] for entry in json.loads((pack / "n.json").read_text())] == [1, 2]
    again = game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "again", cwd=tmp_path)
    assert "Nothing differs" in again.out


VERSIONS = """{"from": "@game.first-version@", "to": "@game.last-version@", "all": "@game.versions@",
 "noises": [{"id": "@key@", "wav": "@file@"}]}
"""


def test_a_pack_may_be_for_several_versions_of_the_game(tmp_path: Path) -> None:
    rules = "takes = {several = false}\n---\n"
    game = Made(tmp_path, "pier", rules, {"tree/all.json": VERSIONS, "tree/mine/@key@.wav": ""}, {})
    game.start('\n[[sound]]\nkey = "bell"\nnew = true\ntakes = ["c1.wav"]\n')
    edit(game.own, 'game-version = "1.1"', 'game-version = ["1.1", "1.0"]')
    pack = game.build()
    said = json.loads((pack / "all.json").read_text())
    assert (said["from"], said["to"], said["all"]) == ("1.0", "1.1", ["1.0", "1.1"])
    again = game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "again", cwd=tmp_path)
    assert "Nothing differs" in again.out, again.err
    assert 'game-version = ["1.0", "1.1"]' in (tmp_path / "again/ichnos.toml").read_text()
    assert 'has no version "0.9"' in game.refused('["1.1", "1.0"]', '["1.1", "0.9"]')
    one = {"tree/all.json": VERSIONS.replace(', "to": "@game.last-version@", "all": "@game.versions@"', "").replace(
        "first-version", "version"), "tree/mine/@key@.wav": ""}  # fmt: skip
    other = Made(tmp_path / "b", "pier", rules, one, {})
    other.start("")
    assert "names one version of the game, and here are 2" in other.refused('"1.1"', '["1.1", "1.0"]')
