"""What is to be said of a clip: by itself, and against a game's rules, in plain words and with the cure."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from ichnos.audio.files.loops import Marking
from ichnos.audio.measure.analysis import Looked, look
from ichnos.audio.measure.sides import Sides
from ichnos.audio.process.conversion import CANCELS, Target
from ichnos.errors import IchnosError
from ichnos.files.writing import understood
from ichnos.games.catalogues import kept
from ichnos.games.profiles import profile as profiles
from ichnos.games.profiles.profile import Profile
from ichnos.games.targets import marking
from ichnos.games.targets import target as target_for

_THIN = 10.0  # dB that mono may take from a band that matters
_OFFSET = 0.005  # of full scale
_LONG_SILENCE = 0.5  # seconds, at either end
_QUIET = -40.0  # LUFS


@dataclass(frozen=True)
class Remark:
    """One thing to know of a clip. ``grave``: it would not be heard as meant."""

    id: str
    text: str
    cure: str
    grave: bool = False

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


def remarks(looked: Looked) -> list[Remark]:
    """What is to be said of the clip by itself."""
    return list(_remarks(looked))


def _remarks(looked: Looked) -> Iterator[Remark]:
    facts, sides = looked.facts, looked.sides
    if facts.disguised:
        yield Remark(
            "disguised",
            f"its name says {facts.claimed}, its bytes are {facts.container}",
            "convert it; another extension does not make another format",
        )
    if looked.silent:
        yield Remark("silent", f"it never gets above {looked.peak:.0f} dBFS: it is silent", "take another clip", True)
        return
    if looked.clipped_runs:
        yield Remark(
            "clipped",
            f"clipped in {looked.clipped_runs} {'place' if looked.clipped_runs == 1 else 'places'}, the first at"
            f" {looked.clipped_at[0]:.2f} s, the longest {looked.clipped_longest} frames",
            "record or export it with less level, unless it is meant; gain afterwards does not mend it",
        )
    elif looked.true_peak > 0:
        yield Remark(
            "over",
            f"its true peak is {looked.true_peak:+.1f} dBTP: the curve between its samples passes full scale",
            "bring it down: ichnos treat --limit -1",
        )
    yield from _of_sides(looked, sides)
    if abs(looked.offset) > _OFFSET:
        yield Remark(
            "offset",
            f"it stands off the middle by {100 * looked.offset:+.1f} % of full scale (DC)",
            "take it away: ichnos treat --high-pass 20",
        )
    for where, seconds in (("start", looked.silent_start), ("end", looked.silent_end)):
        if seconds > _LONG_SILENCE:
            yield Remark(
                f"silent-{where}", f"{seconds:.1f} s of silence at its {where}", "trim it: ichnos treat --trim"
            )
    if looked.loudness.level < _QUIET:
        yield Remark(
            "quiet", f"it is very quiet: {looked.loudness.level:.0f} LUFS", "raise it: ichnos treat --loudness -18"
        )


def _of_sides(looked: Looked, sides: Sides | None) -> Iterator[Remark]:
    """What a mix to mono would do."""
    if sides is None:
        return
    if sides.mono_db < CANCELS:
        lost = "everything" if sides.mono_db < -60 else f"{-sides.mono_db:.0f} dB"
        yield Remark(
            "cancels",
            f"its sides cancel: mixed to mono it loses {lost}",
            f"take one side: --mono {sides.louder} (auto does so)",
            True,
        )
    elif not sides.twins and (thin := looked.spectrum.thinned()) and thin[1] > _THIN:
        yield Remark(
            "thinned",
            f"mixed to mono it loses {thin[1]:.0f} dB around {thin[0]:.0f} Hz",
            f"compare with one side: --mono {sides.louder}",
        )


def against(looked: Looked, profile: Profile, target: Target) -> list[Remark]:
    """What the game's rules say of the clip; nothing where it could be used as it is."""
    return list(_against(looked, profile, target))


def _against(looked: Looked, profile: Profile, target: Target) -> Iterator[Remark]:
    facts, title = looked.facts, profile.rules.game.title
    cure = "the build does so, or: ichnos convert --like-game"
    if (facts.container, facts.codec) != (target.container, target.codec):
        known = f"{target.container} {target.codec}"
        yield Remark("format", f"{title} reads {known}, and this is {facts.kind}", f"convert it; {cure}")
    if facts.channels > target.channels:
        effect = "heard everywhere at full level, however far away" if target.channels == 1 else "not read"
        yield Remark(
            "channels", f"{title} wants {_channels(target.channels)}: as it is, it would be {effect}", f"mix it; {cure}"
        )
    elif facts.channels < target.channels:
        yield Remark("channels", f"{title} wants {_channels(target.channels)}, and this is mono", f"{cure}")
    if facts.rate != target.rate:
        yield Remark("rate", f"{title} wants {target.rate} Hz, and this has {facts.rate} Hz", f"resample it; {cure}")
    longest = profile.rules.limits.seconds
    if longest is not None and facts.seconds > longest:
        yield Remark(
            "long",
            f"{title} takes {longest:g} s at most, and this lasts {facts.seconds:.1f} s",
            f"cut it: ichnos treat --cut 0:{longest:g}",
            True,
        )
    if profile.rules.loops.kind != "field" and looked.loops:
        start, end = looked.loops[0]
        yield Remark(
            "loop", f"it marks a loop from frame {start} to {end}", "say loop = true, and the build carries it over"
        )


