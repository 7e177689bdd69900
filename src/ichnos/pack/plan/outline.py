"""The outline of a pack: its documents, scripts, pictures and texts, and what each sound file is to become."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from functools import partial
from pathlib import PurePosixPath

from ichnos.documents.regions import with_region
from ichnos.documents.text import CannotSpell, from_bytes
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.games.entries.arranged import arranged, said_in, sorted_by
from ichnos.games.entries.edit import merge
from ichnos.games.entries.edits import EntryChange
from ichnos.games.entries.fill import Bindings, Filler, files_bound, fill, repetitions, resolve
from ichnos.games.entries.originals import Originals
from ichnos.games.entries.proof import DocumentProof
from ichnos.games.profiles.document_rules import DocumentRules
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.name_rules import NameRules
from ichnos.games.profiles.profile import Profile, Script, without_extension
from ichnos.games.profiles.rules import Rules
from ichnos.games.profiles.vocabulary import (
    LANGUAGE,
    PACK,
    SOUND,
    TRIGGER,
    built,
)
from ichnos.games.scripts import render, script_values
from ichnos.games.things import PackThing
from ichnos.pack.plan import meaning, other_files, unplaced
from ichnos.pack.plan.naming import ClipUses, named_path, spelled_path
from ichnos.pack.plan.plan import ClipUse, Outline, PlannedFile, SoundSpec, bad_names
from ichnos.pack.plan.reasons import why
from ichnos.pack.workspace.workspace import Workspace


def make(workspace: Workspace, finished: meaning.Finished | None = None) -> Outline:
    """Decide everything but what the clips themselves decide, writing nothing.

    Args:
        finished: what is known of the sound files, where they are made.

    Raises:
        IchnosError: a name or a value that the game cannot carry; all of them together.
    """
    _refuse_empty(workspace)
    profile, originals = workspace.profile, workspace.originals()
    uses = ClipUses(workspace, meaning.pack_values(workspace))
    pack = meaning.things(workspace, uses, finished)
    rules, names = profile.rules, profile.rules.names
    bindings: Bindings = {PACK: arranged(pack, profile)}
    sounds = tuple(_sound_files(workspace, uses))
    raise_all(list(bad_names(sounds)))
    files = list(other_files.all_but_icon(workspace, uses))
    paths = [*(spec.use.path for spec in sounds), *(file.path for file in files)]
    proof = DocumentProof(pack, names.separator, paths, profile.rules.game.name)
    files += _documents(workspace, bindings, originals, proof)
    files += other_files.icon_of(workspace)
    scripts = [_script(workspace, script, pack) for script in profile.scripts]
    files += scripts
    raise_all(list(_not_in_scripts(workspace, pack, scripts)))
    files += _plain(profile)
    raise_all(list(_of_others(workspace, files)))
    sounds, files = _with_copies(rules, sounds, files)
    _refuse_foreign(workspace, pack, sounds)
    _refuse_unlike(workspace, originals)
    return Outline(
        spelled_path(profile.package_name, partial(resolve, bindings=bindings)),
        rules.packaging.kind == "archive",
        tuple(files),
        sounds,
        profile.digest,
        (*unplaced.notes(workspace), *unplaced.standing_nowhere(workspace, proof), *proof.notes),
        workspace.game,
        rules.game.title if workspace.catalogue is None else "",
        rules.limits.megabytes,
        rules.own_encoder is not None,
        rules.afterwards,
        rules.packaging.last,
    )


def _plain(profile: Profile) -> list[PlannedFile]:
    """The files of the profile's tree that have no holes."""
    return [PlannedFile(name, "the same in every pack", disk.read(profile.tree / name)) for name in profile.plain_files]


def _of_others(workspace: Workspace, files: Iterable[PlannedFile]) -> Iterator[IchnosError]:
    """Ids and names of the pack that the profile was learned from, where they would stand in this one."""
    pack, profile = workspace.pack_file, workspace.profile
    own = {*pack.ids.values(), pack.pack.name, pack.pack.title, pack.pack.author, pack.pack.id}
    is_theirs = profile.rules.learned.of == pack.pack.name
    theirs = [text for text in profile.rules.learned.theirs if text not in own and not is_theirs]
    rules = TomlFile(disk.read(profile.folder / "game.toml"), str(profile.folder / "game.toml")) if theirs else None
    for file in files:
        for text in theirs:
            if rules is not None and file.data and not file.changes and _stands_in(text, file.data):
                what = f'{file.path} would say "{text}", which is of the pack that this profile was learned from'
                cure = "give it a hole in tree/; or take it out of here, if it is the game's own"
                yield IchnosError(what, place=rules.place("learned", "theirs"), cure=cure)


