"""Lines of a pack's sounds in source files of the modder's own, outside the pack: put in once, and taken out again."""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ichnos.documents.text import Text, from_bytes
from ichnos.documents.tree import Unwritable
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.files.writing import write_whole
from ichnos.games.entries.arranged import arranged
from ichnos.games.entries.fill import Bindings, resolve
from ichnos.games.profiles.converters import Unreadable
from ichnos.games.profiles.holes import HoleError, Missing, Pattern, parse
from ichnos.games.profiles.vocabulary import PACK, SOUND, TAKE
from ichnos.games.scripts import region_of, with_region, without_region
from ichnos.pack.plan import meaning
from ichnos.pack.plan.naming import ClipUses
from ichnos.pack.workspace import lockfile
from ichnos.pack.workspace.folder import lock
from ichnos.pack.workspace.pack_file import Insert
from ichnos.pack.workspace.workspace import Workspace

_OPENS = re.compile(r"[\s{(\[]*")  # of a line that is nothing but the beginning of a block


@dataclass(frozen=True)
class SourceFile:
    """A source file as it is, and as it is to be. ``added``, ``removed``: lines, without their indentation."""

    name: str
    text: Text
    after: str
    added: tuple[str, ...]
    removed: tuple[str, ...]
    ours: tuple[str, ...]  # all that are in it then

    @property
    def is_changed(self) -> bool:
        return self.after != self.text.content


def plan(workspace: Workspace, *, remove: bool = False) -> list[SourceFile]:
    """What is to be done to each source file that ``[[insert]]`` names. Nothing is written.

    Args:
        remove: all lines that were put in are taken out.

    Raises:
        IchnosError: a file or an anchor that is not there, a line with holes that nobody can fill.
    """
    inserts = workspace.pack_file.insert
    if not inserts:
        what = "no source file is named that lines are put into"
        raise IchnosError(what, place=workspace.place("insert"), cure='say it: [[insert]], file = "...", line = "..."')
    before = lockfile.load(workspace.folder).inserted
    files: dict[str, SourceFile] = {}
    errors: list[IchnosError] = []
    for index, insert in enumerate(inserts):
        place = workspace.place("insert", index)
        try:
            source = files.get(insert.file) or _opened(workspace, insert, place)
            wanted = [] if remove else list(_lines(workspace, insert, place))
            ours = [line for line in before.get(insert.file, ()) if line not in source.ours]
            files[insert.file] = _with_lines(source, insert, wanted, ours, place)
        except IchnosError as error:
            errors.append(error)
    raise_all(errors)
    return list(files.values())


def carry_out(workspace: Workspace, files: Sequence[SourceFile]) -> None:
    """Write what was planned, and remember which lines are ours. Raises IchnosError where that cannot be written."""
    with lock(workspace.folder):
        before = lockfile.load(workspace.folder).inserted
        either = {one.name: (*before.get(one.name, ()), *one.ours) for one in files}
        lockfile.keep_inserted(workspace.folder, either)  # whatever happens now, it is known what is ours
        for source in files:
            if source.is_changed:
                write_whole(workspace.folder / source.name, source.text.to_bytes(source.after))
        lockfile.keep_inserted(workspace.folder, {source.name: source.ours for source in files})


def _opened(workspace: Workspace, insert: Insert, place: Place) -> SourceFile:
    path = workspace.folder / insert.file
    if not disk.is_file(path):
        raise IchnosError(f'the file "{insert.file}" is not there', place=place, cure="correct its name")
    text = from_bytes(disk.read(path, insert.file), insert.file)
    return SourceFile(insert.file, text, text.content, (), (), ())


def _lines(workspace: Workspace, insert: Insert, place: Place) -> Iterator[str]:
    """The line for each sound, or for each of its takes where it speaks of those."""
    try:
        pattern = parse(insert.line, workspace.profile.tables)
    except HoleError as error:
        raise IchnosError(error.what, place=place, cure=error.cure) from None
    uses = ClipUses(workspace, meaning.pack_values(workspace))
    pack = arranged(meaning.things(workspace, uses), workspace.profile)
    of_takes = any(hole.word.scope == TAKE for hole in pattern.holes)
    for sound, placed in zip(pack.sounds, workspace.sounds, strict=True):
        is_meant = any(fnmatch.fnmatchcase(sound.key, key) for key in insert.keys) if insert.keys else placed.sound.new
        for take in (sound.takes if of_takes else (None,)) if is_meant else ():
            bindings: Bindings = {PACK: pack, SOUND: sound, **({TAKE: take} if take is not None else {})}
            yield _filled(pattern, bindings, placed.place())


