"""``ichnos convert``: what comes out, read by the standard library and by soundfile."""

from __future__ import annotations

import json
import os
import signal
import struct
import subprocess
import sys
import time
import wave
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from conftest import run

RATE = 44100


def _noise(seconds: float, channels: int = 1, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).normal(scale=0.1, size=(round(seconds * RATE), channels))


@pytest.fixture
def clip(tmp_path: Path) -> Path:
    path = tmp_path / "in" / "clip.wav"
    path.parent.mkdir()
    soundfile.write(path, _noise(2, 2), RATE, subtype="PCM_16")
    return path


@pytest.mark.parametrize(
    ("words", "subtype", "suffix"),
    [
        (("--container", "wav"), "PCM_16", "wav"),
        (("--container", "wav", "--bits", "24"), "PCM_24", "wav"),
        (("--container", "wav", "--bits", "float"), "FLOAT", "wav"),
        (("--container", "flac", "--bits", "24"), "PCM_24", "flac"),
        (("--container", "ogg"), "VORBIS", "ogg"),
        (("--container", "ogg", "--codec", "opus"), "OPUS", "ogg"),
    ],
)
def test_every_format_comes_out_whole(clip: Path, words: tuple[str, ...], subtype: str, suffix: str) -> None:
    to = clip.parent.parent / "out"
    result = run("convert", clip, "--to", to, "--json", *words)
    assert result.code == 0, result.err
    info = soundfile.info(to / f"clip.{suffix}")
    assert (info.subtype, info.channels) == (subtype, 2)
    assert info.samplerate == (48000 if subtype == "OPUS" else RATE)
    assert info.frames == round(2 * info.samplerate)
    (told,) = json.loads(result.out)["clips"]
    assert told["bytes"] == (to / f"clip.{suffix}").stat().st_size
    assert (told["coding-loss-db"] is not None) == (suffix == "ogg")
    if suffix != "ogg":  # lossless means the same samples
        assert np.array_equal(soundfile.read(to / f"clip.{suffix}")[0], soundfile.read(clip)[0])


def test_less_quality_is_smaller_and_does_more_damage(clip: Path) -> None:
    told = []
    for quality in ("0", "4", "9"):
        to = clip.parent.parent / quality
        done = run("convert", clip, "--to", to, "--container", "ogg", "--quality", quality, "--json")
        told.append(json.loads(done.out)["clips"][0])
    assert told[0]["bytes"] < told[1]["bytes"] < told[2]["bytes"]
    assert told[0]["coding-loss-db"] > told[1]["coding-loss-db"] > told[2]["coding-loss-db"] > 0
    assert told[0]["coding-loss-db"] < 6


def test_dither_keeps_what_lies_below_the_last_bit(tmp_path: Path) -> None:
    quiet = 0.4 / 32768 * np.sin(2 * np.pi * 1000 * np.arange(4 * RATE) / RATE)
    soundfile.write(tmp_path / "a.wav", quiet, RATE, subtype="PCM_24")
    assert run("convert", tmp_path / "a.wav", "--to", tmp_path / "out", "--container", "wav").code == 0
    with wave.open(str(tmp_path / "out" / "a.wav")) as out:
        assert out.getsampwidth() == 2
        samples = np.frombuffer(out.readframes(out.getnframes()), "<i2").astype(float)
    spectrum = np.abs(np.fft.rfft(samples))
    assert spectrum.argmax() == 4000  # without dither every sample would be nought
    assert np.unique(samples).tolist() == [-1, 0, 1]
    assert samples.std() == pytest.approx(np.sqrt(1 / 6 + 1 / 12 + 0.08), abs=0.1)  # TPDF and rounding, and the tone


@pytest.mark.parametrize(("mono", "hz"), [("auto", 700), ("left", 500), ("right", 700), ("mix", None)])
def test_mono_of_sides_that_cancel(tmp_path: Path, mono: str, hz: int | None) -> None:
    time_ = np.arange(RATE) / RATE
    common = 0.4 * np.sin(2 * np.pi * 3000 * time_)
    left = common + 0.01 * np.sin(2 * np.pi * 500 * time_)
    right = -common + 0.02 * np.sin(2 * np.pi * 700 * time_)
    soundfile.write(tmp_path / "a.wav", np.stack([left, right], axis=1), RATE)
    words = ("--container", "wav", "--channels", "1", "--mono", mono)
    result = run("convert", tmp_path / "a.wav", "--to", tmp_path / "out", *words)
    assert result.code == 0
    spectrum = np.abs(np.fft.rfft(soundfile.read(tmp_path / "out" / "a.wav")[0])) / RATE * 2
    if hz is None:
        assert spectrum[3000] < 1e-3
        assert "dB quieter" in result.err
    else:
        assert spectrum[3000] == pytest.approx(0.4, rel=0.01)
        assert spectrum[hz] == pytest.approx({500: 0.01, 700: 0.02}[hz], rel=0.05)
        assert ("mono is the right side" in result.err) == (mono == "auto")