def _stands_in(text: str, data: bytes) -> bool:
    """Is a text in a file, however that is spelled in bytes?"""
    return any(text.encode(encoding) in data for encoding in ("utf-8", "utf-16-le", "utf-16-be"))


def _with_copies(
    rules: Rules, sounds: tuple[SoundSpec, ...], files: list[PlannedFile]
) -> tuple[tuple[SoundSpec, ...], list[PlannedFile]]:
    """The files, with those again that the game wants at two paths."""
    more = [(spec, path) for spec in sounds if (path := rules.copy_of(spec.use.path)) is not None]
    copies = [(file, path) for file in files if (path := rules.copy_of(file.path)) is not None]
    twice = (replace(spec, use=replace(spec.use, path=path), about=f"{spec.about}; once more") for spec, path in more)
    again = (replace(file, path=path, reason=f"{file.path}, once more") for file, path in copies)
    return (*sounds, *twice), [*files, *again]


def _refuse_empty(workspace: Workspace) -> None:
    if not workspace.pack_file.sound:
        what, cure = "no sound is assigned yet", "assign one: ichnos assign KEY CLIP"
        raise IchnosError(what, place=Place("ichnos.toml"), cure=cure)


def _documents(
    workspace: Workspace, bindings: Bindings, originals: Originals, proof: DocumentProof
) -> list[PlannedFile]:
    """All documents of the pack, proved. Raises IchnosError for all that they would say otherwise than is meant."""
    profile, pack = workspace.profile, proof.said
    files: list[PlannedFile] = []
    errors: list[IchnosError] = []
    for exemplar in profile.written:
        rules = profile.document_rules(exemplar)
        here = sorted_by(rules.order, said_in(exemplar, pack, merged=rules.mode == "merge"))
        here_bound: Bindings = {PACK: arranged(here, profile)} if here.sounds != pack.sounds else bindings
        for bound in files_bound(exemplar, here_bound):
            written = _document(workspace, exemplar, bound, originals, proof, errors)
            files += [written] if written is not None else []
    raise_all(errors or list(_not_copied(workspace, originals)))
    return files


def _sound_files(workspace: Workspace, uses: ClipUses) -> Iterator[SoundSpec]:
    rules = workspace.profile.rules
    written: dict[str, ClipUse] = {}
    for placed in workspace.sounds:
        sound = placed.sound
        spelled = rules.names.spelled(sound.key)
        treatment = f", {sound.treatment}" if sound.treatment else ""
        kind = workspace.kind_of(sound)
        in_place = not sound.new and kind.replace == "by-path"
        for use in uses.of(placed):
            first = written.setdefault(use.path, use)
            if (
                (rules.takes.shared or in_place)
                and first is not use
                and (first.clip, first.target) == (use.clip, use.target)
            ):
                continue  # stored once, for several keys
            about = treatment + (_for_others(uses.others(sound.key, use.path)) if in_place else "")
            if spelled not in use.path and len(PurePosixPath(use.path).stem) == rules.names.longest:
                about += f"; {sound.key} is spelled {spelled}, and cut, for it is too long"
            elif spelled != sound.key:
                about += f"; {sound.key} is spelled {spelled}"
            yield SoundSpec(use, about, in_place=in_place, longest=kind.seconds)


def _for_others(keys: Sequence[str]) -> str:
    """What else is to be said of a file that is replaced: every other key that plays it."""
    named = ", ".join(keys[:5]) + (f" and {len(keys) - 5} others" if len(keys) > 5 else "")
    return f"; {named} play{'s' if len(keys) == 1 else ''} this file, too" if keys else ""


