"""All that the page's script shows, as JSON."""

from __future__ import annotations

import base64
import math
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ichnos.documents.tree import spelled
from ichnos.games.facts import own_facts
from ichnos.games.profiles.vocabulary import is_spoken
from ichnos.games.things import SoundThing
from ichnos.pack.workspace.verdicts import Verdict
from ichnos.page.gathering import Content, Entry, PageModel, Shown, heard
from ichnos.review.by_key import number
from ichnos.review.findings import Finding

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_LONGEST = 1200.0  # seconds: what is longer takes a browser too much memory, decoded
_LARGEST = 300_000_000  # bytes
_SPOKEN = {("Ogg", "Vorbis"), ("Ogg", "Opus"), ("FLAC", "PCM 16"), ("FLAC", "PCM 24"), ("FLAC", "PCM 8")}
_WAV = {"PCM 8", "PCM 16", "PCM 24", "PCM 32", "float 32"}


def data_of(
    book: PageModel, verdicts: Sequence[Verdict], *, beside: str, names: dict[str, str], bed: Path | None
) -> dict[str, Any]:
    """All that the page's script shows, as JSON."""
    contents = book.contents()
    order = {digest: number for number, digest in enumerate(contents)}
    rules = book.profile.rules
    keys = {entry.key for entry in book.entries}
    return {
        "identity": f"{rules.game.name}/{book.name}",
        "against": book.against,
        "curve": rules.play.curve,
        "stereo": rules.play.stereo,
        "beside": beside,
        "names": names,
        "bed": bed.name if bed is not None else "",
        "contents": [_content(content) for content in contents.values()],
        "entries": [_entry(book, entry, order) for entry in book.entries],
        "remarks": [_finding(remark) for remark in book.remarks],
        "verdicts": [
            {"key": verdict.key, "verdict": verdict.verdict, "note": verdict.note, "heard": verdict.heard}
            for verdict in verdicts
            if verdict.key in keys
        ],
    }


def _rounded(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else round(value, 1)


def _content(content: Content) -> dict[str, Any]:
    trouble = why_not(content)
    data: dict[str, Any] = {"digest": content.digest, "size": content.size, "trouble": trouble}
    seen = content.glance
    if seen is None:
        return data
    facts = seen.facts
    loop = [content.loop[0] / facts.rate, (content.loop[1] + 1) / facts.rate] if content.loop else None
    return data | {
        "format": f"{facts.kind}, {_channels(facts.channels)}, {facts.rate / 1000:g} kHz",
        "channels": facts.channels,
        "seconds": round(facts.seconds, 4),
        "loudness": _rounded(seen.loudness.level),
        "heard": _rounded(heard(seen)),
        "peak": _rounded(seen.peak),
        "truePeak": _rounded(seen.true_peak),
        "loop": loop,
        "copied": not trouble and not is_copied_as_it_is(content),
        "shape": _shape(content),
    }


def _channels(count: int) -> str:
    return {1: "mono", 2: "stereo"}.get(count, f"{count} channels")


def _shape(content: Content) -> str:
    """Peak and RMS of each column on the scale from -60 to 0 dBFS, a byte each, in base64."""
    import numpy as np

    assert content.glance is not None
    wave = content.glance.waveform
    peak = np.maximum(np.abs(wave.low), np.abs(wave.high)).max(axis=1)
    rms = wave.rms.max(axis=1)
    return base64.b64encode(np.stack([_scaled(peak), _scaled(rms)], axis=1).tobytes()).decode()


def _scaled(level: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Full scale is 255, -60 dBFS and less is 0."""
    import numpy as np

    db = 20 * np.log10(np.maximum(level, 1e-9))
    return np.asarray(np.round(np.clip(db / 60 + 1, 0, 1) * 255), np.uint8)


def _entry(book: PageModel, entry: Entry, order: dict[str, int]) -> dict[str, Any]:
    sound = entry.definition
    old = entry.old_definition
    return {
        "key": entry.key,
        "titles": [[tag or "", text] for tag, text in sound.titles.items()],
        "oldTitles": [[tag or "", text] for tag, text in (old.titles if old else {}).items()],
        "category": entry.category,
        "kind": entry.kind,
        "settings": _settings(sound),
        "volume": _volume(sound),
        "oldVolume": _volume(old),
        "pitch": _pitch(sound),
        "oldPitch": _pitch(old),
        "near": entry.near,
        "far": entry.far,
        "positional": entry.positional,
        "loop": sound.loops,
        "oldLoop": old.loops if old else False,
        "new": [_piece(shown, order) for shown in entry.new],
        "old": [_piece(shown, order) for shown in entry.old],
        "players": list(entry.players),
        "findings": [_finding(finding) for finding in entry.findings],
        "level": _rounded(entry.level),
        "seconds": round(entry.seconds, 4),
        "size": sum(one.content.size for one in entry.new if one.content),
        "jump": entry.jump,
        "middle": _rounded(book.middles.get(entry.category or entry.kind)),
        "heard": entry.heard,
        "loose": entry.loose,
    }


def _settings(sound: SoundThing) -> dict[str, str]:
    facts = (fact for fact in own_facts(sound, ()) if fact.field != "category" and not is_spoken(fact.field))
    words = {True: "yes", False: "no"}
    return {
        fact.field.rpartition(".")[2]: words[fact.value] if isinstance(fact.value, bool) else spelled(fact.value)
        for fact in facts
    }


def _volume(said: Any) -> float:
    return min(100.0, number(said.values.get("volume"))) if said else 1.0


def _pitch(said: Any) -> float:
    return min(16.0, max(1 / 16, number(said.values.get("pitch")))) if said else 1.0


def _piece(shown: Shown, order: dict[str, int]) -> dict[str, Any]:
    piece = shown.piece
    return {
        "role": piece.role,
        "file": piece.name or piece.reference,
        "content": order[shown.content.digest] if shown.content else None,
        "weight": piece.weight,
        "volume": min(100.0, piece.volume),
        "pitch": min(16.0, max(1 / 16, piece.pitch)),
        "ofGame": piece.of_game,
    }


def _finding(finding: Finding) -> dict[str, Any]:
    kind = finding.kind
    members = {
        "id": kind.id,
        "severity": kind.severity,
        "reason": finding.reason,
        "effect": kind.effect,
        "cure": finding.cure,
    }
    return {"place": str(finding.place), **members}


def why_not(content: Content) -> str:
    """Why a browser is not given a sound; empty where it is."""
    if content.glance is None:
        return content.trouble
    seconds = content.glance.facts.seconds
    if content.size > _LARGEST:
        return f"larger than {_LARGEST / 1e6:.0f} MB, which is too much for a page: listen to the file itself"
    if seconds > _LONGEST:
        return f"longer than {_LONGEST / 60:.0f} minutes, which is too much for a page: listen to the file itself"
    return ""


def is_copied_as_it_is(content: Content) -> bool:
    """Do browsers decode it as it is?"""
    assert content.glance is not None
    facts = content.glance.facts
    if facts.container == "WAV":
        return facts.codec in _WAV
    return facts.container == "MP3" or (facts.container, facts.codec) in _SPOKEN
