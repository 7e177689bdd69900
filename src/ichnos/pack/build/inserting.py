"""Lines of a pack's sounds in source files of the modder's own, outside the pack: put in once, and taken out again."""

from __future__ import annotations

import fnmatch
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ichnos.documents.regions import opening, region_of, sign_of, with_region, without_region
from ichnos.documents.text import Text, from_bytes
from ichnos.documents.tree import Unwritable
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.files.writing import write_whole
from ichnos.games.entries.arranged import arranged
from ichnos.games.entries.fill import Bindings, resolve
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.hole import HoleError, Missing
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.holes import parse
from ichnos.games.profiles.vocabulary import PACK, SOUND, TAKE
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
    ours: tuple[str, ...]  # all that are in it then; of a region its first line

    @property
    def is_changed(self) -> bool:
        return self.after != self.text.content


@dataclass(frozen=True)
class _Wanted:
    """The lines that one ``[[insert]]`` wants, and where it stands."""

    insert: Insert
    lines: tuple[str, ...]
    place: Place


def plan(workspace: Workspace, *, remove: bool = False) -> list[SourceFile]:
    """What is to be done to each source file that has lines of ours, or is to have some. Nothing is written.

    Args:
        remove: all lines that were put in are taken out.

    Raises:
        IchnosError: a file or an anchor that is not there, a line with holes that nobody can fill.
    """
    before = lockfile.load(workspace.folder).inserted
    wanted = _wanted(workspace, remove=remove)
    names = dict.fromkeys((*(one.insert.file for one in wanted), *before))
    if not names:
        what = "no source file is named that lines are put into"
        raise IchnosError(what, place=workspace.place("insert"), cure='say it: [[insert]], file = "...", line = "..."')
    files: list[SourceFile] = []
    errors: list[IchnosError] = []
    for name in names:
        of_file = [one for one in wanted if one.insert.file == name]
        try:
            text = _opened(workspace, name, of_file)
            files += [_planned(name, text, of_file, before.get(name, ()))] if text is not None else []
        except IchnosError as error:
            errors.append(error)
    raise_all(errors)
    return files


def carry_out(workspace: Workspace, files: Sequence[SourceFile]) -> None:
    """Write what was planned, and remember which lines are ours. Raises IchnosError where that cannot be written."""
    with lock(workspace.folder):
        before = lockfile.load(workspace.folder).inserted
        either = {source.name: (*before.get(source.name, ()), *source.ours) for source in files}
        lockfile.keep_inserted(workspace.folder, either)  # whatever happens now, it is known what is ours
        for source in files:
            if source.is_changed:
                write_whole(workspace.folder / source.name, source.text.to_bytes(source.after))
        lockfile.keep_inserted(workspace.folder, {source.name: source.ours for source in files})


def _wanted(workspace: Workspace, *, remove: bool) -> list[_Wanted]:
    """What every ``[[insert]]`` wants: no line where all are to go. Raises IchnosError for what cannot be written."""
    wanted: list[_Wanted] = []
    errors: list[IchnosError] = []
    for index, insert in enumerate(workspace.pack_file.insert):
        place = workspace.place("insert", index)
        try:
            wanted.append(_Wanted(insert, () if remove else tuple(_lines(workspace, insert, place)), place))
        except IchnosError as error:
            errors.append(error)
    raise_all(errors)
    return wanted


def _opened(workspace: Workspace, name: str, wanted: Sequence[_Wanted]) -> Text | None:
    """A source file; ``None`` where one is gone that nothing is wanted in any more."""
    path = workspace.folder / name
    if disk.is_file(path):
        return from_bytes(disk.read(path, name), name)
    if wanted:
        raise IchnosError(f'the file "{name}" is not there', place=wanted[0].place, cure="correct its name")
    return None


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


