"""A profile explained: what repeats for what, and the proof that what is filled is read back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial

from ichnos.documents.formats import parse
from ichnos.documents.tree import Document
from ichnos.errors import IchnosError
from ichnos.games.entries.arranged import arranged
from ichnos.games.entries.contents import contents
from ichnos.games.entries.edit import merge
from ichnos.games.entries.fill import Bindings, fill, instances, resolve
from ichnos.games.entries.read import every, read
from ichnos.games.profiles import vocabulary as words
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.samples import sample_pack
from ichnos.games.scripts import render, script_values
from ichnos.games.things import PackThing


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
    filler, sample = _Filler(profile), sample_pack(profile)
    for exemplar in profile.documents:
        document = exemplar.document
        units = tuple(
            (
                f"{exemplar.together[scope]} of each {scope}" if scope in exemplar.together else scope,
                document.text.place(node.start).line or 1,
                document.excerpt(node),
            )
            for node, scope in exemplar.units.items()
        )
        bindings = filler.bound(exemplar, sample.of_kinds(exemplar.kinds))
        path = str(exemplar.path.fill(partial(resolve, bindings=bindings)))
        try:
            filled = fill(exemplar, bindings)
            fault = _fault(filler, exemplar, bindings, filled)
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


class _Filler:
    """Binds what a pack says to what an exemplar repeats for."""

    def __init__(self, profile: Profile) -> None:
        self.profile = profile
        self.separator = profile.rules.names.separator

    def bound(self, exemplar: Exemplar, definitions: PackThing) -> Bindings:
        """The instances for an exemplar's first file."""
        bindings: Bindings = {words.PACK: arranged(definitions, self.profile)}
        for scope in exemplar.file_scopes:
            bindings = next(instances(scope, bindings), bindings)
        return bindings


def _fault(filler: _Filler, exemplar: Exemplar, bindings: Bindings, sample: str) -> str | None:
    """Read the sample, fill it again from what was read, and compare; merging it in must change nothing."""
    document = parse(
        exemplar.document.text.to_bytes(sample), "the sample", exemplar.document.format, exemplar.document.text.encoding
    )
    in_path = {hole.word.name: resolve(hole.word.name, bindings) for hole in exemplar.path.holes}
    reading = read(exemplar, document, in_path)
    if reading is None:
        return "the filled sample is not recognised again"
    if reading.strays:
        return f"an entry of the filled sample is not recognised again: {document.excerpt(reading.strays[0])}"
    said = contents(reading, filler.separator, in_path)
    everywhere = {
        name: value
        for found in every(reading.pack)
        for name, value in found.values.items()
        if exemplar.scopes.get(name) == words.PACK
    }
    said = replace(said, values={**everywhere, **said.values})
    again = fill(exemplar, filler.bound(exemplar, said))
    if again != sample:
        return _difference(sample, again)
    return _merge_fault(exemplar, document, bindings)


def _merge_fault(exemplar: Exemplar, document: Document, bindings: Bindings) -> str | None:
    _, changes = merge(exemplar, document, bindings)
    return f"merged into itself, line {changes[0].line} changes: {changes[0].new.strip()}" if changes else None


def _difference(sample: str, again: str) -> str:
    pairs = zip(sample.splitlines(), again.splitlines(), strict=False)
    for number, (before, after) in enumerate(pairs, 1):
        if before != after:
            was, became = before.strip(), after.strip()
            if was == became:  # they differ in white space alone
                was, became = repr(before), repr(after)
            return f"line {number} of the filled sample is read as something else: {was} became {became}"
    return "the filled sample is read as something shorter"