def test_what_is_refused(clip: Path) -> None:
    to = clip.parent.parent / "out"
    ogg = ("--container", "ogg")
    assert run("convert", clip, "--to", to).code == 2
    assert "WAV does not hold" in run("convert", clip, "--to", to, "--container", "wav", "--codec", "opus").err
    assert run("convert", clip, "--to", to, "--like-game", "tarnlight", *ogg).code == 2
    assert run("convert", clip, "--to", to, "--container", "mp9").code == 2
    assert "replace itself" in run("convert", clip, "--to", clip.parent, "--container", "wav").err
    soundfile.write(clip.with_suffix(".flac"), _noise(1), RATE)
    assert "would both become" in run("convert", clip.parent, "--to", to, *ogg).err
    assert not to.exists()
    assert run("convert", clip, "--to", to, *ogg).code == 0
    again = run("convert", clip, "--to", to, *ogg)
    assert again.code == 2
    assert "is there already" in again.err
    assert run("convert", clip, "--to", to, *ogg, "--overwrite").code == 0


@pytest.mark.parametrize("frames", [0, 1, 700])
def test_very_short_clips(tmp_path: Path, frames: int) -> None:
    soundfile.write(tmp_path / "a.wav", _noise(1, 2)[:frames], RATE)
    for codec in ("vorbis", "opus"):
        words = ("--to", tmp_path / codec, "--container", "ogg", "--codec", codec)
        result = run("convert", tmp_path / "a.wav", *words)
        assert result.code == (0 if frames else 1), result.err
        assert ("holds no sound" in result.err) == (frames == 0)


def test_one_bad_clip_does_not_stop_the_others(clip: Path) -> None:
    (clip.parent / "cut.wav").write_bytes(clip.read_bytes()[:5000])
    to = clip.parent.parent / "out"
    dry = run("convert", clip.parent, "--to", to, "--like-game", "tarnlight", "--dry-run")
    assert dry.code == 1
    assert not to.exists()
    assert "would write" in dry.out
    result = run("convert", clip.parent, "--to", to, "--like-game", "tarnlight")
    assert result.code == 1
    assert result.err.count("error: ") == 1
    assert [path.name for path in to.iterdir()] == ["clip.ogg"]
    assert "1 clip: " in result.out


def test_clipping_is_told_and_treatments_go_in(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", 3 * _noise(1), RATE, subtype="FLOAT")
    result = run("convert", tmp_path / "a.wav", "--to", tmp_path / "out", "--container", "wav")
    assert "above full scale, and are clipped" in result.err
    words = ("--trim", "-50", "--bell", "3000:5", "--bell", "200:-3:2", "--loudness", "-20:-3")
    words += ("--fade", "0.1:0.2:power")
    result = run("treat", tmp_path / "a.wav", "--to", tmp_path / "t", *words, "--before-after", tmp_path / "a.png")
    assert result.code == 0, result.err
    seen = json.loads(run("look", tmp_path / "t" / "a.wav", "--json").out)["clips"][0]
    assert seen["codec"] == "PCM 24"
    assert seen["true-peak-dbtp"] <= -2.9
    assert seen["integrated-lufs"] == pytest.approx(-20, abs=1.5)  # the fades come after it
    assert (tmp_path / "a.png").read_bytes().startswith(b"\x89PNG")


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (("--treatment", "over-the-dim"), "did you mean over-the-din"),
        ((), "nothing is to be done"),
        (("--cut", "3:1"), "the end of a cut must lie behind its start"),
        (("--bell", "x:1"), "--bell x:1: hz: a number is expected"),
        (("--speed", "0"), "--speed 0: factor: it must be at least 0.1"),
        (("--gain", "3", "--mono", "both"), "mono cannot be made of 'both'"),
    ],
)
def test_a_wrong_treatment_is_told(clip: Path, words: tuple[str, ...], message: str) -> None:
    result = run("treat", clip, "--to", clip.parent.parent / "out", *words)
    assert result.code == 2
    assert message in result.err


def test_treatments_of_a_workspace(workspace: Path) -> None:
    pack_file = workspace / "ichnos.toml"
    text = pack_file.read_text("utf-8").replace(
        'key = "shore-gull-calling"', 'key = "shore-gull-calling"\ntreatment = "dim"'
    )
    pack_file.write_text(
        text + '\n[treatment]\ndim = [{step = "gain", db = -20}, {step = "high-pass", hz = 100}]\n', "utf-8"
    )
    before = json.loads(run("look", "clips/gull.ogg", "--json", cwd=workspace).out)["clips"][0]
    built = run("build", cwd=workspace)
    assert built.code == 0, built.err
    assert "Converted 1 clip" in built.out  # the others are kept
    seen = json.loads(run("treat", "--names", "--json", cwd=workspace).out)
    assert seen[0] == {"name": "dim", "for": "of this workspace", "steps": [{"step": "gain", "db": -20.0}, {"step": "high-pass", "hz": 100.0, "slope": 12}]}  # fmt: skip
    assert (
        run(
            "treat", "clips/gull.ogg", "--to", "t", "--treatment", "dim", "--like-game", "tarnlight", cwd=workspace
        ).code
        == 0
    )
    after = json.loads(run("look", "t/gull.ogg", "--json", cwd=workspace).out)["clips"][0]
    assert before["peak-dbfs"] - after["peak-dbfs"] > 17
    pack_file.write_text(pack_file.read_text("utf-8").replace('treatment = "dim"', 'treatment = "dimm"'), "utf-8")
    assert 'there is no treatment "dimm"' in run("build", cwd=workspace).err
    pack_file.write_text(
        pack_file.read_text("utf-8").replace("db = -20", "dB = -20").replace('"dimm"', '"dim"'), "utf-8"
    )
    wrong = run("build", cwd=workspace)
    assert wrong.code == 1
    assert "ichnos.toml:" in wrong.err
    assert "dB" in wrong.err


