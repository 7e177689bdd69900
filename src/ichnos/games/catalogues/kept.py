"""Catalogues kept in the user's data folder, one for each game, so that a game is read only once."""

from __future__ import annotations

import json
import os
from dataclasses import fields
from pathlib import Path

from ichnos.documents.tree import many_nodes
from ichnos.games.catalogues.catalogue import Catalogue

EDITION = 1  # of the file's format
_SPARSE = ("sounds", "seconds", "peaks")


def data_folder() -> Path:
    """Where Ichnos keeps what belongs to the user and not to a workspace; ICHNOS_DATA overrides it."""
    given = os.environ.get("ICHNOS_DATA")
    if given:
        return Path(given)
    from platformdirs import user_data_path

    return user_data_path("ichnos", appauthor=False)


def path_of(game: str) -> Path:
    """The file that keeps a game's catalogue."""
    return data_folder() / "catalogues" / f"{game}.json"


def save(game: str, catalogue: Catalogue) -> Path:
    """Keep a game's catalogue, whole or not at all."""
    path = path_of(game)
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = path.with_suffix(f".{os.getpid()}.partial")
    values = {one.name: getattr(catalogue, one.name) for one in fields(catalogue)}
    for name in _SPARSE:  # of most keys nothing is known: only what is, is written
        values[name] = {index: value for index, value in enumerate(values[name]) if value is not None}
    beside.write_text(json.dumps({"edition": EDITION, **values}, ensure_ascii=False), "utf-8")
    beside.replace(path)
    return path


def load(game: str) -> Catalogue | None:
    """A game's catalogue; ``None`` where none is kept that can be read."""
    try:
        with many_nodes():
            values = json.loads(path_of(game).read_bytes())
        if values.pop("edition") != EDITION:
            return None
        for name in _SPARSE:
            column = [None] * len(values["keys"])
            for index, value in values[name].items():
                column[int(index)] = value
            values[name] = column
        return Catalogue(**values)
    except (OSError, ValueError, TypeError, KeyError, AttributeError, IndexError):
        return None


def is_fresh(catalogue: Catalogue) -> bool:
    """Are the game's files still as they were when the catalogue was made?"""
    for path, (size, modified) in catalogue.seen.items():
        try:
            stat = Path(path).stat()
        except OSError:
            return False
        if (stat.st_size, stat.st_mtime_ns) != (size, modified):
            return False
    return True
