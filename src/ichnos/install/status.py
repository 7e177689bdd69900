"""Where one stands with a workspace, and the one next step."""

from __future__ import annotations

import json
import posixpath
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import asdict, dataclass, field, fields
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ichnos.errors import IchnosError
from ichnos.files import disk, journal
from ichnos.files.journal import InstalledPack, Journal
from ichnos.pack.build import state as states
from ichnos.pack.build.state import LastBuild, WorkspaceState
from ichnos.pack.workspace.folder import PRIVATE, clip_path

if TYPE_CHECKING:
    from ichnos.pack.workspace.workspace import Workspace

_OURS = ("build", "release", "encoded", "to-encode", "own", PRIVATE)  # folders of a workspace that hold no clips
_CLIPS = (
    ".wav", ".ogg", ".oga", ".opus", ".mp3", ".flac", ".aif", ".aiff", ".m4a", ".mp4", ".mov", ".webm", ".mkv"
)  # fmt: skip


@dataclass(frozen=True)
class Facts:
    """What a workspace says: its game, its sounds, and which of the game's keys they are for."""

    title: str
    name: str
    version: str
    game: str
    # Of each of its games: its name here (None: the first), and what the pack is known by there: Workspace.known_by.
    packs: tuple[tuple[str | None, str, list[str], list[str]], ...]
    can_go_in: bool  # is it known where
    keys: tuple[str, ...]
    clips: tuple[str, ...]
    without_clips: tuple[str, ...]  # keys that have a title alone
    keys_of_game: int | None  # None: nobody knows them
    replaced: int  # how many of those have a sound here


@dataclass(frozen=True)
class Standing:
    """A game that the pack is in."""

    folder: Path
    version: str
    is_latest: bool
    changed: tuple[str, ...]


@dataclass(frozen=True)
class Status:
    """Where one stands. ``built``: never, behind or current. ``findings``: of the last check; None without one."""

    folder: Path
    facts: Facts
    unused: tuple[str, ...]
    missing: tuple[str, ...]
    built: str
    package: Path | None
    findings: int | None
    errors: int  # of those
    installed: tuple[Standing, ...] = field(default=())
    first: str = ""  # of the findings
    released: bool = False  # this version

    @property
    def next_step(self) -> tuple[str, str]:
        """What to say next, and why."""
        if not self.facts.keys:
            return "ichnos assign KEY CLIP", "no sound is assigned yet"
        if self.missing:
            return "", f"{self.missing[0]} is not there: put it back, or correct its name in ichnos.toml"
        if self.built != "current":
            why = (
                "nothing is built yet"
                if self.built == "never"
                else "the workspace or the pack has changed since the last build"
            )
            return "ichnos build", why
        if self.findings is None:
            return "ichnos check", "the pack has not been checked since it was built"
        if self.findings:
            more = f", and {self.findings - 1} more" if self.findings > 1 else ""
            what = "mend" if self.errors else "mend, or waive under [[waive]],"
            return "", f"{what} what the last check found: {self.first}{more}"
        if any(not standing.is_latest for standing in self.installed):
            return "ichnos install", "an older edition of the pack is in the game"
        if not self.installed and self.facts.can_go_in:
            return "ichnos install", "the pack is in no game yet"
        if self.released:
            return "", f"{self.facts.version} is released: give away what lies in release/"
        return "ichnos release --note TEXT", "all is built and checked"


def status(folder: Path) -> Status:
    """Where one stands with a workspace.

    Raises:
        IchnosError: it cannot be read.
    """
    state = states.opened(folder)
    try:
        last = state.last_build(None) if state else None
        is_current = last is not None and last.stands
        facts = _kept(state, last) if state is not None and last is not None and last.inputs_stand else None
        if facts is None:
            facts = _facts(folder)
            if state is not None and last is not None and is_current:
                _keep(state, last, facts)
        checked = json.loads(state.fact("checked") or "{}") if state else {}
        digests = {own: build.sha256 for own, *_ in facts.packs if state and (build := state.latest_build(own))}
    finally:
        if state is not None:
            state.close()
    package = last.package if last is not None and disk.exists(last.package) else None
    is_checked = package is not None and last is not None and checked.get("sha256") == last.sha256
    return Status(
        folder,
        facts,
        tuple(_unused(folder, set(facts.clips))),
        tuple(clip for clip in facts.clips if not disk.is_file(clip_path(folder, clip))),
        "never" if package is None else "current" if is_current else "behind",
        package,
        checked.get("findings") if is_checked else None,
        checked.get("errors", 0) if is_checked else 0,
        tuple(_standings(facts, digests)),
        str(checked.get("first", "")) if is_checked else "",
        disk.is_folder(folder / "release") and _is_released(folder, facts.version),
    )


