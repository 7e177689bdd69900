"""``ichnos heard`` and ``ichnos split``, on sounds whose answer is known."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from conftest import run

RATE = 44100


def _tone(hz: float, seconds: float, db: float) -> np.ndarray:
    return 10 ** (db / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


def _band_noise(low: float, high: float, seconds: float, db: float) -> np.ndarray:
    """Noise between two frequencies, of this level (root mean square, dBFS)."""
    count = round(seconds * RATE)
    spectrum = np.fft.rfft(np.random.default_rng(1).normal(size=count))
    hz = np.fft.rfftfreq(count, 1 / RATE)
    sound = np.fft.irfft(spectrum * ((hz > low) & (hz < high)), count)
    return sound * 10 ** (db / 20) / np.sqrt(np.mean(sound**2))


def _heard(folder: Path, clip: np.ndarray, bed: np.ndarray, *words: str) -> tuple[int, dict[str, Any]]:
    soundfile.write(folder / "clip.wav", clip, RATE, subtype="FLOAT")
    soundfile.write(folder / "bed.wav", bed, RATE, subtype="FLOAT")
    result = run("heard", "clip.wav", "--bed", "bed.wav", "--json", *words, cwd=folder)
    return result.code, json.loads(result.out)


def test_a_tone_in_noise_stands_out_by_what_the_model_says(tmp_path: Path) -> None:
    """Noise in the tone's own band, at the tone's level, leaves it 4 dB: that much fainter it is just heard."""
    noise = _band_noise(891.3, 1122, 4, -30)  # the third-octave band at 1 kHz
    for db, wished in ((-27, 3.0), (-17, 13.0), (-37, -7.0)):
        code, said = _heard(tmp_path, _tone(1000, 2, db), noise, "--wish", "0")
        # A tenth of the time the noise is louder than its mean, by about 1.5 dB in windows of 93 ms.
        assert said["stands-out-db"] == pytest.approx(wished - 3.01 + 4 - 1.5 + 0.0, abs=1.5)
        assert code == (0 if said["stands-out-db"] >= 0 else 1)
    _, low = _heard(tmp_path, _tone(500, 2, -40), noise, "--wish", "0")
    _, high = _heard(tmp_path, _tone(2000, 2, -40), noise, "--wish", "0")
    assert low["stands-out-db"] > high["stands-out-db"] + 10  # masking spreads upwards


def test_a_lift_is_bounded_and_does_what_it_says(tmp_path: Path) -> None:
    clip = _band_noise(300, 6000, 2, -45)
    bed = _band_noise(40, 1500, 4, -20) + _band_noise(1500, 12000, 4, -42)
    code, said = _heard(tmp_path, clip, bed, "--wish", "6")
    assert code == 1
    lift = said["lift"]
    assert lift["enough"]
    assert lift["stands-out-db"] == pytest.approx(6, abs=1)
    bell = next((step for step in lift["steps"] if step["step"] == "bell"), None)
    assert bell is not None
    assert bell["hz"] > 1400  # where the bed leaves room
    options = []
    for step in lift["steps"]:
        values = [f"{value:g}" for name, value in step.items() if name != "step"]
        options += [f"--{step['step']}", ":".join(values)]
    assert run("treat", "clip.wav", "--to", "t", *options, cwd=tmp_path).code == 0
    again = run("heard", "t/clip.wav", "--bed", "bed.wav", "--wish", "5", "--json", cwd=tmp_path)
    assert json.loads(again.out)["stands-out-db"] == pytest.approx(lift["stands-out-db"], abs=0.3)
    _, said = _heard(tmp_path, clip, 10 * bed, "--wish", "20")
    assert not said["lift"]["enough"]
    assert all(step.get("db", 0) <= 18 for step in said["lift"]["steps"])


def test_it_says_its_model_and_draws_it(tmp_path: Path) -> None:
    _heard(tmp_path, _tone(1000, 1, -20), _band_noise(100, 5000, 2, -30))
    result = run("heard", "clip.wav", "--bed", "bed.wav", "--picture", "h.png", cwd=tmp_path)
    assert "masking in third-octave bands" in result.out
    assert "ignores" in result.out
    assert (tmp_path / "h.png").read_bytes().startswith(b"\x89PNG")
    soundfile.write(tmp_path / "clip.wav", np.zeros(RATE), RATE)
    silent = run("heard", "clip.wav", "--bed", "bed.wav", cwd=tmp_path)
    assert silent.code == 1
    assert "the clip is silent" in silent.err


def test_a_recording_is_split_at_its_silences(tmp_path: Path) -> None:
    silence = 1e-4 * np.random.default_rng(1).normal(size=RATE // 2)
    calls = [_tone(440, 0.3, -6), _tone(660, 0.8, -12), _tone(880, 0.5, -3)]
    click = _tone(3000, 0.005, -3)
    short = silence[: RATE // 10]  # no end of a take
    sound = np.concatenate([silence, calls[0], short, calls[0], silence, click, silence, calls[1], silence, calls[2]])
    soundfile.write(tmp_path / "gulls.wav", np.stack([sound, sound], axis=1), RATE, subtype="PCM_16")
    words = ("split", "gulls.wav", "--to", "takes", "--json")
    dry = run(*words, "--dry-run", "--picture", "s.png", cwd=tmp_path)
    assert not (tmp_path / "takes").exists()
    assert (tmp_path / "s.png").exists()
    result = run(*words, cwd=tmp_path)
    assert json.loads(result.out)["pieces"] == json.loads(dry.out)["pieces"]
    pieces = json.loads(result.out)["pieces"]
    assert [round(piece["seconds"], 1) for piece in pieces] == [0.8, 0.9, 0.5]
    whole = soundfile.read(tmp_path / "gulls.wav", dtype="int16")[0]
    for number, piece in enumerate(pieces, 1):
        taken, rate = soundfile.read(tmp_path / "takes" / f"gulls-{number}.wav", dtype="int16")
        assert rate == RATE
        assert np.array_equal(taken, whole[piece["first"] : piece["last"] + 1])
    assert run(*words, cwd=tmp_path).code == 2  # they are there already
    assert "passes -1 dBFS" in run("split", "gulls.wav", "--to", "x", "--threshold", "-1", cwd=tmp_path).err
