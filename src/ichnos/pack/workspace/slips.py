"""What nobody can mean: names twice, versions and categories that the game has not, defaults for nothing."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from ichnos.documents.checked import TomlTable
from ichnos.errors import IchnosError, Place
from ichnos.games.profiles.vocabulary import (
    ENTRY,
    OWN,
    PACK,
    SCHEDULE,
    SOUND,
    TAKE,
    TRIGGER,
    free_prefix,
    word,
)
from ichnos.likeness import did_you_mean, nearest
from ichnos.pack.workspace.declared import tables_of

if TYPE_CHECKING:
    from ichnos.games.profiles.rules import Rules
    from ichnos.pack.workspace.workspace import Workspace

_NEARLY = 0.79  # of likeness, one letter in five: a category so like one of the game's is meant as that


def findings(workspace: Workspace) -> Iterator[IchnosError]:
    """Every such slip, with its place in the workspace's file."""
    yield from _names_twice(workspace)
    yield from _numbers_twice(workspace)
    yield from _name_of_pack(workspace)
    yield from _version(workspace)
    yield from _defaults(workspace)
    yield from _categories(workspace)
    yield from _needs(workspace)
    yield from _own_things(workspace)
    yield from _names_of_the_game(workspace)
    yield from _language(workspace)


def _names_twice(workspace: Workspace) -> Iterator[IchnosError]:
    lines: dict[tuple[str, str], int | None] = {}
    for scope, index, item in workspace.pack_file.players():
        place = workspace.place(scope, index, "name")
        if (scope, item.name) in lines:
            what = f'there is a {scope} "{item.name}" in line {lines[scope, item.name]} already'
            yield IchnosError(what, place=place, cure="give each a name of its own")
        lines.setdefault((scope, item.name), place.line)


def _numbers_twice(workspace: Workspace) -> Iterator[IchnosError]:
    had: dict[tuple[str, int], str] = {}
    sounds = [(SOUND, placed.sound, placed.place("number"), placed.sound.key) for placed in workspace.sounds]
    players = [
        (scope, item, workspace.place(scope, index, "number"), item.name)
        for scope, index, item in workspace.pack_file.players()
    ]
    for scope, item, place, name in (*sounds, *players):
        if item.number is not None:
            other = had.setdefault((scope, item.number), name)
            if other != name:
                what = f"{other} and {name} both have the number {item.number}"
                yield IchnosError(
                    what, place=place, cure="give each a number of its own; without one, it is counted up"
                )


def _name_of_pack(workspace: Workspace) -> Iterator[IchnosError]:
    """A name or an id that the game does not take, and texts that lack the pack's own language."""
    pack, rules = workspace.pack_file.pack, workspace.profile.rules
    for field, texts in pack.translated.items():
        if pack.language not in texts:
            what = f"the {field} is said in {', '.join(texts)}, and not in the pack's own language"
            yield IchnosError(what, place=workspace.place(PACK, field), cure=f'add {pack.language} = "..."')
        for tag, text in texts.items():
            if not isinstance(text, str) or not text.strip():
                what = f"the {field} in {tag} is no text"
                yield IchnosError(what, place=workspace.place(PACK, field, tag), cure=f'write {tag} = "..."')
    for field, name in (("name", pack.name), ("id", pack.id)):
        if name is not None and rules.names.is_taken(name):
            what = f'no pack for {rules.game.title} may have the {field} "{name}"'
            yield IchnosError(what, place=workspace.place(PACK, field), cure="give it another")
    texts_of_scripts = workspace.profile.script_texts
    has_place = "pack.id" in workspace.profile.hole_names or any("pack.id" in text for text in texts_of_scripts)
    sign = rules.names.not_in_id(pack.id or pack.name)
    if sign is not None and (pack.id or has_place):
        what = f'{rules.game.title} takes no "{sign}" in a pack\'s id, and this is "{pack.id or pack.name}"'
        cure = f'say id = "...", of these characters: {rules.names.id_allowed}'
        yield IchnosError(what, place=workspace.place(PACK, "id" if pack.id else "name"), cure=cure)


