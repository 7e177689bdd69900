"""A pack that is to go into a game: what it is, and what it claims there."""

from __future__ import annotations

import io
import json
import time
import zipfile
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from ichnos.documents.tree import Value
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.files.archives import sha256_of_all
from ichnos.files.guarded import GuardedFolder
from ichnos.files.journal import Claim, InstalledPack
from ichnos.files.paths import folded
from ichnos.files.sources import Files, Folder, Inside
from ichnos.files.threads import run_side_by_side
from ichnos.games import pristine
from ichnos.games.entries.packs import SoundFiles, read_pack
from ichnos.games.entries.patches import EntryPatch, Identity, Patching, named
from ichnos.games.neighbours import brought
from ichnos.games.opening import opened
from ichnos.games.profiles.hole import Hole, Missing
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.profile import Profile
from ichnos.install.contents import Contents

_SHOWN = 3  # entries of many that are named


@dataclass(frozen=True)
class Prepared:
    """A pack as it would stand in the journal, and what is to be said of it."""

    pack: InstalledPack
    notes: tuple[str, ...]


def prepare(
    profile: Profile, package: Path, root: GuardedFolder, contents: Contents, ours: Collection[str] = ()
) -> Prepared:
    """Read a pack, and say what it claims in a game.

    Args:
        ours: paths in the game's folder that packs have claims on already.

    Raises:
        IchnosError: the profile does not say where packs go; the pack holds a link, or a name that leads out; it
            is for another game.
    """
    rules = profile.rules
    _refuse_nowhere(profile)
    _refuse_other_game(profile, root)
    package = disk.resolved(package)
    files = opened(profile, package)
    called = _called(profile, package, files)
    _refuse_odd(files)
    names, read = files.names(), read_pack(profile, files)
    raise_all(read.broken)
    values = dict(read.definitions.values)
    _refuse_unlike(profile, read.documents, files, root)
    name = _short_name(profile, values, called)
    values["pack.name"] = name
    digests = _digests(profile, files, names, contents)
    placed = _place_of(profile, root, called, ours), name
    claims, notes = _files_of(profile, *placed, package, files, root, contents, digests)
    claims += _lines(profile, root, values, files.place)
    claims += [Claim(path, "cache", path) for path in map(root.spelled, rules.install.caches)]
    is_folder = disk.is_folder(package) or rules.packaging.kind == "folder"  # also where it was sent as an archive
    pack = InstalledPack(
        name=name,
        title=str(values.get("pack.title") or name),
        version=str(values.get("pack.version") or ""),
        game=rules.game.name,
        profile=contents.add(_as_zip(profile.folder)),
        package=str(package),
        sha256=sha256_of_all(digests) if is_folder else disk.digest(package),
        time=time.time(),
        ids=tuple(sorted(read.definitions.ids.values())),
        claims=tuple(claims),
        brings=tuple(dict.fromkeys(brought(profile, read, names))),
    )
    return Prepared(pack, tuple(notes))


def _refuse_nowhere(profile: Profile) -> None:
    if profile.rules.install.folder is None:
        what = f"the profile of {profile.rules.game.title} does not say where a pack goes"
        cure = 'say it in game.toml: [install] folder = "..." (the folder below the game\'s)'
        raise IchnosError(what, place=Place(str(profile.folder / "game.toml")), cure=cure)


def _refuse_unlike(profile: Profile, documents: Collection[str], files: Files, root: GuardedFolder) -> None:
    """Raises IchnosError where no sound of a pack without documents lies where the game's do."""
    sounds = [name for name in files.names() if name.lower().endswith(profile.sound_suffixes)]
    is_over = profile.rules.install.lay == "over"
    if not documents and not any(
        any(path.match(name) for path in profile.sound_paths)
        or (is_over and disk.is_file(root.path(_below(profile.rules.install.folder or "", name))))
        for name in sounds
    ):
        what = f"nothing in this is like a pack for {profile.rules.game.title}"
        raise IchnosError(what, place=files.place, cure="is it for another game? say --game GAME")


def _lines(profile: Profile, root: GuardedFolder, said: Mapping[str, Value], place: Place) -> Iterator[Claim]:
    """The lines that the pack has in lists of the game."""
    for rule, line in zip(profile.rules.install.lists, profile.load_lines, strict=True):
        try:
            filled = str(line.fill(said.get))
        except Missing as error:
            what = f"the line for {rule.path} cannot be written: the pack does not say {error}"
            raise IchnosError(what, place=place, cure="build it again, with Ichnos") from None
        wanted = {"line": filled, "before": rule.before, "after": rule.after}
        yield Claim(root.spelled(rule.path), "line", json.dumps(wanted))


