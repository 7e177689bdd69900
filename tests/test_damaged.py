"""Damaged clips of every kind that is read: one clear error or a whole result, and never anything left behind."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile

from ichnos.audio.files import clips
from ichnos.audio.measure.analysis import analyse
from ichnos.audio.process.conversion import convert
from ichnos.audio.process.target import Target
from ichnos.errors import IchnosError

PCM = Target("WAV", "PCM 16", 22050, 1, 5)
SOUND = np.random.default_rng(3).normal(scale=0.1, size=(6000, 2)).astype(np.float32)


def _soundfile(container: str, subtype: str) -> Callable[[], bytes]:
    def make() -> bytes:
        out = io.BytesIO()
        soundfile.write(out, SOUND, 48000, format=container, subtype=subtype)
        return out.getvalue()

    return make


def _recording(container: str, codec: str) -> Callable[[], bytes]:
    def make() -> bytes:
        av = pytest.importorskip("av")
        data = io.BytesIO()
        with av.open(data, "w", format=container) as out:
            stream = out.add_stream(codec, rate=48000, layout="stereo")
            for start in range(0, len(SOUND) - 960, 960):
                block = np.ascontiguousarray(SOUND[start : start + 960].T)
                frame = av.AudioFrame.from_ndarray(block, "fltp", "stereo")
                frame.rate, frame.pts = 48000, start
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
        return data.getvalue()

    return make


KINDS = {
    "wav": _soundfile("WAV", "PCM_16"),
    "float.wav": _soundfile("WAV", "FLOAT"),
    "aiff": _soundfile("AIFF", "PCM_24"),
    "flac": _soundfile("FLAC", "PCM_16"),
    "ogg": _soundfile("OGG", "VORBIS"),
    "opus": _soundfile("OGG", "OPUS"),
    "mp3": _soundfile("MP3", "MPEG_LAYER_III"),
    "m4a": _recording("mp4", "aac"),
    "webm": _recording("webm", "libopus"),
}


def _damaged(data: bytes) -> Iterator[bytes]:
    """Cut at some 60 places, and with a few bits turned over, more of them at the front."""
    for length in range(0, len(data), max(160, len(data) // 60 | 1)):
        yield data[:length]
    random = np.random.default_rng(len(data))
    for number in range(70):
        flipped = bytearray(data)
        reach = len(data) if number % 2 else min(len(data), 400)
        for at in random.integers(0, reach, size=1 + number % 3).tolist():
            flipped[at] ^= 1 << int(random.integers(8))
        yield bytes(flipped)


@pytest.mark.parametrize("kind", KINDS)
def test_damage_is_an_error_or_a_whole_result(kind: str, tmp_path: Path) -> None:
    data = KINDS[kind]()
    path, to = tmp_path / f"clip.{kind}", tmp_path / "out" / "clip.wav"
    to.parent.mkdir()
    cuts = errors = 0
    for damaged in _damaged(data):
        path.write_bytes(damaged)
        failed = False
        try:
            with clips.open_sound(path) as sound:
                done = convert(sound, PCM, to, 1)
            assert soundfile.info(to).frames == done.frames
            to.unlink()
        except IchnosError as error:
            failed = True
            assert str(error)
            assert error.cure
        assert list(to.parent.iterdir()) == []
        cuts += len(damaged) < len(data)
        errors += failed and len(damaged) < len(data)
        try:
            with clips.open_sound(path) as sound:
                analyse(sound)
            seen = True
        except IchnosError:
            seen = False
        assert seen != failed
    assert errors == cuts  # what is cut is noticed
