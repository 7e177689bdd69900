"""What a build amounts to: how many sounds, how long, how large, and what another quality would save."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ichnos.audio.files.forms import LOSSY
from ichnos.pack.plan.plan import BuildPlan

_BIGGEST = 10
# Nominal bit rates of Vorbis at 44.1 kHz stereo, in kbit/s, by quality (libvorbis' documentation).
_KBITS = (64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 500)
_WORTH = 1_000_000  # bytes: below, nobody asks what could be saved


@dataclass(frozen=True)
class Summary:
    """``seconds`` of clips, ``sound_bytes`` and ``total_bytes``; ``biggest``: path and bytes, the largest first.

    ``cheaper``: a lower quality, and about how many bytes it would save; None where nothing is lossy.
    """

    sounds: int
    seconds: float
    sound_bytes: int
    total_bytes: int
    most_megabytes: float | None
    biggest: tuple[tuple[str, int], ...]
    cheaper: tuple[float, int] | None


def summary(plan: BuildPlan, sizes: Mapping[str, int], most_megabytes: float | None) -> Summary:
    """Sum up a plan.

    Args:
        sizes: of each of its files, in bytes.
    """
    sounds = [file for file in plan.files if file.conversion]
    biggest = sorted(((file.path, sizes[file.path]) for file in sounds), key=lambda one: -one[1])[:_BIGGEST]
    lossy = [file for file in sounds if file.conversion and file.conversion.target.codec in LOSSY]
    cheaper = None
    weight = sum(sizes[file.path] for file in lossy)
    if lossy and weight > _WORTH:
        quality = max(file.conversion.target.quality for file in lossy if file.conversion)
        if quality >= 2:
            cheaper = (quality - 2, round(weight * (1 - _kbits(quality - 2) / _kbits(quality))))
    return Summary(
        len(sounds),
        sum(file.conversion.facts.seconds for file in sounds if file.conversion),
        sum(sizes[file.path] for file in sounds),
        sum(sizes.values()),
        most_megabytes,
        tuple(biggest),
        cheaper,
    )


def _kbits(quality: float) -> float:
    low = min(int(quality), len(_KBITS) - 2)
    return _KBITS[low] + (quality - low) * (_KBITS[low + 1] - _KBITS[low])
