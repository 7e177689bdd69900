"""Slips in what a workspace says of its sounds: keys that the game does not have, and what it cannot do with one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from ichnos.audio.process import treatments
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.profiles import profile
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.vocabulary import SOUND
from ichnos.likeness import did_you_mean
from ichnos.pack.workspace.folder import LOCAL_NAME
from ichnos.pack.workspace.pack_file import Sound
from ichnos.pack.workspace.workspace import Workspace


def findings(workspace: Workspace) -> Iterator[IchnosError]:
    """What the model cannot see: keys given twice, keys that the game does not have, what it cannot do."""
    seen: dict[str, int] = {}
    catalogue = workspace.catalogue
    for index, sound in enumerate(workspace.pack_file.sound):
        if sound.key in seen:
            place = workspace.sound_place(index, "key")
            first = workspace.sound_place(seen[sound.key], "key")
            where = f"line {first.line}" if first.path == (place.path if place else "") else str(first)
            yield IchnosError(
                f'the key "{sound.key}" is already given in {where}',
                place=place,
                cure="put all its clips into one list: takes = [...]",
            )
            continue
        seen[sound.key] = index
        if sound.kind is not None and sound.kind not in workspace.profile.kinds:
            names = ", ".join(filter(None, workspace.profile.kinds)) or "none"
            what = f'{workspace.profile.rules.game.title} has no kind "{sound.kind}"'
            yield IchnosError(what, place=workspace.sound_place(index, "kind"), cure=f"its kinds are: {names}")
            continue
        if not workspace.is_installed(sound):
            kind = workspace.kind_of(sound)
            if any(
                key_slips(workspace.profile, catalogue, sound.key, sound.new, None, kind)
            ):  # places are looked for then
                place = workspace.sound_place(index, "key")
                yield from key_slips(workspace.profile, catalogue, sound.key, sound.new, place, kind)
        if sound.treatment is not None:
            yield from _no_treatment(workspace, sound.treatment, workspace.sound_place(index, "treatment"))
        yield from _impossible(workspace, index, sound)
        yield from _without_its_entry(workspace, index, sound)
    for key, path in workspace.pack_file.played():
        if key not in seen and catalogue is not None and key not in catalogue:
            yield IchnosError(
                f'there is no sound "{key}" to play, neither in this pack nor in the game',
                place=workspace.sound_place(int(path[1]), *path[2:]) if path[0] == SOUND else workspace.place(*path),
                cure=did_you_mean([*seen, *catalogue.keys], key),
            )
    yield from _of_other_keys(workspace)


def _of_other_keys(workspace: Workspace) -> Iterator[IchnosError]:
    """Takes that are other keys: in a game that has no such, and in a circle."""
    profile = workspace.profile
    templates = (profile.folder / "scripts" / script.template for script in profile.scripts)
    in_scripts = any(b"take.key" in disk.read(template) for template in templates)
    has_place = in_scripts or any("take.key" in exemplar.scopes for exemplar in profile.written)
    plays = {one.sound.key: [take.key for take in one.sound.takes if take.key] for one in workspace.sounds}
    for index, placed in enumerate(workspace.sounds):
        key = placed.sound.key
        for at, take in enumerate(placed.sound.takes):
            if take.key is None:
                continue
            place = workspace.sound_place(index, "takes", at)
            if not has_place:
                what = f"{profile.rules.game.title} has no takes that are other keys"
                yield IchnosError(what, place=place, cure="give it a clip")
            elif (circle := _way(plays, take.key, key)) is not None:
                what = f"{key} plays itself: {' plays '.join([key, *circle])}"
                yield IchnosError(what, place=place, cure="leave one of them out")


def _way(plays: Mapping[str, Sequence[str]], start: str, end: str) -> list[str] | None:
    """The keys from one to another, by what plays what; ``None`` where there is no way."""
    ways, seen = [[start]], {start}
    while ways:
        way = ways.pop()
        if way[-1] == end:
            return way
        ways += [[*way, key] for key in plays.get(way[-1], ()) if key not in seen]
        seen.update(plays.get(way[-1], ()))
    return None


def _without_its_entry(workspace: Workspace, index: int, sound: Sound) -> Iterator[IchnosError]:
    """A sound that is a change of the game's own entry, where that is not there: another pack would be built."""
    given = workspace.given.get(sound.key)
    if given is not None and given.changed and not sound.fresh and not sound.new:
        title = workspace.profile.rules.game.title
        what = f"{sound.key} keeps what {title} itself says of it, and it is not known where {title} is installed"
        cure = f'say it in {LOCAL_NAME}: installation = "..."; or fresh = true, and its entry starts from nothing'
        yield IchnosError(what, place=workspace.sound_place(index, "key"), cure=cure)


