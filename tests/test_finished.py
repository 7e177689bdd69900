"""What documents say of finished sound files: their length, size and digests; the order of what is written."""

from __future__ import annotations

import hashlib
import json
import wave
import zipfile
import zlib
from pathlib import Path

from conftest import Made, clip, run

DOCUMENT = """{
  "count": "@pack.sounds@",
  "noises": [
    {"noise": "@key@", "takes": [
      {"wav": "@file@", "ticks": "@take.seconds~times(20)~decimals(0)@", "frames": "@take.frames@",
       "size": "@take.bytes@", "crc": "@take.crc32~upper@", "sha": "@take.sha1@"}
    ]}
  ]
}
"""
TREE = {"tree/index.json": DOCUMENT, "tree/a/@key@-@take.number@.wav": ""}
SAID = '\n[[sound]]\nkey = "weir"\nnew = true\ntakes = ["c1.wav", "c2.wav"]\n\n[[sound]]\nkey = "bell"\nnew = true\ntakes = ["c3.wav"]\n'
RULES = """[[document]]
path = "index.json"
order = "key"
"""


def _agrees(pack: Path) -> None:
    said = json.loads((pack / "index.json").read_text())
    assert said["count"] == 3
    assert [noise["noise"] for noise in said["noises"]] == ["bell", "weir"]
    for take in (take for noise in said["noises"] for take in noise["takes"]):
        data = (pack / take["wav"]).read_bytes()
        with wave.open(str(pack / take["wav"])) as file:
            assert take["frames"] == file.getnframes()
            assert take["ticks"] == round(file.getnframes() / file.getframerate() * 20)
        assert (take["size"], take["crc"]) == (len(data), f"{zlib.crc32(data):08X}")
        assert take["sha"] == hashlib.sha1(data, usedforsecurity=False).hexdigest()


def test_documents_say_what_the_finished_files_are(tmp_path: Path) -> None:
    game = Made(tmp_path, "lock", RULES, TREE, {})
    game.start(SAID)
    _agrees(game.build())
    clip(game.own / "c2.wav", 9)  # one clip alone is another now
    pack = game.build()
    _agrees(pack)
    text = (pack / "index.json").read_text()
    (pack / "index.json").write_text(text.replace('"ticks": 2', '"ticks": 3', 1))
    checked = json.loads(run("check", pack, "--json", cwd=game.own).out)
    assert {one["id"] for one in checked["findings"]} == {"file-otherwise"}


def test_an_index_stands_last_in_an_archive(tmp_path: Path) -> None:
    game = Made(tmp_path, "lock", RULES, TREE, {})
    rules = game.profile / "game.toml"
    rules.write_text(
        rules.read_text().replace(
            'kind = "folder"\nname = "@pack.name@"', 'kind = "archive"\nname = "@pack.name@.zip"\nlast = ["index.*"]'
        )
    )
    game.start(SAID)
    with zipfile.ZipFile(game.build()) as archive:
        assert archive.namelist()[-1] == "index.json"
        archive.extractall(tmp_path / "out")
    _agrees(tmp_path / "out")


def test_scripts_are_filled_again_only_where_they_say_such_things(tmp_path: Path) -> None:
    plain = "{% for sound in sounds %}add({{ sound.key | quoted }})\n{% endfor %}"
    long = "{% for sound in sounds %}add({{ sound.takes[0].seconds }})\n{% endfor %}count({{ pack.sounds }})\n"
    tree = {**TREE, "scripts/plain.lua.j2": plain, "scripts/long.lua.j2": long}
    game = Made(tmp_path, "lock", RULES + '[[script]]\npath = "plain.lua"\n[[script]]\npath = "long.lua"\n', tree, {})
    game.start(SAID)
    pack = game.build()
    assert (pack / "long.lua").read_text() == "add(0.1)\nadd(0.1)\ncount(3)\n"
    clip(game.own / "c2.wav", 9)
    plan = json.loads(run("build", "--dry-run", "--json", cwd=game.own).out)
    states = {file["path"]: file["state"] for file in plan["files"]}
    assert (states["plain.lua"], states["long.lua"], states["index.json"]) == ("same", "changed", "changed")
