"""What a game's sounds are converted to."""

from __future__ import annotations

from ichnos.audio.conversion import Target
from ichnos.games.profile import Profile
from ichnos.games.rules import AudioFor


def target(
    profile: Profile, key: str = "", category: str | None = None, *, part: bool = False, loop: bool = False
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
        loop and container == "WAV" and profile.rules.loops.kind == "wav-markers",
    )
