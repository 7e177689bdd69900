"""Made-up loops whose seams are heard, and such as are not: for ``truth.py``."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

RATE = 44100
Signal = NDArray[np.float64]
Random = np.random.Generator


def _time(seconds: float) -> Signal:
    return np.arange(round(seconds * RATE)) / RATE


def _hum(seconds: float, random: Random, hz: float | None = None) -> Signal:
    """Whole periods, with an overtone."""
    whole = round((hz or random.uniform(60, 400)) * seconds) / seconds
    time = 2 * np.pi * whole * _time(seconds)
    return np.asarray(0.3 * np.sin(time) + 0.1 * np.sin(3 * time + 1))


def _noise(seconds: float, random: Random) -> Signal:
    return 0.05 * random.normal(size=round(seconds * RATE))


def _pink(seconds: float, random: Random) -> Signal:
    spectrum = np.fft.rfft(_noise(seconds, random))
    spectrum /= np.sqrt(np.maximum(np.arange(len(spectrum)), 1) / seconds)
    found = np.fft.irfft(spectrum, round(seconds * RATE))
    return np.asarray(0.1 * found / found.std())


def _wind(seconds: float, random: Random) -> Signal:
    """Noise that swells at random, and comes round."""
    swell = np.zeros(round(seconds * RATE))
    for count in range(1, max(2, int(seconds * 1.5))):
        turn = 2 * np.pi * count * _time(seconds) / seconds
        swell += random.normal() * np.cos(turn + random.uniform(0, 7))
    return np.asarray(_pink(seconds, random) * np.exp(0.5 * swell / max(swell.std(), 1e-9)))


def _chord(seconds: float, random: Random) -> Signal:
    found = np.zeros(round(seconds * RATE))
    for hz in (220, 277.2, 329.6, 440):
        swell = 1 + 0.3 * np.sin(2 * np.pi * random.integers(1, 4) * _time(seconds) / seconds + random.uniform(0, 6))
        found += (
            0.08 * np.sin(2 * np.pi * round(hz * seconds) / seconds * _time(seconds) + random.uniform(0, 6)) * swell
        )
    return found


def _drops(seconds: float, random: Random) -> Signal:
    found = 0.003 * random.normal(size=round(seconds * RATE))
    length = np.arange(round(0.03 * RATE))
    for _ in range(int(seconds * 30)):
        drop = np.sin(2 * np.pi * random.uniform(800, 4000) * length / RATE) * np.exp(-length / RATE / 0.006)
        found[(random.integers(len(found)) + length) % len(found)] += random.uniform(0.05, 0.4) * drop
    return found


def _beats(bars: int, random: Random) -> Signal:
    """Two sorts of knocks by turns, and small ones between."""
    beat = 60 / random.uniform(80, 160)
    found = np.zeros(round(bars * 4 * beat * RATE))

    def put(at: float, seconds: float, dies: float, knock: Callable[[Signal], Signal]) -> None:
        first = round(at * RATE)
        time = np.arange(min(round(seconds * RATE), len(found) - first)) / RATE
        found[first : first + len(time)] += knock(time) * np.exp(-time / dies)

    for number in range(bars * 4):
        low = number % 2 == 0
        put(number * beat, min(beat * 0.9, 0.25), 0.05, (lambda time: 0.7 * np.sin(2 * np.pi * 80 * time)) if low
            else lambda time: 0.4 * random.normal(size=len(time)))  # fmt: skip
        put((number + 0.5) * beat, 0.04, 0.01, lambda time: 0.1 * random.normal(size=len(time)))
    return found


def _in(sound: Signal, low: float, high: float) -> Signal:
    spectrum, hz = np.fft.rfft(sound), np.fft.rfftfreq(len(sound), 1 / RATE)
    return np.asarray(np.fft.irfft(np.where((hz < low) | (hz > high), 0, spectrum), len(sound)))


def _gap(sound: Signal, ms: float, random: Random) -> Signal:
    """Silence of so many ms at the seam: at the end, at the beginning, or both."""
    frames = round(ms * RATE / 1000)
    last = int(random.choice([0, frames // 2, frames]))
    sound = sound.copy()
    sound[len(sound) - last :], sound[: frames - last] = 0, 0
    return sound


def _glide(seconds: float, cents: float) -> Signal:
    turns = np.cumsum(300 * 2 ** (np.linspace(0, cents / 1200, round(seconds * RATE)))) / RATE
    turns *= 2 * np.pi * round(turns[-1]) / turns[-1]
    return np.asarray(0.3 * np.sin(turns) + 0.1 * np.sin(2 * turns))


def _turning(sound: Signal, most: float) -> Signal:
    """A sound that goes from one side to the other."""
    angle = np.pi / 4 + most * np.linspace(-1, 1, len(sound))
    return np.stack([sound * np.cos(angle), sound * np.sin(angle)], axis=1)


def _mixed(one: Signal, other: Signal) -> Signal:
    rising = np.linspace(0, 1, len(one))
    return one * (1 - rising) + other * rising


_CONTINUOUS = {"noise": _noise, "pink noise": _pink, "hum": _hum, "wind": _wind, "chord": _chord}


def kinds(random: Random) -> list[tuple[str, bool, Callable[[], Signal]]]:
    """Each kind of loop: what it is, whether its seam is heard, and one of it."""

    def length() -> float:
        return float(random.uniform(2, 8))

    def any_of(names: tuple[str, ...]) -> Signal:
        return _CONTINUOUS[str(random.choice(names))](length(), random)

    every = tuple(_CONTINUOUS)
    found: list[tuple[str, bool, Callable[[], Signal]]] = [
        (f"{ms} ms of silence", True, lambda ms=ms: _gap(any_of(every), ms, random)) for ms in (6, 12, 37, 120, 500)
    ]
    found += [
        (f"a glide of {cents} cents", True, lambda cents=cents: _glide(length(), cents)) for cents in (60, 150, 700)
    ]
    return [
        *found,
        ("beats, and 50 ms more", True, lambda: np.concatenate([_beats(2, random), np.zeros(round(0.05 * RATE))])),
        ("beats, 80 ms cut off", True, lambda: _beats(2, random)[: -round(0.08 * RATE)]),
        ("a drift of 4 dB", True, lambda: (x := any_of(("noise", "hum"))) * 10 ** np.linspace(0, 0.2, len(x))),
        ("dark to bright", True, lambda: _mixed(_in(x := _noise(length(), random), 50, 1500), _in(x, 500, 12000))),
        ("overtones that come", True, lambda: (x := _hum(4, random, 150)) + np.linspace(0, 0.15, len(x))
         * np.sin(2 * np.pi * 1200 * _time(4))),
        ("from left to right", True, lambda: _turning(any_of(("pink noise", "hum")), 0.6)),
        ("narrow to wide", True, lambda: np.stack([x := _pink(4, random), _mixed(x, _pink(4, random))], axis=1)),
        ("silence on one side", True, lambda: np.stack([x := _noise(3, random), _gap(x[::-1], 40, random)], axis=1)),
        *((what, False, lambda make=make: make(length(), random)) for what, make in _CONTINUOUS.items()),
        ("drops", False, lambda: _drops(length(), random)),
        ("beats of one bar", False, lambda: _beats(1, random)),
        ("beats of two bars", False, lambda: _beats(2, random)),
        ("wind on two sides", False, lambda: np.stack([_wind(4, random), _wind(4, random)], axis=1)),
    ]  # fmt: skip