@pytest.mark.skipif(sys.platform == "win32", reason="kill -9 is of other systems")
def test_a_killed_conversion_leaves_no_part_under_the_name(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "long.wav", _noise(120, 2), RATE, subtype="PCM_16")
    to = tmp_path / "out"
    words = [sys.executable, "-m", "ichnos", "convert", "long.wav", "--to", "out", "--container", "ogg"]
    for wait in (0.0, 0.3, 0.8):
        process = subprocess.Popen(words, cwd=tmp_path, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        deadline = time.monotonic() + 30
        while not list(to.glob(".*.partial")) and process.poll() is None and time.monotonic() < deadline:
            time.sleep(0.01)
        time.sleep(wait)
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        assert not (to / "long.ogg").exists()
        for part in to.glob(".*.partial"):
            part.unlink()


@pytest.mark.parametrize("container", ["wav", "flac", "ogg"])
@pytest.mark.parametrize(
    ("fault", "reason"),
    [
        (lambda block: block // 2 if block.dtype.kind == "i" else block / 2, "its level changed by -6."),
        (lambda block: block[: len(block) // 2], "samples, not 88200"),
        (lambda block: block * 0, "its level changed by -"),
    ],
)
def test_a_conversion_that_goes_wrong_is_no_result(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, container: str, fault: Callable, reason: str
) -> None:
    """Whatever the encoder makes of the sound: it is decoded again, and held against what went in."""
    soundfile.write(tmp_path / "a.wav", _noise(2, 1), RATE)
    write = soundfile.SoundFile.write
    monkeypatch.setattr(soundfile.SoundFile, "write", lambda sound, block: write(sound, fault(block)))
    result = run("convert", tmp_path / "a.wav", "--to", tmp_path / "out", "--container", container)
    assert result.code == 1
    assert "the conversion did not come out as written" in result.err
    assert reason in result.err
    assert not list((tmp_path / "out").iterdir())


def _many(path: Path, sound: np.ndarray, mask: int) -> None:
    """A WAV of several channels that says where they are heard, by the letter of the format."""
    count = sound.shape[1]
    data = (sound * 32767).astype("<i2").tobytes()
    form = struct.pack("<HHIIHHHHI", 0xFFFE, count, RATE, RATE * count * 2, count * 2, 16, 22, 16, mask)
    form += bytes.fromhex("0100000000001000800000aa00389b71")
    body = b"WAVEfmt " + struct.pack("<I", len(form)) + form + b"data" + struct.pack("<I", len(data)) + data
    path.write_bytes(b"RIFF" + struct.pack("<I", len(body)) + body)


@pytest.mark.parametrize(
    ("mask", "centre", "low", "said"),
    [
        (0xF, (1, 1), (0, 0), "quieter."),  # left, right, centre, low effects
        (0x107, (1, 1), (2**-0.5, 2**-0.5), "quieter."),  # left, right, centre, behind
        (0x33, (1, 0), (0, 1), "quieter."),  # left, right, back left, back right
        (0, (1, 0), (0, 1), "taken for left, right, back left, back right."),
        (0x5003, (1, 1), (1, 1), "is not known, so each goes to both sides."),
    ],
)
def test_channels_are_mixed_by_where_they_are_heard(tmp_path: Path, mask: int, centre: tuple[float, float], low: tuple[float, float], said: str) -> None:  # fmt: skip
    time_ = np.arange(RATE) / RATE
    tones = np.stack([np.sin(2 * np.pi * hz * time_) for hz in (440, 50)], axis=1)
    _many(tmp_path / "a.wav", np.hstack([np.zeros((RATE, 2)), 0.4 * tones]), mask)
    done = run("convert", "a.wav", "--to", "out", "--container", "wav", "--channels", "2", cwd=tmp_path)
    assert done.err.strip().endswith(said)
    with wave.open(str(tmp_path / "out/a.wav")) as file:
        out = np.frombuffer(file.readframes(RATE), "<i2").reshape(-1, 2) / 32768
    found = 2 * out.T @ tones / RATE  # of each side: the centre, and what is behind or low
    scale = found[:, 0].max() / max(centre)
    assert found[:, 0] / scale == pytest.approx(centre, abs=0.01)
    assert found[:, 1] / scale == pytest.approx(low, abs=0.01)
