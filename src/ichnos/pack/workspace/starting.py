"""Starting a workspace: a folder with a commented file, and ids minted for the pack."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping
from pathlib import Path

import tomlkit

from ichnos.errors import UsageError, raise_all
from ichnos.files import disk
from ichnos.files.paths import UNSEEN, seen_from
from ichnos.files.writing import write_whole
from ichnos.games.catalogues import library
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.profiles import loading, places, profile
from ichnos.pack.workspace import local
from ichnos.pack.workspace.folder import FILE_NAME, LOCAL_NAME
from ichnos.pack.workspace.sound_slips import key_slips
from ichnos.pack.workspace.workspace import short_name

_NEW_FILE = """\
# An Ichnos workspace: which of your clips is for which of the game's sound keys.
# Everything here can be edited by hand; `ichnos assign` writes into it and keeps your comments.
format = 1

# The game: one that ships with Ichnos, or the folder of a game profile.
game = {{ game }}

# Where the game is installed is not said here, but in ichnos.local.toml, which stays on this machine.

minted-for = {{ name }}  # the ids below are this pack's: a copy under another name gets fresh ones

[pack]
title = {{ title }}
name = {{ name }}  # short, used in file names so that they collide with nothing
version = "0.1.0"
game-version = {{ game_version }}  # the version of the game that the pack is for
language = {{ language }}  # of titles that do not say theirs
# summary = "What the pack is, in a sentence."
{% if author %}
author = {{ author }}
{% else %}
# author = "Your name"
{% endif %}
{% if licence %}
licence = {{ licence }}  # the pack's own
{% endif %}
# icon = "picture.png"  # any picture; without one, where the game shows one, it is drawn from the title

# Minted once for this pack, and never shared with another.
[ids]
{% for name, value in ids %}
{{ name }} = {{ value }}
{% endfor %}

# Where clips are from, and under which licence: the first that names a clip counts.
{% if licence %}
[[credit]]
clips = ["*"]  # your own; put those of others above
{% if author %}
author = {{ author }}
{% endif %}
licence = {{ licence }}
{% else %}
#
# [[credit]]
# clips = ["clips/*"]
# author = "Who made them"
# licence = "CC-BY-4.0"  # an SPDX id
{% endif %}

# One [[sound]] for each key. Several takes are picked at random, by weight.
#
# [[sound]]
# key = "the.game's.key"
# takes = ["clips/one.wav", {clip = "clips/two.mp3", weight = 2}]
# title = "What players read"
"""


def _refuse_unseen(*texts: str | None) -> None:
    for text in texts:
        if text and UNSEEN.search(text):
            raise UsageError(f"{text!r} holds signs that cannot be seen", cure="write it with letters")


def _title_of(folder: Path) -> str:
    """A pack's title, from the name of its workspace's folder."""
    named = "".join(letter for letter in folder.absolute().name if not "\ud800" <= letter <= "\udfff")
    return named.replace("-", " ").replace("_", " ").strip().capitalize() or "A pack"


def _text(values: Mapping[str, str | None], id_names: Iterable[str]) -> str:
    """The text of a new workspace's file, with an id minted for each name."""
    from jinja2 import Environment

    ids = [(name, _quoted(str(uuid.uuid4()))) for name in id_names]
    quoted = {name: _quoted(value) if value else "" for name, value in values.items()}
    return Environment(trim_blocks=True).from_string(_NEW_FILE).render(ids=ids, **quoted)


def _quoted(value: str) -> str:
    return tomlkit.string(value).as_string()


def refuse_key(game: str, installation: Path | None, key: str) -> None:
    """Raises IchnosError where a game does not have a key that is to be replaced, as far as its keys are known."""
    game_profile = loading.load(profile.find(game))
    readable = installation is not None and game_profile.rules.catalogue.readable
    catalogue = (
        harvest(game_profile, installation) if installation and readable else library.load(game_profile.identity)
    )
    kind = game_profile.kind_of(key, catalogue.category(key) if catalogue is not None and key in catalogue else None)
    raise_all(list(key_slips(game_profile, catalogue, key, False, None, kind)))


def start(
    folder: Path,
    game: str,
    title: str | None,
    installation: Path | None,
    *,
    author: str | None = None,
    licence: str | None = None,
    dry_run: bool,
) -> str:
    """Make a workspace, and return the text of its file.

    Args:
        licence: of the pack and of the author's own clips, an SPDX expression.

    Raises:
        UsageError: there is a workspace already, or no such game.
        IchnosError: the installation is not one of that game; the folder cannot be written.
    """
    path = folder / FILE_NAME
    if disk.exists(path):
        raise UsageError(f"{folder} is a workspace already", cure="choose another folder, or go on with this one")
    game_profile = loading.load(profile.find(game))
    languages: list[str] = []
    if installation is not None and game_profile.rules.catalogue.readable:
        languages = harvest(game_profile, installation).languages
    title = title or _title_of(folder)
    _refuse_unseen(title, author, licence)
    bundled = game_profile.folder in places.shipped()
    values = {
        "game": game if bundled else seen_from(disk.resolved(folder), disk.resolved(game_profile.folder)),
        "title": title,
        "name": short_name(title),
        "author": author,
        "licence": licence,
        "game_version": game_profile.rules.game.versions[0],
        "language": "en" if "en" in languages or not languages else languages[0],
    }
    content = _text(values, game_profile.id_names)
    if not dry_run:
        write_whole(path, f"{content}\n".encode())
        if installation is not None:
            seen = seen_from(disk.resolved(folder), disk.resolved(installation))
            write_whole(folder / LOCAL_NAME, local.text_of(seen).encode())
    return content
