"""Game profiles handed on: kept for the user, begun from another, and packed into one file."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import tomlkit

from ichnos.errors import IchnosError, Place, Problems, UsageError
from ichnos.files import disk, scratch
from ichnos.files.archives import write_archive
from ichnos.files.locks import locked
from ichnos.files.paths import is_plain, windows_refuses
from ichnos.files.sources import Files, Inside, files_at
from ichnos.files.writing import fresh, fresh_folder
from ichnos.games import explain
from ichnos.games.description import describe
from ichnos.games.profiles import loading, places
from ichnos.games.profiles.profile import Profile

_RULES = "game.toml"
_FOLDERS = ("tree", "scripts", "sample")
_LARGEST = 64 << 20  # bytes of a profile: it holds no sounds
_NAME = re.compile(r"[a-z][a-z0-9-]*")


@dataclass(frozen=True)
class Difference:
    """What another edition of a profile says otherwise: of what, and in plain words before and after."""

    about: str
    before: str
    after: str


def opened(source: Path) -> Files:
    """The files of a profile, in its folder or packed into one file.

    Raises:
        IchnosError: there is nothing there, or no game.toml in it, or what a profile cannot hold.
    """
    files = files_at(source, "give a profile's folder, or the file that ichnos games pack has made")
    names = files.names()
    tops = {name.partition("/")[0] for name in names}
    top = next(iter(tops), "")
    if _RULES not in names and len(tops) == 1 and f"{top}/{_RULES}" in names:
        files, names = Inside(files, top), [name[len(top) + 1 :] for name in names]
    place = Place(str(source))
    if _RULES not in names:
        cure = "a profile has one, beside tree/"
        raise IchnosError(f"there is no {_RULES} in this", place=place, cure=cure)
    for kind, name, reason in files.oddities():
        raise IchnosError(f"a profile cannot hold this ({kind}): {reason}", place=Place(files.label(name)))
    for name in names:
        if name.endswith("/"):
            continue
        if not is_plain(name) or any(map(windows_refuses, name.split("/"))):
            raise IchnosError("no system takes such a name for a file", place=Place(files.label(name)))
    if sum(files.size(name) for name in names if _belongs(name)) > _LARGEST:
        raise IchnosError(f"a profile has no more than {_LARGEST >> 20} MiB", place=place, cure="is it a pack?")
    return files


def _belongs(name: str) -> bool:
    """Is it of the profile, and not what else lies in its folder?"""
    return name == _RULES or name.partition("/")[0] in _FOLDERS


def _copied(files: Files, to: Path) -> None:
    for name in files.names():
        if _belongs(name) and not name.endswith("/"):
            disk.make_folder((to / name).parent)
            disk.write(to / name, files.read(name))


def unpack(source: Path, to: Path) -> None:
    """Copy a profile's files, from its folder or its file. Raises IchnosError as ``opened`` does."""
    files = opened(source)
    try:
        _copied(files, to)
    finally:
        files.close()


def sound(folder: Path) -> Profile:
    """A profile that is understood, and whose documents come back as they were filled.

    Raises:
        IchnosError: what is wrong with it.
    """
    profile = loading.load(folder)
    for explained in explain.explain(profile):
        if explained.fault:
            cure = f"see: ichnos games check {folder}"
            raise IchnosError(
                f"{explained.path} does not come back the same: {explained.fault}", place=Place(str(folder)), cure=cure
            )
    explain.check_scripts(profile)
    return profile


@dataclass(frozen=True)
class Added:
    """A profile that is kept, or would be. ``differences``: from the edition that was kept before, if any."""

    profile: Profile
    before: str | None  # the version of that; empty where it says none
    differences: tuple[Difference, ...]


def add(source: Path, *, replace: bool, dry_run: bool) -> Added:
    """Keep a profile for the user, so that its name finds it everywhere.

    Raises:
        IchnosError: it is not sound, or cannot be kept.
        UsageError: a game that ships has its name, or another edition is kept and ``replace`` is not said.
    """
    with scratch.throwaway() as aside:
        new = aside / "profile"
        unpack(source, new)
        try:
            profile = sound(new)
        except IchnosError as error:
            raise _where_it_was(error, new, source) from None
        name = profile.rules.game.name
        if name in (folder.name for folder in places.shipped()):
            cure = "give it another name: [game] name, in its game.toml"
            raise UsageError(f"a game that ships with Ichnos is called {name}", cure=cure)
        kept = places.kept_folder() / name
        before: str | None = None
        changes: tuple[Difference, ...] = ()
        if disk.is_file(kept / _RULES):
            try:
                old = loading.load(kept)
                before, changes = old.rules.profile.version or "", tuple(differences(old, profile))
            except IchnosError:
                before = ""  # a broken one makes room for any other
            if not replace and not dry_run and (changes or before != (profile.rules.profile.version or "")):
                shown = f"{name} {before}" if before else name
                what = f"a profile of that name is kept already: {shown}"
                raise UsageError(what, cure="see what is otherwise with --dry-run, and say --replace")
        if not dry_run:
            with locked(places.kept_folder() / ".lock"), fresh_folder(kept) as beside:
                _copied(files_at(new), beside)
            profile = loading.load(kept)
        return Added(profile, before, changes)


