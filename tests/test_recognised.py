"""What a file's content shows: which format it is in, and what of it is Ichnos's."""

from __future__ import annotations

from pathlib import Path

import pytest

from conftest import Made
from ichnos.documents.recognition import recognise

TEXTS = [
    ("bells.dat", '// ours\n{"bells": [{"at": "@key@"}]}\n', "json"),
    ("bells.txt", '{"bells": ["@key@" "gong"]}\n', "json"),  # a slip is still JSON's
    ("bells.cfg", '<?xml version="1.0"?>\n<bells/>\n', "xml"),
    ("bells", '; hung up\n[north]\n@key@ = "@file@"\n', "ini"),
    ("bells.ini", "@key@ = @file@\nloud = @volume@\n", "ini"),
    ("words.txt", "@key@.name = @title@\n", "lines"),
    ("words.ini", "\nbells:\n  - key: @key@\n", "yaml"),
    ("words.yaml", "@key@: @title@\n", "yaml"),
    ("rules", '[[bell]]\nkey = "@key@"\n', "toml"),
    ("rules", 'return {\n  {key = "@key@", file = "@file@"},\n}\n', "lua"),
    ("rules", 'bell "@key@" {\n  file = @file@;\n}\n', "braces"),
    ("rules", 'bell "@key@"\n\tfile @file@\n', "indented"),
    ("rules", "[bell]\nid=@key@\n[/bell]\n", "bracketed"),
    ("rules", "key,file\n@key@,@file@\n", "csv"),
    ("rules", "@key@\n", "list"),
    ("rules", 'begin bells\n  audio "@file@" 30 /*@key@*/\nend\n', None),
    ("rules.txt", 'ring("@key@", @volume@)\n', None),
]


@pytest.mark.parametrize(("name", "text", "form"), TEXTS)
def test_the_content_says_the_format(name: str, text: str, form: str | None) -> None:
    assert recognise(name, text) == form


CALLS = 'ring("@key@", @volume@, "@file@")\nwhen("@trigger.event@", "@trigger.key@")\n'
OWN = 'local speed = 4\r\nring("of.my.own", 0.5, "x.wav")\r\n'
BUOY = """
[[sound]]
key = "buoy"
new = true
volume = 0.5
takes = ["c1.wav"]

[[trigger]]
name = "fog"
event = "fog-rises"
key = "buoy"
"""


def test_calls_in_a_marked_region_are_written_and_read(tmp_path: Path) -> None:
    rules = 'takes = {several = false}\n---\n[[document]]\npath = "deck/bells.lua"\nregion = "--"\n'
    tree = {"tree/deck/bells.lua": CALLS, "tree/mine/@key@.wav": ""}
    game = Made(tmp_path, "pier", rules, tree, {"deck/bells.lua": 'ring("gong", 1, "a.wav")\n'})
    game.start(BUOY, keys=1)
    (game.own / "own/deck").mkdir(parents=True)
    (game.own / "own/deck/bells.lua").write_bytes(OWN.encode())
    script = game.build() / "deck/bells.lua"
    region = '-- ichnos: from here\r\nring("buoy", 0.5, "mine/buoy.wav")\r\nwhen("fog-rises", "buoy")\r\n-- ichnos: to here\r\n'
    assert script.read_bytes().decode() == OWN + region
    again = game.run("adopt", script.parents[1], "--game", game.profile, "--to", tmp_path / "again", cwd=tmp_path)
    assert again.code == 0, again.err
    assert (tmp_path / "again/own/deck/bells.lua").read_text().split() == OWN.split()
    script.write_bytes(script.read_bytes().replace(b'ring("buoy"', b'ring("buoi"'))
    checked = game.run("check", script.parents[1], cwd=game.own)
    assert 'bells.lua:4:6: Pier has no key "buoi"' in checked.out
    assert 'bells.lua:5:17: nothing has the key "buoy"' in checked.out
    assert "of.my.own" not in checked.out


def test_a_region_is_of_the_modders_own_file(tmp_path: Path) -> None:
    rules = '---\n[[document]]\npath = "bells.lua"\nregion = "--"\nmode = "merge"\n'
    game = Made(tmp_path, "pier", rules, {"tree/bells.lua": CALLS, "tree/mine/@key@.wav": ""}, {})
    checked = game.run("games", "check", game.profile)
    assert checked.code == 1
    assert "merge changes one of the game's" in checked.err
