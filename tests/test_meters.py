"""Meters and filters against published values: EBU Tech 3341 (2016), ITU-R BS.1770-4, the EQ cookbook."""

from __future__ import annotations

import io
import math

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from ichnos.audio.blocks import filters
from ichnos.audio.files.clips import OpenSound
from ichnos.audio.measure.analysis import glance
from ichnos.audio.measure.loudness import Loudness, LoudnessMeter, k_weighting
from ichnos.audio.measure.peaks import PeakMeter, between, decibels, highest_between
from ichnos.audio.measure.spectrum import bands
from ichnos.page.gathering import heard

RATE = 48000
Signal = NDArray[np.float32]


def _tones(*parts: tuple[float, float], channels: int = 2, rate: int = RATE) -> Signal:
    """A 1 kHz sine in phase on all channels; parts: dBFS and seconds."""
    level = np.concatenate([np.full(round(seconds * rate), 10 ** (db / 20)) for db, seconds in parts])
    sine = level * np.sin(2 * np.pi * 1000 * np.arange(len(level)) / rate)
    return np.repeat(sine[:, None], channels, axis=1).astype(np.float32)


def _loudness(sound: Signal, rate: int = RATE, block: int = 65536) -> Loudness:
    meter = LoudnessMeter(rate, sound.shape[1])
    for start in range(0, len(sound), block):
        meter.add(sound[start : start + block])
    return meter.result()