def _channels(count: int) -> str:
    return {1: "mono", 2: "stereo"}.get(count, f"{count} channels")


@dataclass(frozen=True)
class Judge:
    """A game's rules for some sounds."""

    profile: Profile
    target: Target
    key_checked: bool  # against the game's own keys, as far as they are known

    @property
    def title(self) -> str:
        return self.profile.rules.game.title

    @property
    def marking(self) -> Marking | None:
        """How the game wants loops marked."""
        return marking(self.profile.rules.loops, self.target.container)


def judge_for(game: str | None, key: str | None, category: str | None) -> Judge | None:
    """The rules of a game, by its name or its profile's folder, for a key or a category.

    Raises:
        IchnosError: a key that the game does not have, as far as its keys are known.
    """
    if game is None:
        return None
    profile = profiles.load(profiles.find(game))
    known = kept.load(profile.rules.game.name)
    if key is not None and known is not None:
        if key not in known:
            raise IchnosError(
                f'{profile.rules.game.title} has no key "{key}"',
                cure=f"did you mean {' or '.join(known.nearest(key))}?",
            )
        category = category or known.category(key)
    return Judge(profile, target_for(profile, key or "", category), key is None or known is not None)


@dataclass(frozen=True)
class Seen:
    """A clip and all that is to be said of it; ``looked`` is None where it could not be read."""

    clip: Path
    looked: Looked | None
    remarks: list[Remark]
    unfit: bool = False  # the game could not use it as it is

    @property
    def grave(self) -> bool:
        return any(remark.grave for remark in self.remarks)

    @property
    def badness(self) -> tuple[bool, int, int]:
        """For sorting: the worst is the largest."""
        return self.looked is None, sum(remark.grave for remark in self.remarks), len(self.remarks)

    def as_json(self) -> dict[str, Any]:
        said = {"clip": str(self.clip), "remarks": [remark.as_json() for remark in self.remarks]}
        if self.looked is None:
            return {**said, "readable": False}
        looked, facts, sides = self.looked, self.looked.facts, self.looked.sides
        return {
            **said,
            "readable": True,
            "container": facts.container,
            "claimed": facts.claimed,
            "codec": facts.codec,
            "rate": facts.rate,
            "bits": facts.bits,
            "channels": facts.channels,
            "frames": facts.frames,
            "seconds": facts.seconds,
            "peak-dbfs": _finite(looked.peak),
            "true-peak-dbtp": _finite(looked.true_peak),
            "integrated-lufs": _finite(looked.loudness.integrated),
            "momentary-lufs": _finite(looked.loudness.momentary),
            "clipped-runs": looked.clipped_runs,
            "clipped-longest-frames": looked.clipped_longest,
            "clipped-at": list(looked.clipped_at),
            "dc-offset": looked.offset,
            "silence-start": looked.silent_start,
            "silence-end": looked.silent_end,
            "stereo": None
            if sides is None
            else {"twins": sides.twins, "mono-db": _finite(sides.mono_db), "louder": sides.louder},
            "loops": [{"first": first, "last": last} for first, last in looked.loops],
            "tags": looked.tags,
        }


def _finite(value: float | None) -> float | None:
    """JSON knows no infinity: silence is null."""
    return value if value is not None and math.isfinite(value) else None


def look_at(clips: Sequence[Path], judge: Judge | None, advance: Callable[[], None]) -> list[Seen]:
    """Look at clips, side by side. ``advance`` is called after each, from the threads that look."""

    def one(clip: Path) -> Seen:
        try:
            with understood(clip):
                looked = look(clip, marking=judge.marking if judge else None)
        except IchnosError as error:
            return Seen(clip, None, [Remark("unreadable", error.what, error.cure, True)])
        finally:
            advance()
        said = against(looked, judge.profile, judge.target) if judge else []
        unfit = any(remark.id != "loop" for remark in said)
        return Seen(clip, looked, [*remarks(looked), *said], unfit)

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        return list(pool.map(one, clips))
