"""Conversion in blocks, and Ogg pages against RFC 3533."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from ichnos.audio.files import clips, ogg
from ichnos.audio.process.conversion import convert
from ichnos.audio.process.target import Target
from ichnos.errors import IchnosError

VORBIS = Target("Ogg", "Vorbis", 44100, 1, 5)
PCM = Target("WAV", "PCM 16", 44100, 1, 5)


def _tone(path: Path, rate: int, seconds: float, *sides: float) -> Path:
    time = np.arange(round(rate * seconds)) / rate
    sound = np.stack([level * np.sin(2 * np.pi * 1000 * time) for level in sides], axis=1)
    soundfile.write(path, sound, rate, subtype="PCM_24")
    return path


def _convert(source: Path, target: Target, to: Path, serial: int = 7) -> np.ndarray:
    with clips.open_sound(source) as clip:
        frames = convert(clip, target, to, serial).frames
    sound, rate = soundfile.read(to, always_2d=True)
    assert (rate, sound.shape[1], len(sound)) == (target.rate, target.channels, frames)
    return sound[:, 0]


@pytest.mark.parametrize("rate", [8000, 22050, 44100, 48000, 96000])
def test_a_resampled_sine_is_the_ideal_sine(tmp_path: Path, rate: int) -> None:
    sound = _convert(_tone(tmp_path / "in.wav", rate, 3, 0.8, 0.4), PCM, tmp_path / "out.wav")
    assert abs(len(sound) - 3 * 44100) <= 1
    time = np.arange(len(sound)) / 44100
    ideal = 0.6 * np.sin(2 * np.pi * 1000 * time)  # mono is the mean of both sides
    middle = slice(4410, -4410)
    error = np.sqrt(np.mean((sound[middle] - ideal[middle]) ** 2))
    assert 20 * np.log10(error / 0.6) < -85  # dB below the tone: 16 bits, and the resampler


def test_a_long_clip_goes_through_in_blocks(tmp_path: Path) -> None:
    sound = _convert(_tone(tmp_path / "in.flac", 44100, 200, 0.5), VORBIS, tmp_path / "out.ogg")
    assert len(sound) == 200 * 44100
    assert abs(np.sqrt(np.mean(sound**2)) - 0.5 / np.sqrt(2)) < 0.005


def test_the_serial_is_ours_and_the_checksums_fit(tmp_path: Path) -> None:
    source = _tone(tmp_path / "in.wav", 48000, 2, 0.5)
    first, second = tmp_path / "1.ogg", tmp_path / "2.ogg"
    _convert(source, VORBIS, first, 0xCAFE)
    _convert(source, VORBIS, second, 0xCAFE)
    assert first.read_bytes() == second.read_bytes()
    with first.open("rb") as stream:
        assert {int.from_bytes(page[14:18], "little") for page in ogg.pages(stream)} == {0xCAFE}
        assert ogg.faulty_page(stream) is None
    data = bytearray(first.read_bytes())
    data[len(data) // 2] ^= 1
    assert ogg.faulty_page(io.BytesIO(data)) is not None
    with pytest.raises(IchnosError, match="the checksum of its page"):
        _ = clips.OpenSound(io.BytesIO(data), first).facts


def test_the_checksum_is_the_encoders() -> None:
    """The encoder writes its own checksums: ours must be the same on its pages."""
    out = io.BytesIO()
    soundfile.write(out, np.zeros(44100), 44100, format="OGG", subtype="VORBIS")
    whole = list(ogg.pages(out))
    assert len(whole) >= 3
    for page in whole:
        assert ogg.checksum(page[:22] + bytes(4) + page[26:]) == int.from_bytes(page[22:26], "little")


@given(st.lists(st.integers(1, 5000), max_size=40))
def test_restamping_does_not_mind_the_pieces(cuts: list[int]) -> None:
    out = io.BytesIO()
    soundfile.write(out, np.zeros(4410), 44100, format="OGG", subtype="VORBIS")
    data = out.getvalue()
    whole = ogg.Restamper(5).feed(data)
    pieces, restamper, start = b"", ogg.Restamper(5), 0
    for cut in [*cuts, len(data)]:
        pieces += restamper.feed(data[start : start + cut])
        start += cut
    assert pieces == whole
    assert len(whole) == len(data)


@pytest.mark.parametrize("encoding", [("WAV", "PCM_16"), ("AIFF", "PCM_24"), ("FLAC", "PCM_16"), ("OGG", "VORBIS"), ("MP3", "MPEG_LAYER_III")])  # fmt: skip
def test_cut_at_every_length_is_an_error_or_whole_sound(tmp_path: Path, encoding: tuple[str, str]) -> None:
    out = io.BytesIO()
    noise = np.random.default_rng(3).normal(scale=0.1, size=4000)
    soundfile.write(out, noise, 44100, format=encoding[0], subtype=encoding[1])
    data = out.getvalue()
    for length in range(0, len(data), 97):
        path = tmp_path / "cut"
        path.write_bytes(data[:length])
        to = tmp_path / "out.wav"
        with pytest.raises(IchnosError), clips.open_sound(path) as clip:
            convert(clip, PCM, to, 0)
        assert not to.exists()
