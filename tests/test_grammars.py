"""Games whose documents are YAML, TOML or tables of Lua: merged, read back by others, and restored."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

import lupa
import pytest
import yaml

from conftest import Made, clip, run
from ichnos.documents.formats import named, parse
from ichnos.documents.tree import Unwritable
from ichnos.games.entries.edit import Editor
from ichnos.games.entries.edits import with_edits
from ichnos.games.profiles import loading

RULES = '[install]\nfolder = ""\nlay = "over"\n[[document]]\npath = "{path}"\nmode = "merge"\nformat = "{format}"\n'
YAML = """noises:
- id: "@key@"
  loud: "@volume@"
  loop: "@loop@"
  wavs:
  - wav: "@file@"
    odds: "@weight@"
"""
YAML_OWN = """# the weir's own
noises:
    # the first
    - id: weir   # as it was
      loud: 0.5
      wavs:
          - wav: own/weir.wav
            odds: 2
    - {id: 'gull', wavs: [{wav: own/gull.wav}]}  # always
other: yes
"""
TOML = '[[noise]]\nid = "@key@"\nloud = "@volume@"\nwavs = [{wav = "@file@", odds = "@weight=1@"}]\n'
TOML_OWN = """# the weir's own
[desk]
quiet = true

[[noise]]
id = 'weir'  # as it was
loud = 0.5
wavs = [{wav = "own/weir.wav", odds = 2}]

[[noise]]
id = "gull"
wavs = [
  {wav = "own/gull.wav", odds = 1},
]  # always
"""
LUA = """return {
  ["@key@"] = { loud = "@volume@", wavs = { "@file@" } },
}
"""
LUA_OWN = """-- the weir's own
local quiet = true
return {
  weir = { loud = 0.5, -- as it was
    wavs = { 'own/weir.wav' } },
  ["gull"] = { wavs = { "own/gull.wav" } }, -- always
}
"""
SAID = """
[[sound]]
key = "weir"
volume = 0.75
takes = ["c1.wav", "c2.wav"]