def _where_it_was(error: IchnosError, copy: Path, source: Path) -> IchnosError:
    """An error of the copy, as one of what was given."""
    if isinstance(error, Problems):
        return Problems([_where_it_was(inner, copy, source) for inner in error.errors])
    what, cure = (text.replace(str(copy), str(source)) for text in (error.what, error.cure))
    place = error.place
    if place is not None:
        place = Place(place.path.replace(str(copy), str(source)), place.line, place.column)
    return IchnosError(what, place=place, cure=cure)


def differences(before: Profile, after: Profile) -> Iterator[Difference]:
    """What another edition of a profile says otherwise: in rules, and in the files that it shows."""
    old, new = _told(before), _told(after)
    for about in dict.fromkeys((*old, *new)):
        if old.get(about) != new.get(about):
            yield Difference(about, old.get(about, "nothing"), new.get(about, "nothing"))
    first, second = _contents(before), _contents(after)
    for name in sorted({*first, *second}):
        if name not in second:
            yield Difference(name, "there", "gone")
        elif name not in first:
            yield Difference(name, "not there", "new")
        elif first[name] != second[name]:
            yield Difference(name, "there", "changed")


def _told(profile: Profile) -> dict[str, str]:
    files: dict[str, str] = {}
    last = ""
    for about, text in describe(profile):
        last = about or last
        files[last] = f"{files[last]}; {text}" if last in files else text
    return files


def _contents(profile: Profile) -> dict[str, str]:
    folders = [folder for name in ("tree", "scripts") if disk.is_folder(folder := profile.folder / name)]
    return {
        path.relative_to(profile.folder).as_posix(): disk.digest(path)
        for folder in folders
        for path in disk.below(folder)
        if disk.is_file(path)
    }


def remove(name: str, *, dry_run: bool) -> Path:
    """Forget a kept profile; gives where it was.

    Raises:
        UsageError: none of that name is kept.
    """
    names = places.kept_names()
    if name not in names:
        if name in (folder.name for folder in places.shipped()):
            raise UsageError(f"{name} ships with Ichnos, and stays", cure="only kept profiles can be removed")
        there = f"kept are: {', '.join(names)}" if names else "none are kept"
        raise UsageError(f'no profile "{name}" is kept', cure=there)
    folder = places.kept_folder() / name
    if not dry_run:
        with locked(places.kept_folder() / ".lock"):
            disk.remove_folder(folder)
    return folder


def draft(name: str, from_: Path, to: Path, *, dry_run: bool) -> Path:
    """Begin a profile as a copy of another one, under its own name.

    Raises:
        UsageError: it cannot be called so, or there is something already.
    """
    if not _NAME.fullmatch(name):
        what = f"{name!r} cannot be a profile's name"
        raise UsageError(what, cure="small letters, digits and hyphens: my-game")
    if name in (folder.name for folder in places.shipped()):
        raise UsageError(f"a game that ships with Ichnos is called {name}", cure="choose another name")
    if disk.exists(to):
        raise UsageError(f"{to} is there already", cure="choose another folder: --to FOLDER")
    source = loading.load(from_)
    document = tomlkit.parse(disk.read(from_ / _RULES).decode("utf-8-sig"))
    game: Any = document["game"]
    game["name"], game["title"] = name, name.replace("-", " ").title()
    game["summary"] = f"Begun from {source.rules.game.title}."
    document.pop("profile", None)
    if not dry_run:
        with fresh_folder(to) as beside:
            for path in disk.below(from_):
                inside = path.relative_to(from_).as_posix()
                if _belongs(inside) and not inside.startswith("sample/") and inside != _RULES:
                    disk.make_folder((beside / inside).parent)
                    disk.copy(path, beside / inside)
            disk.make_folder(beside)
            disk.write(beside / _RULES, tomlkit.dumps(document).encode())
        loading.load(to)
    return to


def pack(folder: Path, to: Path | None, *, dry_run: bool, overwrite: bool) -> tuple[Path, Profile]:
    """A profile as one file to hand on: the same profile gives the same bytes.

    Raises:
        IchnosError: it is not sound.
        UsageError: it does not say its version, author and licence, or the file is there already.
    """
    files = opened(folder)
    profile = sound(folder)
    about = profile.rules.profile
    missing = [name for name in ("version", "author", "licence") if getattr(about, name) is None]
    if missing:
        what = f"whoever gets it wants to know its {' and '.join(missing)}"
        raise UsageError(
            what, cure='say so in game.toml: [profile], version = "1.0.0", author = "...", licence = "CC0-1.0"'
        )
    path = to or Path(f"{profile.rules.game.name}-{about.version}.zip")
    if disk.exists(path) and not overwrite:
        raise UsageError(f"{path} is there already", cure="say --overwrite, or --to FILE")
    if not dry_run:
        members = [(name, files.read(name)) for name in sorted(files.names()) if _belongs(name)]
        with fresh(path) as beside:
            write_archive(beside, members)
    return path, profile
