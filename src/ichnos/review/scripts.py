"""Findings about scripts: texts that are nearly a key of the pack, or a file of it that is not there."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import PurePosixPath

from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError
from ichnos.games.catalogues.catalogue import nearest
from ichnos.review.findings import Finding, finding
from ichnos.review.keys import alike
from ichnos.review.subject import Subject

_SCRIPTS = (".lua",)
_QUOTED = re.compile(r"""(["'])((?:(?!\1)[^\\\n])*)\1""")


def findings(subject: Subject) -> Iterator[Finding]:
    """Texts in scripts that are no key, and nearly one; and paths in the pack's folders that lead to no file."""
    scripts = {script.path for script in subject.profile.scripts}
    there = [name for name in subject.names if name in scripts or name.endswith(_SCRIPTS)]
    if not there:
        return
    defined, files, catalogue = subject.keys, _Files(subject), subject.context.catalogue
    for name in there:
        try:
            text = from_bytes(subject.files.read(name), subject.files.label(name))
        except IchnosError:
            continue
        for match in _QUOTED.finditer(text.content):
            said, place = match[2], text.place(match.start(2))
            if said in defined or (catalogue is not None and said in catalogue):
                continue
            if meant := alike(said, defined):
                yield finding("script-key", place, f'"{said}" is no key, and {meant} is', f"did you mean {meant}?")
            elif files.is_missing(said):
                near = files.nearest(said)
                yield finding("script-file", place, f'there is no "{said}" in the pack', f"did you mean {near}?")


class _Files:
    """The pack's sounds, to be found as a script may name them: whole, from a folder on, or without extension."""

    def __init__(self, subject: Subject) -> None:
        catalogue = subject.context.catalogue
        own = catalogue.all_files() if catalogue else set()
        self.names = subject.sounds
        self.tails = {tail for name in (*subject.sounds, *own) for tail in _tails(name)}
        self.folders = {tail for name in subject.sounds for tail in _tails(str(PurePosixPath(name).parent))}

    def is_missing(self, said: str) -> bool:
        """Does a text name a folder of sounds, and no file that is in it?"""
        path = said.replace("\\", "/")
        folder, slash, last = path.rpartition("/")
        if not slash or not last or folder not in self.folders or path in self.folders or re.search(r"[*%{}$<>]", path):
            return False
        return path not in self.tails and str(PurePosixPath(path).with_suffix("")) not in self.tails

    def nearest(self, said: str) -> str:
        """The file that a text most likely means."""
        return nearest(self.names, said, 1)[0]


def _tails(path: str) -> Iterator[str]:
    """A path as seen from each of the folders around it, with and without its extension."""
    pieces = path.split("/")
    for start in range(len(pieces)):
        tail = "/".join(pieces[start:])
        yield tail
        yield str(PurePosixPath(tail).with_suffix("")) if PurePosixPath(tail).suffix else tail
