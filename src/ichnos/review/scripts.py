"""Findings about scripts: texts that are nearly a key of the pack, a slip that no game reports."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError
from ichnos.review.findings import Finding, finding
from ichnos.review.keys import alike
from ichnos.review.subject import Subject

_SCRIPTS = (".lua",)
_QUOTED = re.compile(r"""(["'])((?:(?!\1)[^\\\n])*)\1""")


def findings(subject: Subject) -> Iterator[Finding]:
    """Texts in scripts that are no key, and nearly one."""
    defined = subject.keys
    scripts = {script.path for script in subject.profile.scripts}
    catalogue = subject.context.catalogue
    for name in subject.names:
        if name not in scripts and not name.endswith(_SCRIPTS):
            continue
        try:
            text = from_bytes(subject.files.read(name), subject.files.label(name))
        except IchnosError:
            continue
        for match in _QUOTED.finditer(text.content):
            said = match[2]
            known = said in defined or (catalogue is not None and said in catalogue)
            if not known and (meant := alike(said, defined)):
                place = text.place(match.start(2))
                yield finding("script-key", place, f'"{said}" is no key, and {meant} is', f"did you mean {meant}?")
