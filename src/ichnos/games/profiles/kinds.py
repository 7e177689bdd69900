"""Kinds of sound: what a game wants of an effect, of a song, of a voice."""

from __future__ import annotations

from dataclasses import dataclass

from ichnos.audio.files.forms import Container
from ichnos.games.profiles.audio_rules import Channels, Codecs, Rates, need_to_go_together
from ichnos.games.profiles.rules import KindRules, Replacing, Rules


@dataclass(frozen=True)
class Kind:
    """One kind of sound, with nothing left open. ``name`` is empty for sounds that are of no kind.

    ``rate`` in Hz, ``seconds`` the longest that it may be; ``files``, ``part_files``: paths with holes.
    """

    name: str
    container: Container
    codec: Codecs
    rate: Rates
    channels: Channels
    quality: float
    several: bool
    parts: tuple[str, ...]
    replace: Replacing
    new: bool
    seconds: float | None
    files: str | None = None
    part_files: str | None = None


def general(rules: Rules) -> Kind:
    """What holds for sounds of no kind."""
    audio, modes = rules.audio, rules.modes
    return Kind(
        "", audio.container, audio.codec, audio.rate, audio.channels, audio.quality, rules.takes.several,
        rules.parts.names, modes.replace, modes.new, rules.limits.seconds,
    )  # fmt: skip


def resolved(rules: Rules, own: KindRules) -> Kind:
    """A kind of ``game.toml`` with what it does not say itself. Raises ValueError where that does not fit together."""
    of_all = general(rules)
    said = own.model_dump(exclude={"categories", "keys"}, exclude_none=True)
    kind = Kind(**{**of_all.__dict__, **said})
    need_to_go_together(kind.container, kind.codec, kind.rate)
    return kind


def choose(rules: Rules, key: str, category: str | None, *, parts: bool = False, said: str | None = None) -> str:
    """The name of the kind that a sound is of; empty where it is of none.

    Args:
        parts: whether the sound has parts: where nothing else tells, it is of the first kind that has some.
        said: what the pack says itself.
    """
    if said is not None:
        return said
    for own in rules.kind:
        if own.fits(key, category):
            return own.name
    if parts and not rules.parts.names:
        return next((own.name for own in rules.kind if own.parts), "")
    return ""
