"""The whole workspace: table, defaults, several games, credits, silence, release, codecs of a game's own, watching."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from conftest import LOCAL, PACKAGE, edit, run, voices_in
from ichnos.games import made_up
from ichnos.games.profiles import profile
from ichnos.pack.build import building

ROOT = Path(__file__).parent


def _own(tmp_path: Path, *more: str) -> Path:
    """A workspace for the open pack, with three clips."""
    folder = tmp_path / "own"
    run("start", folder, "--game", "open-pack", "--title", "Own", "--licence", "MIT", *more)
    (folder / "clips").mkdir()
    for number, name in enumerate(("a", "b", "c")):
        sound = 0.2 * np.sin(2 * np.pi * (300 + 200 * number) * np.arange(22050) / 44100)
        soundfile.write(folder / "clips" / f"{name}.wav", sound, 44100)
    return folder


def _definitions(folder: Path) -> dict[str, dict]:
    values = json.loads((folder / "build" / "own" / "open-pack.json").read_text("utf-8"))
    return {sound["key"]: sound for sound in values["heard"]}


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
def test_a_table_of_sounds(tmp_path: Path, delimiter: str) -> None:
    folder = _own(tmp_path)
    rows = [
        "key,clip,weight,new,title,title.de,volume,loop,note",
        "pier.bell,clips/a.wav,3,yes,Pier bell,Glocke,0.5,,x",
        "pier.bell,clips/b.wav,1,,,,,,",
        '"pier.""wave""",clips/c.wav,,yes,,,,yes,',
    ]
    text = "\n".join(rows).replace(",", delimiter) + "\n"
    (folder / "sounds.csv").write_bytes(b"\xef\xbb\xbf" + text.replace("\n", "\r\n").encode())
    built = run("build", cwd=folder)
    if delimiter == ",":  # a quotation mark cannot be in a file's name
        assert built.code == 1
        assert "cannot be a file's name in a pack" in built.err
    (folder / "sounds.csv").write_text(text.replace('"pier.""wave"""', "pier.wave"))
    assert run("build", cwd=folder).code == 0
    sounds = _definitions(folder)
    assert set(sounds) == {"pier.bell", "pier.wave"}
    assert [take.get("share") for take in sounds["pier.bell"]["takes"]] == [3, 1]
    assert "no findings" in run("check", cwd=folder).out


