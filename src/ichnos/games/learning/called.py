"""What packs are called, where a game has what looks like one, and which names are keys only."""

from __future__ import annotations

import re
from collections import Counter
from pathlib import PurePosixPath

from ichnos.files.sources import Files
from ichnos.games.learning.evidence import Pack
from ichnos.games.learning.keys import Named, is_bare

STEMS = 200  # of a pack's files: so many are looked for in the game


def game_folder(packs: list[Pack], game: Files | None) -> str | None:
    """The folder of a game below which files lie as in packs; None where none do."""
    if game is None:
        return None
    there: dict[str, list[str]] = {}
    for name in game.names():
        there.setdefault(PurePosixPath(name).stem, []).append(name)
    folders: Counter[str] = Counter()
    for pack in packs:
        for name in [*(text.name for text in pack.texts), *list(pack.sounds)[:STEMS]]:
            bare = str(PurePosixPath(name).with_suffix(""))
            for other in there.get(PurePosixPath(name).stem, ()):
                own = str(PurePosixPath(other).with_suffix(""))
                if own == bare or own.endswith(f"/{bare}"):
                    folders[own[: -len(bare)].strip("/")] += 1
    return folders.most_common(1)[0][0] if folders else None


def pack_names(packs: list[Pack]) -> list[str]:
    """What packs call themselves in the names of their files; "" where nothing is to be seen."""
    folders = []
    for pack in packs:
        paths = [set(PurePosixPath(name).parts[:-1]) for name in pack.sounds]
        folders.append(set.intersection(*paths) if paths else set())
    names = []
    for index, pack in enumerate(packs):
        others = set().union(*(one for at, one in enumerate(folders) if at != index)) if len(packs) > 1 else set()
        own = {one for one in folders[index] - others if re.fullmatch(r"[A-Za-z0-9]+([-_][A-Za-z0-9]+)*", one)}
        stem = re.sub(r"[-_. ]v?\d+(\.\d+)+.*$", "", pack.stem)
        texts = " ".join([*pack.sounds, *(text.name for text in pack.texts)])
        candidates = [stem, stem.lower(), re.sub(r"[^a-z0-9]+", "-", stem.lower()).strip("-")]
        by_name = next((candidate for candidate in candidates if len(candidate) > 2 and candidate in texts), None)
        names.append(by_name or (min(own) if len(own) == 1 and len(packs) > 1 else candidates[-1]))
    return names


def plain_name(packs: list[Pack]) -> str:
    """What a profile that is learned from packs may be called."""
    suffix = PurePosixPath(packs[0].called).suffix.lstrip(".") if packs[0].archive else ""
    text = suffix if suffix not in ("", "zip") else f"game-of-{packs[0].stem}"
    plain = re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")
    return plain if re.match(r"[a-z]", plain) else f"game-{plain}"


def without_mentions(named: list[Named]) -> list[Named]:
    """Of documents that seem to name sound files, those that do; what others say only by keys of theirs are no files.

    Where files are called as their keys are, a trigger's key looks like a file's name, too.
    """
    ours = {id(one): {anchor.key for anchor in one.anchors} for one in named}
    said = {id(one): {anchor.said for anchor in one.anchors} for one in named if all(map(is_bare, one.anchors))}

    def is_mention(one: Named) -> bool:
        texts = said.get(id(one), set())
        rest = [other for other in named if other is not one and texts <= ours[id(other)]]
        return bool(texts) and any(not said.get(id(other), {""}) <= ours[id(one)] for other in rest)

    return [one for one in named if not is_mention(one)]