def _refuse_other_game(profile: Profile, root: GuardedFolder) -> None:
    """Raises IchnosError where a folder has nothing of what the profile says of the game's."""
    if profile.rules.install.root is not None:
        return  # which may be empty as yet
    known, install = profile.rules.catalogue.folder, profile.rules.install.folder
    looked_for = [folder for folder in (known, install) if folder]
    if any(disk.is_folder(root.path(folder)) for folder in looked_for):
        return
    names = pristine.game_tree(root.folder, profile).names()
    paths = [*(document.path for document in profile.documents), *profile.sound_paths]
    if any(path.match(name) is not None for name in names for path in paths):
        return
    missing = " and no ".join(f"{folder}/" for folder in dict.fromkeys(looked_for)) or "file that its profile knows"
    what = f"this is not where {profile.rules.game.title} is: there is no {missing} in it"
    raise IchnosError(what, place=Place(str(root.folder)), cure="give the folder that the game is installed in")


def _called(profile: Profile, package: Path, files: Files) -> str:
    """What the archive or the folder is called in the game. Raises IchnosError where the game wants the other one."""
    if profile.rules.packaging.kind == "folder":
        if isinstance(files, Inside):
            return files.prefix.rstrip("/")
        return package.stem if disk.is_file(package) else package.name
    if disk.is_folder(package) and profile.rules.install.lay == "whole":
        what = f"this is a folder, and {profile.rules.game.title} takes packs as archives"
        raise IchnosError(what, place=Place(str(package)), cure="give the archive that ichnos build makes")
    return package.name


def _place_of(profile: Profile, root: GuardedFolder, called: str, ours: Collection[str]) -> str:
    """Where the pack's archive, or its folder, goes in the game; or the folder that its files are laid over.

    Raises:
        IchnosError: something else stands there under a name that is like it, and the disk takes the two for one.
    """
    folder = root.spelled(profile.rules.install.folder) if profile.rules.install.folder else ""
    if profile.rules.install.lay != "whole":
        return folder
    place = _below(folder, called)
    alike = root.spelled(place)
    if alike == place or any(path == alike or path.startswith(f"{alike}/") for path in ours):
        return alike
    if disk.exists(root.path(place)):
        what = f"{alike} stands here, not put in by Ichnos, and this disk takes {called} for the same name"
        raise IchnosError(what, place=Place(str(root.path(alike))), cure="move one of the two away, or rename it")
    root.spell_as(place)
    return place


def _short_name(profile: Profile, said: Mapping[str, Value], package: str) -> str:
    """The pack's short name, as its documents say, or out of what the archive or folder is called; else that."""
    if said.get("pack.name"):
        return str(said["pack.name"])
    parts = [
        str(part.write(said.get)) if isinstance(part, Hole) and part.word.name in said else part
        for part in profile.package_name.parts
    ]
    joined: list[str | Hole] = []
    for part in parts:
        if isinstance(part, str) and joined and isinstance(joined[-1], str):
            joined[-1] += part
        else:
            joined.append(part)
    match = Pattern(tuple(joined)).match(package)
    return str((match or {}).get("pack.name") or package)


def _refuse_odd(files: Files) -> None:
    for _, name, reason in files.oddities():
        raise IchnosError(f"{name}: {reason}", place=files.place, cure="do not install this; ask its maker")
    seen: dict[str, str] = {}
    for name in files.names():
        other, once = seen.get(folded(name), name), folded(name) not in seen
        seen[folded(name)] = name
        if not once:
            what = f"{other} and {name} are one file on Windows and macOS"
            raise IchnosError(what, place=files.place, cure="do not install this; ask its maker")


def _digests(profile: Profile, files: Files, names: Sequence[str], contents: Contents) -> dict[str, str]:
    """The SHA-256 of each file; none where the archive goes in as it is."""
    if _goes_in_whole(profile):
        return {}
    return dict(zip(names, run_side_by_side(lambda name: contents.add_file(files, name), names), strict=True))


def _goes_in_whole(profile: Profile) -> bool:
    return profile.rules.install.lay == "whole" and profile.rules.packaging.kind == "archive"


