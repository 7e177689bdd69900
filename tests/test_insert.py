"""Lines for sounds in source files of the modder's own: put in once, kept in order, taken out again."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from conftest import Made, edit

TREE = {
    "tree/noises.json": '{"noises": [{"id": "@key@", "wavs": ["@file@"]}]}\n',
    "tree/own/@key@-@take.number@.wav": "",
}
RULES = "takes = {several = true}\n---\n"
SAID = """
[[sound]]
key = "mill.cog"
new = true
takes = ["c1.wav", "c2.wav"]

[[sound]]
key = "mill.axle"
new = true
takes = ["c3.wav"]

[[sound]]
key = "weir"
takes = ["c4.wav"]

[[insert]]
file = "../src/noises.c"
line = 'NOISE("@key~upper@"),'
inside = "enum noises"
sorted = true

[[insert]]
file = "../src/noises.c"
line = 'load("@file@");'
after = "/* load */"
keys = ["mill.*"]

[[insert]]
file = "../src/tail.lua"
line = "ring('@key@')"
region = "--"
keys = ["*"]
"""
SOURCE = """/* noises */\r
enum noises\r
{\r
\tNOISE("MILL.BELL"),\r
\tNOISE("WEIR"),\r
\tNOISE_LAST\r
};\r
\r
void all() {\r
    /* load */\r
    load("own/bell.wav");\r
}\r
"""
DONE = SOURCE.replace(
    '\tNOISE("MILL.BELL"),\r\n', '\tNOISE("MILL.AXLE"),\r\n\tNOISE("MILL.BELL"),\r\n\tNOISE("MILL.COG"),\r\n'
).replace(
    'bell.wav");\r\n',
    'bell.wav");\r\n    load("own/mill.cog-1.wav");\r\n    load("own/mill.cog-2.wav");\r\n    load("own/mill.axle-1.wav");\r\n',
)


def _made(folder: Path) -> tuple[Made, Path]:
    game = Made(folder, "mill", RULES, TREE, {})
    game.start(SAID)
    source = folder / "src"
    source.mkdir()
    (source / "noises.c").write_bytes(SOURCE.encode())
    (source / "tail.lua").write_bytes(b"local x = 1\n")
    return game, source


def test_lines_are_put_in_once_and_taken_out(tmp_path: Path) -> None:
    game, source = _made(tmp_path)
    planned = game.run("insert", "--dry-run", "--json", cwd=game.own)
    assert json.loads(planned.out)["files"][0]["added"][0] == 'NOISE("MILL.COG"),'
    assert (source / "noises.c").read_bytes() == SOURCE.encode()
    for _ in range(2):
        done = game.run("insert", cwd=game.own)
        assert done.code == 0, done.err
        assert (source / "noises.c").read_bytes() == DONE.encode()
        assert "ring('mill.cog')\nring('mill.axle')\nring('weir')\n" in (source / "tail.lua").read_text()
    assert "nothing is to be done" in done.out
    edit(game.own, '[[sound]]\nkey = "mill.axle"\nnew = true\ntakes = ["c3.wav"]\n', "")
    assert '- NOISE("MILL.AXLE"),' in game.run("insert", cwd=game.own).out
    assert (source / "noises.c").read_bytes() == DONE.replace('\tNOISE("MILL.AXLE"),\r\n', "").replace(
        '    load("own/mill.axle-1.wav");\r\n', ""
    ).encode()
    assert game.run("build", cwd=game.own).code == 0  # which remembers what it has to
    assert game.run("insert", "--remove", cwd=game.own).code == 0
    assert (source / "noises.c").read_bytes() == SOURCE.encode()
    assert (source / "tail.lua").read_bytes() == b"local x = 1\n"


def test_a_line_of_one_s_own_stays(tmp_path: Path) -> None:
    game, source = _made(tmp_path)
    own = SOURCE.replace('"WEIR"', '"MILL.COG"')
    (source / "noises.c").write_bytes(own.encode())
    assert game.run("insert", cwd=game.own).code == 0
    assert game.run("insert", "--remove", cwd=game.own).code == 0
    assert (source / "noises.c").read_bytes() == own.encode()


def test_a_line_that_was_moved_is_not_put_in_again(tmp_path: Path) -> None:
    game, source = _made(tmp_path)
    assert game.run("insert", cwd=game.own).code == 0
    line, at = '    load("own/mill.axle-1.wav");\r\n', "/* noises */\r\n"
    moved = DONE.replace(line, "").replace(at, at + line)
    (source / "noises.c").write_bytes(moved.encode())
    assert "nothing is to be done" in game.run("insert", cwd=game.own).out
    assert (source / "noises.c").read_bytes() == moved.encode()
    assert game.run("insert", "--remove", cwd=game.own).code == 0
    assert (source / "noises.c").read_bytes() == SOURCE.encode()


def test_lines_of_a_table_that_is_gone_are_taken_out(tmp_path: Path) -> None:
    game, source = _made(tmp_path)
    assert game.run("insert", cwd=game.own).code == 0
    said = game.own.joinpath("ichnos.toml").read_text()
    game.own.joinpath("ichnos.toml").write_text(said[: said.index("[[insert]]")])
    assert game.run("insert", "--remove", cwd=game.own).code == 0
    assert (source / "noises.c").read_bytes() == SOURCE.encode()
    assert (source / "tail.lua").read_bytes() == b"local x = 1\n"


def test_two_tables_may_fill_one_region(tmp_path: Path) -> None:
    game, source = _made(tmp_path)
    edit(
        game.own,
        'keys = ["*"]',
        'keys = ["weir"]\n\n[[insert]]\nfile = "../src/tail.lua"\nline = "halt(\'@key@\')"\nregion = "--"',
    )
    for _ in range(2):
        assert game.run("insert", cwd=game.own).code == 0
        assert "ring('weir')\nhalt('mill.cog')\nhalt('mill.axle')\n" in (source / "tail.lua").read_text()


def test_a_last_line_that_no_newline_ends_stays_a_line(tmp_path: Path) -> None:
    game, source = _made(tmp_path)
    (source / "noises.c").write_bytes(b"enum noises\n\tLAST\n\n    /* load */")
    assert game.run("insert", cwd=game.own).code == 0
    own = ["mill.cog-1", "mill.cog-2", "mill.axle-1"]
    assert (source / "noises.c").read_text().splitlines()[-3:] == [f'    load("own/{name}.wav");' for name in own]


def test_an_anchor_that_stands_twice_is_no_place(tmp_path: Path) -> None:
    game, source = _made(tmp_path)
    twice = SOURCE.replace("void all() {\r\n", "void all() {\r\n    /* load */\r\n")
    (source / "noises.c").write_bytes(twice.encode())
    done = game.run("insert", cwd=game.own)
    assert done.code == 1
    assert 'lines 10 and 11 of ../src/noises.c are both "/* load */"' in done.err
    assert (source / "noises.c").read_bytes() == twice.encode()
    assert (source / "tail.lua").read_bytes() == b"local x = 1\n"


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ('inside = "enum noises"', 'inside = "enum noise"', 'no line of ../src/noises.c is "enum noise"'),
        ("@key~upper@", "@kee@", "there is no hole named kee"),
        ("../src/tail.lua", "../src/tale.lua", 'the file "../src/tale.lua" is not there'),
        ('region = "--"', 'region = "--"\nafter = "x"', "say one of three: after, inside or region"),
        ("ring('@key@')", "ring('@volume@')", "the line of this sound cannot be written: volume"),
    ],
)
def test_slips_change_no_file(tmp_path: Path, old: str, new: str, told: str) -> None:
    game, source = _made(tmp_path)
    edit(game.own, old, new)
    done = game.run("insert", cwd=game.own)
    assert done.code == 1
    assert told in done.err
    assert "ichnos.toml:" in done.err
    assert (source / "noises.c").read_bytes() == SOURCE.encode()
