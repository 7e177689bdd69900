"""Made-up sounds from a fixed seed, for the games and clips that ship with Ichnos.

Each voice is a function of time, pitch and a random generator; all give float32 in ±1.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from ichnos.files import disk

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Signal = NDArray[np.float64]  # shape (frames,)
    Voice = Callable[[Signal, float, np.random.Generator], Signal]


def _horn(time: Signal, pitch: float, random: np.random.Generator) -> Signal:
    import numpy as np

    breath = 1 + 0.004 * np.sin(2 * np.pi * 5.1 * time)
    tone = sum(np.sin(2 * np.pi * pitch * n * time * breath) / n for n in range(1, 9))
    swell = np.minimum(1, time / 0.25) * np.minimum(1, (time[-1] - time) / 0.4)
    return np.asarray((tone + 0.05 * random.normal(size=len(time))) * swell)


def _bell(time: Signal, pitch: float, random: np.random.Generator) -> Signal:
    import numpy as np

    partials = (
        (0.5, 0.4, 0.9),
        (1, 1, 1.4),
        (1.19, 0.7, 2),
        (1.5, 0.5, 2.6),
        (2, 0.6, 3.1),
        (2.74, 0.3, 5),
        (4.1, 0.2, 9),
    )
    tone = sum(
        level * np.sin(2 * np.pi * pitch * ratio * time + random.uniform(0, 6)) * np.exp(-decay * time)
        for ratio, level, decay in partials
    )
    return np.asarray(tone * np.minimum(1, time / 0.002))


def _wind(time: Signal, pitch: float, random: np.random.Generator) -> Signal:
    import numpy as np

    spectrum = np.fft.rfft(random.normal(size=len(time)))
    frequency = np.fft.rfftfreq(len(time), time[1])
    spectrum *= 1 / (1 + ((frequency - pitch) / (0.4 * pitch)) ** 2)
    gusts = 0.6 + 0.4 * np.sin(2 * np.pi * 0.4 * time + random.uniform(0, 6))
    return np.asarray(np.fft.irfft(spectrum, len(time)) * gusts)


def _cry(time: Signal, pitch: float, random: np.random.Generator) -> Signal:
    import numpy as np

    length = 0.42
    phase = (time % length) / length
    sweep = pitch * (1 + 0.5 * np.sin(np.pi * phase) - 0.25 * phase)
    tone = sum(np.sin(n * 2 * np.pi * np.cumsum(sweep) * time[1]) / n for n in (1, 2, 3))
    return np.asarray(tone * np.sin(np.pi * phase) ** 0.6 * (1 + 0.1 * random.normal(size=len(time))))


def _knock(time: Signal, pitch: float, random: np.random.Generator) -> Signal:
    import numpy as np

    sound = np.zeros_like(time)
    for start in np.arange(0.02, time[-1] - 0.1, 0.55):
        after = np.maximum(0, time - start - random.uniform(0, 0.04))
        strike = np.where(after > 0, np.exp(-28 * after), 0)
        sound += strike * (np.sin(2 * np.pi * pitch * after) + 0.5 * random.normal(size=len(time)))
    return sound


VOICES: dict[str, Voice] = {"horn": _horn, "bell": _bell, "wind": _wind, "cry": _cry, "knock": _knock}

_ENCODINGS = {
    "WAV 16": ("WAV", "PCM_16"),
    "WAV 24": ("WAV", "PCM_24"),
    "FLAC": ("FLAC", "PCM_16"),
    "MP3": ("MP3", "MPEG_LAYER_III"),
    "Ogg Vorbis": ("OGG", "VORBIS"),
}


def write_voice(
    path: Path, voice: str, pitch: float, seconds: float, rate: int, channels: int, encoding: str, seed: int
) -> None:
    """Write a made-up sound; the two sides of a stereo one differ a little.

    Args:
        pitch: in Hz. rate: in frames a second. encoding: one of ``_ENCODINGS``.
    """
    import numpy as np
    import soundfile

    random = np.random.default_rng([seed, *path.name.encode()])
    time = np.arange(round(seconds * rate)) / rate
    sides = [VOICES[voice](time, pitch * (1 + 0.003 * side), random) for side in range(channels)]
    sound = np.stack(sides, axis=1)
    sound = (0.5 * sound / np.abs(sound).max()).astype(np.float32)
    container, subtype = _ENCODINGS[encoding]
    disk.make_folder(path.parent)
    with soundfile.SoundFile(path, "w", rate, channels, subtype, format=container) as out:
        for start in range(0, len(sound), 65536):  # in blocks: a long Vorbis write in one call crashes
            out.write(sound[start : start + 65536])
