"""A profile explained: what repeats for what, and the proof that what is filled is read back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

from ichnos.documents.formats import parse
from ichnos.documents.tree import Document, Value
from ichnos.errors import IchnosError
from ichnos.games import vocabulary as words
from ichnos.games.edit import merge
from ichnos.games.exemplar import Exemplar
from ichnos.games.fill import Around, Instance, fill, instances, resolve
from ichnos.games.holes import Pattern
from ichnos.games.profile import Profile, fits
from ichnos.games.read import Found, read
from ichnos.games.scripts import render


@dataclass(frozen=True)
class Explained:
    """One document of a profile. ``units``: each scope, with the line and the text of what repeats for it.

    ``sample`` is the document filled with a made-up pack, ``fault`` why it does not come back the same.
    """

    path: str
    format: str
    mode: str
    units: tuple[tuple[str, int, str], ...]
    sample: str
    fault: str | None


def explain(profile: Profile) -> Iterator[Explained]:
    """Explain each document of a profile, filled with a made-up pack and read back."""
    pack = sample_pack(profile)
    for exemplar in profile.documents:
        document = exemplar.document
        units = tuple(
            (scope, document.text.place(node.start).line or 1, document.excerpt(node))
            for node, scope in exemplar.units.items()
        )
        around: Around = {words.PACK: pack}
        for scope in exemplar.file_scopes:
            around = next(instances(scope, around), around)
        path = str(exemplar.path.fill(partial(resolve, around=around)))
        try:
            sample = fill(exemplar, around)
            fault = _fault(exemplar, around, sample)
        except IchnosError as error:
            sample, fault = "", str(error)
        rules = profile.document_rules(exemplar)
        files = tuple((scope, 0, path) for scope in exemplar.file_scopes)
        yield Explained(path, document.format.name, rules.mode, files + units, sample, fault)


def check_scripts(profile: Profile) -> None:
    """Fill each script with a made-up pack. Raises IchnosError with the template's line."""
    for script in profile.scripts:
        render(profile.folder / "scripts", script.template, sample_script_values())


def _fault(exemplar: Exemplar, around: Around, sample: str) -> str | None:
    """Read the sample, fill it again from what was read, and compare; merging it in must change nothing."""
    document = parse(
        exemplar.document.text.to_bytes(sample), "the sample", exemplar.document.format, exemplar.document.text.encoding
    )
    in_path = {name: value for one in around.values() for name, value in one.values.items()}
    reading = read(
        exemplar, document, {n: v for n, v in in_path.items() if n in {h.word.name for h in exemplar.path.holes}}
    )
    if reading is None:
        return "the filled sample is not recognised again"
    if reading.strays:
        return f"an entry of the filled sample is not recognised again: {document.excerpt(reading.strays[0])}"
    again = fill(exemplar, {**around, words.PACK: _instance(reading.pack), **_rebound(exemplar, around, reading.pack)})
    if again != sample:
        return _difference(sample, again)
    return _merge_fault(exemplar, document, around)


def _merge_fault(exemplar: Exemplar, document: Document, around: Around) -> str | None:
    _, changes = merge(exemplar, document, around)
    return f"merged into itself, line {changes[0].line} changes: {changes[0].new.strip()}" if changes else None


def _rebound(exemplar: Exemplar, around: Around, pack: Found) -> Around:
    """The instances of the file's own scopes, with what was read of them."""
    read_again = _instance(pack)
    return {
        scope: Instance(
            {**around[scope].values, **_only(read_again.values, scope)}, read_again.inside, read_again.titles
        )
        for scope in exemplar.file_scopes
    }


def _only(values: Any, scope: str) -> dict[str, Value]:
    return {name: value for name, value in values.items() if (words.word(name) or words.WORDS["key"]).scope == scope}


def _instance(found: Found) -> Instance:
    inside = {scope: tuple(_instance(one) for one in several) for scope, several in found.inside.items()}
    titles: dict[str | None, str] = {
        str(one.values["language"]): str(one.values["title"])
        for one in found.inside.get(words.LANGUAGE, ())
        if "title" in one.values
    }
    if found.scope == words.SOUND and "language" in found.values:
        language = str(found.values["language"])
        inside[words.LANGUAGE] = (Instance({"language": language}),)
        titles[language] = str(found.values.get("title", ""))
    elif "title" in found.values:
        titles |= {None: str(found.values["title"]), "en": str(found.values["title"])}
    return Instance(found.values, inside, titles)