def _files_of(
    profile: Profile,
    place: str,
    called: str,
    package: Path,
    files: Files,
    root: GuardedFolder,
    contents: Contents,
    digests: Mapping[str, str],
) -> tuple[list[Claim], list[str]]:
    """The claims of a pack's own files, and what is to be said of them."""
    if _goes_in_whole(profile):
        return [Claim(place, "file", contents.add_file(Folder(package.parent), package.name))], []
    claims, notes = [], []
    merged = pristine.merged_documents(profile) if profile.rules.install.root is None else []
    own = _OwnFiles(profile, root)
    for name, sha256 in digests.items():
        patching = next((one for document, one in merged if document.match(name) is not None), None)
        if patching is None:
            path = own.in_place(name) or root.spelled(_below(place, _in_game(profile, name, called)))
            claims.append(Claim(path, "file", sha256))
            continue
        path = own.path_of(name)
        patch, left = _patch_of(own, patching, name, files)
        if left:
            others = ", ".join(named(left[:_SHOWN])) + (f" and {len(left) - _SHOWN} more" if len(left) > _SHOWN else "")
            notes.append(
                f"in {name}, these differ from the game's own, but name no file of this pack: {others}."
                " They stay as the game has them. Was the pack made for another version of the game?"
            )
        if patch.entries:
            claims.append(Claim(path, "merge", contents.add(patch.to_json())))
    return claims, notes


def _in_game(profile: Profile, name: str, called: str) -> str:
    """A file's name in the game: the credits of packs that are laid over it have the pack's name, and never its own."""
    rules = profile.rules
    if rules.install.lay != "over" or name != rules.credits.path:
        return name
    stem, dot, suffix = name.rpartition(".")
    return f"{stem or suffix}-{called}{dot}{suffix if stem else ''}"


@dataclass(frozen=True)
class _OwnFiles:
    """The game's own files, and where each lies in it."""

    profile: Profile
    root: GuardedFolder

    @cached_property
    def files(self) -> Files:
        return pristine.game_files(self.root.folder, self.profile)

    @cached_property
    def tree(self) -> Inside:
        return pristine.as_tree(self.files, self.profile)

    @cached_property
    def names(self) -> frozenset[str]:
        return frozenset(self.tree.names())

    def path_of(self, name: str) -> str:
        """Where one of the game's documents lies. Raises IchnosError where it is in an archive of the game's."""
        path = self.tree.own_name(name)
        archive = self.profile.rules.catalogue.archive_of(path)
        if archive is not None:
            what = f"{name} lies in the game's archive {archive}, and nothing can be merged into that"
            cure = 'let packs bring the document whole: leave out mode = "merge" in game.toml'
            raise IchnosError(what, place=self.files.place, cure=cure)
        return self.root.spelled(path)

    def in_place(self, name: str) -> str | None:
        """Where the game has a file that one of a pack is laid over, where [catalogue.paths] say it."""
        rules = self.profile.rules
        if rules.install.lay != "over" or not rules.catalogue.paths or name not in self.names:
            return None
        path = self.tree.own_name(name)
        return path if rules.catalogue.archive_of(path) is None else None


def _patch_of(own: _OwnFiles, patching: Patching, name: str, files: Files) -> tuple[EntryPatch, list[Identity]]:
    """The entries of a pack's copy that are the pack's, and those that are another edition's."""
    spelled = own.path_of(name)
    if spelled not in own.files.names():
        what = f"the game has no {spelled} to merge into"
        raise IchnosError(what, place=own.files.place, cure="is this the game's folder, and whole?")
    theirs = patching.exemplar.parse(files.read(name), files.label(name))
    standing = patching.exemplar.parse(own.files.read(spelled), own.files.label(spelled))
    sounds = SoundFiles(files.names())
    return patching.difference(theirs, standing, lambda file: sounds.file_of(file) is not None)


def _below(folder: str, name: str) -> str:
    return f"{folder}/{name}" if folder else name


def _as_zip(folder: Path) -> bytes:
    """A profile as one file, without its sample: by it the pack can be taken out, whatever becomes of the profile."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in disk.below(folder):
            name = path.relative_to(folder).as_posix()
            if not name.startswith("sample/"):
                archive.writestr(zipfile.ZipInfo(name), disk.read(path))
    return out.getvalue()
