"""The documents are true: the guide's profile works as typed, and the reference is the code's."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

import jsonschema
import pytest

from conftest import run

ROOT = Path(__file__).resolve().parent.parent
GUIDE = (ROOT / "docs/profiles.md").read_text("utf-8")
STEP = re.compile(
    r"^## (\d+)\.|^(?:File|Add to|(Delete)) `([^`]+)`(?: \((empty)\)|:\n\n```\w*\n(.*?)^```|$)",
    re.MULTILINE | re.DOTALL,
)


def test_the_guide_works_after_each_step(tmp_path: Path) -> None:
    folder = tmp_path / "millrace"
    steps = 0
    for found in STEP.finditer(GUIDE):
        number, deleted, name, empty, content = found.groups()
        if number:
            if (folder / "tree").is_dir():
                steps += 1
                checked = run("games", "check", folder)
                assert checked.code == 0, (number, checked.out, checked.err)
                if steps == 1:  # its answer stands in the guide, indented
                    assert re.sub("^", "    ", checked.out.strip(), flags=re.MULTILINE) in GUIDE
            continue
        path = folder / name
        if deleted:
            path.unlink()
            continue
        path.parent.mkdir(parents=True, exist_ok=True)
        added = path.read_text() + "\n" if found[0].startswith("Add") else ""
        path.write_text("" if empty else added + content)
    assert steps == 9
    shown = run("games", "check", folder).out
    assert "wheel/mill.conf  braces, merge" in shown
    assert "for each category  line 2" in shown
    assert "for each sound  line 2: @key@.name = @title@" in shown
    assert "for each sound  line 3: @key@.note = @field.note@" in shown


def test_the_reference_and_the_schema_are_the_codes() -> None:
    done = subprocess.run(
        [sys.executable, ROOT / "tools/reference.py", "--check"], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr


@pytest.mark.parametrize("name", ["tarnlight", "ombervale", "quillmarsh", "vesper-yard", "open-pack"])
def test_every_game_fits_the_published_schema(name: str) -> None:
    import tomllib

    schema = json.loads((ROOT / "docs/game.schema.json").read_text("utf-8"))
    rules = (ROOT / "src/ichnos/games/bundled" / name / "game.toml").read_text("utf-8")
    jsonschema.validate(tomllib.loads(rules), schema)
    assert f"**{name.replace('-', ' ').title()[:4]}" in (ROOT / "docs/games.md").read_text("utf-8")


def test_a_workspaces_file_fits_its_schema(workspace: Path) -> None:
    import tomllib

    schema = json.loads((ROOT / "docs/ichnos.schema.json").read_text("utf-8"))
    values = tomllib.loads((workspace / "ichnos.toml").read_text("utf-8"))
    jsonschema.validate(values, schema)
    values["sound"][0]["takes"].append({"clip": "a.wav", "wait": 2})
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(values, schema)


def test_an_open_pack_fits_its_schema(tmp_path: Path, workspace: Path) -> None:
    run("start", tmp_path / "own", "--game", "open-pack")
    clip = workspace / "clips/gull.ogg"
    run("assign", "gate.opens", clip, clip, "--title", "The gate", "--title", "de=Das Tor", cwd=tmp_path / "own")
    built = json.loads(run("build", "--json", cwd=tmp_path / "own").out)
    content = json.loads((Path(built["to"]) / "open-pack.json").read_text("utf-8"))
    jsonschema.validate(content, json.loads((ROOT / "docs/open-pack.schema.json").read_text("utf-8")))
    assert content["heard"][0]["titles"] == {"en": "The gate", "de": "Das Tor"}
