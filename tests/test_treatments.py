"""Each step of a treatment, by what it does to a known sound."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from conftest import run
from ichnos.audio.blocks.chain import AudioStream
from ichnos.audio.process import treatments as t
from ichnos.audio.process.levels import measure
from ichnos.errors import IchnosError

RATE = 44100
Signal = NDArray[np.float32]


def _sine(hz: float, seconds: float, peak: float = 0.5) -> Signal:
    sine = peak * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)
    return sine[:, None].astype(np.float32)


def _noise(seconds: float, channels: int = 1, level: float = 0.1) -> Signal:
    return np.random.default_rng(5).normal(scale=level, size=(round(seconds * RATE), channels)).astype(np.float32)


def _treated(sound: Signal, *steps: t.Step, block: int = 10007, said: list[str] | None = None) -> Signal:
    def blocks() -> Iterator[Signal]:
        for start in range(0, len(sound), block):
            yield sound[start : start + block]

    flow = t.treat(AudioStream(blocks(), RATE, sound.shape[1]), steps, (said if said is not None else []).append)
    return np.concatenate([np.zeros((0, sound.shape[1]), np.float32), *flow.blocks])


def _hz(sound: Signal) -> float:
    """The strongest frequency."""
    middle = sound[len(sound) // 4 : -len(sound) // 4, 0].astype(np.float64)
    spectrum = np.abs(np.fft.rfft(middle * np.hanning(len(middle)), 1 << 18))
    return float(spectrum.argmax() * RATE / (1 << 18))


def _db(sound: Signal) -> float:
    return 10 * math.log10(float(np.square(sound.astype(np.float64)).mean()))


def test_cut_trim_and_reverse_keep_the_right_frames() -> None:
    sound = _noise(2)
    assert np.array_equal(_treated(sound, t.Cut(start=0.5, end=1.25)), sound[22050:55125])
    assert np.array_equal(_treated(sound, t.Reverse()), sound[::-1])
    quiet = np.full((RATE, 1), 1e-4, np.float32)
    padded = np.concatenate([quiet, sound, quiet])
    trimmed = _treated(padded, t.Trim(threshold=-60, keep=0.1))
    assert abs(len(trimmed) - len(sound) - 2 * 4410) < 100  # the noise passes -60 dBFS at once
    assert len(_treated(quiet, t.Trim())) == len(quiet)  # all silence: nothing to tell the ends by


@pytest.mark.parametrize(("shape", "half"), [("straight", 0.5), ("smooth", 0.5), ("power", math.sqrt(0.5))])
def test_fades_have_their_shape(shape: str, half: float) -> None:
    one = np.ones((RATE, 2), np.float32)
    out = _treated(one, t.Fade.model_validate({"rise": 0.2, "fall": 0.4, "shape": shape}))
    assert out[round(0.1 * RATE)] == pytest.approx([half, half], abs=1e-3)
    assert out[round(0.8 * RATE)] == pytest.approx([half, half], abs=1e-3)
    assert out[round(0.3 * RATE), 0] == 1
    assert max(out[0, 0], out[-1, 0]) < 0.01
    assert np.all(np.diff(out[: round(0.2 * RATE), 0]) >= 0)
    both = _treated(one[:1000], t.Fade(rise=1, fall=1))  # longer than the clip: each gets its share
    assert both.max() <= 1
    assert max(both[0, 0], both[-1, 0]) < 0.01


def test_gain_repeat_and_speed() -> None:
    sound = _sine(440, 1)
    assert _db(_treated(sound, t.Gain(db=-6))) - _db(sound) == pytest.approx(-6, abs=0.001)
    assert np.array_equal(_treated(sound, t.Repeat(times=3)), np.tile(sound, (3, 1)))
    fast = _treated(sound, t.Speed(factor=1.5))
    assert len(fast) == 29400
    assert _hz(fast) == pytest.approx(660, abs=1)


@pytest.mark.parametrize("semitones", [-7, -0.5, 4, 12])
def test_pitch_alone_keeps_the_length(semitones: float) -> None:
    sound = _sine(440, 2) + _sine(1320, 2, 0.1)
    out = _treated(sound, t.Pitch(semitones=semitones))
    assert len(out) == len(sound)
    assert _hz(out) == pytest.approx(440 * 2 ** (semitones / 12), rel=0.004)
    assert _db(out) == pytest.approx(_db(sound), abs=1)


@pytest.mark.parametrize("semitones", [-12, -3, 7, 12])
@pytest.mark.parametrize("bed", [0, 0.02])
def test_pitch_keeps_attacks_where_they_are(semitones: float, bed: float) -> None:
    """Within 5 ms, none lost, none doubled; an octave down, every second piece of the sound is left out."""
    random = np.random.default_rng(3)
    sound, time_ = bed * random.normal(size=3 * RATE), np.arange(4000) / RATE
    attacks = np.cumsum(random.uniform(0.12, 0.35, 10) * RATE).astype(int)
    for attack in attacks:
        tone = np.sin(2 * np.pi * random.uniform(200, 3000) * time_)
        sound[attack : attack + 4000] += 0.5 * np.exp(-time_ / 0.02) * tone

    def found(sound: np.ndarray) -> np.ndarray:
        power = np.square(sound[: len(sound) // 44 * 44]).reshape(-1, 44).mean(axis=1)
        before = np.array([power[max(0, at - 20) : max(1, at - 2)].max() for at in range(len(power))])
        rises = np.flatnonzero((power > 3 * before) & (power > 0.03 * power.max()))
        return rises[np.diff(rises, prepend=-99) > 20] * 44

    treated = _treated(sound[:, None].astype(np.float32), t.Pitch(semitones=semitones))[:, 0]
    assert len(found(sound)) == len(attacks)
    assert np.abs(found(treated) - attacks).max() <= 0.005 * RATE
    dense = np.zeros((RATE, 1), np.float32)
    dense[::1000] = 0.5
    assert len(_treated(dense, t.Pitch(semitones=semitones))) == RATE


@pytest.mark.parametrize("lufs", [-30, -16, -9])
@pytest.mark.parametrize("channels", [1, 2])
def test_a_loudness_is_reached_under_its_ceiling(lufs: float, channels: int) -> None:
    swell = np.linspace(0.1, 1, 3 * RATE)[:, None].astype(np.float32)
    out = _treated(_noise(3, channels) * swell, t.Loudness(lufs=lufs, ceiling=-1))
    loudness, peak = measure([out], RATE, channels)
    assert loudness == pytest.approx(lufs, abs=0.3)
    assert peak <= -1 + 0.05


def test_what_cannot_be_reached_is_said() -> None:
    said: list[str] = []
    clicks = np.zeros((RATE, 1), np.float32)
    clicks[::11025] = 0.5
    out = _treated(clicks, t.Loudness(lufs=-5), said=said)
    assert len(out) == RATE
    assert "-5 LUFS cannot be reached under -1 dBTP" in said[0]
    assert len(_treated(clicks * 0, t.Loudness(lufs=-20), said=said)) == RATE
    assert "silent" in said[-1]


def test_whatever_is_lowered_says_how_much_where_and_how_often(tmp_path: Path) -> None:
    sound = 0.02 * np.random.default_rng(4).normal(size=4 * RATE)
    for at in (0.5, 1.5, 2.5):
        sound[round(at * RATE) : round(at * RATE) + 60] += 0.9
    soundfile.write(tmp_path / "a.wav", sound, RATE, subtype="FLOAT")
    done = json.loads(run("treat", "a.wav", "--to", "out", "--loudness", "-20", "--json", cwd=tmp_path).out)
    (note,) = done["clips"][0]["notes"]
    said = re.search(r"up to ([\d.]+) dB, first at ([\d.]+) s, 3 times", note)
    assert said is not None, note
    gain = soundfile.read(tmp_path / "out/a.wav")[0][:8000].std() / sound[:8000].std()
    assert float(said[1]) == pytest.approx(20 * np.log10(gain * 0.9) + 2, abs=1)  # it would be there without a limiter
    assert float(said[2]) == pytest.approx(0.5, abs=0.02)
    assert json.loads(run("treat", "a.wav", "--to", "mild", "--gain", "-1", "--json", cwd=tmp_path).out)["clips"][0]["notes"] == []  # fmt: skip


def test_targets_come_last_and_an_order_of_one_s_own_is_shown_and_measured(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", _noise(4, 1), RATE)
    words = ("treat", "a.wav", "--loudness", "-30", "--fade", "1:2", "--to")
    last = run(*words, "last", cwd=tmp_path)
    assert "Steps in their order: fade rise 1 fall 2, loudness lufs -30." in last.err
    sound, _ = soundfile.read(tmp_path / "last/a.wav", dtype="float32", always_2d=True)
    assert measure([sound], RATE, 1)[0] == pytest.approx(-30, abs=0.3)
    first = run(*words, "first", "--order", "loudness,fade", cwd=tmp_path)
    assert "Steps in their order: loudness lufs -30, fade rise 1 fall 2." in first.err
    sound, _ = soundfile.read(tmp_path / "first/a.wav", dtype="float32", always_2d=True)
    reached = measure([sound], RATE, 1)[0]
    assert reached < -31
    assert f"fade after loudness makes it {reached:.1f} LUFS, not -30" in first.err
    wrong = run(*words, "none", "--order", "bell", cwd=tmp_path)
    assert (wrong.code, "the steps are: fade, loudness" in wrong.err) == (2, True)


@settings(max_examples=25)
@given(st.integers(1, 40000), st.integers(40, 20000), st.floats(0.2, 8), st.integers(0, 999))
def test_the_limiter_holds_true_peaks_and_every_frame(frames: int, block: int, gain: float, seed: int) -> None:
    random = np.random.default_rng(seed)
    sound = (gain * np.sin(np.cumsum(random.normal(0.6, 0.3, size=frames)))).astype(np.float32)[:, None]
    out = _treated(sound, t.Limit(ceiling=-3), block=block)
    assert len(out) == len(sound)
    _, peak = measure([out], RATE, 1)
    assert peak <= -3 + 0.05
    if measure([sound], RATE, 1)[1] <= -3.1:
        assert np.array_equal(out, sound)  # what needs no limiting is not touched


def test_soft_clipping_bends_and_stays_below_full_scale() -> None:
    out = _treated(_sine(1000, 1, 0.9), t.SoftClip(drive=12))
    assert 0.98 < np.abs(out).max() < 1.05
    spectrum = np.abs(np.fft.rfft(out[:, 0]))
    third, folded = spectrum[3000], spectrum[[int(abs(RATE - 1000 * n)) for n in (41, 43)]].max()
    assert third / spectrum[1000] > 0.1
    assert folded / spectrum[1000] < 1e-3  # hardly anything folds back


def test_a_bundled_treatment_does_what_it_is_for() -> None:
    noise = _noise(2)

    def band(sound: Signal, low: float, high: float) -> float:
        power = np.square(np.abs(np.fft.rfft(sound[:, 0])))
        hz = np.fft.rfftfreq(len(sound), 1 / RATE)
        return 10 * math.log10(power[(hz > low) & (hz < high)].mean())

    for name, (_, steps) in t.BUNDLED.items():
        out = _treated(noise, *steps)
        assert measure([out], RATE, 1)[1] <= 0, name
        tilt = band(out, 2500, 3500) - band(out, 40, 80)
        assert tilt > 8 if name in ("over-the-din", "clear-speech", "small-speaker") else tilt < 8, name
    assert band(_treated(noise, *t.BUNDLED["far-off"][1]), 6000, 9000) < band(noise, 6000, 9000) - 25


def test_a_filter_out_of_reach() -> None:
    sound = _noise(0.1)
    assert np.array_equal(_treated(sound, t.LowPass(hz=30000)), sound)
    with pytest.raises(IchnosError, match="high-pass at 30000 Hz"):
        _treated(sound, t.HighPass(hz=30000))


@settings(max_examples=40)
@given(st.sampled_from(sorted(t.BUNDLED)), st.integers(0, 3000), st.integers(1, 2), st.integers(1, 1500))
def test_no_clip_is_too_short_for_a_treatment(name: str, frames: int, channels: int, block: int) -> None:
    sound = _noise(0.1, channels)[:frames]
    out = _treated(sound, *t.BUNDLED[name][1], t.Pitch(semitones=3), t.LoopFade(seconds=0.01), block=block)
    assert np.isfinite(out).all()
    assert out.shape[1] == channels


def test_ends_away_from_zero_are_softened_and_an_offset_is_taken_away_whole(tmp_path: Path) -> None:
    time_ = np.arange(RATE) / RATE
    hum = 0.3 * np.cos(2 * np.pi * 100 * time_) * np.linspace(1, 0, RATE) ** 2
    soundfile.write(tmp_path / "a.wav", hum, RATE, subtype="PCM_24")
    found = json.loads(run("look", "a.wav", "--json", cwd=tmp_path).out)["clips"][0]["findings"]
    assert [one["id"] for one in found] == ["abrupt-start"]
    assert "30.0 % of full scale" in found[0]["reason"]
    assert run("treat", "a.wav", "--to", "out", "--soften", "0.002", cwd=tmp_path).code == 0
    out, _ = soundfile.read(tmp_path / "out/a.wav")
    assert abs(out[0]) < 0.001
    assert np.abs(out - hum)[round(0.002 * RATE) :].max() < 1e-6  # the rest, and its end, are as they were
    assert json.loads(run("look", "out/a.wav", "--json", cwd=tmp_path).out)["clips"][0]["findings"] == []
    sound = 0.1 * np.sin(2 * np.pi * 441 * time_)
    soundfile.write(tmp_path / "dc.wav", sound + 0.2, RATE, subtype="PCM_24")
    assert run("treat", "dc.wav", "--to", "out", "--centre", cwd=tmp_path).code == 0
    assert np.abs(soundfile.read(tmp_path / "out/dc.wav")[0] - sound).max() < 1e-5
    opus = run(
        "convert", "dc.wav", "--to", "o", "--container", "ogg", "--codec", "opus", "--rate", "48000", cwd=tmp_path
    )
    assert (opus.code, "Opus leaves out its offset (DC) of 20.0 %" in opus.err) == (0, True)


def test_small_things_that_were_wrong(tmp_path: Path) -> None:
    quiet = 0.0008 * np.sin(np.arange(2 * RATE) * 0.06) * np.exp(-np.arange(2 * RATE) / RATE)
    soundfile.write(tmp_path / "quiet.wav", quiet, RATE, subtype="PCM_24")
    done = run("treat", "quiet.wav", "--to", "out", "--trim", "-60", cwd=tmp_path)
    assert "its peak is -62 dBFS, so what counts as silence is below -86 dBFS" in done.err
    assert soundfile.info(tmp_path / "out/quiet.wav").duration > 1.9
    soundfile.write(tmp_path / "none.wav", np.zeros(RATE), RATE, subtype="FLOAT")
    run("convert", "none.wav", "--to", "out", "--container", "wav", "--bits", "16", cwd=tmp_path)
    assert not soundfile.read(tmp_path / "out/none.wav", dtype="int16")[0].any()
    body = b"INFO" + b"INAM" + (5).to_bytes(4, "little") + "M\xf6we".encode("cp1252") + b"\0\0"
    data = (tmp_path / "none.wav").read_bytes()[8:] + b"LIST" + len(body).to_bytes(4, "little") + body
    (tmp_path / "old.wav").write_bytes(b"RIFF" + len(data).to_bytes(4, "little") + data)
    said = json.loads(run("look", "old.wav", "--json", cwd=tmp_path).out)["clips"][0]
    assert said["tags"]["title"] == "M\xf6we"


def test_an_mp3_behind_something_else(tmp_path: Path) -> None:
    sound = 0.1 * np.sin(np.arange(2 * RATE) * 0.06)
    soundfile.write(tmp_path / "a.mp3", sound, RATE, format="MP3", subtype="MPEG_LAYER_III")
    (tmp_path / "b.mp3").write_bytes(b"\0" * 700 + b"what is no frame" * 20 + (tmp_path / "a.mp3").read_bytes())
    done = run("convert", "a.mp3", "b.mp3", "--to", "out", "--container", "wav", cwd=tmp_path)
    assert done.code == 0, done.err
    one, other = (soundfile.read(tmp_path / f"out/{name}.wav")[0] for name in "ab")
    assert one.shape == other.shape
    assert np.abs(one - other).max() < 1e-4  # but for the dither