def _document(
    workspace: Workspace,
    exemplar: Exemplar,
    bindings: Bindings,
    originals: Originals,
    proof: DocumentProof,
    errors: list[IchnosError],
) -> PlannedFile | None:
    """One document of the pack, proved; ``None`` where it would have nothing to say.

    Args:
        errors: takes what it would say otherwise than is meant.
    """
    rules, names = workspace.profile.document_rules(exemplar), workspace.profile.rules.names
    path = named_path(names, exemplar.path, partial(resolve, bindings=bindings), "documents")
    spelling, merged = exemplar.document.text, rules.mode == "merge"
    changes: list[EntryChange] = []
    if merged:
        document = originals.document(exemplar, path)
        content, changes = merge(exemplar, document, bindings, partial(originals.like, exemplar, path))
        spelling = document.text
    elif _may_be_empty(exemplar, rules) or _says_anything(exemplar, bindings):
        content = _filled(exemplar, path, bindings, originals, names)
    else:
        errors += proof.unwritten(exemplar, path, bindings)
        return None
    content, around = _in_region(workspace, path, content, rules.region, rules.encoding or "utf-8")
    try:
        data = spelling.to_bytes(content)
    except CannotSpell as error:
        errors.append(_not_spelled(workspace, path, error))
        return None
    filled = exemplar.parse(data, path)  # what cannot be read again is never written
    errors += proof.differences(exemplar, filled, bindings, merged=merged)
    if merged and not changes:
        if not any(workspace.is_installed(placed.sound) for placed in workspace.sounds):
            return None
        return PlannedFile(path, "merged into the game's own, where this pack is installed already", data)
    if changes:
        reason = f"merged into the game's own, {len(changes)} changed"
    else:
        reason = why(workspace, exemplar, len(proof.standing.get(path, ()))) + around
    return PlannedFile(path, reason, data, changes=tuple(changes), is_built=not built().isdisjoint(exemplar.scopes))


def _not_spelled(workspace: Workspace, path: str, error: CannotSpell) -> IchnosError:
    """What a document cannot hold, at the place where the modder wrote it, where that is to be found."""
    text = workspace.file.text
    at = text.content.find(error.letter)
    place = text.place(at) if at >= 0 else Place(path, error.place.line if error.place else None)
    return IchnosError(f"{path}: {error.what}", place=place, cure=error.cure)


def _may_be_empty(exemplar: Exemplar, rules: DocumentRules) -> bool:
    """Is a document written also where none of its entries would stand in it?"""
    return not exemplar.units or (LANGUAGE not in exemplar.file_scopes and rules.mode == "whole")


def _says_anything(exemplar: Exemplar, bindings: Bindings) -> bool:
    """Would any entry stand in it?"""
    filler = Filler(exemplar)
    return any(
        filler.entry(piece, scope, inner) is not None
        for scope, parent in {(scope, exemplar.parents[unit]) for unit, scope in exemplar.units.items()}
        for inner in repetitions(exemplar, scope, bindings)
        for piece in exemplar.pieces(parent, scope)
    )


def _filled(
    exemplar: Exemplar,
    path: str,
    bindings: Bindings,
    originals: Originals,
    names: NameRules,
) -> str:
    like = bindings[SOUND].values.get("like") if SOUND in bindings else None
    if like:
        its_own = replace(bindings[SOUND], values={**bindings[SOUND].values, "key": like}, inside={})
        value = partial(resolve, bindings={**bindings, SOUND: its_own})
        for original in (named_path(names, exemplar.path, value, "documents"), spelled_path(exemplar.path, value)):
            text = originals.whole_like(exemplar, original, bindings)
            if text is not None:
                originals.copied.add(str(like))
                return text
    return fill(exemplar, bindings, partial(originals.like, exemplar, path))


def _script(workspace: Workspace, script: Script, pack: PackThing) -> PlannedFile:
    profile = workspace.profile
    values = script_values(pack, profile.rules.names)
    body = render(profile.folder / "scripts", script.template, values, profile.tables)
    body, around = _in_region(workspace, script.path, body, script.region)
    template = disk.read(profile.folder / "scripts" / script.template).decode("utf-8", "replace")
    of_files = "pack.sounds" in template or any(  # every template speaks of sounds
        re.search(rf"\b{name.rpartition('.')[2]}\b", template) for name in built() - {"pack.sounds"}
    )
    return PlannedFile(script.path, f"a script that plays the sounds{around}", body.encode(), is_built=of_files)