def _is_released(folder: Path, version: str) -> bool:
    """Is this version in release/?"""
    names = disk.names(folder / "release")
    return version in names or any(f"-{version}." in name for name in names)


def prepare(folder: Path) -> None:
    """Work out after a build what ``status`` will want, so that it need not; where it cannot be, it does."""
    state = states.opened(folder)
    if state is not None:
        with closing(state), suppress(IchnosError):
            last = state.last_build(None)
            if last is not None and last.stands:
                _keep(state, last, _facts(folder))


def _keep(state: WorkspaceState, last: LastBuild, facts: Facts) -> None:
    with suppress(IchnosError):  # it only saves time
        state.note_fact("status", json.dumps({"build": last.number, "facts": asdict(facts)}))


def _kept(state: WorkspaceState, last: LastBuild) -> Facts | None:
    """What was kept with a build; ``None`` where it is another's, or another edition of Ichnos kept it."""
    kept: Any = json.loads(state.fact("status") or "{}")
    if kept.get("build") != last.number or kept["facts"].keys() != {one.name for one in fields(Facts)}:
        return None
    facts: Any = {name: tuple(one) if isinstance(one, list) else one for name, one in kept["facts"].items()}
    return Facts(**facts)


def _facts(folder: Path) -> Facts:
    from ichnos.pack.workspace import reading as workspaces

    loaded = workspaces.load(folder)
    games = [loaded]
    for name in loaded.pack_file.games:
        with suppress(IchnosError):  # what is wrong with another game is said where it is built for
            games.append(workspaces.load(folder, name))
    pack_file, catalogue = loaded.pack_file, loaded.catalogue
    keys = tuple(sound.key for sound in pack_file.sound)
    own = (clip for sound in pack_file.sound if not sound.silent for clip, _ in sound.clips())
    return Facts(
        pack_file.pack.title,
        pack_file.pack.name,
        pack_file.pack.version,
        loaded.profile.rules.game.title,
        tuple((game.game, *game.known_by) for game in games),
        loaded.goes_into is not None,
        keys,
        tuple(dict.fromkeys(own)),
        tuple(sound.key for sound in pack_file.sound if not sound.clips()),
        len(catalogue.keys) if catalogue is not None else None,
        sum(key in catalogue for key in keys) if catalogue is not None else 0,
    )


def is_own(loaded: Workspace, pack: InstalledPack) -> bool:
    """Is an installed pack the one of a workspace, in any of its games?"""
    return pack.is_of(*loaded.known_by)


def _unused(folder: Path, used: set[str]) -> Iterator[str]:
    """Sounds in the workspace that it says nothing of."""
    there = {clip_path(folder, clip) for clip in used if clip != posixpath.normpath(clip) or not clip.isascii()}
    for name in disk.names(folder):
        path = folder / name
        if name in _OURS or disk.is_link(path):
            continue
        for inside in disk.names_below(path) if disk.is_folder(path) else ("",):
            file = f"{name}/{inside}" if inside else name
            if file.lower().endswith(_CLIPS) and file not in used and folder / file not in there:
                yield file


def _standings(facts: Facts, digests: dict[str | None, str]) -> Iterator[Standing]:
    """The games that the pack is in. ``digests``: of what was built last, for each of its games."""
    if not journal.is_there():
        return
    from ichnos.install import listing

    with closing(Journal()) as notes:
        for game in listing.games(notes):
            for pack in game.packs:
                for own, profile, names, ids in facts.packs:
                    if pack.pack.is_of(profile, names, ids):
                        is_latest = pack.pack.sha256 == digests.get(own)
                        yield Standing(game.folder, pack.pack.version, is_latest, pack.changed)
                        break
