"""The words by which people who make games call what a profile's holes stand for."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from ichnos.games.profiles.vocabulary import ENTRY, PACK, PART, PROP, SCHEDULE, SOUND, TAKE, TRIGGER

# Of each hole: the words that a label for it has, the surer first.
WORDS: Mapping[str, Mapping[str, Sequence[str]]] = {
    SOUND: {
        "volume": ("volume", "vol", "loudness", "loud", "gain", "level", "strength", "amplitude", "db", "decibel"),
        "pitch": ("pitch", "tuning"),
        "near": ("near", "nearest", "min", "inner", "closest", "from"),
        "far": ("far", "farthest", "max", "outer", "range", "radius", "reach", "to"),
        "positional": ("positional", "spatial", "placed", "heard", "local"),
        "priority": ("priority", "rank", "importance"),
        "loop": ("loop", "loops", "looping", "again", "endless", "repeat", "repeats", "repeating"),
        "fade": ("fade", "fading", "release"),
        "voices": ("voices", "instances", "polyphony", "simultaneous"),
        "category": (
            "category", "group", "class", "sort", "kind", "type", "family", "section", "bank", "room",
        ),
        "title": ("title", "caption", "says", "name", "label", "text", "labels"),
    },
    TAKE: {
        "weight": ("weight", "odds", "chance", "share", "times", "probability", "likelihood", "frequency"),
        "take.volume": ("volume", "vol", "loudness", "loud", "gain", "level", "strength"),
        "take.pitch": ("pitch", "tuning"),
        "take.from-disk": ("stream", "streamed", "streaming", "disk"),
    },
    PART: {"part.name": ("part", "role", "name", "stage", "section")},
    TRIGGER: {
        "trigger.event": ("event", "upon", "when", "happening", "happens", "on", "cue", "occasion"),
        "trigger.where": ("where", "place", "spot", "area", "zone", "location", "site", "region"),
        "trigger.does": ("does", "act", "action", "do", "deed"),
        "trigger.from": ("from", "source", "object", "emitter", "speaker", "at"),
        "trigger.state": ("state", "given", "condition", "if"),
        "trigger.reaches": ("reaches", "becomes", "equals", "is", "value"),
        "trigger.once": ("once", "first", "single"),
        "trigger.delay": ("delay", "wait", "waits", "after", "pause"),
        "trigger.fade": ("fade", "fading", "ramp"),
        "trigger.volume": ("volume", "gain", "level", "loudness", "loud", "strength"),
        "trigger.odds": ("odds", "chance", "luck", "probability", "likely", "likelihood"),
        "trigger.name": ("name", "tag", "id", "label", "title"),
    },
    PROP: {
        "prop.title": ("title", "caption", "name", "called", "label"),
        "prop.text": ("text", "words", "description", "about", "summary"),
        "prop.picture": ("picture", "image", "icon", "sprite", "texture"),
        "prop.id": ("id", "number", "uid", "identity"),
        "prop.name": ("name", "called", "id"),
    },
    SCHEDULE: {
        "schedule.after": ("after", "every"),
        "schedule.apart": ("apart", "distance", "gap"),
        "schedule.odds": ("odds", "likely", "chance", "probability"),
        "schedule.twice": ("twice", "repeats", "repeat"),
        "schedule.piece-volume": ("pieces", "piece", "loud"),
        "schedule.between-volume": ("between", "over"),
        "schedule.name": ("name", "called", "title", "id"),
    },
    ENTRY: {"entry.kind": ("kind", "type", "sort", "role", "what"), "entry.number": ("number", "index", "position")},
    PACK: {
        "pack.title": ("title", "name", "called", "heading", "label"),
        "pack.summary": ("summary", "about", "description", "remarks", "note", "text", "info"),
        "pack.author": ("author", "by", "maker", "owner", "creator", "made", "credit"),
        "pack.version": ("version", "revision", "rev", "release", "edition", "issue", "build"),
        "pack.licence": ("licence", "license", "rights", "terms"),
        "game.version": ("game", "for", "requires", "target", "engine", "needs"),
    },
}  # fmt: skip

FILE = ("file", "path", "src", "source", "wav", "wave", "clip", "ogg", "audio", "asset", "sample")
KEY = ("key", "id", "ident", "code", "name", "word", "sound", "call", "voice", "symbol", "is", "tag", "cue")

# Words for yes and for no that go together.
YES_NO: Mapping[str, str] = {
    "yes": "no", "on": "off", "true": "false", "1": "0", "y": "n", "here": "everywhere", "always": "once",
    "enabled": "disabled", "local": "global",
}  # fmt: skip

NEUTRAL: Mapping[str, float] = {
    "volume": 1, "take.volume": 1, "trigger.volume": 1, "weight": 1, "trigger.odds": 1, "trigger.delay": 0,
    "trigger.fade": 0, "fade": 0, "schedule.odds": 1, "schedule.piece-volume": 1, "schedule.between-volume": 1,
    "pitch": 1, "take.pitch": 1,
}  # fmt: skip


def words(label: str) -> list[str]:
    """A label's words, in small letters.

    >>> words("first-only"), words("maxDistance2")
    (['first', 'only'], ['max', 'distance'])
    """
    split = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", label)
    return re.findall(r"[a-z]+", split.lower())


def hole_for(scope: str, labels: Sequence[str], taken: set[str], fits: set[str]) -> tuple[str, int] | None:
    """The hole that a value's label speaks of, and how sure that is: 0 is best.

    Args:
        labels: the value's own, then those around it.
        taken: holes that others have already. fits: those whose kind its values have.
    """
    best: tuple[int, str] | None = None
    for distance, label in enumerate(labels):
        for word in words(label):
            for hole, known in WORDS.get(scope, {}).items():
                if hole in taken or hole not in fits or word not in known:
                    continue
                rank = known.index(word) + 10 * distance
                if best is None or rank < best[0]:
                    best = rank, hole
    return (best[1], best[0]) if best else None