def _difference(sample: str, again: str) -> str:
    pairs = zip(sample.splitlines(), again.splitlines(), strict=False)
    for number, (before, after) in enumerate(pairs, 1):
        if before != after:
            return (
                f"line {number} of the filled sample is read as something else: {before.strip()} became {after.strip()}"
            )
    return "the filled sample is read as something shorter"


def sample_pack(profile: Profile) -> Instance:
    """A made-up pack with two sounds, and one of everything else, for a profile's holes."""
    tables = profile.rules.tables
    chosen: dict[str, list[str]] = {}
    for exemplar in profile.documents:
        for pattern in (*exemplar.values.values(), *exemplar.labels.values(), exemplar.path):
            for hole in pattern.holes:
                for converter in hole.converters:
                    if converter.name == "table" and converter.argument:
                        chosen[hole.word.name] = list(tables[converter.argument])
    separator = profile.rules.names.separator
    own: dict[str, Value] = {
        "pack.title": "A sample", "pack.name": "sample", "pack.version": "1.2.0", "pack.summary": "For trying.",
        "pack.author": "Nobody", "pack.licence": "CC0-1.0", "game.version": profile.rules.game.versions[0],
    }  # fmt: skip
    own |= {
        f"{words.ID_PREFIX}{name}": f"0000000{n}-0000-4000-8000-000000000000" for n, name in enumerate(profile.id_names)
    }

    def pick(name: str, index: int, otherwise: str) -> str:
        return chosen[name][index % len(chosen[name])] if chosen.get(name) else otherwise

    sounds = []
    for index, last in enumerate(("near", "far")):
        key = separator.join(("made", "up", last))
        group, _, tail = key.rpartition(separator)
        values: dict[str, Value] = {
            "key": key, "key.group": group, "key.own": tail, "category": pick("category", 0, "sample"),
            "volume": 0.5, "pitch": 1.5, "near": 2.0, "far": 30.0 + index, "nearby": True, "priority": 4.0,
            "loop": index == 0, "fade": 1.5, "voices": 3.0,
        }  # fmt: skip
        count = 2 if profile.rules.takes.several else 1
        takes = [
            {
                "take.number": number,
                "weight": float(number),
                "file": _path(profile.sound_paths, profile, {**own, **values, "take.number": number}),
            }
            for number in range(1, count + 1)
        ]
        if count == 1:
            values |= takes[0]
        parts = [
            {"part.name": name, "part.file": _path(profile.part_paths, profile, {**own, **values, "part.name": name})}
            for name in profile.rules.parts.names
        ]
        titles: dict[str | None, str] = {"en": f"Title {index}", "de": f"Titel {index}", None: f"Title {index}"}
        inside = {
            words.TAKE: tuple(Instance(take) for take in takes),
            words.PART: tuple(Instance(part) for part in parts),
            words.LANGUAGE: tuple(Instance({"language": tag}) for tag in ("en", "de")),
        }
        sounds.append(Instance(values, inside, titles))
    both = tuple(sounds)
    groups = {
        words.GROUP: (Instance({"key.group": both[0].values["key.group"]}, {words.SOUND: both}),),
        words.SOUND: both,
    }
    key = str(both[0].values["key"])
    slots = tuple(
        Instance({"slot.number": n, "slot.kind": pick("slot.kind", n, kind), "slot.key": key})
        for n, kind in enumerate(("track", "announcement"), 1)
    )
    return Instance(
        own,
        {
            **groups,
            words.LANGUAGE: (Instance({"language": "en"}), Instance({"language": "de"})),
            words.CATEGORY: (Instance({"category": pick("category", 0, "sample")}, groups),),
            words.TRIGGER: (
                Instance({
                    "trigger.name": "dawn", "trigger.event": pick("trigger.event", 0, "morning"),
                    "trigger.where": "gate", "trigger.key": key, "trigger.once": True,
                }),
            ),
            words.CARRIER: (
                Instance({
                    "carrier.name": "lamp", "carrier.title": "A lamp", "carrier.text": "It hums.", "carrier.key": key,
                    "carrier.picture": _path(profile.picture_paths, profile, {**own, "carrier.name": "lamp"}),
                }),
            ),
            words.ROTATION: (
                Instance({"rotation.name": "night", "rotation.after": 2.0, "rotation.apart": 3.0}, {words.SLOT: slots}),
            ),
        },
    )  # fmt: skip


def _path(patterns: tuple[Pattern, ...], profile: Profile, values: dict[str, Value]) -> str | None:
    best = next((pattern for pattern in patterns if fits(pattern, profile.rules.audio.container)), None)
    pattern = best or next(iter(patterns), None)
    return str(pattern.fill(lambda name: values.get(name))) if pattern else None


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
