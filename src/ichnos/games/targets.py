"""What a game's sounds are converted to."""

from __future__ import annotations

from ichnos.audio.files.forms import Choice
from ichnos.audio.files.loops import Marking
from ichnos.audio.process.target import Target
from ichnos.audio.process.treatments import Step
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
    return Target(
        kind.container,
        kind.codec,
        kind.rate,
        kind.channels,
        kind.quality,
        mono,
        treatment,
        marks if loop else None,
        finished,
        finished and not loop and marks is not None,
    )


def marking(rules: LoopRules, container: str) -> Marking | None:
    """How the game wants loops marked in such files; None where it does not look there."""
    if rules.kind == "wav-markers" and container == "WAV":
        return Marking(rules.chunk)
    if rules.kind == "vorbis-comments" and container == "Ogg":
        return Marking("comments", rules.start or "", rules.end or "", rules.length or "")
    return None