@pytest.mark.parametrize("rate", [48000, 44100, 32000])
@pytest.mark.parametrize(
    ("parts", "lufs"),
    [
        (((-23, 20),), -23),  # case 1
        (((-33, 20),), -33),  # case 2
        (((-36, 10), (-23, 60), (-36, 10)), -23),  # case 3
        (((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23),  # case 4
        (((-26, 20), (-20, 20.1), (-26, 20)), -23),  # case 5
    ],
)
def test_ebu_3341_loudness(parts: tuple[tuple[float, float], ...], lufs: float, rate: int) -> None:
    found = _loudness(_tones(*parts, rate=rate), rate)
    assert found.integrated == pytest.approx(lufs, abs=0.1)
    if len(parts) == 1:
        assert found.momentary == pytest.approx(lufs, abs=0.1)


def test_ebu_3341_case_6_five_channels() -> None:
    levels = np.array([-28, -28, -24, -30, -30])
    sound = _tones((0, 20), channels=5) * (10 ** (levels / 20)).astype(np.float32)
    assert _loudness(sound).integrated == pytest.approx(-23, abs=0.1)


@pytest.mark.parametrize(
    ("divisor", "peak", "degrees", "dbtp"),
    [(4, 0.5, 0, -6), (4, 0.5, 45, -6), (6, 0.5, 60, -6), (8, 0.5, 67.5, -6), (4, 1.41, 45, 3)],  # cases 15 to 19
)
def test_ebu_3341_true_peak_of_sines(divisor: int, peak: float, degrees: float, dbtp: float) -> None:
    phase = 2 * np.pi * np.arange(RATE) / divisor + np.radians(degrees)
    sound = np.asarray(peak * np.sin(phase), np.float32)[:, None]
    fade = np.minimum(1, np.arange(RATE) / 480)[:, None]  # as in the standard's files, no click at the ends
    assert dbtp - 0.4 <= _true_peak((sound * fade * fade[::-1]).astype(np.float32)) <= dbtp + 0.2


@pytest.mark.parametrize("offset", [0, 1, 2, 3])  # cases 20 to 23
def test_ebu_3341_true_peak_between_samples(offset: int) -> None:
    """A tone that swells to full scale, made at four times the rate and taken at each of four offsets."""
    time = (np.arange(4 * RATE) - 2 * RATE) / (4 * RATE)
    swell = 0.5 + 0.5 * np.exp(-((time / 0.002) ** 2))
    sound = (swell * np.cos(2 * np.pi * RATE / 6 * time)).astype(np.float32)[offset::4, None]
    assert -0.4 <= _true_peak(sound) <= 0.2


def _true_peak(sound: Signal) -> float:
    meter = PeakMeter(RATE, 1)
    for start in range(0, len(sound), 7001):
        meter.add(sound[start : start + 7001])
    meter.finish()
    return decibels(meter.true)


def test_the_k_filter_is_the_tables() -> None:
    """BS.1770-4, Annex 1, tables 1 and 2, at 48 kHz."""
    head, low = k_weighting(48000)
    wanted = (1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585)
    assert [head.b0, head.b1, head.b2, head.a1, head.a2] == pytest.approx(wanted, abs=1e-9)
    assert [low.b0, low.b1, low.b2] == [1, -2, 1]
    assert [low.a1, low.a2] == pytest.approx([-1.99004745483398, 0.99007225036621], abs=1e-9)


@pytest.mark.parametrize(("seconds", "block"), [(0.05, 1000), (0.39, 65536), (1.07, 333)])
def test_loudness_of_short_clips_does_not_depend_on_the_blocks(seconds: float, block: int) -> None:
    sound = _tones((-20, seconds), channels=1)
    found = _loudness(sound, block=block)
    share = min(1, seconds / 0.4)  # a short clip fills only a part of its one block
    assert found.momentary == pytest.approx(-23.0 + 10 * math.log10(share), abs=0.15)
    assert (found.integrated is None) == (seconds < 0.4)


def test_clipped_runs_are_counted_over_the_edges_of_blocks() -> None:
    sound = np.zeros((3000, 1), np.float32)
    for start, end in ((100, 102), (990, 1010), (1500, 1503), (2995, 3000)):  # the first is too short
        sound[start:end] = -1
    meter = PeakMeter(1000, 1)
    for start in range(0, 3000, 250):
        meter.add(sound[start : start + 250])
    meter.finish()
    assert (meter.clipped_runs, meter.clipped_longest) == (3, 20)
    assert meter.clipped_at == pytest.approx([0.99, 1.5, 2.995])


def _analogue(kind: str, s: NDArray[np.complex128], db: float, q: float) -> NDArray[np.complex128]:
    """The cookbook's analogue prototypes, for a corner at 1 rad/s."""
    a = 10 ** (db / 40)
    root = math.sqrt(a) * math.sqrt(2)  # slope 1
    forms = {
        "low-pass": 1 / (s * s + s / q + 1),
        "high-pass": s * s / (s * s + s / q + 1),
        "bell": (s * s + s * a / q + 1) / (s * s + s / (a * q) + 1),
        "low-shelf": a * (s * s + root * s + a) / (a * s * s + root * s + 1),
        "high-shelf": a * (a * s * s + root * s + 1) / (s * s + root * s + a),
    }
    return np.asarray(forms[kind])


@pytest.mark.parametrize("kind", ["low-pass", "high-pass", "bell", "low-shelf", "high-shelf"])
@pytest.mark.parametrize(("hz", "db"), [(80.0, 6.0), (3000.0, -9.0)])
def test_biquads_have_their_analytic_response(kind: str, hz: float, db: float) -> None:
    q = 0.9
    section = {
        "low-pass": lambda: filters.low_pass(hz, RATE, q),
        "high-pass": lambda: filters.high_pass(hz, RATE, q),
        "bell": lambda: filters.bell(hz, RATE, db, q),
        "low-shelf": lambda: filters.low_shelf(hz, RATE, db),
        "high-shelf": lambda: filters.high_shelf(hz, RATE, db),
    }[kind]()
    count = 1 << 15
    impulse = np.zeros((count, 1), np.float32)
    impulse[0] = 1
    blocks = [impulse[:1000], impulse[1000:5000], impulse[5000:]]  # the state goes over from block to block
    out = np.concatenate(list(filters.filter_blocks(blocks, [section], 1)))[:, 0]
    found = np.abs(np.fft.rfft(out.astype(np.float64)))[1:-1]
    frequency = np.fft.rfftfreq(count, 1 / RATE)[1:-1]
    warped = 1j * np.tan(np.pi * frequency / RATE) / math.tan(math.pi * hz / RATE)  # the bilinear transform
    wanted = np.abs(_analogue(kind, warped, db, q))
    near = wanted > 1e-4
    assert np.abs(20 * np.log10(found[near] / wanted[near])).max() < 0.05
    assert np.abs(section.response(frequency, RATE)) == pytest.approx(wanted, rel=1e-6, abs=1e-9)


@pytest.mark.parametrize("slope", [12, 24])
def test_steep_filters_fall_as_they_say(slope: int) -> None:
    sections = filters.steep("high-pass", 1000, RATE, slope)
    corner, octave_two, octave_three = (
        20 * math.log10(abs(np.prod([s.response(np.array([hz]), RATE)[0] for s in sections])))
        for hz in (1000, 250, 125)
    )
    assert corner == pytest.approx(-3.01, abs=0.01)
    assert octave_two - octave_three == pytest.approx(slope, abs=0.2)


def test_bands_share_out_all_of_the_spectrum() -> None:
    middles, share = bands(44100)
    assert middles[0] == pytest.approx(25.1, abs=0.1)
    assert middles[16] == pytest.approx(1000)
    lines = np.arange(share.shape[0]) * 44100 / 4096
    inside = (lines > 30) & (lines < 17000)
    assert share.sum(axis=1)[inside] == pytest.approx(1, abs=1e-5)


def test_the_quick_way_to_a_true_peak_misses_nothing() -> None:
    random = np.random.default_rng(0)
    for number in range(1500):
        frames, channels = int(random.integers(12, 300 if number % 2 else 3000)), int(random.integers(1, 4))
        sound = random.normal(size=(frames, channels)) * random.uniform(0, 1, (frames, 1)) ** 4
        above = float(random.uniform(0, 2))
        found = highest_between(sound.astype(np.float32), above)
        assert found == pytest.approx(max(above, float(between(sound.astype(np.float32)).max())), abs=1e-5)


def test_one_channel_and_the_same_on_two_are_as_loud_on_the_page() -> None:
    """Of one channel both loudspeakers play all, of which the standard counts one."""
    sound = 0.1 * np.random.default_rng(2).normal(size=(2 * 44100, 1))
    levels = []
    for channels in (1, 2):
        file = io.BytesIO()
        soundfile.write(file, np.repeat(sound, channels, axis=1), 44100, format="WAV")
        levels.append(heard(glance(OpenSound(file, "a.wav"), 10)))
    assert levels[0] == pytest.approx(levels[1], abs=0.02)
