"""A profile in plain words: what its game needs of a pack."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ichnos.games.profiles.calls import parse_call
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.rules import LoadList, Rules
from ichnos.games.targets import target

_MODES = {"whole": "", "fragment": ", where needed", "merge": ", merged into the game's own", "known": ", only read"}
_MARKED = {"wav-markers": "marked in the WAV", "vorbis-comments": "marked in the file's Vorbis comments"}


def describe(profile: Profile) -> list[tuple[str, str]]:
    """Say in plain words what a game needs: pairs of what it is about, and what the profile says of that."""
    rules = profile.rules
    general = profile.kinds[""]
    lines = [("versions", ", ".join(rules.game.versions))]
    for kind in profile.kinds.values():
        if profile.has_files(kind):
            lines += _kind(profile, kind, None if kind is general else general)
    lines.append(("file names", _names(profile)))
    lines += _rows("references", (f"{reference} is {path}" for reference, path in rules.references.items()))
    lines += _rows("at two paths", (f"{path} and {copy}" for path, copy in rules.copies.items()))
    lines += _rows("documents", (_document(profile, exemplar) for exemplar in profile.documents))
    lines += [("script", script.path) for script in profile.scripts]
    if rules.loops.kind in _MARKED:
        lines.append(("loops", _MARKED[rules.loops.kind]))
    if rules.icon is not None:
        size = f"{rules.icon.width} x {rules.icon.height} pixels" if rules.icon.size else "as large as it is"
        lines.append(("icon", f"{rules.icon.path}, {size}"))
    lines.append(("ids", ", ".join(profile.id_names) or "none"))
    needed = [*rules.needs, *(f"the {one.name} of {_a(one.of)}" for one in rules.field if one.needed)]
    if needed:
        lines.append(("needs", ", ".join(needed)))
    lines += _rows("things", (f"{thing.name}: {thing.about}" for thing in rules.thing))
    lines += _rows("fields", (f"{one.name} of {_a(one.of)}: {one.word.about}" for one in rules.field))
    return [*lines, *_in_game(rules)]


def _in_game(rules: Rules) -> Iterator[tuple[str, str]]:
    """Where a pack goes, and how the game plays it."""
    yield "packed as", f"a{'n archive' if rules.packaging.kind == 'archive' else ' folder'}, {rules.packaging.name}"
    if rules.install.folder is not None:
        root = rules.roots.get(rules.install.root or "")
        whole = root or "the game's folder itself"
        where = f"{rules.install.folder}/ of {root or 'the game'}" if rules.install.folder else whole
        over = ", its files laid over the game's own" if rules.install.lay == "over" else ""
        yield "goes into", f"{where}{over}"
    play = rules.play
    fading = "evenly" if play.curve == "straight" else "by half with each doubling"
    yield "plays", f"{play.voices} sounds at once; from {play.near:g} to {play.far:g} m they fade {fading}"
    calls = [parse_call(means, text) for means, text in play.functions.items()]
    if calls:
        yield "scripts run", ", ".join(f"{call.function} is {call.means}" for call in calls)
    for load_list in rules.install.lists:
        yield "load list", f"{load_list.path}: {load_list.line}" + _beside(load_list)
    yield from _rows("by hand", rules.afterwards)
    for path in rules.install.caches:
        yield "cache", f"{path} is to be deleted"


def _rows(heading: str, texts: Iterable[str]) -> Iterator[tuple[str, str]]:
    """A row for each text, the first under the heading."""
    return ((heading if index == 0 else "", text) for index, text in enumerate(texts))


def _a(noun: str) -> str:
    return f"{'an' if noun[0] in 'aeiou' else 'a'} {noun}" if noun != "pack" else "the pack"


def _document(profile: Profile, exemplar: Exemplar) -> str:
    mode = profile.document_rules(exemplar).mode
    return f"{profile.document_name(exemplar)} ({exemplar.document.format.name}{_MODES[mode]})"


def _beside(load_list: LoadList) -> str:
    return (
        f", above {load_list.before}" if load_list.before else f", below {load_list.after}" if load_list.after else ""
    )


_REPLACED = {
    "by-definition": "the game's own can be replaced, by an entry of the same key",
    "by-path": "the game's own can be replaced, by a file of the same path",
    "no": "the game's own cannot be replaced",
}


def _kind(profile: Profile, kind: Kind, general: Kind | None) -> list[tuple[str, str]]:
    """What sounds of a kind are like; of one with a name, only what is otherwise than in general."""
    own = next((own_kind for own_kind in profile.rules.kind if own_kind.name == kind.name), None)
    which = ", ".join([*own.categories, *own.keys]) if own else ""
    heading = f"kind {kind.name}" if kind.name else "sounds"
    lines = [(heading, f"{target(profile, kind)}{f'; of {which}' if which else ''}")]
    said = [
        ("takes", "several for each key, picked at random" if kind.several else "one for each key"),
        ("parts", ", ".join(kind.parts) or ("none" if general and general.parts else "")),
        ("longest", f"{kind.seconds:g} s" if kind.seconds else ""),
        ("keys", f"{_REPLACED[kind.replace]}; {'new ones can be added' if kind.new else 'nothing can be added'}"),
    ]
    if general is None:
        return [*lines, *((name, text) for name, text in said if text)]
    of_all = dict(_kind(profile, general, None))
    return [*lines, *((f"  {name}", text) for name, text in said if text and of_all.get(name) != text)]


def _names(profile: Profile) -> str:
    names = profile.rules.names
    sentences = [f"keys are joined by {names.separator}"]
    if names.ascii:
        sentences.append("ASCII only")
    if names.spaces is not None:
        sentences.append(f"{names.spaces!r} for a space" if names.spaces else "no spaces")
    if names.allowed:
        sentences.append(f"only {names.allowed}")
    if names.case != "kept":
        sentences.append(f"{names.case} case")
    if names.longest:
        sentences.append(f"at most {names.longest} letters")
    return ", ".join(sentences)