def _in_region(
    workspace: Workspace, path: str, body: str, comment: str | None, encoding: str = "utf-8"
) -> tuple[str, str]:
    """What was filled, in the marked region of a file of the modder's own, and what the plan says of that file.

    Without a ``comment`` that marks one, it is the whole file.
    """
    if comment is None:
        return body, ""
    own, label = workspace.folder / "own" / path, f"own/{path}"
    disk.refuse_way_out(workspace.folder, own, label)
    theirs = from_bytes(disk.read(own), label, encoding).content if disk.is_file(own) else ""
    return with_region(theirs, body, comment), f", in the marked region of {label}" if theirs else ""


def _not_in_scripts(workspace: Workspace, pack: PackThing, scripts: Sequence[PlannedFile]) -> Iterator[IchnosError]:
    """Triggers that scripts alone could hold, and of which nothing stands in them."""
    if not scripts or any(TRIGGER in exemplar.scopes.values() for exemplar in workspace.profile.written):
        return
    text = "\n".join((script.data or b"").decode() for script in scripts)
    names = workspace.profile.rules.names
    files = {sound.key: [file for file, _, _ in sound.files()] for sound in pack.sounds}
    for trigger in pack.triggers:
        key = str(trigger.key)
        traces = [key, names.spelled(key), key.rpartition(names.separator)[2], *files.get(key, ())]
        if not any(trace in text for trace in traces):
            yield IchnosError(
                f'nothing of the trigger for "{key}" stands in the scripts that the profile writes',
                place=trigger.place,
                cure="does a sound have that key? Else correct the template in the profile's scripts/",
            )


def _not_copied(workspace: Workspace, originals: Originals) -> Iterator[IchnosError]:
    """Sounds that are to be like another one of which no entry was found."""
    for placed in workspace.sounds:
        like = placed.sound.like
        is_known = workspace.catalogue is not None and placed.sound.key in workspace.catalogue  # it has its own entry
        if like is not None and like not in originals.copied and not is_known:
            yield IchnosError(
                f'{placed.sound.key} is to be like "{like}", and none of the files that a pack writes has an entry of'
                " that in the game",
                place=placed.place("like"),
                cure="leave like out, or correct the profile",
            )


def _refuse_unlike(workspace: Workspace, originals: Originals) -> None:
    """References that are spelled otherwise than all of the game's own would be found by nobody."""
    profile = workspace.profile
    all_files = workspace.catalogue.all_files() if workspace.catalogue else set()
    for exemplar in profile.written:
        # Where documents differ, each is held against the game's own of the same path.
        own = originals.references(exemplar, profile) if profile.references_are_mixed else all_files
        unlike = profile.unlike(exemplar, own)
        if unlike is None:
            continue
        what, _, cure = unlike.partition(": ")
        raise IchnosError(what, place=Place(str(workspace.profile.tree)), cure=cure)


def _refuse_foreign(workspace: Workspace, pack: PackThing, sounds: Iterable[SoundSpec]) -> None:
    """A sound of the pack under the name of one of the game's own would change another sound."""
    catalogue = workspace.catalogue
    if catalogue is None:
        return
    own, kinds = catalogue.all_files(), workspace.profile.kinds.values()

    def is_foreign(path: str) -> bool:
        clash = next((name for name in (path, path.rpartition(".")[0]) if name in own), None)
        return clash is not None and not any(workspace.is_own_file(clash, kind) for kind in kinds)

    players = catalogue.players(workspace.profile.bare)
    named: dict[str, set[str]] = {}
    for sound in pack.sounds:
        for file, _, _ in sound.files():
            named.setdefault(file, set()).add(sound.key)
    errors = [
        IchnosError(
            f'"{use.path}" is the name of a file that the game has already, for another sound',
            place=use.place,
            cure="give the pack or the sound another name; a profile's sound files should have @pack.name@ in theirs",
        )
        for use in (sound.use for sound in sounds if not sound.in_place)
        if is_foreign(use.path)
        and not named.get(use.path, set()).issuperset(players.get(without_extension(use.path), [use.path]))
    ]
    raise_all(errors)