[[sound]]
key = "bell"
new = true
volume = 0.25
takes = ["c3.wav"]
"""


def _plain(value: Any) -> Any:
    if lupa.lua_type(value) != "table":
        return value
    keys = list(value.keys())
    if keys == list(range(1, len(keys) + 1)):
        return [_plain(one) for one in value.values()]
    return {key: _plain(one) for key, one in value.items()}


def _by_key(name: str, text: str) -> dict[str, dict[str, Any]]:
    """What the game would read: each noise, with its files alone."""
    if name == "lua":
        return dict(_plain(lupa.LuaRuntime().execute(text)))
    said = yaml.safe_load(text)["noises"] if name == "yaml" else tomllib.loads(text)["noise"]
    return {one["id"]: {**one, "wavs": [wav["wav"] for wav in one["wavs"]]} for one in said}


@pytest.mark.parametrize("is_bare", [False, True])
@pytest.mark.parametrize(
    ("name", "exemplar", "own"), [("yaml", YAML, YAML_OWN), ("toml", TOML, TOML_OWN), ("lua", LUA, LUA_OWN)]
)
def test_merged_read_back_and_restored(name: str, exemplar: str, own: str, tmp_path: Path, *, is_bare: bool) -> None:
    path = f"noises.{name}"
    exemplar = re.sub(r'(?<!\[)"(@.+?@)"', r"\1", exemplar) if is_bare else exemplar  # a hole without quotation marks
    tree = {f"tree/{path}": exemplar, "tree/mine/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "weir", RULES.format(path=path, format=name), tree, {path: own})
    game.start(SAID, keys=2)
    text = (game.build() / path).read_text("utf-8")
    noises = _by_key(name, text)
    assert noises["weir"]["wavs"] == ["mine/weir-1.wav", "mine/weir-2.wav"]
    assert noises["bell"]["wavs"] == ["mine/bell-1.wav"]
    assert (noises["weir"]["loud"], noises["bell"]["loud"]) == (0.75, 0.25)
    assert noises["gull"] == _by_key(name, own)["gull"]
    kept = [line for line in own.splitlines() if "weir" not in line and "loud" not in line and "odds: 2" not in line]
    assert [line for line in kept if line.strip(" })],") and line not in text.splitlines()] == []
    assert game.run("install", cwd=game.own).code == 0
    assert "  installed  in " in game.run("status", cwd=game.own).out  # no file of the pack says its version
    assert (tmp_path / "game" / path).read_text("utf-8") == text
    assert game.run("restore", cwd=game.own).code == 0
    assert (tmp_path / "game" / path).read_text("utf-8") == own


def test_a_comment_in_an_empty_list_stays(tmp_path: Path) -> None:
    tree = {"tree/noises.lua": LUA, "tree/mine/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "weir", RULES.format(path="noises.lua", format="lua"), tree, {})
    (exemplar,) = loading.load(game.profile).documents
    document = parse(b"return {\n  -- nothing yet\n}\n", "noises.lua", exemplar.document.format)
    (pattern,), (real,) = exemplar.document.root.children, document.root.children
    edits = Editor(exemplar, document).insert(["bell = 1"], pattern, real, [])
    assert with_edits(document.text.content, edits) == "return {\n  -- nothing yet\n  bell = 1,\n}\n"


@pytest.mark.parametrize(
    ("name", "text"),
    [
        (
            "sounds.yaml",
            "pack: Hill\nsounds:\n  - id: bell\n    file: wav/bell.wav\n  - id: gull\n    file: wav/gull.wav\n",
        ),
        (
            "sounds.toml",
            'pack = "Hill"\n[[sound]]\nid = "bell"\nfile = "wav/bell.wav"\n[[sound]]\nid = "gull"\nfile = "wav/gull.wav"\n',
        ),
    ],
)
def test_learned_from_a_finished_pack(name: str, text: str, tmp_path: Path) -> None:
    (tmp_path / "pack/wav").mkdir(parents=True)
    for number, key in enumerate(("bell", "gull"), 2):
        clip(tmp_path / f"pack/wav/{key}.wav", number)
    (tmp_path / "pack" / name).write_text(text)
    learned = run("learn", tmp_path / "pack", "--to", tmp_path / "hill")
    assert "of 5 values all come back" in learned.out, learned.out + learned.err
    assert '"@key@"' in (tmp_path / "hill/tree" / name).read_text()


@pytest.mark.parametrize(
    ("exemplar", "own", "line"),
    [
        (
            'noises["@key@"] = { wav = "@file@", loud = "@volume=1.0@" }\n',
            'local noises = {}\nnoises["bell"] = { wav = "own/bell.wav" } -- first\nreturn noises\n',
            'noises["gull"] = { wav = "mine/gull.wav", loud = 0.5 }',
        ),
        (
            'add("@key@", "@file@", "@volume=1.0@")\n',
            'add("bell", "own/bell.wav", 1.0)\nadd("horn", "own/horn.wav", 0.25)\n',
            'add("gull", "mine/gull.wav", 0.5)',
        ),
    ],
)
def test_statements_of_lua_are_entries(exemplar: str, own: str, line: str, tmp_path: Path) -> None:
    rules = "takes = {several = false}\n---\n" + RULES.format(path="noises.lua", format="lua")
    tree = {"tree/noises.lua": exemplar, "tree/mine/@key@.wav": ""}
    game = Made(tmp_path, "weir", rules, tree, {"noises.lua": own})
    game.start('\n[[sound]]\nkey = "gull"\nnew = true\nvolume = 0.5\ntakes = ["c1.wav"]\n', keys=own.count("own/"))
    text = (game.build() / "noises.lua").read_text()
    assert [one for one in text.splitlines() if one not in own.splitlines()] == [line]
    assert text.splitlines().index(line) == max(n for n, one in enumerate(own.splitlines()) if "own/" in one) + 1


def test_a_key_that_no_statement_of_lua_can_hold_is_refused() -> None:
    text = 'noises["x"] = { wav = 1 }\n'
    document = parse(text.encode(), "noises.lua", named("lua"))
    (node,) = document.root.children
    assert document.format.write_label('noises["gu]ll 1"]', node) == 'noises["gu]ll 1"]'
    for key in ('gu"ll', "gu\\", "gu\nll"):
        with pytest.raises(Unwritable):
            document.format.write_label(f'noises["{key}"]', node)
