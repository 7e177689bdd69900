"""What a clip is to become, and what it became."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Iterator
from dataclasses import asdict, dataclass, field, replace
from functools import cache
from importlib.metadata import version
from typing import IO, TYPE_CHECKING, Any

from ichnos.audio.blocks.chain import Side
from ichnos.audio.files import loops
from ichnos.audio.files.clips import Facts
from ichnos.audio.files.forms import CODECS, OPUS_RATES, RATES, Choice, SoundForm
from ichnos.audio.files.loops import Marking
from ichnos.audio.measure.sides import OUT_OF_PHASE, STEREO

if TYPE_CHECKING:
    from ichnos.audio.process.treatments import Step

CHAIN_EDITION = 4  # raised whenever the same clip and target would give other bytes


@dataclass(frozen=True)
class Accepted:
    """What does as well as what a target says. ``rates`` in Hz; ``None``: any of them."""

    codecs: tuple[str, ...] | None
    rates: tuple[int, ...] | None
    channels: tuple[int, ...] | None


@dataclass(frozen=True)
class Target:
    """What to convert to. ``rate`` in Hz; ``quality`` of Vorbis and Opus, from 0 to 10.

    ``mono``: where fewer channels are wanted than there are: the mix, one side, or the mix unless
    it cancels.
    ``treatment``: what is done to the clip on the way.
    ``loop``: how the loop is marked in the file, where it is to be.
    ``finished``: the clip is a finished sound of a pack: where it is as wanted, its bytes are taken over.
    ``unmarked``: so only without marks of a loop, which the game would go by.
    ``accepted``: a clip that is so already stays so; without it, there is one form alone.
    ``keep_marks``: all that the clip marks in itself is written into what it becomes, as far as that has a place.
    """

    container: str
    codec: str
    rate: int
    channels: int
    quality: float
    mono: Choice = "auto"
    treatment: tuple[Step, ...] = field(default=())
    loop: Marking | None = None
    finished: bool = False
    unmarked: bool = False
    accepted: Accepted | None = None
    keep_marks: bool = False

    def __str__(self) -> str:
        every = self._every()
        codec = " or ".join(every.codecs or ("any codec",))
        channels = " or ".join(map(_sides, every.channels)) if every.channels else "any channels"
        rate = f"{' or '.join(f'{rate / 1000:g}' for rate in every.rates)} kHz" if every.rates else "any rate"
        return f"{self.container} {codec}, {channels}, {rate}{', marked as a loop' if self.loop else ''}"

    def _every(self) -> Accepted:
        return self.accepted or Accepted((self.codec,), (self.rate,), (self.channels,))

    @property
    def is_mono(self) -> bool:
        """Is nothing but mono accepted?"""
        return self._every().channels == (1,)

    def of_clip(self, facts: Facts) -> Target:
        """What one clip is converted to: what of it is accepted stays as it is, where it can be written so."""
        if self.accepted is None:
            return self
        every, codec = self.accepted, self.codec
        if self.finished and not _differs(facts.codec, every.codecs):
            codec = facts.codec
        can_be_written = facts.rate in (OPUS_RATES if codec == "Opus" else RATES)
        rate = facts.rate if can_be_written and not _differs(facts.rate, every.rates) else self.rate
        channels = self.channels
        if facts.channels <= STEREO and not _differs(facts.channels, every.channels):
            channels = facts.channels
        elif facts.channels > STEREO and not _differs(STEREO, every.channels):
            channels = STEREO
        return replace(self, codec=codec, rate=rate, channels=channels, accepted=None)

    def like(self, form: SoundForm) -> Target:
        """What has a given form, as far as that can be written; in another container, it stays what it is."""
        if form.container != self.container:
            return self
        codec = form.codec if form.codec in CODECS[self.container] else self.codec
        can_be_written = form.rate in (OPUS_RATES if codec == "Opus" else RATES)
        rate = form.rate if can_be_written else self.rate
        return replace(self, codec=codec, rate=rate, channels=min(form.channels, STEREO), accepted=None)

    def differs(self, facts: Facts) -> list[str]:
        """In what a file is not as wanted, in plain words: what it is, and what it should be."""
        every = self._every()
        wanted: list[tuple[str, Any, Collection[Any] | None, str]] = [
            ("container", facts.container, (self.container,), ""),
            ("codec", facts.codec, every.codecs, ""),
            ("rate", facts.rate, every.rates, " Hz"),
            ("channels", facts.channels, every.channels, ""),
        ]
        return [
            f"{what} {actual}{unit}, not {' or '.join(map(str, good or ()))}{unit}"
            for what, actual, good, unit in wanted
            if _differs(actual, good)
        ]

    def takes_over(self, source: IO[bytes], facts: Facts) -> bool:
        """Is a finished sound already all that is wanted, so that it needs no coding?"""
        if not self.finished or self.treatment or self.differs(facts):
            return False
        if self.loop is not None:
            loop = loops.read(source, self.loop)
            return loop is not None and self.loop.at in (None, loop)
        return not (self.unmarked and loops.marked(source, facts) is not None)


def _differs(actual: object, good: Collection[object] | None) -> bool:
    return good is not None and actual not in good


def _sides(channels: int) -> str:
    return {1: "mono", 2: "stereo"}.get(channels, f"{channels} channels")


@dataclass(frozen=True)
class Converted:
    """What a conversion gave. ``size`` in bytes.

    ``side``: where stereo became mono, what was taken; ``mono_db``: what the mix would have cost.
    ``coding_loss``: of lossy coding, in dB (see ``coding_loss``). ``clipped``: samples cut off at full scale.
    ``notes``: what the treatment has to say.
    """

    frames: int
    size: int
    side: Side | None
    mono_db: float | None
    coding_loss: float | None
    clipped: int
    notes: tuple[str, ...]

    def remarks(self) -> Iterator[str]:
        """What a person should know of it, in plain words."""
        if self.side in ("left", "right") and self.mono_db is not None and self.mono_db < OUT_OF_PHASE:
            cost = "all of it" if self.mono_db < -60 else f"{-self.mono_db:z.0f} dB"
            yield f"its sides are out of phase (a mono mix would lose {cost}), so mono is the {self.side} side"
        elif self.side == "mix" and self.mono_db is not None and self.mono_db < OUT_OF_PHASE:
            yield f"its sides are out of phase: the mono mix is {-self.mono_db:z.0f} dB quieter than they are"
        if self.clipped:
            yield f"{self.clipped} samples were above full scale, and are clipped"
        yield from self.notes


@cache
def _versions() -> dict[str, str]:
    """The versions of the libraries that do the work."""
    return {name: version(name) for name in ("soundfile", "soxr", "numpy", "scipy")}


def identity(source_sha256: str, target: Target) -> str:
    """The name under which a conversion is kept: equal names, equal bytes.

    It covers the source's bytes, the target, this chain and the libraries that do the work.
    """
    settings = {"source": source_sha256, "target": _settings(target), "chain": CHAIN_EDITION, **_versions()}
    return hashlib.sha256(json.dumps(settings, sort_keys=True).encode()).hexdigest()


@cache
def _settings(target: Target) -> dict[str, Any]:
    settings = asdict(target)
    del settings["accepted"]  # of a clip there is one form alone
    return {**settings, "treatment": [step.model_dump() for step in target.treatment]}
