"""Findings about the names of a pack's files: harm, other systems, and how the game spells names."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from functools import partial
from pathlib import PurePosixPath

from ichnos.files.paths import folded, is_plain, leads_out, windows_refuses
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject

_ODD = {"link": "link-inside", "bomb": "archive-bomb", "damaged": "archive-damaged"}


def in_archive(subject: Subject) -> Iterator[Finding]:
    """Names that stand there twice, lead out, or have a folder around them all."""
    names, files = subject.names, subject.files
    for name, count in Counter(names).items():
        if count > 1:
            yield finding("name-twice", subject.label(name), f"this name stands {count} times in the archive")
        if leads_out(name):
            yield finding("name-unsafe", files.place, f"the name {name!r} leads out of the pack")
    tops = {name.split("/")[0] for name in names}
    if len(tops) == 1 and all("/" in name for name in names):
        (top,) = tops
        if any(name[len(top) + 1 :] in subject.pack.absent for name in names):
            yield finding("wrapped-folder", files.place, f"everything lies inside a folder, {top}/")


def findings(subject: Subject) -> Iterator[Finding]:
    """Names that could do harm, that other systems do not take, or that the game spells otherwise."""
    for kind, name, reason in subject.files.oddities():
        yield finding(_ODD[kind], subject.label(name), reason)
    alike: defaultdict[str, set[str]] = defaultdict(set)
    for name in dict.fromkeys(subject.names):
        alike[folded(name)].add(name)
        piece = next((piece for piece in name.split("/") if windows_refuses(piece)), None)
        if piece is not None:
            yield finding("name-windows", subject.label(name), f"Windows has no file called {piece!r}")
        elif not leads_out(name) and not is_plain(name):
            yield finding("name-windows", subject.label(name), f"{name!r} has characters that no name has on Windows")
    for together in alike.values():
        if len(together) > 1:
            first, second, *_ = sorted(together)
            yield finding("name-case", subject.label(second), f"it differs from {first} in capitals or accents only")
    yield from _spelling(subject)
    yield from _clashes(subject)
    yield from _size(subject)


def _spelling(subject: Subject) -> Iterator[Finding]:
    rules, title = subject.profile.rules.names, subject.context.title
    for name in subject.sounds:
        stem = PurePosixPath(name).stem
        if name in subject.in_place:
            continue  # so the game's own is called
        if rules.spelled(stem) != stem:
            reason = f'"{stem}" is spelled {rules.spelled(stem)} in {title}'
            yield finding("name-spelling", subject.label(name), reason)
        elif rules.longest is not None and len(stem) > rules.longest:
            reason = f'"{stem}" has {len(stem)} letters, and {title} takes {rules.longest}'
            yield finding("name-spelling", subject.label(name), reason, "give it a shorter name")


def _clashes(subject: Subject) -> Iterator[Finding]:
    catalogue = subject.context.catalogue
    if catalogue is None:
        return
    profile, pack_file = subject.profile, subject.context.pack_file
    own = catalogue.all_files()

    def is_installed(file: str) -> bool:
        """Is the game's file this very pack's, which is installed there?"""
        if pack_file is None:
            return False
        installed = not set(catalogue.ids).isdisjoint(pack_file.ids.values())
        is_own = partial(profile.is_of_pack, file, pack=pack_file.pack.name, installed=installed)
        return any(is_own(kind) for kind in profile.kinds.values())

    for name in subject.sounds:
        if name in subject.in_place:
            continue  # that is how it is replaced
        clash = next((file for file in (name, str(PurePosixPath(name).with_suffix(""))) if file in own), None)
        if clash is not None and not is_installed(clash) and name not in subject.over_its_own:
            yield finding("file-clash", subject.label(name), "the game has a file of this name already")


def _size(subject: Subject) -> Iterator[Finding]:
    most = subject.profile.rules.limits.megabytes
    if most is None:
        return
    total = sum(subject.files.size(name) for name in subject.names) / 1e6
    if total > most:
        reason = f"it has {total:.1f} MB, and the game takes {most:g} MB at most"
        yield finding("pack-large", subject.files.place, reason)
