"""Packs with one slip each, made by hand, and the finding that names it."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from conftest import PACKAGE, edit, run

Members = dict[str, bytes]
GULL = "lore/audio/storm-watch/shore-gull-calling-1.ogg"


def _members(workspace: Path) -> Members:
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def _encode(rate: int, channels: int, container: str, subtype: str) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, np.zeros((rate, channels), "float32"), rate, format=container, subtype=subtype)
    return out.getvalue()


def _log(change: Callable[[str], str]) -> Callable[[Members], Members]:
    return lambda members: {
        name: change(data.decode()).encode() if name == "lore/log.json" else data for name, data in members.items()
    }


def _gull(data: bytes | Callable[[bytes], bytes]) -> Callable[[Members], Members]:
    def change(members: Members) -> Members:
        return {**members, GULL: data if isinstance(data, bytes) else data(members[GULL])}

    return change


def _lamp(change: Callable[[dict[str, object]], object]) -> Callable[[Members], Members]:
    def edit(members: Members) -> Members:
        lamp = json.loads(members["lamp.json"])
        change(lamp)
        return {**members, "lamp.json": json.dumps(lamp, indent=2).encode()}

    return edit


def _without(name: str) -> Callable[[Members], Members]:
    return lambda members: {other: data for other, data in members.items() if other != name}


SLIPS: list[tuple[str, Callable[[Members], Members], str, str]] = [
    ("key-unknown", _log(lambda t: t.replace("tower-bell-near", "tower-Bell-near")), "log.json:15:11", "tower-bell-near"),
    ("key-twice", _log(lambda t: t.replace("tower-bell-near", "hatch-closed")), "log.json", "stands in line 15"),
    ("document-broken", _log(lambda t: t.replace('},\n        {', '}\n        {', 1)), "log.json:14:9", "found '{'"),
    ("entry-strange", _log(lambda t: t.replace('"voice": "tower', '"voyce": "tower')), "log.json:14:9", "tower-bell-near"),
    ("entry-strange", _log(lambda t: t.replace('"voice": "tower', '"voyce": "tower')), "log.json:14:9", 'has no "voice", and "voyce" is not known here'),
    ("entry-strange", _log(lambda t: t.replace('"log"', '"lgo"')), "log.json:2:3", 'entries stand under "lgo", and the game reads "log"'),
    ("take-missing", _log(lambda t: t.replace("calling-1", "calling-9")), "log.json", "calling-9.ogg, which is not here"),
    ("take-missing", _without(GULL), "log.json", "shore-gull-calling-1"),
    ("take-disguised", _gull(_encode(44100, 1, "MP3", "MPEG_LAYER_III")), GULL, "says Ogg, but it holds MP3"),
    ("take-format", _gull(_encode(44100, 2, "OGG", "VORBIS")), GULL, "channels 2, not 1"),
    ("take-format", _gull(_encode(48000, 1, "OGG", "OPUS")), GULL, "codec Opus, not Vorbis; rate 48000 Hz, not 44100 Hz"),
    ("take-damaged", _gull(lambda data: data[:-900]), GULL, "cut short"),
    ("take-damaged", _gull(b""), GULL, "empty"),
    ("file-unused", lambda members: {**members, "lore/audio/extra.ogg": members[GULL]}, "extra.ogg", "no definition"),
    ("id-malformed", _lamp(lambda lamp: lamp.update(serial="12")), "lamp.json:2:", "'12'"),
    ("document-missing", _without("lamp.json"), "pack.lampbox", "there is no lamp.json"),
    ("wrapped-folder", lambda m: {f"storm/{n}": d for n, d in m.items()}, "pack.lampbox", "inside a folder, storm/"),
    ("name-unsafe", lambda m: {**m, "../../autorun": b""}, "pack.lampbox", "leads out of the pack"),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "change", "place", "reason"), SLIPS)
def test_each_slip_is_named(
    workspace: Path, tmp_path: Path, kind: str, change: Callable[[Members], Members], place: str, reason: str
) -> None:
    pack = tmp_path / "pack.lampbox"
    with zipfile.ZipFile(pack, "w") as archive:
        for name, data in change(_members(workspace)).items():
            archive.writestr(name, data)
    result = run("check", pack, "--json", cwd=workspace)
    assert result.code == 1
    found = [one for one in json.loads(result.out)["findings"] if one["id"] == kind]
    assert found, result.out
    where = f"{found[0]['file']}:{found[0]['line']}:{found[0]['column']}"
    assert place in where
    assert reason in found[0]["reason"] + found[0]["cure"]
    assert not (tmp_path / "autorun").exists()


def test_the_same_pack_without_a_slip(workspace: Path, tmp_path: Path) -> None:
    folder = tmp_path / "unpacked"
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        archive.extractall(folder)
    for pack in (folder, workspace / PACKAGE):
        result = run("check", pack, cwd=workspace)
        assert result.code == 0, result.out
        assert "decoded 6 sounds, 16.7 s: no findings" in result.out
    away = run("check", folder, "--game", "tarnlight", cwd=tmp_path)
    assert away.code == 0
    assert "not checked against Tarnlight" in away.err


def test_damage_inside_an_archive(workspace: Path) -> None:
    path = workspace / PACKAGE
    data = bytearray(path.read_bytes())
    with zipfile.ZipFile(path) as archive:
        at = archive.getinfo(GULL).header_offset + 200
    data[at] ^= 0xFF
    path.write_bytes(data)
    result = run("check", cwd=workspace)
    assert result.code == 1
    assert "archive-damaged" in result.out
    assert re.search("cure: .*again", result.out)
    path.write_bytes(data[: len(data) // 2])
    result = run("check", cwd=workspace)
    assert result.code == 1
    assert "not a whole zip archive" in result.err


def test_nothing_to_check(workspace: Path, tmp_path: Path) -> None:
    assert "there is nothing here" in run("check", "gone.lampbox", cwd=workspace).err
    assert run("check", workspace / PACKAGE, cwd=tmp_path).code == 2


@pytest.mark.parametrize("seed", [1])
def test_flipped_bits_in_an_archive_are_findings(workspace: Path, seed: int) -> None:
    path = workspace / PACKAGE
    whole = path.read_bytes()
    with zipfile.ZipFile(path) as archive:
        contents = {name: archive.read(name) for name in archive.namelist()}
    chance = np.random.default_rng(seed)
    directory = whole.rindex(b"PK\x01\x02")
    for _ in range(7):
        data = bytearray(whole)
        for at in chance.integers(directory - 900, len(data), 3):  # where the archive says what is where
            data[at] ^= 1 << int(chance.integers(8))
        path.write_bytes(data)
        result = run("check", cwd=workspace)
        if result.code == 0:  # what was flipped says nothing of the files
            with zipfile.ZipFile(path) as archive:
                assert {name: archive.read(name) for name in archive.namelist()} == contents
        else:
            assert (result.code, "cure: " in result.out + result.err) == (1, True)


def test_many_findings_alike_are_cured_once_and_an_old_pack_is_told(workspace: Path, tmp_path: Path) -> None:
    assert "has changed since" not in run("check", cwd=workspace).err
    edit(workspace, "Nebelhorn", "Signalhorn")
    assert "The workspace or the pack has changed since this was built" in run("check", cwd=workspace).err
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        archive.extractall(tmp_path / "pack")
    for sound in (tmp_path / "pack").rglob("*.ogg"):
        sound.unlink()
    out = run("check", tmp_path / "pack", "--game", "tarnlight", cwd=tmp_path).out
    assert out.count("take-missing") == 6
    assert out.count("in the game: silence") == 1


def test_whose_pack_it_is_decides_what_a_key_of_its_own_means(workspace: Path, tmp_path: Path) -> None:
    """In one's own, new = true says so; in somebody's, only what is nearly one of the game's keys is a slip."""
    run("keys", "harvest", workspace.parent / "Tarnlight", "--game", "tarnlight")
    theirs = tmp_path / "theirs"
    with zipfile.ZipFile(workspace / PACKAGE) as archive:
        archive.extractall(theirs)
    for words, folder in ((("--game", "tarnlight"), tmp_path), ((), workspace)):
        result = run("check", theirs, *words, cwd=folder)
        assert (result.code, result.err) == (0, ""), result.out  # lamp-draught-storm is theirs, and the keys are known
    voices = theirs / "lore/log.json"
    voices.write_text(voices.read_text("utf-8").replace("tower-bell-near", "tower-bel-near"), "utf-8")
    assert "key-unknown" in run("check", theirs, "--game", "tarnlight", cwd=tmp_path).out
    edit(workspace, "new = true\n", "")
    assert "has no key" in run("build", cwd=workspace).err
    (workspace / "ichnos.toml").write_text("broken = [")
    assert run("check", theirs, "--game", "tarnlight", cwd=workspace).code == 1  # not the workspace's affair
