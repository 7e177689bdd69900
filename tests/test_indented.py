"""A game whose definitions are blocks by indentation, with names in quotation marks of three kinds or none."""

from __future__ import annotations

from pathlib import Path

import pytest

from conftest import Made, clip

TREE = {
    "tree/mill.txt": 'noise "@key@"\n\tfile @file@\n\tnear @near=2@\n\trange @far@ @volume~decimals(2)=1.00@\n',
    "tree/own/@pack.name@/@key@-@take.number@.wav": "",
}
RULES = """takes = {several = true}
---
[install]
folder = ""
lay = "over"
[[document]]
path = "mill.txt"
format = "indented"
mode = "merge"
repeat = {take = "file"}
"""
OWN = """# The mill.
wheel "water wheel"
\tspeed 3 4

noise weir
\tfile o/weir.wav   # the old one
\tnear 2
\tcolour `light "blue"`

noise `water gate`
\tfile 'o/gate 1.wav'
\tfile o/gate2.wav
\trange 30 0.50
sails 4
"""
SAID = """
[[sound]]
key = "big cog"
new = true
takes = ["c1.wav", "c2.wav"]
far = 20

[[sound]]
key = "water gate"
takes = [{kept = true}, "c3.wav"]
"""


def _blocks(text: str) -> dict[str, list[str]]:
    """What stands below each line of a file that is not indented: an eye of its own."""
    blocks: dict[str, list[str]] = {}
    for line in text.splitlines():
        if line.startswith("\t"):
            blocks[list(blocks)[-1]].append(line.strip())
        elif line.strip() and not line.startswith("#"):
            blocks[line] = []
    return blocks


def test_blocks_by_indentation_are_read_and_merged(tmp_path: Path) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, {"mill.txt": OWN})
    (tmp_path / "game/o").mkdir()
    for number, name in enumerate(("weir", "gate 1", "gate2")):
        clip(tmp_path / f"game/o/{name}.wav", 3 + number)
    game.start(SAID, keys=2)
    pack = game.build()
    text = (pack / "mill.txt").read_text()
    assert _blocks(text) == {
        **_blocks(OWN),
        "noise `water gate`": ["file 'o/gate 1.wav'", 'file "own/my-own/water gate-2.wav"', "range 30 0.50"],
        'noise "big cog"': [
            'file "own/my-own/big cog-1.wav"', 'file "own/my-own/big cog-2.wav"', "near 2", "range 20 1.00",
        ],
    }  # fmt: skip
    assert text.replace("own/my-own/water gate-2.wav", "").startswith(OWN.partition("\tfile o/gate2")[0])
    assert game.run("install", cwd=game.own).code == 0
    assert (tmp_path / "game/mill.txt").read_text() == text
    later = (tmp_path / "game/mill.txt").read_text().replace("sails 4", "sails 5")  # an update
    (tmp_path / "game/mill.txt").write_text(later)
    assert game.run("restore", cwd=game.own).code == 0
    assert (tmp_path / "game/mill.txt").read_text() == OWN.replace("sails 4", "sails 5")


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("near 2", 'near "2', "this quotation mark is never closed"),
        ('file "own/my-own/big cog-1', 'fiel "own/my-own/big cog-1', "file-unused"),
    ],
)
def test_slips_in_indented_files_are_told(tmp_path: Path, old: str, new: str, told: str) -> None:
    game = Made(tmp_path, "mill", RULES, TREE, {"mill.txt": OWN})
    game.start(SAID, keys=2)
    pack = game.build()
    path = pack / "mill.txt"
    path.write_text(path.read_text().replace(old, new))
    assert told in game.run("check", pack, cwd=game.own).out


def test_tabs_and_blanks_do_not_mix(tmp_path: Path) -> None:
    tree = {name: text.replace("\t", "    ") for name, text in TREE.items()}
    game = Made(tmp_path, "mill", RULES.replace("\\t", "    "), tree, {"mill.txt": OWN})
    game.start(SAID, keys=2)
    done = game.run("build", cwd=game.own)
    assert done.code == 1
    assert "indented by tabs" in done.err


BRACKETED = {
    "mill.cfg": """# The mill.
[mill]
    wheels=2
    [noise]
        id=weir
        file="o/weir.wav"
        note=_ "The old
weir"
    [/noise]
    [noise]
        id=gate
        file="o/gate.wav"
        loud=0.5
    [/noise]
[/mill]
{MORE}
"""
}


def test_a_comment_behind_a_value_is_no_part_of_it(tmp_path: Path) -> None:
    tree = {"tree/mill.cfg": "[noise]\nid=@key@\nfile=@file@\n[/noise]\n", "tree/own/@key@.wav": ""}
    rules = RULES.replace("several = true", "several = false").replace("mill.txt", "mill.cfg")
    rules = rules.replace('format = "indented"', 'format = "bracketed"').replace('repeat = {take = "file"}\n', "")
    own = "[noise]\nid=gate # the old one\nfile=o/gate#1.wav\t# loud\n[/noise]\n"
    game = Made(tmp_path, "mill", rules, tree, {"mill.cfg": own})
    game.start('\n[[sound]]\nkey = "gate"\ntakes = ["c1.wav"]\n', keys=1)
    assert (game.build() / "mill.cfg").read_text() == own.replace("o/gate#1.wav", "own/gate.wav")


def test_sections_between_brackets(tmp_path: Path) -> None:
    tree = {
        "tree/mill.cfg": '[mill]\n    [noise]\n        id=@key@\n        file="@file@"\n        loud=@volume@\n'
        '        title=_ "@title@"\n    [/noise]\n[/mill]\n',
        "tree/own/@key@.wav": "",
    }
    rules = RULES.replace("several = true", "several = false").replace("mill.txt", "mill.cfg")
    rules = rules.replace('format = "indented"', 'format = "bracketed"').replace('repeat = {take = "file"}\n', "")
    game = Made(tmp_path, "mill", rules, tree, BRACKETED)
    game.start(
        '\n[[sound]]\nkey = "big cog"\nnew = true\ntakes = ["c1.wav"]\ntitle = "The \\"big\\" cog"\n'
        '\n[[sound]]\nkey = "gate"\ntakes = ["c2.wav"]\nvolume = 2\n',
        keys=2,
    )
    text = (game.build() / "mill.cfg").read_text()
    own = BRACKETED["mill.cfg"]
    changed = own.replace("o/gate.wav", "own/gate.wav").replace("loud=0.5", "loud=2")
    new = '    [noise]\n        id=big cog\n        file="own/big cog.wav"\n        title=_ "The ""big"" cog"\n    [/noise]\n'
    assert text == changed.replace("[/mill]", f"{new}[/mill]")
    assert game.run("install", cwd=game.own).code == 0
    assert game.run("restore", cwd=game.own).code == 0
    assert (tmp_path / "game/mill.cfg").read_text() == own
