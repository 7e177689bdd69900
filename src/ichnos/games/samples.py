"""A made-up pack with something for every hole, to try a profile with."""

from __future__ import annotations

from typing import Any

from ichnos.documents.tree import Value
from ichnos.games.entries.fill import Instance
from ichnos.games.profiles import vocabulary as words
from ichnos.games.profiles.holes import Pattern
from ichnos.games.profiles.profile import Profile, fits

_LANGUAGES = ("en", "de")


def sample_pack(profile: Profile) -> Instance:
    """Two sounds with all that they can have, and one of everything else."""
    return _Sampler(profile).pack()


class _Sampler:
    def __init__(self, profile: Profile) -> None:
        self.profile = profile
        self.rules = profile.rules
        self.tables = self._tables()
        ids = {
            f"{words.ID_PREFIX}{name}": f"0000000{n}-0000-4000-8000-000000000000"
            for n, name in enumerate(profile.id_names)
        }
        self.own: dict[str, Value] = {
            "pack.title": "A sample", "pack.name": "sample", "pack.version": "1.2.0", "pack.summary": "For trying.",
            "pack.author": "Nobody", "pack.licence": "CC0-1.0", "game.version": self.rules.game.versions[0], **ids,
        }  # fmt: skip

    def _tables(self) -> dict[str, list[str]]:
        """For holes that go through a word table: the words that it knows."""
        return {
            hole.word.name: list(self.rules.tables[converter.argument])
            for exemplar in self.profile.documents
            for pattern in (*exemplar.values.values(), *exemplar.labels.values(), exemplar.path)
            for hole in pattern.holes
            for converter in hole.converters
            if converter.name == "table" and converter.argument
        }

    def word(self, name: str, otherwise: str, index: int = 0) -> str:
        """A value that the hole's word table knows, where it has one."""
        known = self.tables.get(name)
        return known[index % len(known)] if known else otherwise

    def pack(self) -> Instance:
        sounds = tuple(self.sound(index, name) for index, name in enumerate(("near", "far")))
        group = Instance({"key.group": sounds[0].values["key.group"]}, {words.SOUND: sounds})
        inside = {words.GROUP: (group,), words.SOUND: sounds}
        return Instance(
            self.own,
            {
                **inside,
                words.LANGUAGE: tuple(Instance({"language": tag}) for tag in _LANGUAGES),
                words.CATEGORY: (Instance({"category": self.word("category", "sample")}, inside),),
                **self.players(str(sounds[0].values["key"])),
            },
        )

    def sound(self, index: int, name: str) -> Instance:
        key = self.rules.names.separator.join(("made", "up", name))
        group, _, tail = key.rpartition(self.rules.names.separator)
        values: dict[str, Value] = {
            "key": key, "key.group": group, "key.own": tail, "category": self.word("category", "sample"),
            "volume": 0.5, "pitch": 1.5, "near": 2.0, "far": 30.0 + index, "nearby": True, "priority": 4.0,
            "loop": index == 0, "fade": 1.5, "voices": 3.0,
        }  # fmt: skip
        takes = [
            {
                "take.number": n,
                "weight": float(n),
                "file": self.path(self.profile.sound_paths, {**values, "take.number": n}),
            }
            for n in range(1, 3 if self.rules.takes.several else 2)
        ]
        if not self.rules.takes.several:
            values |= takes[0]
        parts = [
            {"part.name": part, "part.file": self.path(self.profile.part_paths, {**values, "part.name": part})}
            for part in self.rules.parts.names
        ]
        titles: dict[str | None, str] = {"en": f"Title {index}", "de": f"Titel {index}", None: f"Title {index}"}
        inside = {
            words.TAKE: tuple(map(Instance, takes)),
            words.PART: tuple(map(Instance, parts)),
            words.LANGUAGE: tuple(Instance({"language": tag}) for tag in _LANGUAGES),
        }
        return Instance(values, inside, titles)

    def players(self, key: str) -> dict[str, tuple[Instance, ...]]:
        """A trigger, a carrier and a rotation that play a key."""
        trigger: dict[str, Value] = {
            "trigger.name": "dawn", "trigger.event": self.word("trigger.event", "morning"), "trigger.where": "gate",
            "trigger.key": key, "trigger.once": True,
        }  # fmt: skip
        carrier: dict[str, Value] = {
            "carrier.name": "lamp", "carrier.title": "A lamp", "carrier.text": "It hums.", "carrier.key": key,
            "carrier.picture": self.path(self.profile.picture_paths, {"carrier.name": "lamp"}),
        }  # fmt: skip
        slots = tuple(
            Instance({"slot.number": n, "slot.kind": self.word("slot.kind", kind, n), "slot.key": key})
            for n, kind in enumerate(("track", "announcement"), 1)
        )
        rotation = Instance(
            {"rotation.name": "night", "rotation.after": 2.0, "rotation.apart": 3.0}, {words.SLOT: slots}
        )
        return {
            words.TRIGGER: (Instance(trigger),),
            words.CARRIER: (Instance(carrier),),
            words.ROTATION: (rotation,),
        }

    def path(self, patterns: tuple[Pattern, ...], values: dict[str, Value]) -> str | None:
        """A file's path by the pattern that goes with the game's container, or else by the first."""
        fitting = [pattern for pattern in patterns if fits(pattern, self.rules.audio.container)]
        pattern = next(iter([*fitting, *patterns]), None)
        return str(pattern.fill({**self.own, **values}.get)) if pattern else None


def sample_script_values() -> dict[str, Any]:
    """What a script's template gets, made up."""
    return {
        "pack": {"title": "A sample", "name": "sample", "version": "1.2.0", "author": None, "summary": None},
        "sounds": [
            {"key": "made.up", "takes": [{"clip": "a.wav", "weight": 1.0}], "title": {"": "Made up"}, "new": True}
        ],
        "triggers": [{"name": "dawn", "event": "morning", "where": None, "key": "made.up", "once": True}],
        "carriers": [{"name": "lamp", "title": "A lamp", "text": None, "key": "made.up", "picture": None}],
        "rotations": [{"name": "night", "slots": [{"key": "made.up", "kind": "track"}], "after": 2, "apart": 3}],
    }