def test_what_is_saved_while_it_builds_is_not_overlooked(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is kept is of what the build saw when it began, not of what was there when it ended."""
    folder = _own(tmp_path)
    run("assign", "pier.a", "clips/a.wav", "--new", cwd=folder)
    clip, file = folder / "clips/a.wav", folder / "ichnos.toml"
    for path in (clip, file):
        os.utime(path, ns=(1, time.time_ns() - 60_000_000_000))

    def stands(during: Callable[[], object] = lambda: None) -> bool:
        planned = building.plan(folder)
        during()
        building.carry_out(planned, lambda _: None)
        return building.standing(folder, None, None) is not None

    assert stands()
    assert not stands(lambda: os.utime(clip, ns=(1, time.time_ns() - 30_000_000_000)))  # saved during a long build
    assert stands()
    assert not stands(lambda: os.utime(file, ns=(1, time.time_ns() - 30_000_000_000)))
    assert stands()


def test_what_is_saved_twice_in_one_tick_is_seen(tmp_path: Path) -> None:
    """A file of the same size and time as before, and another content."""
    folder = _own(tmp_path)
    run("assign", "pier.a", "clips/a.wav", "--new", "--title", "Bell one", cwd=folder)
    run("build", cwd=folder)
    assert "Nothing has changed" in run("build", cwd=folder).out  # although all of it has only just been written
    file = folder / "ichnos.toml"
    before = file.stat()
    file.write_text(file.read_text("utf-8").replace("Bell one", "Bell two"), "utf-8")
    os.utime(file, ns=(before.st_atime_ns, before.st_mtime_ns))
    assert run("build", cwd=folder).code == 0
    assert _definitions(folder)["pier.a"]["titles"]["en"] == "Bell two"


def test_what_is_kept_of_an_outline_writes_nothing_elsewhere(tmp_path: Path) -> None:
    """A workspace may come from anybody, with what Ichnos is said to have kept in it."""
    folder = _own(tmp_path)
    run("assign", "pier.a", "clips/a.wav", "--new", cwd=folder)
    for path in folder.rglob("*"):
        os.utime(path, (1_000_000_000, 1_000_000_000))
    assert run("build", cwd=folder).code == 0
    with contextlib.closing(sqlite3.connect(folder / ".ichnos/state.sqlite")) as db:
        ((outline,),) = db.execute("SELECT outline FROM builds").fetchall()

    def keep(changed: str) -> None:
        text = changed.partition(" ")[2]  # a digest that fits is no help
        changed = f"{hashlib.sha256(text.encode()).hexdigest()} {text}"
        with contextlib.closing(sqlite3.connect(folder / ".ichnos/state.sqlite")) as db, db:
            db.execute("UPDATE builds SET outline = ?", (changed,))

    for number, evil in enumerate(("../../outside.json", str(tmp_path / "outside.json"), "a/../../../outside.json")):
        soundfile.write(folder / "clips/a.wav", 0.1 * np.ones(22050 + number), 44100)
        keep(outline.replace("open-pack.json", evil))
        result = run("build", cwd=folder)
        assert result.code == 1, result.out
        assert "cannot be a file's name in a pack" in result.err
        keep(outline.replace('"package": "own"', f'"package": "{evil}"'))
        assert run("build", cwd=folder).code == 1
        keep(outline.replace('"game": null', f'"game": "{evil}"'))
        run("build", cwd=folder)
    assert not list(tmp_path.rglob("outside.json"))
    for damaged in ("", "{}", "[]", "null", outline[:-9], outline.replace('"sounds": [[', '"sounds": [[[')):
        keep(damaged)
        assert run("build", cwd=folder).code == 0
    assert sorted(path.name for path in (folder / "build").iterdir()) == ["own"]


def test_only_changed_files_are_rewritten(tmp_path: Path) -> None:
    folder = _own(tmp_path)
    for name in "abc":
        run("assign", f"pier.{name}", f"clips/{name}.wav", "--new", cwd=folder)
    run("build", cwd=folder)
    package = folder / "build" / "own"
    before = {path: path.stat().st_mtime_ns for path in package.rglob("*.ogg")}
    time.sleep(0.02)
    shutil.copyfile(folder / "clips/a.wav", folder / "clips/b.wav")
    assert run("build", cwd=folder).code == 0
    changed = {path.name for path in before if path.stat().st_mtime_ns != before[path]}
    assert changed == {"pier.b-1.ogg"}
    assert {path.stat().st_nlink for path in before} == {1}
    assert run("check", cwd=folder).code == 0


def test_a_key_that_looks_like_a_comment_is_none(tmp_path: Path) -> None:
    folder = _own(tmp_path)
    (folder / "sounds.csv").write_text("key;clip;new\n#2.pier;clips/b.wav;yes\n")
    planned = run("build", "--dry-run", "--json", cwd=folder)
    assert any("#2.pier" in file["path"] for file in json.loads(planned.out)["files"])


@pytest.mark.parametrize(
    ("text", "messages"),
    [
        ("key,clip\n,clips/a.wav\n", ['sounds.csv:2:1: column "key"']),
        ("key,clp\n", ['there is no column "clp"', "did you mean clip?"]),
        ("clip\nx\n", ['there is no column "key"']),
        (
            "key,clip,weight,new\nx.y,clips/a.wav,often,yes\n",
            ["sounds.csv:2:17: column \"weight\": 'often' is no number"],
        ),
        ("key;clip;volume;new\nx.y;clips/a.wav;0,5;yes\n", ["write 0.5"]),
        ("key,clip,volume,new\nx.y,clips/a.wav,1,yes\nx.y,clips/b.wav,2,yes\n", ['sounds.csv:3:17: column "volume"']),
        ("key,clip,new\nx.y,clips/z.wav,yes\n", ["sounds.csv:2", "clips/z.wav"]),
        ("key,clip,new\nx.y,clips/a.wav,maybe\n", ["'maybe' is neither yes nor no"]),
        ("key,clip,new\nx.y,,yes\nq.r,clips/a.wav,yes,1,2\n", ["sounds.csv:3:21: this row has 5 cells"]),
        ("key,clip,new\nx.y,,yes\n", ["sounds.csv:2:1: column"]),
        ('key,clip,new\n"x.y,clips/a.wav,yes\n', ["sounds.csv:2:1", "never closed"]),
        ("key,clip,new\nx.y,clips/a.wav,yes\nX.Y,clips/b.wav,yes\n", ["would be the same file"]),
    ],
)
def test_a_wrong_row_is_named(tmp_path: Path, text: str, messages: list[str]) -> None:
    folder = _own(tmp_path)
    (folder / "sounds.csv").write_text(text)
    result = run("build", cwd=folder)
    assert result.code == 1
    assert all(message in result.err for message in messages), result.err


def test_defaults_fill_what_is_not_said(tmp_path: Path) -> None:
    folder = _own(tmp_path)
    with (folder / "ichnos.toml").open("a") as file:
        file.write(
            '[[defaults]]\nkeys = ["pier.*"]\nvolume = 0.25\n\n[[defaults]]\ncategories = ["sea"]\nvolume = 0.75\nfar = 90\n\n'
            "[[defaults]]\npriority = 3\n\n"
            '[[sound]]\nkey = "pier.bell"\ntakes = ["clips/a.wav"]\nnew = true\ncategory = "sea"\n\n'
            '[[sound]]\nkey = "deep.wave"\ntakes = ["clips/b.wav"]\nnew = true\ncategory = "sea"\nvolume = 1.5\n'
        )
    plan = json.loads(run("build", "--json", cwd=folder).out)
    sounds = _definitions(folder)
    assert [sounds[key].get("level") for key in ("pier.bell", "deep.wave")] == [0.25, 1.5]
    assert "pier.bell: Open pack has no place for far, priority" in plan["notes"]
    assert "deep.wave: Open pack has no place for far, priority" in plan["notes"]
    assert plan["written"]


def test_one_workspace_for_several_games(workspace: Path, tmp_path: Path) -> None:
    assert run("build", "--game", "quillmarsh", cwd=workspace).code == 2
    _installed("quillmarsh", tmp_path / "marsh")
    edit(workspace, "[pack]", '[games.quillmarsh]\ngame-version = "0.9.4"\n\n[pack]')
    with (workspace / LOCAL).open("a") as file:
        file.write(f'[games.quillmarsh]\ninstallation = "{tmp_path}/marsh"\n')
    edit(
        workspace,
        'key = "shore-gull-calling"',
        'key = "shore-gull-calling"\ngames = {quillmarsh = {key = "heron_calls_dawn"}}',
    )
    first = (workspace / PACKAGE).read_bytes()
    built = run("build", "--game", "quillmarsh", cwd=workspace)
    assert built.code == 0, built.err
    assert "4 of the sounds say nothing of quillmarsh" in built.err
    package = workspace / "build" / "quillmarsh" / "storm-watch"
    (sound,) = package.rglob("*.wav")
    assert soundfile.info(sound).samplerate == 22050
    calls = (package / "marsh/calls.bog").read_text()
    assert "call heron_calls_dawn" in calls
    assert sound.stem in calls
    checked = run("check", "--game", "quillmarsh", package, cwd=workspace)
    assert (checked.code, "no findings" in checked.out) == (0, True), checked.out
    assert run("build", cwd=workspace).code == 0
    assert (workspace / PACKAGE).read_bytes() == first
    kept = list((workspace / ".ichnos" / "conversions").iterdir())
    assert {path.suffix for path in kept} == {".ogg", ".wav"}  # neither game's are forgotten


def test_a_silent_key_and_a_shared_clip(workspace: Path, tmp_path: Path) -> None:
    with (workspace / "ichnos.toml").open("a", encoding="utf-8") as file:
        file.write('\n[[sound]]\nkey = "roof-wind-wild"\nsilent = true\n')
        file.write(
            '\n[[sound]]\nkey = "shore-wave-breaking"\ntakes = ["clips/gull.ogg"]\nnew = true\ncategory = "signals"\n'
        )
    built = run("build", cwd=workspace)
    assert built.code == 0, built.err
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        sounds = [name for name in archive.namelist() if name.endswith(".ogg")]
        archive.extractall(tmp_path / "out")
    voices = voices_in(workspace / PACKAGE)
    assert voices["shore-wave-breaking"]["odds"] == voices["shore-gull-calling"]["odds"]
    assert len(sounds) == 7  # six clips, and the silence; the gull is stored once
    (silence,) = (tmp_path / "out").rglob("roof-wind-wild*.ogg")
    assert np.abs(soundfile.read(silence)[0]).max() < 1e-4
    assert run("check", cwd=workspace).code == 0
    edit(workspace, "silent = true", 'silent = true\ntakes = ["clips/gull.ogg"]')
    assert "a silent sound has no takes" in run("build", cwd=workspace).err


def test_credits_and_licences(workspace: Path) -> None:
    """A licence of its own for each clip, in a pack that is sold."""
    wrong = {"CC-BY-ND-4.0": "licence-forbids", "CC-BY-NC-4.0": "licence-forbids", "CC-BY-9.0": "licence-unknown"}
    licences = [*wrong, "CC-BY-4.0", "CC-BY-ND-4.0 OR CC0-1.0", "LicenseRef-bought"]
    clips = sorted(path.name for path in (workspace / "clips").iterdir())
    before = (workspace / "ichnos.toml").read_text("utf-8")
    for clip, licence in zip(clips, licences, strict=True):
        credit = f'author = "A. {clip}"\nlicence = "{licence}"\nlink = "https://example.org/{licence[:8]}"'
        edit(workspace, "[[credit]]", f'[[credit]]\nclips = ["clips/{clip}"]\n{credit}\n\n[[credit]]')
    edit(workspace, "[pack]\n", "[pack]\ncommercial = true\n")
    assert run("build", cwd=workspace).code == 0
    found = json.loads(run("check", "--json", cwd=workspace).out)["findings"]
    lines = (workspace / "ichnos.toml").read_text("utf-8").splitlines()
    named = {}
    for one in found:
        assert one["file"] == "ichnos.toml"
        below = lines[one["line"] :]
        named[next(line for line in below if line.startswith("licence")).split('"')[1]] = one["id"]
    assert (named, len(found)) == (wrong, len(wrong))
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        text = archive.read("CREDITS.txt").decode()
    assert all(f"A. {clip}" in text for clip in clips)
    assert "https://example.org/CC-BY-4." in text
    (workspace / "ichnos.toml").write_text(before, "utf-8")
    edit(workspace, "[[credit]]", '[[credit]]\nclips = ["clips/gull.ogg"]\nlicence = "CC-BY-4.0"\n\n[[credit]]')
    assert "licence-words" in run("check", cwd=workspace).out
    (workspace / "ichnos.toml").write_text(before, "utf-8")
    edit(workspace, 'clips = ["*"]', 'clips = ["clips/d*"]')
    run("build", cwd=workspace)
    found = json.loads(run("check", "--json", cwd=workspace).out)["findings"]
    assert [one["id"] for one in found].count("licence-missing") == 5
    edit(workspace, "[pack]\n", '[[waive]]\nid = "licence-missing"\nreason = "all my own"\n\n[pack]\n')
    result = json.loads(run("check", "--json", cwd=workspace).out)
    assert (result["findings"], len(result["waived"])) == ([], 5)


def test_why_something_is_built_again(workspace: Path, tmp_path: Path) -> None:
    edit(workspace, 'key = "tower-bell-near"', 'key = "tower-bell-near"\ntreatment = "far-off"')
    shutil.copy(workspace / "clips/hatch-1.flac", workspace / "clips/hatch-2.flac")
    plan = json.loads(run("build", "--dry-run", "--json", cwd=workspace).out)
    why = {file["path"].rpartition("/")[2]: file["why"] for file in plan["files"] if "why" in file}
    assert why == {"tower-bell-near-1.ogg": "treatment changed", "hatch-closed-2.ogg": "clip changed"}
    shutil.copytree(ROOT.parent / "src/ichnos/games/bundled/tarnlight", tmp_path / "demo" / "mine")
    edit(workspace, 'game = "tarnlight"', 'game = "../mine"')
    assert run("build", cwd=workspace).code == 0
    lamp = tmp_path / "demo/mine/tree/lamp.json"
    lamp.write_text(lamp.read_text().replace("{", '{"made": "by hand",', 1))
    plan = json.loads(run("build", "--dry-run", "--json", cwd=workspace).out)
    assert [file["why"] for file in plan["files"] if "why" in file] == ["profile changed"]


def test_a_copied_workspace_gets_ids_of_its_own(workspace: Path, tmp_path: Path) -> None:
    copy = tmp_path / "demo" / "copy"
    shutil.copytree(workspace, copy)
    edit(copy, 'name = "storm-watch"', 'name = "calm-watch"')
    built = run("build", cwd=copy)
    assert "New ids are minted" in built.err
    other = copy / "build" / "calm-watch-0.1.0.lampbox"
    together = run("check", workspace / PACKAGE, other, "--game", "tarnlight", "--json")
    found = {one["id"] for one in json.loads(together.out)["together"]}
    assert found == {"key-shared"}
    shutil.copy(workspace / PACKAGE, tmp_path / "again.lampbox")
    result = run("check", workspace / PACKAGE, tmp_path / "again.lampbox", "--game", "tarnlight")
    assert result.code == 1
    assert "id-of-another" in result.out
    assert "file-shadowed" not in result.out  # each is in an archive of its own
    assert "again.lampbox is heard" in result.out


def test_pairs_by_name(workspace: Path) -> None:
    folder = workspace / "more"
    folder.mkdir()
    for name in ("Roof wind wild 2.wav", "roof-wind-wild_1.wav", "lampp.wik.trim.wav", "thunder.wav"):
        shutil.copy(workspace / "clips/draught.wav", folder / name)
    before = (workspace / "ichnos.toml").read_text("utf-8")
    dry = run("assign", "--from", "more", "--dry-run", cwd=workspace)
    assert (workspace / "ichnos.toml").read_text("utf-8") == before
    assert "roof-wind-wild gets more/roof-wind-wild_1.wav, more/Roof wind wild 2.wav" in dry.out
    result = run("assign", "--from", "more", cwd=workspace)
    assert result.code == 0
    doubtful = [line for line in result.out.splitlines() if line.startswith("doubtful")]
    assert any("thunder.wav" in line for line in doubtful)
    assert (workspace / "ichnos.toml").read_text("utf-8").startswith(before.rstrip("\n"))
    assert "left alone: roof-wind-wild" in run("assign", "--from", "more", cwd=workspace).out


def test_a_release(workspace: Path) -> None:
    before = {path: path.read_bytes() for path in workspace.rglob("*") if path.is_file()}
    dry = run("release", "--minor", "--note", "Two bells", "--dry-run", cwd=workspace)
    assert "would release 0.2.0: release/storm-watch-0.2.0.lampbox" in dry.out
    assert {path: path.read_bytes() for path in workspace.rglob("*") if path.is_file()} == before
    done = run("release", "--minor", "--note", "Two bells", cwd=workspace)
    assert done.code == 0, done.err
    archive = workspace / "release" / "storm-watch-0.2.0.lampbox"
    digest = archive.with_name(f"{archive.name}.sha256").read_text().split()
    assert digest[1] == archive.name
    import hashlib

    assert digest[0] == hashlib.sha256(archive.read_bytes()).hexdigest()
    assert 'version = "0.2.0"' in (workspace / "ichnos.toml").read_text("utf-8")
    assert "- Two bells" in (workspace / "CHANGES.md").read_text()
    again = run("release", "--note", "the same", cwd=workspace)
    assert again.code == 2
    assert "was released already" in again.err
    before = {path: path.read_bytes() for path in (workspace / "ichnos.toml", workspace / "CHANGES.md")}
    edit(workspace, 'title = {en = "The tower bell", de = "Die Turmglocke"}', 'title = "The tower bell"')
    before[workspace / "ichnos.toml"] = (workspace / "ichnos.toml").read_bytes()
    failed = run("release", "--patch", "--note", "x", cwd=workspace)
    assert failed.code == 1
    assert "title-missing" in failed.err
    assert {path: path.read_bytes() for path in before} == before
    assert run("release", "--patch", "--major", "--note", "x", cwd=workspace).code == 2


def test_a_game_that_goes_by_files_names_alone(tmp_path: Path) -> None:
    game, installed = tmp_path / "bare", tmp_path / "game"
    (game / "tree/sounds").mkdir(parents=True)
    (game / "tree/sounds/@key@_@take.number@.ogg").touch()
    (game / "game.toml").write_text(
        'format = 1\n[game]\nname = "bare"\ntitle = "Bare"\nsummary = "x"\nversions = ["1"]\n'
        '[audio]\ncontainer = "Ogg"\ncodec = "Vorbis"\nrate = 44100\nchannels = 1\n[names]\nseparator = "/"\n'
        '[modes]\nreplace = "by-path"\nnew = false\n[packaging]\nkind = "folder"\nname = "@pack.name@"\n'
    )
    for name in ("wind/low_1", "wind/low_2", "bell/one_1"):
        (installed / f"sounds/{name}.ogg").parent.mkdir(parents=True, exist_ok=True)
        (installed / f"sounds/{name}.ogg").write_bytes(b"locked")
    folder = _own(tmp_path, "--installation", str(_installed("open-pack", tmp_path / "orchard")))
    edit(folder, '"open-pack"', '"../bare"')
    edit(folder, 'game-version = "2"', 'game-version = "1"')
    edit(folder, 'installation = "../orchard"', 'installation = "../game"', LOCAL)
    found = json.loads(run("keys", "harvest", installed, "--game", game, "--json").out)
    assert found["keys"] == 2
    assert "did you mean wind/low" in run("assign", "wind/lo", "clips/a.wav", cwd=folder).err
    run("assign", "wind/low", "clips/a.wav", "clips/b.wav", cwd=folder)
    assert run("build", cwd=folder).code == 0
    sounds = sorted(path.name for path in (folder / "build/own/sounds/wind").iterdir())
    assert sounds == ["low_1.ogg", "low_2.ogg"]
    assert run("check", cwd=folder).code == 0
    (folder / "build/own/sounds/wind/low_2.ogg").rename(folder / "build/own/sounds/wind/low_3.ogg")
    assert "Bare has no sounds/wind/low_3.ogg" in run("check", cwd=folder).out


def test_names_as_the_game_spells_them(tmp_path: Path) -> None:
    """Letters, capitals, spaces and length hold for the whole of a file's name; what is too long stays apart."""
    game = _with_names("open-pack", tmp_path, 'case = "lower"\nallowed = "a-z0-9_.-"\nlongest = 24\n')
    folder = tmp_path / "own"
    keys = ["Möwe À la carte", "a key that is much too long: one", "a key that is much too long: two", "kite"]
    for key in keys:
        assert run("assign", key, "clips/a.wav", "--new", cwd=folder).code == 0
    plan = run("build", cwd=folder)
    assert plan.code == 0, plan.err
    assert "Möwe À la carte is spelled mowe_a_la_carte" in plan.out
    assert plan.out.count("and cut, for it is too long") == 2
    stems = {key: Path(sound["takes"][0]["clip"]).stem for key, sound in _definitions(folder).items()}
    assert stems["Möwe À la carte"] == "mowe_a_la_carte-1"
    assert len(set(stems.values())) == len(keys)
    assert all(len(stem) <= 24 and re.fullmatch(r"[a-z0-9_.-]+", stem) for stem in stems.values())
    assert run("check", cwd=folder).code == 0
    (folder / "build/own/audio/kite-1.ogg").rename(folder / "build/own/audio/a-name-of-more-than-24-letters.ogg")
    assert "has 30 letters" in run("check", cwd=folder).out
    (game / "tree/audio/@key@-@take.number@.ogg").rename(game / "tree/audio/@key@!@take.number@.ogg")
    assert "[names] in game.toml does not allow" in run("build", cwd=folder).err
    text = (game / "game.toml").read_text()
    (game / "game.toml").write_text(text.replace("a-z0-9_.-", "z-a"))
    assert "z-a is no range of characters" in run("build", cwd=folder).err


def test_documents_named_by_keys_are_spelled_like_sounds(tmp_path: Path) -> None:
    game = _with_names("vesper-yard", tmp_path, 'longest = 20\nholds-for = ["sounds", "documents"]\n')
    folder = tmp_path / "own"
    edit(folder, 'game-version = "2"', 'game-version = "3.1.0"')
    for key in ("Möwe ruft", "Möwe ruft laut über dem Hafen"):
        run("assign", key, "clips/a.wav", "--new", "--title", "x", cwd=folder)
    run("keys", "harvest", _installed("vesper-yard", tmp_path / "yard"), "--game", game)
    assert run("build", cwd=folder).code == 0
    with zipfile.ZipFile(folder / "build/own.yard") as archive:
        cards = [Path(name).stem for name in archive.namelist() if name.startswith("desk/")]
    assert len(cards) == 2
    assert all(card.isascii() and len(card) <= 20 and " " not in card for card in cards)
    checked = run("check", cwd=folder)
    assert (checked.code, checked.err) == (0, ""), checked.out  # the keys are those in the documents


def _with_names(bundled: str, tmp_path: Path, rules: str) -> Path:
    """A stricter edition of a bundled game, in strict/, and a workspace for it in own/."""
    game = tmp_path / "strict"
    shutil.copytree(profile.BUNDLED / bundled, game)
    with (game / "game.toml").open("a") as file:
        file.write(f'\n[names]\nascii = true\nspaces = "_"\n{rules}')
    edit(_own(tmp_path), '"open-pack"', '"../strict"')
    return game


def _installed(game: str, folder: Path) -> Path:
    sample = made_up.sample_of(profile.BUNDLED / game)
    assert sample
    made_up.lay_installation(sample, folder)
    return folder


@pytest.mark.parametrize(
    ("version", "step", "following"),
    [
        ("0.1.9", "patch", "0.1.10"),
        ("1.2.3", "minor", "1.3.0"),
        ("1.2.3", "major", "2.0.0"),
        ("1.0.0-beta.1", "major", "1.0.0"),
        ("1.2.0-rc.1+x.7", "minor", "1.2.0"),
        ("1.2.3-rc.1", "patch", "1.2.3"),
        ("1.2.3-rc.1", "minor", "1.3.0"),
        ("1.02.3", "patch", None),
        ("1.2", "patch", None),
        ("1.2.3-01", "patch", None),
    ],
)
def test_versions_are_semver(tmp_path: Path, version: str, step: str, following: str | None) -> None:
    folder = _own(tmp_path)
    run("assign", "pier.a", "clips/a.wav", "--new", "--title", "A", cwd=folder)
    edit(folder, '"0.1.0"', f'"{version}"')
    done = run("release", f"--{step}", "--note", "x", cwd=folder)
    assert done.code == (0 if following else 1), done.err
    said = json.loads((folder / "build/own/open-pack.json").read_text())["version"] if following else None
    assert said == following
    for archive in (folder / "release").glob("*.zip"):  # a folder pack as it is sent
        assert run("check", archive, cwd=folder).code == 0
        assert {name.split("/")[0] for name in zipfile.ZipFile(archive).namelist()} == {"own"}


def test_a_game_with_a_codec_of_its_own(tmp_path: Path) -> None:
    game = tmp_path / "knot"
    (game / "tree/audio").mkdir(parents=True)
    (game / "game.toml").write_text(
        'format = 1\n[game]\nname = "knot"\ntitle = "Knot"\nsummary = "x"\nversions = ["1"]\n'
        '[audio]\ncontainer = "WAV"\ncodec = "PCM 16"\nrate = 32000\nchannels = 1\n'
        '[own-encoder]\nextension = ".knt"\n[packaging]\nkind = "folder"\nname = "@pack.name@"\n'
    )
    (game / "tree/list.json").write_text('{"all": [{"key": "@key@", "takes": ["@file@"]}]}')  # with the extension
    (game / "tree/audio/@key@-@take.number@.knt").touch()
    folder = tmp_path / "own"
    run("start", folder, "--game", game, "--title", "Own", "--licence", "MIT")
    for name in "ab":
        soundfile.write(folder / f"{name}.wav", 0.2 * np.ones(4410) * (1 + ord(name) % 2), 44100)
        run("assign", f"rope.{name}", folder / f"{name}.wav", "--new", cwd=folder)
    open_ = run("build", cwd=folder)
    assert open_.code == 1
    assert "2 of 2 sounds are to be written by the game's own encoder" in open_.err
    assert soundfile.info(folder / "to-encode/audio/rope.a-1.wav").samplerate == 32000
    assert "becomes  encoded/audio/rope.b-1.knt" in (folder / "to-encode/TO-ENCODE.txt").read_text()
    (folder / "encoded/audio").mkdir(parents=True)
    for name in "ab":
        (folder / f"encoded/audio/rope.{name}-1.knt").write_bytes(f"KNT{name}".encode())
    assert run("build", cwd=folder).code == 0
    assert (folder / "build/own/audio/rope.b-1.knt").read_bytes() == b"KNTb"
    assert run("build", cwd=folder).code == 0
    time.sleep(0.02)
    soundfile.write(folder / "b.wav", 0.1 * np.ones(8820), 44100)
    again = run("build", cwd=folder)
    assert "1 of 2 sounds are to be written" in again.err  # it changed since
    assert re.search(r"~ +rope.b-1.knt  clip changed", again.out)
    assert re.search(r"= +rope.a-1.knt", again.out)
    assert again.out.count("to be written by the game's encoder") == 1
    for slip, message in ((b"", "is empty"), ((folder / "to-encode/audio/rope.b-1.wav").read_bytes(), "not encoded")):
        (folder / "encoded/audio/rope.b-1.knt").write_bytes(slip)
        assert message in run("build", cwd=folder).err
    (folder / "encoded/audio/rope.b-1.knt").write_bytes(b"KNTnew")
    assert run("build", cwd=folder).code == 0
    assert (folder / "build/own/audio/rope.b-1.knt").read_bytes() == b"KNTnew"
    checked = run("check", cwd=folder)
    assert (checked.code, "2 in the game's own codec" in checked.out) == (0, True)
    (folder / "build/own/audio/rope.b-1.knt").write_bytes(b"")
    assert "take-damaged" in run("check", cwd=folder).out


def test_watching_builds_again(workspace: Path) -> None:
    log = workspace / "log.txt"
    signal.signal(signal.SIGINT, signal.default_int_handler)  # tests in the background inherit that it is ignored
    with log.open("w") as out:
        words = [sys.executable, "-u", "-m", "ichnos", "build", "--watch"]
        process = subprocess.Popen(words, cwd=workspace, stdout=out, stderr=subprocess.STDOUT, env={**os.environ})
        try:
            _until(lambda: "Watching" in log.read_text())
            edit(workspace, "Foghorn across", "Horn across")
            _until(lambda: log.read_text().count("Watching") == 2)
            edit(workspace, "[pack]", "[pak]")
            _until(lambda: log.read_text().count("Watching") == 3)
            time.sleep(1.2)
            assert log.read_text().count("Changed: ") == 2  # what a file that cannot be read names is no news
            edit(workspace, "[pak]", "[pack]")
            _until(lambda: log.read_text().count("Watching") == 4)
        finally:
            process.send_signal(signal.SIGINT)
            assert process.wait(20) == 0
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        assert b"Horn across" in archive.read("lore/log.json")


def _until(true: object, seconds: float = 30) -> None:
    deadline = time.monotonic() + seconds
    while not true():  # type: ignore[operator]
        assert time.monotonic() < deadline, "it never happened"
        time.sleep(0.05)


def test_names_that_cannot_be(workspace: Path) -> None:
    edit(workspace, 'name = "storm-watch"', 'name = "aux"')
    assert "Windows has no file called aux" in run("build", cwd=workspace).err
    edit(workspace, 'key = "shore-gull-calling"', 'key = "shore-gull-calling"\nfields = {mood = "calm"}')
    edit(workspace, 'name = "aux"', 'name = "storm-watch"')
    assert "Tarnlight has no field mood; it asks for none" in run("build", cwd=workspace).err


def test_a_field_of_the_profiles_own(workspace: Path, tmp_path: Path) -> None:
    shutil.copytree(ROOT.parent / "src/ichnos/games/bundled/tarnlight", tmp_path / "demo" / "mine")
    voices = tmp_path / "demo/mine/tree/lore/log.json"
    text = voices.read_text()
    voices.write_text(text.replace('"@key@",', '"@key@", "mood": "@field.mood@",', 1))
    edit(workspace, 'game = "tarnlight"', 'game = "../mine"')
    edit(workspace, 'key = "shore-gull-calling"', 'key = "shore-gull-calling"\nfields = {mood = "calm"}')
    built = run("build", cwd=workspace)
    assert built.code == 0, built.err
    found = {key: voice.get("mood") for key, voice in voices_in(workspace / PACKAGE).items()}
    assert found["shore-gull-calling"] == "calm"
    assert found["tower-bell-near"] is None
