"""A profile in plain words: what its game needs of a pack."""

from __future__ import annotations

from ichnos.games.profiles.profile import Profile
from ichnos.games.targets import target


def describe(found: Profile) -> list[tuple[str, str]]:
    """Say in plain words what a game needs: pairs of what it is about, and what the profile says of that."""
    rules = found.rules
    lines = [("versions", ", ".join(rules.game.versions)), ("sounds", str(target(found)))]
    for only in rules.audio.only:
        which = [*(["parts"] if only.parts else []), *only.categories, *only.keys]
        category = only.categories[0] if only.categories else None
        key = only.keys[0] if only.keys else ""
        lines.append((f"  {', '.join(which)}", str(target(found, key, category, part=only.parts))))
    lines.append(("takes", "several for each key, picked at random" if rules.takes.several else "one for each key"))
    if rules.parts.names:
        lines.append(("parts", ", ".join(rules.parts.names)))
    replace = {
        "by-definition": "the game's own can be replaced, by an entry of the same key",
        "by-path": "the game's own can be replaced, by a file of the same path",
        "no": "the game's own cannot be replaced",
    }[rules.modes.replace]
    lines.append(("keys", f"{replace}; {'new ones can be added' if rules.modes.new else 'nothing can be added'}"))
    lines.append(("file names", _names(found)))
    if rules.limits.seconds:
        lines.append(("longest", f"{rules.limits.seconds:g} s"))
    documents = [
        f"{found.document_name(one)} ({one.document.format.name}"
        + {"whole": "", "fragment": ", where needed", "merge": ", merged into the game's own"}[
            found.document_rules(one).mode
        ]
        + ")"
        for one in found.documents
    ]
    lines += [("documents" if index == 0 else "", text) for index, text in enumerate(documents)]
    lines += [("script", script.path) for script in found.scripts]
    if rules.loops.kind == "wav-markers":
        lines.append(("loops", "marked in the WAV"))
    elif rules.loops.kind == "vorbis-comments":
        lines.append(("loops", "marked in the file's Vorbis comments"))
    if rules.icon is not None:
        lines.append(("icon", f"{rules.icon.path}, {rules.icon.size} pixels square"))
    lines.append(("ids", ", ".join(found.id_names) or "none"))
    lines.append(
        ("packed as", f"a{'n archive' if rules.packaging.kind == 'archive' else ' folder'}, {rules.packaging.name}")
    )
    if rules.install.folder:
        lines.append(("goes into", f"{rules.install.folder}/ of the game"))
    lines += [
        ("load list", f"{one.path}: {one.line}" + (f", above {one.before}" if one.before else ""))
        for one in rules.install.lists
    ]
    lines += [("cache", f"{path} is to be deleted") for path in rules.install.caches]
    return lines


def _names(found: Profile) -> str:
    names = found.rules.names
    said = [f"keys are joined by {names.separator}"]
    if names.ascii:
        said.append("ASCII only")
    if names.spaces is not None:
        said.append(f"{names.spaces!r} for a space" if names.spaces else "no spaces")
    if names.allowed:
        said.append(f"only {names.allowed}")
    if names.case != "kept":
        said.append(f"{names.case} case")
    if names.longest:
        said.append(f"at most {names.longest} letters")
    return ", ".join(said)
