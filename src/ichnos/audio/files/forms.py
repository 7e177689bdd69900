"""The forms that sound is written in: containers, what each holds, and what mono is made of."""

from __future__ import annotations

from typing import Literal, NamedTuple

Container = Literal["Ogg", "WAV", "FLAC"]
Codec = Literal["Vorbis", "Opus", "PCM 16", "PCM 24", "float 32"]
Choice = Literal["auto", "mix", "left", "right"]
CODECS: dict[str, tuple[str, ...]] = {  # of each container, the usual one first
    "Ogg": ("Vorbis", "Opus"),
    "WAV": ("PCM 16", "PCM 24", "float 32"),
    "FLAC": ("PCM 16", "PCM 24"),
}
SUFFIXES = {"Ogg": ".ogg", "WAV": ".wav", "FLAC": ".flac"}
OPUS_RATES = (8000, 12000, 16000, 24000, 48000)  # RFC 6716, section 2.1.3
RATES = range(8_000, 192_001)  # Hz, that sound is written in
LOSSY = ("Vorbis", "Opus")


class SoundForm(NamedTuple):
    """The form of a sound file. ``rate`` in Hz."""

    container: str
    codec: str
    rate: int
    channels: int
