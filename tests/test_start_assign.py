"""A workspace's file, made and written into."""

from __future__ import annotations

import json
import tomllib
import zipfile
from pathlib import Path

import pytest

from conftest import Made, edit, run


def test_start_writes_a_file_that_explains_itself(tmp_path: Path) -> None:
    assert "would write" in run("start", "night-shift", "--game", "tarnlight", "--dry-run", cwd=tmp_path).out
    assert not (tmp_path / "night-shift").exists()
    assert run("start", "night-shift", "--game", "tarnlight", "--title", 'Été "at sea"', cwd=tmp_path).code == 0
    text = (tmp_path / "night-shift/ichnos.toml").read_text("utf-8")
    values = tomllib.loads(text)
    assert values["pack"]["title"] == 'Été "at sea"'
    assert values["pack"]["name"] == "ete-at-sea"
    assert set(values["ids"]) == {"pack"}
    assert text.count("\n#") > 8
    again = run("start", "night-shift", "--game", "tarnlight", cwd=tmp_path)
    assert again.code == 2
    assert (tmp_path / "night-shift/ichnos.toml").read_text("utf-8") == text
    wrong = run("start", "other", "--game", "tarnlite", cwd=tmp_path)
    assert wrong.code == 2
    assert "did you mean tarnlight?" in wrong.err


def test_two_workspaces_never_share_ids(tmp_path: Path) -> None:
    for name in ("a", "b"):
        run("start", name, "--game", "ombervale", cwd=tmp_path)
    ids = [one for name in "ab" for one in tomllib.loads((tmp_path / name / "ichnos.toml").read_text())["ids"].values()]
    assert len(set(ids)) == 2


def test_a_missing_id_is_minted_and_written(workspace: Path) -> None:
    text = (workspace / "ichnos.toml").read_text("utf-8")
    line = next(line for line in text.splitlines() if line.startswith("pack = "))
    edit(workspace, f"{line}\n", "")
    result = run("build", cwd=workspace)
    assert "New ids are minted and written into ichnos.toml: pack." in result.err
    again = (workspace / "ichnos.toml").read_text("utf-8")
    assert set(again.splitlines()) - set(text.splitlines()) == {f'pack = "{tomllib.loads(again)["ids"]["pack"]}"'}


def test_assign_keeps_comments_and_order(workspace: Path) -> None:
    path = workspace / "ichnos.toml"
    path.write_text(path.read_text("utf-8").replace("\n[ids]", "\n# my own remark\n[ids] # and here\n", 1), "utf-8")
    before = path.read_text("utf-8").splitlines()
    (workspace / "clips/new one.wav").write_bytes((workspace / "clips/draught.wav").read_bytes())
    assert run("assign", "shore-seal-asleep", "clips/new one.wav", cwd=workspace).code == 0
    after = path.read_text("utf-8").splitlines()
    assert after[: len(before)] == before
    assert after[len(before) :] == ["", "[[sound]]", 'key = "shore-seal-asleep"', 'takes = ["clips/new one.wav"]']


def test_a_key_with_takes_needs_to_know_what_to_do(workspace: Path) -> None:
    def takes() -> list[str]:
        sounds = tomllib.loads((workspace / "ichnos.toml").read_text("utf-8"))["sound"]
        return next(sound["takes"] for sound in sounds if sound["key"] == "tower-bell-near")

    refused = run("assign", "tower-bell-near", "gull.ogg", cwd=workspace / "clips")
    assert refused.code == 2
    assert "--add" in refused.err
    assert "--replace" in refused.err
    run("assign", "tower-bell-near", "gull.ogg", "--add", "--dry-run", cwd=workspace / "clips")
    assert takes() == ["clips/bell-take3.wav"]
    run("assign", "tower-bell-near", "gull.ogg", "--add", cwd=workspace / "clips")
    assert takes() == ["clips/bell-take3.wav", "clips/gull.ogg"]
    run("assign", "tower-bell-near", "clips/draught.wav", "--replace", "--title", "de=Glocke", cwd=workspace)
    assert takes() == ["clips/draught.wav"]
    sounds = tomllib.loads((workspace / "ichnos.toml").read_text("utf-8"))["sound"]
    assert sounds[1]["title"] == {"en": "The tower bell", "de": "Glocke"}