def _version(workspace: Workspace) -> Iterator[IchnosError]:
    rules, versions = workspace.profile.rules.game, workspace.pack_file.pack.game_version
    at = ("games", workspace.game, "game-version") if workspace.game else ("pack", "game-version")
    for version in versions:
        if version not in rules.versions:
            yield IchnosError(
                f'{rules.title} has no version "{version}"',
                place=workspace.file.place(*at),
                cure=f"it has {', '.join(rules.versions)}; a newer one is added in the profile: versions, under [game]",
            )
    holes = workspace.profile.hole_names
    texts = " ".join(workspace.profile.script_texts)
    has_several = {"game.versions", "game.first-version"} & holes or re.search(r"game\.(versions|first)", texts)
    if len(versions) > 1 and not has_several and ("game.version" in holes or "game.version" in texts):
        yield IchnosError(
            f"a pack for {rules.title} names one version of the game, and here are {len(versions)}",
            place=workspace.file.place(*at),
            cure="name the one that the pack is for",
        )


def _defaults(workspace: Workspace) -> Iterator[IchnosError]:
    """Defaults that name keys or categories, and fit no sound of the pack.

    Those of a workspace for several games may be for another one, and a category that is not known may fit.
    """
    sounds = [(sound.sound.key, workspace.category_of(sound.sound)) for sound in workspace.sounds]
    if workspace.pack_file.games:
        return
    unknown = any(category is None for _, category in sounds)
    for index, defaults in enumerate(workspace.pack_file.defaults):
        if (
            sounds
            and not (defaults.categories and unknown)
            and not any(defaults.fits(key, category) for key, category in sounds)
        ):
            said = ", ".join((*defaults.keys, *defaults.categories))
            place = workspace.file.place("defaults", index)
            known = sorted({category for _, category in sounds if category}) if defaults.categories else []
            cure = f"the pack has sounds of {', '.join(known)}" if known else "correct the key or the category"
            yield IchnosError(f"these defaults fit no sound of the pack: {said}", place=place, cure=cure)


def _categories(workspace: Workspace) -> Iterator[IchnosError]:
    """A category that is nearly one of the game's, and is not."""
    known = {one for one in workspace.catalogue.categories if one} if workspace.catalogue else set()
    for index, placed in enumerate(workspace.sounds):
        category = placed.sound.category
        if category is None or not known or category in known:
            continue
        near = nearest(known, category, 1, _NEARLY)
        if near:
            yield IchnosError(
                f'{workspace.profile.rules.game.title} has no category "{category}"',
                place=workspace.sound_place(index, "category"),
                cure=f"did you mean {near[0]}?",
            )


def _language(workspace: Workspace) -> Iterator[IchnosError]:
    """Titles that do not say their language, in one that the game does not have."""
    known, language = workspace.catalogue.languages if workspace.catalogue else [], workspace.pack_file.pack.language
    untold = [
        workspace.sound_place(n, "title") for n, placed in enumerate(workspace.sounds) if "" in placed.sound.title
    ]
    untold += [
        workspace.place("prop", n, "title") for n, prop in enumerate(workspace.pack_file.prop) if "" in prop.title
    ]
    if known and language not in known and untold:
        yield IchnosError(
            f'this title is in "{language}", and {workspace.profile.rules.game.title} has titles in {", ".join(known)}',
            place=untold[0],
            cure=f'say language = "{known[0]}" under [pack], or the title\'s own: title = {{{language} = "..."}}',
        )


def needed_of(game: Rules, scope: str, item: TomlTable) -> list[str]:
    """The fields of a trigger, a prop or a schedule that the game needs, and that it lacks."""
    holes = [hole for hole in game.needed if (known := word(hole)) and known.scope == scope]
    return [hole.rpartition(".")[2] for hole in holes if _lacks(item, hole)]


