"""What CONTRIBUTING promises to who adds something: one row, and all else follows."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from pathlib import Path

import pytest

import ichnos
from conftest import Made, Result

VOCABULARY, MODELS = "games/profiles/vocabulary.py", "pack/workspace/pack_file.py"
TREE = {
    "tree/noises.json": '{"sounds": [\n  {"id": "@key@", "files": ["@file@"]}\n]}\n',
    "tree/calls.json": '{"calls": [\n  {"call": "@trigger.name@", "on": "@trigger.event@", "plays": "@trigger.key@", "ring": "@trigger.echo@"}\n]}\n',
    "tree/@key@-@take.number@.wav": "",
}
SOUND = '\n[[sound]]\nkey = "reed"\nnew = true\ntakes = ["c1.wav"]\n'


CHILD = """
import json, sys
from pathlib import Path
from conftest import run

for line in sys.stdin:
    words, folder = json.loads(line)
    print(json.dumps(vars(run(*words, cwd=folder and Path(folder)))), flush=True)
"""


@pytest.fixture
def changed(tmp_path: Path) -> Iterator[Callable[[dict[str, list[tuple[str, str]]]], Callable[..., Result]]]:
    """The program with pieces of text put in before others, in files of its source: a process that takes commands."""
    with ExitStack() as stack:

        def change(edits: dict[str, list[tuple[str, str]]]) -> Callable[..., Result]:
            source = tmp_path / "source" / "ichnos"
            shutil.copytree(Path(ichnos.__file__).parent, source, ignore=shutil.ignore_patterns("__pycache__"))
            for name, pairs in edits.items():
                text = (source / name).read_text("utf-8")
                for before, new in pairs:
                    assert text.count(before) == 1
                    text = text.replace(before, new + before)
                (source / name).write_text(text, "utf-8")
            env = {**os.environ, "PYTHONPATH": os.pathsep.join((str(source.parent), str(Path(__file__).parent)))}
            child = subprocess.Popen(
                [sys.executable, "-c", CHILD], env=env, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
            )
            assert child.stdin
            assert child.stdout
            stack.callback(child.wait)
            stack.callback(child.stdin.close)

            def run(*words: str | Path, cwd: Path | None = None) -> Result:
                child.stdin.write(json.dumps([[*map(str, words)], str(cwd) if cwd else None]) + "\n")
                child.stdin.flush()
                return Result(**json.loads(child.stdout.readline()))

            return run

        yield change


def test_a_field_is_one_row(tmp_path: Path, changed: Callable[..., Callable[..., Result]]) -> None:
    row = '        Word("trigger.echo", TRIGGER, "number", "how much it echoes, from 0 to 1", least=0, most=1),\n'
    run = changed({VOCABULARY: [('        Word("prop.name", PROP', row)]})
    game = Made(tmp_path, "mill", "", TREE, {})
    game.run, own = run, game.own  # type: ignore[method-assign]
    game.start(SOUND)
    said = run("trigger", "reed", "--event", "dusk", "--echo", "0.25", cwd=own)
    assert said.code == 0, said.err
    assert "echo = 0.25" in (own / "ichnos.toml").read_text("utf-8")
    refused = run("trigger", "reed", "--event", "dawn", "--echo", "2", cwd=own)
    assert (refused.code, "--echo 2: it must be at most 1" in refused.err) == (2, True)
    assert "How much it echoes, from 0 to 1." in run("trigger", "--help", cwd=own).out
    table = own / "triggers.csv"
    table.write_text("name,event,key,echo\nnoon,noon,reed,loud\n")
    assert "triggers.csv:2" in run("build", cwd=own).err
    table.write_text("name,event,key,echo\nnoon,noon,reed,0.5\n")
    pack = game.build()
    assert [one["ring"] for one in json.loads((pack / "calls.json").read_text())["calls"]] == [0.25, 0.5]
    shutil.copytree(pack, tmp_path / "first")
    table.write_text("name,event,key,echo\nnoon,noon,reed,0.75\n")
    compared = run("compare", tmp_path / "first", game.build(), "--game", game.profile, "--json", cwd=own)
    (change,) = json.loads(compared.out)["changes"]
    assert (change["of"], change["name"], change["field"], change["before"], change["after"]) == (
        "trigger", "noon", "echo", 0.5, 0.75
    )  # fmt: skip
    adopted = run("adopt", tmp_path / "first", "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path)
    assert "echo = 0.25" in (tmp_path / "theirs" / "ichnos.toml").read_text("utf-8"), adopted.err
    (game.profile / "tree" / "calls.json").write_text(TREE["tree/calls.json"].replace("echo@", "echo~decimals(0)@"))
    assert 'the echo of "dusk" is 0.25, and calls.json rounds it to 0' in run("build", cwd=own).err


def test_a_scope_is_one_row_and_its_model(tmp_path: Path, changed: Callable[..., Callable[..., Result]]) -> None:
    rows = """        Word("beacon.name", "beacon", "text", "what it is called", is_name=True, needed=True),
        Word("beacon.key", "beacon", "text", "the sound key that it plays", is_key=True, needed=True),
        Word("beacon.reach", "beacon", "number", "how far it is heard", above=0),
