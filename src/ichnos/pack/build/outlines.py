"""An outline as text and back, so that the next build can begin with it where nothing but clips has changed."""

from __future__ import annotations

import base64
import hashlib
import json
from dataclasses import asdict, fields
from typing import Any

from ichnos.audio.files.loops import Marking
from ichnos.audio.process.target import Accepted, Target
from ichnos.errors import Place
from ichnos.pack.plan.plan import ClipUse, Outline, PlannedFile, SoundSpec


def dumps(outline: Outline) -> str:
    """The outline as a line of JSON, with its digest before it: what has changed on the disk is no outline."""
    targets = list(dict.fromkeys(sound.use.target for sound in outline.sounds))
    number = {target: index for index, target in enumerate(targets)}
    values = {
        **{field.name: getattr(outline, field.name) for field in fields(outline)},
        "files": [
            {**asdict(file), "data": base64.b64encode(file.data or b"").decode("ascii")} for file in outline.files
        ],
        "targets": [
            {**asdict(target), "treatment": [step.model_dump() for step in target.treatment]} for target in targets
        ],
        "sounds": [_sound(sound, number[sound.use.target]) for sound in outline.sounds],
    }
    text = json.dumps(values)
    return f"{_digest(text)} {text}"


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def loads(text: str) -> Outline | None:
    """The outline again; None where the text is not one."""
    digest, _, text = text.partition(" ")
    if digest != _digest(text):
        return None
    try:
        values = json.loads(text)
        targets = [_target(values_of) for values_of in values.pop("targets")]
        values["sounds"] = tuple(
            SoundSpec(ClipUse(role, clip, path, targets[number], Place(*place), part), about, in_place, longest)
            for role, part, clip, path, number, about, in_place, longest, *place in values["sounds"]
        )
        values["files"] = tuple(_file(value) for value in values["files"])
        lists = {name: tuple(values[name]) for name in ("notes", "afterwards", "last")}
        return Outline(**{**values, **lists})
    except (ValueError, TypeError, KeyError, IndexError, AttributeError):
        return None


def _sound(sound: SoundSpec, number: int) -> list[Any]:
    use, place = sound.use, sound.use.place
    about = (sound.about, sound.in_place, sound.longest)
    return [use.role, use.part, use.clip, use.path, number, *about, place.path, place.line, place.column]


def _file(values: dict[str, Any]) -> PlannedFile:
    changes: tuple[Any, ...] = ()
    if values["changes"]:
        from ichnos.games.entries.edits import EntryChange

        changes = tuple(EntryChange(**change) for change in values["changes"])
    return PlannedFile(
        values["path"], values["reason"], base64.b64decode(values["data"]), changes=changes, is_built=values["is_built"]
    )


def _target(values: dict[str, Any]) -> Target:
    loop = values["loop"]
    steps: tuple[Any, ...] = ()
    if values["treatment"]:
        from ichnos.audio.process.treatments import steps_of

        steps = steps_of(values["treatment"])
    if loop:
        loop = Marking(**{**loop, "at": tuple(loop["at"]) if loop["at"] else None})
    accepted = values["accepted"] and Accepted(*(one and tuple(one) for one in values["accepted"].values()))
    return Target(**{**values, "treatment": steps, "loop": loop, "accepted": accepted})