def _lacks(item: TomlTable, hole: str) -> bool:
    known = word(hole)
    name = hole.rpartition(".")[2]
    if known is None or known.name.startswith(free_prefix(known.scope)):
        return getattr(item, "fields", {}).get(name) is None
    return getattr(item, known.attribute, None) in (None, {})


def _needs(workspace: Workspace) -> Iterator[IchnosError]:
    """What the profile says must have a value, and has none."""
    title = workspace.profile.rules.game.title
    for hole in workspace.profile.rules.needed:
        known = word(hole)
        scope, field = known.scope if known else "", hole.rpartition(".")[2]
        if scope == SOUND:
            for index, placed in enumerate(workspace.sounds):
                if _lacks(placed.sound, hole):
                    what = f"{title} needs the {field} of {placed.sound.key}"
                    yield IchnosError(what, place=workspace.sound_place(index), cure=f"say {field} = ...")
        for item, place, called in items(workspace, scope) if scope != SOUND else ():
            if _lacks(item, hole):
                yield IchnosError(f"{title} needs the {field} of {called}", place=place, cure=f"say {field} = ...")


def items(workspace: Workspace, scope: str) -> Iterator[tuple[TomlTable, Place, str]]:
    """The tables of a scope, where each stands, and what it is called."""
    pack_file = workspace.pack_file
    if scope == PACK:
        yield pack_file.pack, workspace.place(PACK), "the pack"
    elif scope == SOUND:
        yield from ((placed.sound, placed.place(), placed.sound.key) for placed in workspace.sounds)
    elif scope == TAKE:
        for index, placed in enumerate(workspace.sounds):
            for number, take in enumerate(placed.sound.takes):
                at = workspace.sound_place(index, "takes", number)
                yield take, at, f"take {number + 1} of {placed.sound.key}"
    elif scope == ENTRY:
        for index, schedule in enumerate(pack_file.schedule):
            for number, entry in enumerate(schedule.entries):
                where = workspace.place(SCHEDULE, index, "entries", number)
                yield entry, where, f'entry {number + 1} of the schedule "{schedule.name}"'
    else:
        name = scope.removeprefix(OWN)
        for index, table in enumerate(tables_of(pack_file, scope)):
            yield table, workspace.place(name, index), f'the {name} "{table.name}"'


def _names_of_the_game(workspace: Workspace) -> Iterator[IchnosError]:
    """Events, areas and states that the game's own lists do not have."""
    known = workspace.catalogue.names if workspace.catalogue is not None else {}
    for index, trigger in enumerate(workspace.pack_file.trigger):
        for field, names in known.items():
            said = getattr(trigger, f"{field}_" if field == "from" else field)
            if said is not None and said not in names:
                what = f'{workspace.profile.rules.game.title} has no {_CALLED[field]} "{said}"'
                place = workspace.place(TRIGGER, index, field)
                yield IchnosError(what, place=place, cure=did_you_mean(names, str(said), otherwise=_LIST))


_CALLED = {"event": "event", "where": "area or thing", "from": "object", "state": "state"}
_LIST = "see them: ichnos keys --events"


def _own_things(workspace: Workspace) -> Iterator[IchnosError]:
    """Two things of one name, and keys that nothing has."""
    rows = workspace.profile.rules.declared
    for scope in rows.scopes:
        had: set[str] = set()
        for table, place, called in items(workspace, scope):
            name = str(getattr(table, "name", ""))
            if name in had:
                yield IchnosError(f"{called} is there already", place=place, cure="give each a name of its own")
            had.add(name)
    own = [placed.sound.key for placed in workspace.sounds]
    catalogue = workspace.catalogue
    for row in rows.of_keys():
        for table, place, called in items(workspace, row.scope):
            key = getattr(table, "fields", {}).get(row.field)
            if key is not None and key not in own and catalogue is not None and key not in catalogue:
                what = f'the {row.field} of {called} is "{key}", and neither the pack nor the game has such a sound'
                yield IchnosError(what, place=place, cure=did_you_mean([*own, *catalogue.keys], str(key)))
