"""What a game's sounds are converted to."""

from __future__ import annotations

from ichnos.audio.files.forms import Choice
from ichnos.audio.files.loops import Marking
from ichnos.audio.process.conversion import Target
from ichnos.audio.process.treatments import Step
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.rules import AudioFor, LoopRules


def target(
    profile: Profile,
    key: str = "",
    category: str | None = None,
    *,
    part: bool = False,
    loop: bool = False,
    mono: Choice = "auto",
    treatment: tuple[Step, ...] = (),
) -> Target:
    """What this game's sounds are converted to; for one key, where exceptions may count."""
    rules = profile.rules.audio
    only = next((only for only in rules.only if only.fits(key, category, part)), AudioFor())
    container = only.container or rules.container
    return Target(
        container,
        only.codec or rules.codec,
        only.rate or rules.rate,
        only.channels or rules.channels,
        rules.quality if only.quality is None else only.quality,
        mono,
        treatment,
        marking(profile.rules.loops, container) if loop else None,
    )


def marking(rules: LoopRules, container: str) -> Marking | None:
    """How the game wants loops marked in such files; None where it does not look there."""
    if rules.kind == "wav-markers" and container == "WAV":
        return Marking(rules.chunk)
    if rules.kind == "vorbis-comments" and container == "Ogg":
        return Marking("comments", rules.start or "", rules.end or "", rules.length or "")
    return None