def _filled(pattern: Pattern, bindings: Bindings, place: Place) -> str:
    try:
        line = str(pattern.fill(lambda name: resolve(name, bindings)))
    except (Missing, Unreadable, Unwritable) as error:
        what = f"the line of this sound cannot be written: {error}"
        raise IchnosError(what, place=place, cure="say that of the sound, or write another line") from None
    if len(line.splitlines()) != 1:
        raise IchnosError("the line of this sound would be several", place=place, cure="write a value in one line")
    return line.strip()


def _with_lines(source: SourceFile, insert: Insert, wanted: list[str], ours: list[str], place: Place) -> SourceFile:
    """A file with the lines that are wanted, and without those of ours that are not any more."""
    if insert.region is not None:
        text, sign = source.after, insert.region
        before = [line.strip() for line in region_of(text, sign)[1].splitlines() if line.strip()]
        after = with_region(text, "\n".join(wanted), sign) if wanted else without_region(text, sign)
        added = tuple(line for line in wanted if line not in before)
        removed = tuple(line for line in before if line not in wanted)
    else:
        after, added, removed = _among(source, insert, wanted, ours, place)
    return SourceFile(
        source.name, source.text, after, (*source.added, *added), (*source.removed, *removed),
        (*source.ours, *(line for line in wanted if line in (*ours, *added))),
    )  # fmt: skip


def _among(
    source: SourceFile, insert: Insert, wanted: list[str], ours: list[str], place: Place
) -> tuple[str, tuple[str, ...], tuple[str, ...]]:
    """The file's text with lines among their siblings; what was added, and what removed."""
    lines = source.after.splitlines(keepends=True)
    start, end, margin = _siblings(lines, insert, source.name, place)
    there = [line.strip() for line in lines[start:end]]
    gone = [line for line in ours if line in there and line not in wanted]
    kept = [line for line in lines[start:end] if line.strip() not in gone]
    added = [line for line in wanted if line not in there]
    newline = "\r\n" if "\r\n" in source.after else "\n"
    for line in added:
        kept.insert(_place_for(line, kept, is_sorted=insert.sorted), f"{margin}{line}{newline}")
    if start == len(lines) and added and lines and not lines[-1].endswith(("\n", "\r")):
        lines[-1] += newline
    return "".join([*lines[:start], *kept, *lines[end:]]), tuple(added), tuple(gone)


def _siblings(lines: list[str], insert: Insert, name: str, place: Place) -> tuple[int, int, str]:
    """Where the lines stand that a new one goes among, from and to, and what stands before each."""
    anchor = str(insert.after or insert.inside).strip()
    at = next((number for number, line in enumerate(lines) if line.strip() == anchor), None)
    if at is None:
        raise IchnosError(f'no line of {name} is "{anchor}"', place=place, cure="write the line as it stands there")
    outer = _margin(lines[at])
    start = at + 1
    while insert.inside is not None and start < len(lines) and lines[start].strip() and _OPENS.fullmatch(lines[start]):
        start += 1  # the block begins in a line of its own
    margin = _margin(lines[start]) if start < len(lines) and lines[start].strip() else outer
    if insert.inside is not None and len(margin) <= len(outer):
        return start, start, outer + ("\t" if outer.startswith("\t") or not outer else " " * 4)
    end = start
    while end < len(lines) and lines[end].strip() and len(_margin(lines[end])) >= len(margin):
        end += 1
    return start, end, margin


def _margin(line: str) -> str:
    return line[: len(line) - len(line.lstrip(" \t"))]


def _place_for(line: str, siblings: list[str], *, is_sorted: bool) -> int:
    """Where a line goes among others: before the first that comes later, or at the end."""
    if is_sorted:
        later = (at for at, other in enumerate(siblings) if other.strip().casefold() > line.casefold())
        return next(later, _end(line, siblings))
    return _end(line, siblings)


def _end(line: str, siblings: list[str]) -> int:
    """Behind the last; before it, where that lacks the comma that stands behind all others."""
    lacks = bool(siblings) and line.endswith(",") and not siblings[-1].rstrip().endswith(",")
    return len(siblings) - 1 if lacks else len(siblings)
