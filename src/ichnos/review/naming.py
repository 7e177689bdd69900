"""Findings about the names of a pack's files: harm, other systems, and how the game spells names."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from pathlib import PurePosixPath

from ichnos.errors import Place
from ichnos.files.sources import Files
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.profiles.profile import Profile
from ichnos.pack.plan.plan import windows_refuses
from ichnos.review.findings import Finding, finding

_ODD = {"link": "link-inside", "bomb": "archive-bomb"}


def findings(
    profile: Profile, catalogue: Catalogue | None, files: Files, names: list[str], sounds: list[str]
) -> Iterator[Finding]:
    """Everything that the names of a pack's files show."""
    for kind, name, reason in files.oddities():
        yield finding(_ODD[kind], Place(files.label(name)), reason)
    alike: defaultdict[str, set[str]] = defaultdict(set)
    for name in dict.fromkeys(names):
        alike[name.casefold()].add(name)
        piece = next((piece for piece in name.split("/") if windows_refuses(piece)), None)
        if piece is not None:
            yield finding("name-windows", Place(files.label(name)), f"Windows has no file called {piece!r}")
    for together in alike.values():
        if len(together) > 1:
            first, second, *_ = sorted(together)
            yield finding("name-case", Place(files.label(second)), f"it differs from {first} in capitals only")
    yield from _spelling(profile, files, sounds)
    yield from _clashes(profile, catalogue, files, sounds)
    yield from _size(profile, files, names)


def _spelling(profile: Profile, files: Files, sounds: list[str]) -> Iterator[Finding]:
    rules = profile.rules.names
    for name in sounds:
        stem = PurePosixPath(name).stem
        if rules.spelled(stem) != stem:
            reason = f'"{stem}" is spelled {rules.spelled(stem)} in {profile.rules.game.title}'
            yield finding("name-spelling", Place(files.label(name)), reason)
        elif rules.longest is not None and len(stem) > rules.longest:
            reason = f'"{stem}" has {len(stem)} letters, and {profile.rules.game.title} takes {rules.longest}'
            yield finding("name-spelling", Place(files.label(name)), reason, "give it a shorter name")


def _clashes(profile: Profile, catalogue: Catalogue | None, files: Files, sounds: list[str]) -> Iterator[Finding]:
    if catalogue is None or profile.rules.modes.replace == "by-path":
        return
    own = catalogue.all_files()
    for name in sounds:
        if name in own or str(PurePosixPath(name).with_suffix("")) in own:
            yield finding("file-clash", Place(files.label(name)), "the game has a file of this name already")


def _size(profile: Profile, files: Files, names: list[str]) -> Iterator[Finding]:
    most = profile.rules.limits.megabytes
    if most is None:
        return
    total = sum(files.size(name) for name in names) / 1e6
    if total > most:
        yield finding(
            "pack-large", Place(files.place), f"it has {total:.1f} MB, and the game takes {most:g} MB at most"
        )
