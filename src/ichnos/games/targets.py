"""What a game's sounds are converted to."""

from __future__ import annotations

from ichnos.audio.files.forms import CODECS, Choice
from ichnos.audio.files.loops import Marking
from ichnos.audio.process.target import Accepted, Target
from ichnos.audio.process.treatments import Step
from ichnos.games.profiles.audio_rules import every
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.rules import LoopRules


def target(
    profile: Profile,
    kind: Kind,
    *,
    loop: bool = False,
    mono: Choice = "auto",
    treatment: tuple[Step, ...] = (),
    finished: bool = False,
) -> Target:
    """What this game's sounds of a kind are converted to.

    Args:
        finished: the clip is a finished sound of a pack, whose bytes are taken over where they are as wanted.
    """
    marks = marking(profile.rules.loops, kind.container)
    codecs, rates, channels = every(kind.codec), every(kind.rate), every(kind.channels)
    codec = (codecs or CODECS[kind.container])[0]
    several = any(accepted is None or len(accepted) > 1 for accepted in (codecs, rates, channels))
    return Target(
        kind.container,
        codec,
        rates[0] if rates else usual_rate(codec),
        channels[0] if channels else 1,
        kind.quality,
        mono,
        treatment,
        marks if loop else None,
        finished,
        finished and not loop and marks is not None,
        Accepted(codecs, rates, channels) if several else None,
    )


def usual_rate(codec: str) -> int:
    """The rate of what is made anew, where any does, in Hz."""
    return 48_000 if codec == "Opus" else 44_100


def marking(rules: LoopRules, container: str) -> Marking | None:
    """How the game wants loops marked in such files; None where it does not look there."""
    if rules.kind == "wav-markers" and container == "WAV":
        return Marking(rules.chunk)
    if rules.kind == "vorbis-comments" and container == "Ogg":
        return Marking("comments", rules.start or "", rules.end or "", rules.length or "")
    return None
