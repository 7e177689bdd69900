"""What another edition of a game's profile would change in the pack of a workspace."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from ichnos.errors import IchnosError
from ichnos.pack.plan import outline
from ichnos.pack.plan.plan import Outline
from ichnos.pack.workspace import reading as workspaces


def changes(folder: Path, before: Path, after: Path) -> Iterator[str]:
    """What becomes of a workspace's pack, a sentence for each thing that changes.

    Args:
        before: the folder of the profile that the workspace goes by now.
        after: that of another edition.

    Raises:
        IchnosError: the workspace cannot be built as it is.
    """
    now = outline.make(workspaces.load(folder, None, before))
    try:
        then = outline.make(workspaces.load(folder, None, after))
    except IchnosError as error:
        yield f"it cannot be built any more: {error}"
        return
    yield from _files(now, then)
    if now.package != then.package:
        yield f"{now.package} is called {then.package}"


def _files(now: Outline, then: Outline) -> Iterator[str]:
    first = {file.path: file.data for file in now.files}
    second = {file.path: file.data for file in then.files}
    yield from (f"{path} is no longer written" for path in first if path not in second)
    yield from (f"{path} is new" for path in second if path not in first)
    yield from (f"{path} is written otherwise" for path in first if path in second and first[path] != second[path])
    sounds = {sound.use.path: sound.use for sound in now.sounds}
    others = {sound.use.path: sound.use for sound in then.sounds}
    gone, new = sorted(sounds.keys() - others.keys()), sorted(others.keys() - sounds.keys())
    if gone or new:
        example = f": {gone[0]} is {new[0]}" if gone and new else ""
        yield f"{max(len(gone), len(new))} sounds have other paths{example}"
    anew = [path for path, use in sounds.items() if path in others and others[path].target != use.target]
    if anew:
        yield f"{len(anew)} sounds are converted anew, to {others[anew[0]].target}"
