"""The sound track of phone and web recordings (MP4, WebM), read with the ``av`` package, an extra."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO, TYPE_CHECKING, Any

from ichnos.errors import IchnosError, Place

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block

_CODECS = {"aac": "AAC", "opus": "Opus", "vorbis": "Vorbis", "mp3": "MPEG layer III", "flac": "FLAC", "alac": "ALAC"}
_LACKING = 0.3  # seconds by which a track may be shorter than its container says: codecs add and drop some


@contextmanager
def _track(stream: IO[bytes], place: Place) -> Iterator[tuple[Any, Any]]:
    try:
        import av
    except ImportError:
        raise IchnosError(
            "this is a video or a recording of a phone, and the part of Ichnos that reads those is not installed",
            place=place,
            cure="install it: pip install 'ichnos[video]'",
        ) from None
    av.logging.set_level(None)
    try:
        with av.open(stream) as container:
            if not container.streams.audio:
                raise IchnosError("there is no sound in this video", place=place, cure="choose another recording")
            yield container, container.streams.audio[0]
    except (av.FFmpegError, ValueError, EOFError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise IchnosError(
            f"this recording cannot be decoded ({str(reason).lower()})", place=place, cure="export or download it again"
        ) from None


def facts(stream: IO[bytes], place: Place) -> tuple[str, int, int, int]:
    """The codec, the rate, the channels, and the samples of each channel as the container says.

    Raises:
        IchnosError: no sound in it, damaged, or the extra is not installed.
    """
    with _track(stream, place) as (container, track):
        codec = track.codec_context
        if track.duration is not None:
            seconds = float(track.duration * track.time_base)
        else:
            seconds = (container.duration or 0) / 1e6
        if codec is None or not codec.sample_rate or not codec.channels or seconds < 0:
            raise IchnosError("this recording's sound is damaged", place=place, cure="export or download it again")
        name = _CODECS.get(codec.name.removesuffix("float"), codec.name)
        frames = round(seconds * codec.sample_rate)
        if not frames:  # a recording that was streamed does not say how long it became
            frames = sum(frame.samples for frame in container.decode(track))
        if not frames:
            raise IchnosError("there is no sound in this recording", place=place, cure="choose another recording")
        return name, codec.sample_rate, codec.channels, frames


def blocks(stream: IO[bytes], rate: int, channels: int, expected: int, place: Place) -> Iterator[Block]:
    """Decode in blocks as the codec gives them; float32, shape (frames, channels).

    Raises:
        IchnosError: it breaks off more than 0.3 s before its end.
    """
    import av
    import numpy as np

    done = 0
    # A dozen codec threads for one clip would only get in the way of the other clips.
    with _track(stream, place) as (container, track):
        track.codec_context.thread_count = 1
        layout = track.codec_context.layout
        to_float = av.AudioResampler(format="flt", layout=layout, rate=rate)
        for frame in container.decode(track):
            for converted in to_float.resample(frame):
                block = converted.to_ndarray().reshape(-1, channels)
                done += len(block)
                yield np.ascontiguousarray(block, np.float32)
    if not done or done < expected - _LACKING * rate:
        raise IchnosError(
            f"this recording is damaged: it can be decoded up to {done / rate:.2f} s of {expected / rate:.2f} s",
            place=place,
            cure="export or download it again",
        )
