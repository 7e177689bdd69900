"""Laying down a made-up game's installation and a modder's clips, from the profile's ``sample/``.

What they hold is data: ``sample.toml`` lists the words that keys are made of, the sounds and the
clips; templates beside it give the definition files their untidy, real-life form.
"""

from __future__ import annotations

import itertools
import random
import tomllib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jinja2 import FileSystemLoader, StrictUndefined
from jinja2.sandbox import SandboxedEnvironment

from ichnos.audio.synthesis import write_voice
from ichnos.files import disk


@dataclass(frozen=True)
class DemoStep:
    """One command of a demonstration: what to say before it, its words, and the folder it runs in."""

    say: str
    command: tuple[str, ...]
    folder: str


@dataclass(frozen=True)
class Sample:
    """A profile's sample: its folder and what ``sample.toml`` says."""

    folder: Path
    values: dict[str, Any]

    @property
    def steps(self) -> list[DemoStep]:
        return [DemoStep(step["say"], tuple(step["command"]), step["folder"]) for step in self.values["demo"]["step"]]

    @property
    def closing(self) -> str:
        return str(self.values["demo"]["closing"])


def sample_of(profile_folder: Path) -> Sample | None:
    """A profile's sample, where it has one."""
    path = profile_folder / "sample" / "sample.toml"
    return Sample(path.parent, tomllib.loads(disk.read(path).decode())) if disk.is_file(path) else None


def lay_installation(sample: Sample, to: Path) -> None:
    """Write the made-up game as it would be installed: definitions, some sounds, and a locked container."""
    values = sample.values["installation"]
    chance = random.Random(values["seed"])
    sounds = list(_sounds(values, chance))
    environment = SandboxedEnvironment(
        loader=FileSystemLoader(sample.folder), undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    for file in values["file"]:
        template = environment.get_template(file["template"])
        if "{key}" in file["path"]:
            for sound in sounds:
                path = file["path"].replace("{key}", sound["key"])
                _write_text(to / path, template.render(sound=sound), file)
        else:
            _write_text(to / file["path"], template.render(sounds=sounds), file)
    for voice in values["sound"]:
        _write(to, voice, values["seed"])
    for folder in values.get("folders", ()):
        disk.make_folder(to / folder)
    locked = values["locked"]
    names = "\0".join(take for sound in sounds for take in sound["takes"])
    disk.write(to / locked["path"], names.encode() + b"\0" + chance.randbytes(locked["bytes"]))


def lay_clips(sample: Sample, to: Path) -> None:
    """Write the clips that the demonstration's modder has collected, and other files of theirs."""
    for clip in sample.values["demo"]["clip"]:
        _write(to, clip, sample.values["installation"]["seed"])
    for file in sample.values["demo"].get("file", ()):
        disk.write(to / file["path"], disk.read(sample.folder / file["path"]))


def _write_text(path: Path, text: str, file: dict[str, Any]) -> None:
    encoding = file.get("encoding", "utf-8")
    mark = "\ufeff" if encoding.startswith("utf-16") else ""
    disk.write(path, f"{mark}{text}\n".replace("\n", file.get("line-end", "\n")).encode(encoding))


def _write(to: Path, entry: dict[str, Any], seed: int) -> None:
    write_voice(
        to / entry["path"],
        entry["voice"],
        entry["pitch"],
        entry["seconds"],
        entry.get("rate", 44100),
        entry.get("channels", 1),
        entry["encoding"],
        seed,
    )


def _sounds(values: dict[str, Any], chance: random.Random) -> Any:
    """Each key of each group: every combination of the group's words, with takes drawn by chance."""
    for group in values["group"]:
        for words in itertools.product(*group["words"]):
            key = values.get("separator", ".").join(words)
            count = chance.randint(1, group["most-takes"])
            takes = [f"{group['folder']}/{'-'.join(words)}-{number}" for number in range(1, count + 1)]
            yield {
                "key": key,
                "category": group["category"],
                "takes": takes,
                "weights": [chance.choice((1, 1, 2, 3)) for _ in takes],
                "volume": chance.choice((1, 1, 0.8, 0.6)),
                "style": chance.randrange(3),
            }
