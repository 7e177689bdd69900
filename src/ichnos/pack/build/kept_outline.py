"""Where a build begins: with the last one's outline, where nothing but clips has changed, or with a new one."""

from __future__ import annotations

import base64
import json
from collections.abc import Callable
from dataclasses import asdict, dataclass, fields
from pathlib import Path
from typing import Any

from ichnos.audio.files.loops import Marking
from ichnos.audio.process.conversion import Target
from ichnos.errors import Place
from ichnos.pack.build import stamp
from ichnos.pack.build.stamp import Looked, Stamp
from ichnos.pack.plan.plan import Outline, Wanted, Written


@dataclass(frozen=True)
class Begun:
    """An outline, and how everything was that it was made from."""

    outline: Outline
    inputs: Looked
    clips: Looked


def begin(
    folder: Path, game: str | None, last: Stamp | None, minted: Callable[[list[str]], None] | None = None
) -> Begun:
    """The outline to build from.

    Args:
        last: the last build's stamp, where all but the clips is as it was.
        minted: told the names of ids that were missing and are written into the workspace's file now;
            without it, none is written.

    Raises:
        IchnosError: whatever in the workspace is not as it must be.
    """
    kept = loads(last.outline) if last else None
    if last and kept:
        return Begun(kept, last.inputs, stamp.look(last.clips))
    from ichnos.pack.build import watching
    from ichnos.pack.plan import outline
    from ichnos.pack.workspace import assignments
    from ichnos.pack.workspace import workspace as workspaces

    before = stamp.look(watching.made_of(None, folder))
    loaded = workspaces.load(folder, game)
    if minted and loaded.ids_owed():
        minted(assignments.mint_missing_ids(loaded))
        before = stamp.look(watching.made_of(None, folder))
        loaded = workspaces.load(folder, game)
    inputs = stamp.look([*watching.made_of(loaded, folder), *watching.outside(loaded)])
    clips = stamp.look(watching.clips_of(loaded))
    return Begun(outline.make(loaded), {**inputs, **before}, clips)


def dumps(outline: Outline) -> str:
    """The outline on one line of JSON."""
    targets = list(dict.fromkeys(sound.target for sound in outline.sounds))
    number = {target: index for index, target in enumerate(targets)}
    values = {
        **{field.name: getattr(outline, field.name) for field in fields(outline)},
        "files": [
            {**asdict(file), "data": base64.b64encode(file.data or b"").decode("ascii")} for file in outline.files
        ],
        "targets": [
            {**asdict(target), "treatment": [step.model_dump() for step in target.treatment]} for target in targets
        ],
        "sounds": [
            [sound.path, sound.clip, number[sound.target], sound.about, *_place(sound.place)]
            for sound in outline.sounds
        ],
    }
    return json.dumps(values)


def loads(text: str) -> Outline | None:
    """The outline again; None where the text is not one."""
    try:
        values = json.loads(text)
        targets = [_target(one) for one in values.pop("targets")]
        values["sounds"] = tuple(
            Wanted(path, clip, targets[number], about, Place(*place))
            for path, clip, number, about, *place in values["sounds"]
        )
        values["files"] = tuple(_written(one) for one in values["files"])
        return Outline(**{**values, "notes": tuple(values["notes"])})
    except (ValueError, TypeError, KeyError, IndexError, AttributeError):
        return None


def _place(place: Place) -> tuple[str, int | None, int | None]:
    return place.path, place.line, place.column


def _written(values: dict[str, Any]) -> Written:
    changes: tuple[Any, ...] = ()
    if values["changes"]:
        from ichnos.games.entries.edit import Change

        changes = tuple(Change(**change) for change in values["changes"])
    return Written(values["path"], values["reason"], base64.b64decode(values["data"]), changes=changes)


def _target(values: dict[str, Any]) -> Target:
    loop = values["loop"]
    steps: tuple[Any, ...] = ()
    if values["treatment"]:
        from ichnos.audio.process.treatments import steps_of

        steps = steps_of(values["treatment"])
    if loop:
        loop = Marking(**{**loop, "at": tuple(loop["at"]) if loop["at"] else None})
    return Target(**{**values, "treatment": steps, "loop": loop})
