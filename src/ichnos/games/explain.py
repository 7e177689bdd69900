"""A profile explained: what repeats for what, and the proof that what is filled is read back."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import partial

from ichnos.documents.facts import difference, facts
from ichnos.documents.tree import Document
from ichnos.errors import IchnosError
from ichnos.games.entries.arranged import arranged
from ichnos.games.entries.contents import contents
from ichnos.games.entries.edit import merge
from ichnos.games.entries.fill import Bindings, fill, instances, resolve
from ichnos.games.entries.found import every
from ichnos.games.entries.read import read
from ichnos.games.profiles import vocabulary as words
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.hole import Missing
from ichnos.games.profiles.profile import Profile
from ichnos.games.samples import sample_pack, sparse_pack
from ichnos.games.scripts import render, script_values
from ichnos.games.things import PackThing, Thing


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
    sample = sample_pack(profile)
    for exemplar in profile.documents:
        document = exemplar.document
        units = tuple(
            (
                f"{exemplar.together[scope]} of each {scope}" if scope in exemplar.together else words.spelled(scope),
                document.text.place(node.start).line or 1,
                document.excerpt(node),
            )
            for node, scope in exemplar.units.items()
        )
        bindings = _first_file(profile, exemplar, sample.of_kinds(exemplar.how.kinds))
        path = str(exemplar.path.fill(partial(resolve, bindings=bindings)))
        try:
            filled = fill(exemplar, bindings)
            fault = _fault(profile, exemplar, bindings, filled) or _sparse_fault(profile, exemplar)
        except IchnosError as error:
            filled, fault = "", str(error)
        rules = profile.document_rules(exemplar)
        files = tuple((scope, 0, path) for scope in exemplar.file_scopes)
        yield Explained(path, document.format.name, rules.mode, files + units, filled, fault)


def check_scripts(profile: Profile) -> None:
    """Fill each script with a made-up pack. Raises IchnosError with the template's line."""
    for script in profile.scripts:
        values = script_values(sample_pack(profile), profile.rules.names)
        render(profile.folder / "scripts", script.template, values, profile.tables)


def _first_file(profile: Profile, exemplar: Exemplar, definitions: PackThing) -> Bindings:
    """What an exemplar's first file is filled from."""
    bindings: Bindings = {words.PACK: arranged(definitions, profile)}
    for scope in exemplar.file_scopes:
        bindings = next(instances(scope, bindings), bindings)
    return bindings


def _sparse_fault(profile: Profile, exemplar: Exemplar) -> str | None:
    """The same of a pack whose sounds have one, two and three takes, and one no title."""
    bindings = _first_file(profile, exemplar, sparse_pack(profile).of_kinds(exemplar.how.kinds))
    try:
        return _fault(profile, exemplar, bindings, fill(exemplar, bindings))
    except Missing:
        return None  # a pack's own sounds must have it: it is told where one has not


def _fault(profile: Profile, exemplar: Exemplar, bindings: Bindings, sample: str) -> str | None:
    """Read the sample, fill it again from what was read, and compare; merging it in must change nothing."""
    document = exemplar.parse(exemplar.document.text.to_bytes(sample), "the sample")
    in_path = {hole.word.name: resolve(hole.word.name, bindings) for hole in exemplar.path.holes}
    reading = read(exemplar, document, in_path)
    if reading is None:
        return "the filled sample is not recognised again"
    if reading.strays:
        return f"an entry of the filled sample is not recognised again: {document.excerpt(reading.strays[0])}"
    pack = contents(reading, profile.rules.names.separator, in_path)
    everywhere = {
        name: value
        for part in every(reading.pack)
        for name, value in part.values.items()
        if exemplar.scopes.get(name) == words.PACK
    }
    pack = replace(pack, values={**everywhere, **pack.values})
    said, back = (_takes(one, exemplar) for one in (bindings[words.PACK], pack))
    for key, files in said.items():
        if key in back and len(back[key]) < len(files):
            return f"{key} has {len(files)} files, and {len(back[key])} are read back"
    again = fill(exemplar, _first_file(profile, exemplar, pack))
    if again != sample:
        return _difference(exemplar, sample, again)
    return _merge_fault(exemplar, document, bindings)


def _takes(pack: Thing, exemplar: Exemplar) -> Mapping[str, set[str]]:
    """The files of each sound, as they are said, where a document names both."""
    found: dict[str, set[str]] = defaultdict(set)
    if {"key", "file"} <= {*exemplar.scopes} and not exemplar.file_scopes:
        for sound in pack.inside[words.SOUND]:
            files = (take.values.get("file") for take in sound.inside[words.TAKE])
            found[str(sound.values["key"])] |= {str(file) for file in files if file}
    return found


def _merge_fault(exemplar: Exemplar, document: Document, bindings: Bindings) -> str | None:
    _, changes = merge(exemplar, document, bindings)
    return f"merged into itself, line {changes[0].line} changes: {changes[0].new.strip()}" if changes else None


def _difference(exemplar: Exemplar, sample: str, again: str) -> str:
    """What is read as something else, where two fillings differ."""
    to_bytes = exemplar.document.text.to_bytes
    first, second = (facts(exemplar.parse(to_bytes(filled), "the sample")) for filled in (sample, again))
    for before, after in difference(first, second):
        fact = before or after
        where = f"line {fact.place.line} of the filled sample is read as something else" if fact else ""
        return f"{where}: {before or 'nothing'} became {after or 'nothing'}"
    return "filled again, the sample is not written as before"
