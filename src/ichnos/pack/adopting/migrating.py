"""A pack of one edition of a game, said for another one: what the modder said stays, the game's own changes."""

from __future__ import annotations

import uuid
from dataclasses import replace
from pathlib import Path
from typing import Any

import tomlkit

from ichnos.files import disk
from ichnos.files.paths import seen_from
from ichnos.games.profiles.profile import Profile
from ichnos.pack.adopting.adopt import Adopted, game_name
from ichnos.pack.workspace import local
from ichnos.pack.workspace.folder import LOCAL_NAME


def moved(adopted: Adopted, profile: Profile, folder: Path, installation: Path | None) -> Adopted:
    """The workspace of an adopted pack, for another edition of its game.

    Args:
        folder: where it will be. installation: where that edition is installed, where that is known.
    """
    document = tomlkit.parse(adopted.text)
    document["game"] = game_name(profile, disk.resolved(folder))
    pack: Any = document["pack"]
    pack["game-version"] = profile.rules.game.versions[0]
    _ids(document, profile)
    for table in list(document.get("sound", [])):
        kind = table.get("kind")
        if kind is not None and kind not in profile.kinds:
            adopted.notes.lose(
                None, f"the kind {kind} of {table['key']}: {profile.rules.game.title} has none of that name"
            )
            del table["kind"]
    written = dict(adopted.written)
    if installation is not None:
        seen = seen_from(disk.resolved(folder), disk.resolved(installation))
        written[LOCAL_NAME] = local.text_of(seen).encode()
    return replace(adopted, text=tomlkit.dumps(document), written=written)


def _ids(document: tomlkit.TOMLDocument, profile: Profile) -> None:
    """The pack's ids under the names that the other edition has; what it asks for besides is made."""
    given: dict[str, str] = dict(document.get("ids", {}))
    wanted = [name for name in profile.id_names if name not in given]
    left = [name for name in given if name not in profile.id_names]
    if not wanted and not left:
        return
    ids = {name: value for name, value in given.items() if name in profile.id_names}
    for name in wanted:
        ids[name] = given[left.pop(0)] if left else str(uuid.uuid4())
    if not ids:
        document.pop("ids", None)
        return
    if "ids" not in document:
        document.add("ids", tomlkit.table())
    table: Any = document["ids"]
    table.clear()
    table.update({name: ids[name] for name in sorted(ids)})
