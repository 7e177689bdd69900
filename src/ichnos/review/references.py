"""Findings about references: to files that are not there, and files that nothing refers to."""

from __future__ import annotations

from collections.abc import Iterator

from ichnos.games.profiles.profile import path_of
from ichnos.games.profiles.references import NO_PLACE
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject, things_of


def findings(subject: Subject) -> Iterator[Finding]:
    """References to files that are neither in the pack nor the game's own, as far as that is known."""
    catalogue = subject.context.catalogue
    own = catalogue.all_files() if catalogue else set()
    for document, definitions in subject.pack.by_document.items():
        if document in subject.pack.merged and catalogue is None:
            continue  # it names the game's own files too, and those are not known here
        for sound in definitions.sounds:
            for reference, place, _ in sound.files():
                if subject.sound_files.file_of(reference) is None and reference not in own:
                    yield finding("take-missing", place, f'"{sound.key}" {_missing(reference)}')


def not_by_name(subject: Subject) -> Iterator[Finding]:
    """Sounds of a list whose files are found by their names, and that have none, though they are not the game's."""
    context, listing = subject.context, subject.profile.list_of_keys
    if listing is None:
        return
    own = {sound.key for sound in (context.pack_file.sound if context.pack_file else ()) if sound.clips()}
    for document, definitions in subject.pack.by_document.items():
        for sound in definitions.sounds if listing.path.match(document) is not None else ():
            is_new = context.catalogue is not None and sound.key not in context.catalogue
            if not sound.names_files and (is_new or sound.key in {*own, *(context.new_keys or ())}):
                reason = f'"{sound.key}" is in the list, and there is no file of that name'
                yield finding("take-missing", sound.place, reason)


def files_of_fields(subject: Subject) -> Iterator[Finding]:
    """Files that fields of the profile's own name, and that are neither in the pack nor the game's own."""
    names, own = set(subject.names), subject.context.own
    for row in subject.profile.rules.declared.of_files():
        for document, pack in subject.pack.by_document.items():
            if document in subject.pack.merged and own is None:
                continue  # it names the game's own files too, and those are not known here
            for thing in things_of(pack, row):
                value = str(thing.values.get(row.name) or "")
                if value and value not in names and value not in subject.games_files_in_fields:
                    called = f"{row.field} of {thing.name}" if thing.name else row.field
                    yield finding(
                        "file-missing", thing.place_of(row.name), f"the {called} is {value}, which is not here"
                    )


def copies(subject: Subject) -> Iterator[Finding]:
    """Files that the game wants at two paths, and that are not the same at both."""
    names, rules = set(subject.names), subject.profile.rules
    for name in sorted(names) if rules.copies else ():
        copy = rules.copy_of(name)
        if copy is not None and (copy not in names or subject.files.read(copy) != subject.files.read(name)):
            what = "is another file" if copy in names else "is not here"
            yield finding("copy-otherwise", subject.label(copy), f"this game wants {name} here, too, and {copy} {what}")


def unused(subject: Subject) -> Iterator[Finding]:
    """Sounds that no definition names, where all of these could be read; or whose names no sound of the game has."""
    pack = subject.pack
    if subject.profile.by_path_alone:
        paths = " or ".join(map(path_of, subject.profile.sound_paths))
        for name in subject.sounds:
            if name not in subject.targets and subject.profile.key_of_path(name) is None:
                yield finding("file-unused", subject.label(name), f"its name is not like {paths}")
    elif pack.documents and not (pack.broken or pack.absent or pack.strange):
        for name in subject.sounds:
            if name in subject.over_the_games:
                continue  # the game's own definitions name it
            if name not in subject.targets and not subject.needs_no_definition(name):
                yield finding("file-unused", subject.label(name), "no definition names this sound")


def _missing(reference: str) -> str:
    if reference.startswith(NO_PLACE):
        return f"refers to {reference.removeprefix(NO_PLACE)}, which is not how this game names its files"
    return f"needs {reference}, which is not here"
