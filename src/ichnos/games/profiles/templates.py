"""The templates of a profile's scripts: each has its line in game.toml, and nothing lies there that no pack has."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.games.profiles import holes
from ichnos.games.profiles.profile import Script
from ichnos.games.profiles.rules import Rules

_LEFT_BY_SYSTEMS = ("thumbs.db", "desktop.ini", ".ds_store")  # what Windows and macOS leave in folders


def is_litter(path: Path) -> bool:
    """Is it what an operating system leaves in a folder, and nobody's file?"""
    return path.name.lower() in _LEFT_BY_SYSTEMS or path.name.startswith("._")


def scripts(folder: Path, rules: Rules, error: Callable[..., IchnosError]) -> tuple[Script, ...]:
    """The scripts that a profile has templates for. Raises IchnosError where one of the two is missing."""
    of_profile = []
    folder = folder / "scripts"
    for index, rule in enumerate(rules.script):
        template = f"{rule.path}.j2"
        if not disk.is_file(folder / template):
            raise error(f"there is no scripts/{template}", "write the script's template there", "script", index)
        text = disk.read(folder / template).decode("utf-8", "replace")
        at, written = next(holes.known(text, rules.declared), (0, ""))
        if written:
            what = f"a template has no holes, and every pack would have {written} as it stands"
            place = Place(str(folder / template), text.count("\n", 0, at) + 1)
            raise IchnosError(what, place=place, cure="write {{ pack.title }}, {{ sound.key }} ...")
        of_profile.append(Script(template, rule.path, rule.region))
    _refuse_unused(folder, {script.template for script in of_profile})
    return tuple(of_profile)


def _refuse_unused(folder: Path, used: set[str]) -> None:
    there = [path for path in disk.below(folder) if not is_litter(path)]
    texts = [disk.read(path) for path in there]
    for path in there:
        name = path.relative_to(folder).as_posix()
        if name not in used and not any(name.encode() in text for text in texts):  # nor does another one take it in
            raise IchnosError(
                "no [[script]] in game.toml is made of this, so no pack would have it",
                place=Place(str(path)),
                cure=f'say it: [[script]], path = "{name.removesuffix(".j2")}"; its template ends in .j2',
            )