@pytest.mark.parametrize(
    ("words", "code", "message"),
    [
        (["tower-bel-near", "clips/gull.ogg"], 1, "did you mean tower-bell-near or "),
        (["tower-bell-near", "clips/gul.ogg", "--add"], 1, "did you mean clips/gull.ogg?"),
        (["tower-whistle-near", "clips/gull.ogg", "--new"], 1, "is not new"),
        (["tower-bell-near", "clips/gull.ogg", "--add", "--replace"], 2, "exclude each other"),
        (["tower-bell-near"], 2, "which clips are for which key"),
    ],
)
def test_wrong_assignments_change_nothing(workspace: Path, words: list[str], code: int, message: str) -> None:
    before = (workspace / "ichnos.toml").read_bytes()
    result = run("assign", *words, cwd=workspace)
    assert result.code == code
    assert message in result.err
    assert (workspace / "ichnos.toml").read_bytes() == before


def test_outside_a_workspace(tmp_path: Path) -> None:
    for command in (["build"], ["assign", "a", "b"], ["check"]):
        result = run(*command, cwd=tmp_path)
        assert result.code == 2
        assert "workspace" in result.err


def test_windows_line_ends_are_kept(workspace: Path) -> None:
    path = workspace / "ichnos.toml"
    path.write_bytes(path.read_bytes().replace(b"\n", b"\r\n"))
    assert run("assign", "shore-seal-asleep", "clips/draught.wav", "--title", "Robbe", cwd=workspace).code == 0
    data = path.read_bytes()
    assert data.count(b"\n") == data.count(b"\r\n")
    assert run("build", cwd=workspace).code == 0
    path.write_bytes(data + b"\r\r\n")
    broken = run("assign", "shore-seal-calling", "clips/draught.wav", cwd=workspace)
    assert broken.code == 1
    assert "error: ichnos.toml:" in broken.err


def test_an_empty_file_names_what_it_needs(workspace: Path) -> None:
    (workspace / "ichnos.toml").write_bytes(b"")
    result = run("build", cwd=workspace)
    assert result.err.count("error: ichnos.toml: ") == 3
    assert 'the table "pack" is missing\n  cure: add it: [pack]' in result.err


