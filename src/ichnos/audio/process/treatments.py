"""Treatments: named chains of steps, each of which changes a clip in one way."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, model_validator

from ichnos.audio.blocks import filters
from ichnos.audio.blocks.chain import AudioStream
from ichnos.audio.measure.loudness import LoudnessMeter
from ichnos.audio.process import levels, timing
from ichnos.audio.process.timing import Shape
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block

Say = Callable[[str], None]
Hz = Annotated[float, Field(gt=0, le=96000, description="Hz")]
Decibels = Annotated[float, Field(ge=-60, le=60, description="dB")]
Seconds = Annotated[float, Field(ge=0, le=86400, description="seconds")]
Ceiling = Annotated[float, Field(ge=-60, le=0, description="the highest true peak, in dBTP")]
_HIGHEST = 0.49  # of the rate: filters come no nearer to its half


class _Step(BaseModel):
    """One change. ``step`` is its name, as a pack file says it."""

    # Defaults are validated, so that -1 is the number that it is when it comes back from what is kept: -1.0.
    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        alias_generator=lambda name: name.replace("_", "-"),
        populate_by_name=True,
        validate_default=True,
    )
    about: ClassVar[str] = ""
    only_moves: ClassVar[bool] = False  # it moves samples, and leaves each as it was

    def __str__(self) -> str:
        """In few words: the step with the values that were set."""
        said = self.model_dump(by_alias=True, exclude_defaults=True)
        values = " ".join(
            f"{name} {value:g}" if isinstance(value, float) else f"{name} {value}" for name, value in said.items()
        )
        return f"{self.step_name()} {values}".strip()

    @classmethod
    def step_name(cls) -> str:
        """Its name, as a pack file and an option say it."""
        return str(cls.model_fields["step"].default)

    @classmethod
    def step_fields(cls) -> list[str]:
        """Its fields, in the order in which an option says them."""
        return [name for name in cls.model_fields if name != "step"]

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        raise NotImplementedError


class Trim(_Step):
    about = "take silence off both ends"
    only_moves = True
    step: Literal["trim"] = "trim"
    threshold: float = Field(default=-60, ge=-120, le=0, description="dBFS: what never passes it is silence")
    keep: Seconds = Field(default=0.01, description="seconds of silence that stay")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.trim(stream, self.threshold, self.keep, say)


class Cut(_Step):
    about = "keep what lies between two times"
    only_moves = True
    step: Literal["cut"] = "cut"
    start: Seconds = Field(default=0, description="seconds from the beginning")
    end: Seconds | None = Field(default=None, description="seconds from the beginning; without it, to the end")

    @model_validator(mode="after")
    def _in_order(self) -> Cut:
        if self.end is not None and self.end <= self.start:
            raise ValueError("the end of a cut must lie behind its start")
        return self

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.cut(stream, self.start, self.end)


class Fade(_Step):
    about = "fade in, out, or both"
    step: Literal["fade"] = "fade"
    rise: Seconds = Field(default=0, description="seconds at the beginning")
    fall: Seconds = Field(default=0, description="seconds at the end")
    shape: Shape = Field(default="smooth", description="straight, smooth at both ends, or of even power")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.fade(stream, self.rise, self.fall, self.shape)


class Soften(_Step):
    about = "fade the first and the last of it in and out, where it does not begin or end at zero"
    step: Literal["soften"] = "soften"
    seconds: float = Field(default=0.002, gt=0, le=1, description="seconds")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.soften(stream, self.seconds)


class Centre(_Step):
    about = "take its offset (DC) away: the mean of each channel"
    step: Literal["centre"] = "centre"

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.centre(stream)


class Gain(_Step):
    about = "louder or quieter"
    step: Literal["gain"] = "gain"
    db: Decibels

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return stream.through(levels.apply_gain(stream.blocks, self.db))


class Loudness(_Step):
    about = "bring it to a loudness; peaks above the ceiling are limited"
    step: Literal["loudness"] = "loudness"
    lufs: float = Field(ge=-70, le=0, description="LUFS, integrated (of clips below 0.4 s momentary)")
    ceiling: Ceiling = -1

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return levels.to_loudness(stream, self.lufs, self.ceiling, say)


class Limit(_Step):
    about = "hold true peaks below a ceiling"
    step: Literal["limit"] = "limit"
    ceiling: Ceiling = -1

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return levels.limit_peaks(stream, self.ceiling, say)


class SoftClip(_Step):
    about = "drive it into soft clipping, on purpose"
    step: Literal["soft-clip"] = "soft-clip"
    drive: float = Field(ge=0, le=40, description="dB that it is pushed by")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return levels.soft_clip(stream, self.drive, say)


class _Filter(_Step):
    hz: Hz

    def sections(self, rate: int) -> list[filters.Biquad]:
        raise NotImplementedError

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        if self.hz > _HIGHEST * stream.rate:
            return self._out_of_reach(stream)
        return stream.through(filters.filter_blocks(stream.blocks, self.sections(stream.rate), stream.channels))

    def _out_of_reach(self, stream: AudioStream) -> AudioStream:
        """Above what the clip can hold there is nothing to change."""
        return stream


class _FromBelow(_Filter):
    def _out_of_reach(self, stream: AudioStream) -> AudioStream:
        name = self.step_name()
        raise IchnosError(
            f"{name} at {self.hz:g} Hz lies above all that a clip of {stream.rate} Hz holds",
            cure=f"choose a frequency below {_HIGHEST * stream.rate:.0f}",
        )


class HighPass(_FromBelow):
    about = "take away what lies below"
    step: Literal["high-pass"] = "high-pass"
    slope: Literal[12, 24] = Field(default=12, description="dB an octave: 12 or 24")

    def sections(self, rate: int) -> list[filters.Biquad]:
        return filters.steep("high-pass", self.hz, rate, self.slope)


class LowPass(_Filter):
    about = "take away what lies above"
    step: Literal["low-pass"] = "low-pass"
    slope: Literal[12, 24] = Field(default=12, description="dB an octave: 12 or 24")

    def sections(self, rate: int) -> list[filters.Biquad]:
        return filters.steep("low-pass", self.hz, rate, self.slope)


class LowShelf(_FromBelow):
    about = "raise or lower what lies below"
    step: Literal["low-shelf"] = "low-shelf"
    db: Decibels

    def sections(self, rate: int) -> list[filters.Biquad]:
        return [filters.low_shelf(self.hz, rate, self.db)]


class HighShelf(_Filter):
    about = "raise or lower what lies above"
    step: Literal["high-shelf"] = "high-shelf"
    db: Decibels

    def sections(self, rate: int) -> list[filters.Biquad]:
        return [filters.high_shelf(self.hz, rate, self.db)]


class Bell(_Filter):
    about = "raise or lower what lies around"
    step: Literal["bell"] = "bell"
    db: Decibels
    q: float = Field(default=1, ge=0.1, le=30, description="how narrow: 1 is about an octave and a half")

    def sections(self, rate: int) -> list[filters.Biquad]:
        return [filters.bell(self.hz, rate, self.db, self.q)]


class Speed(_Step):
    about = "speed and pitch together"
    step: Literal["speed"] = "speed"
    factor: float = Field(ge=0.1, le=10, description="2 is twice as fast and an octave up")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.change_speed(stream, self.factor)


class Pitch(_Step):
    about = "pitch alone; the length stays"
    step: Literal["pitch"] = "pitch"
    semitones: float = Field(ge=-24, le=24, description="12 is an octave")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.change_pitch(stream, self.semitones)


class Reverse(_Step):
    about = "backwards"
    only_moves = True
    step: Literal["reverse"] = "reverse"

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.reverse(stream)


class Repeat(_Step):
    about = "several times, one after the other"
    only_moves = True
    step: Literal["repeat"] = "repeat"
    times: int = Field(ge=1, le=1000, description="how often it is heard in all")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.repeat(stream, self.times)


class LoopFade(_Step):
    about = "a loop without a seam: the end is faded into the beginning"
    step: Literal["loop-fade"] = "loop-fade"
    seconds: Seconds = Field(default=0.5, description="seconds that are faded; the clip gets shorter by as much")

    def apply(self, stream: AudioStream, say: Say) -> AudioStream:
        return timing.crossfade_loop(stream, self.seconds)


# In the order in which they are applied where they are given as options.
Step = Annotated[
    Centre | Cut | Trim | Reverse | Speed | Pitch
    | HighPass | LowPass | LowShelf | HighShelf | Bell
    | Soften | Fade | Repeat | LoopFade
    | Gain | SoftClip | Loudness | Limit,
    Field(discriminator="step"),
]  # fmt: skip
STEPS: tuple[type[_Step], ...] = get_args(get_args(Step)[0])

BUNDLED: dict[str, tuple[str, tuple[Step, ...]]] = {
    "over-the-din": (
        "to be heard over a noisy game: the low end goes, 3 kHz comes up, the level is raised and held",
        (Trim(), HighPass(hz=150), Bell(hz=3000, db=5, q=0.8), LowPass(hz=12000), SoftClip(drive=4),
         Loudness(lufs=-11)),
    ),
    "clear-speech": (
        "speech: rumble and boom go, consonants come up, one level for all",
        (Trim(threshold=-50, keep=0.08), HighPass(hz=85, slope=24), Bell(hz=280, db=-2.5), Bell(hz=3500, db=2.5, q=0.7),
         Fade(rise=0.01, fall=0.05), Loudness(lufs=-18)),
    ),
    "stay-behind": (
        "music that stays behind speech: quieter, with room left where voices are",
        (Bell(hz=2000, db=-3, q=0.6), Loudness(lufs=-28, ceiling=-6)),
    ),
    "far-off": (
        "distant: the air takes the top, the ground takes the bottom",
        (HighPass(hz=120), LowPass(hz=1800), Gain(db=-9), Fade(rise=0.05, fall=0.2)),
    ),
    "small-speaker": (
        "as from a small loudspeaker: a narrow band, pushed",
        (HighPass(hz=400, slope=24), LowPass(hz=3600, slope=24), Bell(hz=1600, db=6), SoftClip(drive=9),
         Limit(ceiling=-2)),
    ),
}  # fmt: skip


def steps_of(values: Sequence[dict[str, Any]]) -> tuple[Step, ...]:
    """Steps from plain values, as their models give them."""
    adapter: TypeAdapter[tuple[Step, ...]] = TypeAdapter(tuple[Step, ...])
    return adapter.validate_python(values)


def ceiling_of(steps: Sequence[Step]) -> float | None:
    """The highest true peak that the steps promise, in dBTP; None where they promise none."""
    ceiling: float | None = None
    for step in steps:
        if isinstance(step, Loudness | Limit):
            ceiling = step.ceiling
        elif not (step.only_moves or isinstance(step, Fade | Soften)):
            ceiling = None
    return ceiling


def treat(stream: AudioStream, steps: Sequence[Step], say: Say) -> AudioStream:
    """The stream with all steps applied. ``say`` is called with what a person should know of it.

    Where steps behind a loudness may undo it, what came out is measured, and said.
    """
    for step in steps:
        stream = step.apply(stream, say)
    at = max((number for number, step in enumerate(steps) if isinstance(step, Loudness)), default=len(steps))
    if all(step.only_moves for step in steps[at + 1 :]):
        return stream
    return stream.through(_measured(stream, steps[at], steps[at + 1 :], say))


def _measured(stream: AudioStream, target: Step, behind: Sequence[Step], say: Say) -> Iterator[Block]:
    """The same blocks; at their end it is said where their loudness is not what was asked for."""
    assert isinstance(target, Loudness)
    meter = LoudnessMeter(stream.rate, stream.channels)
    for block in stream.blocks:
        meter.add(block)
        yield block
    reached = meter.result().level
    if abs(reached - target.lufs) > _MISSED and math.isfinite(reached):
        names = ", ".join(dict.fromkeys(step.step_name() for step in behind if not step.only_moves))
        say(f"{names} after loudness makes it {reached:z.1f} LUFS, not {target.lufs:g}: put loudness last")


_MISSED = 0.5  # LU