"""
    scope = '        Scope("beacon", (PACK,), ("beacon.name",), "beacon.key", is_joined=True),\n'
    model = 'class Beacon(_with_fields_of("beacon")):  # type: ignore[misc]\n    pass\n\n\n'
    field = '    beacon: tuple[Beacon, ...] = Field(default=(), description="[[beacon]]: what is heard from afar")\n'
    run = changed(
        {
            VOCABULARY: [('        Word("prop.name", PROP', rows), ("        Scope(ENTRY, ", scope)],
            MODELS: [("class Credit(TomlTable)", model), ("    trigger: tuple[Trigger", field)],
        }
    )
    tree = {
        **TREE,
        "tree/calls.json": '{"beacons": [\n  {"at": "@beacon.name@", "plays": "@beacon.key@", "reach": "@beacon.reach@"}\n]}\n',
    }
    game = Made(tmp_path, "mill", "", tree, {})
    game.run, own = run, game.own  # type: ignore[method-assign]
    game.start(SOUND + '\n[[beacon]]\nname = "pier"\nkey = "reed"\nreach = 40\n')
    (own / "beacons.csv").write_text("name,key,reach\nhead,reed,12.5\n")
    pack = game.build()
    assert json.loads((pack / "calls.json").read_text())["beacons"] == [
        {"at": "pier", "plays": "reed", "reach": 40}, {"at": "head", "plays": "reed", "reach": 12.5}
    ]  # fmt: skip
    text = (pack / "calls.json").read_text()
    shutil.copytree(pack, tmp_path / "first")
    (pack / "calls.json").write_text(
        text.replace("12.5", "13").replace('"plays": "reed", "reach": 40', '"plays": "red", "reach": 40')
    )
    compared = json.loads(run("compare", tmp_path / "first", pack, "--game", game.profile, "--json", cwd=own).out)
    assert [(one["of"], one["name"], one["field"]) for one in compared["changes"]] == [
        ("beacon", "head", "reach"), ("beacon", "pier", "key")
    ]  # fmt: skip
    run("adopt", tmp_path / "first", "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path)
    assert '[[beacon]]\nname = "pier"\nkey = "reed"\nreach = 40' in (tmp_path / "theirs/ichnos.toml").read_text("utf-8")


def test_a_step_a_converter_a_format_a_check_and_a_command(
    tmp_path: Path, changed: Callable[..., Callable[..., Result]]
) -> None:
    """What CONTRIBUTING says of each: a class, a line, a line, a function with its kind, a function."""
    step = (
        'class Hush(_Step):\n    about = "a tenth of it"\n    step: Literal["hush"] = "hush"\n\n'
        "    def apply(self, stream: AudioStream, say: Say) -> AudioStream:\n"
        "        return stream.through(levels.apply_gain(stream.blocks, -20))\n\n\n"
    )
    check = (
        "def _nameless(subject: Subject) -> Iterator[Finding]:\n"
        '    yield finding("nameless", subject.files.place, "it has no face")\n\n\n'
    )
    command = '@app.command(short_help="Greet.")\ndef greet() -> None:\n    """Greet."""\n    show.say("hello")\n\n\n'
    run = changed(
        {
            "audio/process/treatments.py": [("class Gain(_Step):", step), ("Gain | SoftClip |", "Hush | ")],
            "games/profiles/converters.py": [
                ('    "lower": ', '    "loud": ConverterKind(_text(str.upper), "loudly", example=("Bell", "BELL")),\n')
            ],
            "documents/formats.py": [('    "list": ', '    "notes": Lines,\n')],
            "review/findings.py": [('        FindingKind("weight-zero"', '        FindingKind("nameless", "", ""),\n')],
            "review/check.py": [
                ("_FAMILIES: ", check), ("    naming.in_archive,", "    _nameless,\n")
            ],
            "cli/splitting.py": [("@app.command(", command)],
        }
    )  # fmt: skip
    tree = {
        "tree/noises.json": '{"of": "@pack.title~loud@", "sounds": [\n  {"id": "@key@", "files": ["@file@"]}\n]}\n',
        "tree/words.note": "@key@: @title@\n",
        "tree/@key@-@take.number@.wav": "",
    }
    game = Made(tmp_path, "mill", '[[document]]\npath = "words.note"\nformat = "notes"\n', tree, {})
    game.run, own = run, game.own  # type: ignore[method-assign]
    game.start(SOUND + 'title = "Reed"\ntreatment = "soft"\n\n[treatment]\nsoft = [{step = "hush"}]\n')
    done = run("build", "--json", cwd=own)
    assert done.code == 0, done.err
    pack = Path(json.loads(done.out)["to"])
    assert json.loads((pack / "noises.json").read_text())["of"] == "MY OWN"
    assert (pack / "words.note").read_text("utf-8").startswith("reed: Reed")
    found = json.loads(run("check", "--json", cwd=own).out)["findings"]
    assert [one["id"] for one in found] == ["nameless"]
    assert "--hush" in run("treat", "--help", cwd=own).out
    assert "greet" in run("--help", cwd=own).out


def test_each_entry_of_a_pack_has_free_fields(tmp_path: Path) -> None:
    """What a profile asks for that the vocabulary does not know: of sounds, and of all that plays them."""
    tree = {
        "tree/noises.json": '{"sounds": [\n  {"id": "@key@", "hue": "@field.hue@", "files": ["@file@"]}\n]}\n',
        "tree/turns.json": '{"turns": [\n  {"of": "@schedule.name@", "hue": "@schedule.field.hue@", "plays": [{"key": "@entry.key@"}]}\n]}\n',
        "tree/@key@-@take.number@.wav": "",
    }
    game = Made(tmp_path, "mill", "", tree, {})
    game.start(SOUND + 'fields = {hue = "grey"}\n')
    said = game.run("schedule", "night", "reed", "--field", "hue=blue", cwd=game.own)
    assert said.code == 0, said.err
    (game.own / "schedules.csv").write_text("name,key,field.hue\nday,reed,red\nday,reed,\n")
    turns = json.loads((game.build() / "turns.json").read_text())["turns"]
    assert turns == [
        {"of": "night", "hue": "blue", "plays": [{"key": "reed"}]},
        {"of": "day", "hue": "red", "plays": [{"key": "reed"}, {"key": "reed"}]},
    ]