def test_colour_is_for_terminals_that_want_it(workspace: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("NO_COLOR", "1")
    monkeypatch.setenv("FORCE_COLOR", "1")
    for words in (["build"], ["check"], ["assign", "nothing.at.all", "clips/gull.ogg"]):
        result = run(*words, cwd=workspace)
        assert "\x1b[3" not in result.out + result.err  # no colour, whatever forces a terminal


def test_trigger_is_written_and_built(workspace: Path) -> None:
    more = "--from stove --odds 0.5 --once --state lamp.lit --reaches on"
    words = (*more.split(), "--event", "door opens")
    done = run("trigger", "tower-bell-near", *words, cwd=workspace)
    assert (done.code, done.out) == (0, "door-opens: door opens plays tower-bell-near\n")
    assert run("trigger", "tower-bell-near", "--event", "door opens", "--does", "fade-out", cwd=workspace).code == 0
    assert run("build", cwd=workspace).code == 0
    with zipfile.ZipFile(workspace / "build/storm-watch-0.1.0.lampbox") as archive:
        first, second = json.loads(archive.read("lore/stirrings.json"))["stirrings"]
    assert first == {
        "tag": "door-opens", "upon": "door opens", "voice": "tower-bell-near", "act": "speak", "mouth": "stove",
        "given": "lamp.lit", "becomes": "on", "first-only": True, "wait": 0, "swell": 0, "gain": 1, "luck": 0.5,
    }  # fmt: skip
    assert (second["tag"], second["act"]) == ("door-opens-2", "drift-off")
    assert run("check", cwd=workspace).code == 0
    text = (workspace / "ichnos.toml").read_text()
    for wrong, said in (
        (("tower-bel-near", "--event", "x"), "did you mean tower-bell-near"),
        (("tower-bell-near", "--event", "x", "--does", "sing"), "--does sing"),
        (("tower-bell-near", "--event", "x", "--odds", "2"), "--odds 2"),
        (("tower-bell-near", "--event", "x", "--state", "s"), "go together"),
        (("tower-bell-near", "--event", "x", "--field", "y"), "NAME=VALUE"),
        (("tower-bell-near", "--event", "x", "--name", "door-opens"), "say --replace"),
    ):
        refused = run("trigger", *wrong, cwd=workspace)
        assert refused.code, wrong
        assert said in refused.err
    assert (workspace / "ichnos.toml").read_text() == text


def test_triggers_in_a_table(workspace: Path) -> None:
    run("trigger", "tower-bell-near", "--event", "dawn", cwd=workspace)
    table = workspace / "triggers.csv"
    table.write_text(
        "name;event;key;from;once;odds;reaches;state\ndusk;dusk falls;hatch-closed;stove;yes;0.5;on;lamp\n"
    )
    assert run("build", cwd=workspace).code == 0
    with zipfile.ZipFile(workspace / "build/storm-watch-0.1.0.lampbox") as archive:
        dawn, dusk = json.loads(archive.read("lore/stirrings.json"))["stirrings"]
    assert (dawn["tag"], dusk["mouth"], dusk["first-only"], dusk["luck"]) == ("dawn", "stove", True, 0.5)
    head = "name,event,key,odds,once\n"
    for rows, line, said in (
        ("a,b,tower-bel-near,1,no\n", 2, "did you mean tower-bell-near"),
        ("a,b,hatch-closed,1,no\na,c,hatch-closed,1,no\n", 3, 'there is a trigger "a" in line 2 already'),
        ("dawn,b,hatch-closed,1,no\n", 2, 'there is a trigger "dawn" in ichnos.toml'),
        ("a,b,hatch-closed,2,no\n", 2, 'column "odds"'),
        ("a,b,hatch-closed,x,no\n", 2, 'column "odds"'),
        ("a,,hatch-closed,1,no\n", 2, 'column "event"'),
        ("a,b,hatch-closed,1,perhaps\n", 2, 'column "once"'),
    ):
        table.write_text(head + rows)
        done = run("build", cwd=workspace)
        assert (done.code, f"triggers.csv:{line}" in done.err, said in done.err) == (1, True, True), done.err
    table.write_text("name,evnt,key\na,b,c\n")
    assert 'no column "evnt"' in run("build", cwd=workspace).err


def test_a_category_of_ones_own_is_no_slip_for_being_like_one(tmp_path: Path) -> None:
    """One letter of four is another word; a letter too many is a slip."""
    tree = {"tree/noises.json": '{"all": [{"id": "@key@", "of": "@category@", "f": ["@file@"]}]}\n'}
    game = Made(tmp_path, "mill", "", {**tree, "tree/@key@-@take.number@.wav": ""}, {})
    table = tmp_path / "keys.csv"
    table.write_text("key,category\nreed,tone\n", "utf-8")
    assert run("keys", "harvest", table, "--game", game.profile).code == 0
    game.start('\n[[sound]]\nkey = "reed"\ntakes = ["c1.wav"]\ncategory = "hone"\nfresh = true\n')
    built = run("build", cwd=game.own)
    assert built.code == 0, built.err
    assert "did you mean tone?" in game.refused('"hone"', '"tonne"')
