"""A profile explained: what repeats for what, and the proof that what is filled is read back."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import partial

from ichnos.documents.formats import parse
from ichnos.documents.tree import Document, Value
from ichnos.errors import IchnosError
from ichnos.games.entries.edit import merge
from ichnos.games.entries.fill import Around, Instance, fill, instances, resolve
from ichnos.games.entries.read import Found, read
from ichnos.games.profiles import vocabulary as words
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.samples import sample_pack, sample_script_values
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
    in_path = {hole.word.name: resolve(hole.word.name, around) for hole in exemplar.path.holes}
    reading = read(exemplar, document, in_path)
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


def _only(values: Mapping[str, Value], scope: str) -> dict[str, Value]:
    return {name: value for name, value in values.items() if (word := words.word(name)) and word.scope == scope}


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