def _planned(name: str, text: Text, wanted: Sequence[_Wanted], ours: Sequence[str]) -> SourceFile:
    """A file with the lines that are wanted, and without those of ours that are not any more."""
    lines = text.content.splitlines(keepends=True)
    alone = [one for one in wanted if one.insert.region is None]
    for one in alone:
        _anchor(lines, one, name)  # before anything moves: its error names the lines as they are
    every = Counter(line for one in alone for line in one.lines)
    signs = dict.fromkeys(sign for line in ours if (sign := sign_of(line)) is not None)
    gone = [line for line in ours if sign_of(line) is None and line not in every]
    removed = [line for line in gone if any(line == other.strip() for other in lines)]
    lines = [line for line in lines if line.strip() not in removed]
    added: list[str] = []
    for one in alone:
        missing = [line for line in one.lines if sum(line == other.strip() for other in lines) < every[line]]
        lines = _with_lines(lines, one, missing, name)
        added += missing
    kept = [line for line in every if line in (*ours, *added)]
    after = "".join(lines)
    for sign in dict.fromkeys((*signs, *(one.insert.region for one in wanted if one.insert.region is not None))):
        body = [line for one in wanted if one.insert.region == sign for line in one.lines]
        before = [line.strip() for line in region_of(after, sign)[1].splitlines()]
        added += [line for line in body if line not in before]
        removed += [line for line in before if line and line not in body]
        kept += [opening(sign)] if body else []
        after = with_region(after, "\n".join(body), sign) if body else without_region(after, sign)
    return SourceFile(name, text, after, tuple(added), tuple(removed), tuple(kept))


def _with_lines(lines: list[str], wanted: _Wanted, missing: Sequence[str], name: str) -> list[str]:
    """The lines of a file with others among their siblings. Raises IchnosError where these are not to be found."""
    start, end, margin = _siblings(lines, wanted, name)
    siblings = lines[start:end]
    newline = "\r\n" if any(line.endswith("\r\n") for line in lines) else "\n"
    for line in missing:
        siblings.insert(_place_for(line, siblings, is_sorted=wanted.insert.sorted), f"{margin}{line}{newline}")
    result = [*lines[:start], *siblings, *lines[end:]]
    if missing and lines and not lines[-1].endswith(("\n", "\r")):  # another line may stand behind the last one now
        result = [line if line.endswith(("\n", "\r")) or line is result[-1] else line + newline for line in result]
    return result


def _siblings(lines: list[str], wanted: _Wanted, name: str) -> tuple[int, int, str]:
    """Where the lines stand that a new one goes among, from and to, and what stands before each."""
    is_inside = wanted.insert.inside is not None
    at = _anchor(lines, wanted, name)
    outer = _margin(lines[at])
    start = at + 1
    while is_inside and start < len(lines) and lines[start].strip() and _OPENS.fullmatch(lines[start]):
        start += 1  # the block begins in a line of its own
    margin = _margin(lines[start]) if start < len(lines) and lines[start].strip() else outer
    if is_inside and len(margin) <= len(outer):
        return start, start, outer + ("\t" if outer.startswith("\t") or not outer else " " * 4)
    end = start
    while end < len(lines) and lines[end].strip() and len(_margin(lines[end])) >= len(margin):
        end += 1
    return start, end, margin


def _anchor(lines: list[str], wanted: _Wanted, name: str) -> int:
    """The line that is named. Raises IchnosError where there is none, or several."""
    anchor = str(wanted.insert.inside if wanted.insert.inside is not None else wanted.insert.after)
    there = [number for number, line in enumerate(lines, 1) if line.strip() == anchor.strip()]
    if not there:
        cure = "write the line as it stands there"
        raise IchnosError(f'no line of {name} is "{anchor}"', place=wanted.place, cure=cure)
    if len(there) > 1:
        what = f'lines {there[0]} and {there[1]} of {name} are both "{anchor}"'
        raise IchnosError(what, place=wanted.place, cure="name a line that stands there once")
    return there[0] - 1


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