def _no_treatment(workspace: Workspace, name: str, place: Place | None) -> Iterator[IchnosError]:
    names = [*workspace.pack_file.treatment, *treatments.BUNDLED]
    if name not in names:
        yield IchnosError(f'there is no treatment "{name}"', place=place, cure=did_you_mean(names, name))


def too_many_takes(
    game_profile: profile.Profile, key: str, count: int, place: Place | None, kind: Kind
) -> Iterator[IchnosError]:
    """What is wrong with so many takes of one key, in this game: at most one thing."""
    if count > 1 and not kind.several:
        yield IchnosError(
            f"{game_profile.rules.game.title} has one take for each key, and {key} would have {count}",
            place=place,
            cure="keep one of the clips",
        )


def _impossible(workspace: Workspace, index: int, sound: Sound) -> Iterator[IchnosError]:
    """What this game cannot do with a sound."""
    title, place_of = workspace.profile.rules.game.title, workspace.sounds[index].place
    kind = workspace.kind_of(sound)
    if sound.every_file and kind.replace != "by-path":
        yield IchnosError(
            f"{sound.key} is not replaced file by file in {title}: its takes are all that it has",
            place=place_of("every_file"),
            cure="leave every-file out",
        )
    if len(sound.takes) > 1 and not sound.silent and not sound.every_file:
        yield from too_many_takes(workspace.profile, sound.key, len(sound.takes), place_of("takes"), kind)
    if not workspace.profile.has_files(kind):
        yield IchnosError(
            f"{title} has kinds of sound, and nothing says of which {sound.key} is",
            place=place_of("key"),
            cure=f'say kind = "..." ({", ".join(filter(None, workspace.profile.kinds))})',
        )
    for name in sound.parts:
        if name not in kind.parts:
            yield IchnosError(
                f"{title} knows no part {name!r}",
                place=place_of("parts", name),
                cure=f"its parts are: {', '.join(kind.parts)}" if kind.parts else "give the sound takes",
            )
    if sound.like is None:
        return
    place, catalogue = place_of("like"), workspace.catalogue
    if catalogue is None or workspace.installation is None:
        what = f'{sound.key} is to be like "{sound.like}", and the text of that is in {title}\'s own files'
        yield IchnosError(what, place=place, cure=f'say in {LOCAL_NAME} where: installation = "..."')
    elif sound.like not in catalogue:
        what = f'{sound.key} is to be like "{sound.like}", and {title} has no such key'
        yield IchnosError(what, place=place, cure=catalogue.did_you_mean(sound.like))


def key_slips(
    game_profile: profile.Profile, catalogue: Catalogue | None, key: str, new: bool, place: Place | None, kind: Kind
) -> Iterator[IchnosError]:
    """What is wrong with a key, in this game: at most one thing."""
    title = game_profile.rules.game.title
    if new and not kind.new:
        yield IchnosError(f"{title} cannot take new keys", place=place, cure="replace a key that the game has")
    elif not new and kind.replace == "no":
        yield IchnosError(f"{title} cannot have its own keys replaced", place=place, cure="say new = true")
    elif catalogue is not None and new and key in catalogue:
        cure = "choose another" if kind.replace == "no" else "leave new out, and it is replaced; or choose another"
        yield IchnosError(f'"{key}" is not new: {title} has that key', place=place, cure=cure)
    elif catalogue is not None and not new and key not in catalogue:
        own = " For a key of your own, say --new, or new = true in the file" if kind.new else ""
        yield IchnosError(f'{title} has no key "{key}"', place=place, cure=f"{catalogue.did_you_mean(key)}{own}")
