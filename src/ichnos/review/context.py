"""What a pack is checked against: the game, its keys, and the workspace that it is from; found by where we are."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.journal import InstalledPack
from ichnos.files.sources import Files
from ichnos.games.catalogues import library
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.pristine import game_tree
from ichnos.games.profiles import loading, profile
from ichnos.games.profiles.profile import Profile
from ichnos.pack.build.state import latest_package
from ichnos.pack.workspace import reading as workspaces
from ichnos.pack.workspace import verdicts
from ichnos.pack.workspace.pack_file import PackFile
from ichnos.pack.workspace.verdicts import Verdict
from ichnos.pack.workspace.workspace import Workspace


@dataclass(frozen=True)
class Context:
    """What a pack is checked against. ``new_keys`` are the modder's own, known from the workspace."""

    profile: Profile
    catalogue: Catalogue | None = None
    new_keys: Collection[str] | None = None  # None: nobody says which keys are meant to be new
    silent_keys: Collection[str] = ()
    pack_file: PackFile | None = None
    place: Callable[..., Place] | None = None  # of a field of the pack file
    own: Files | None = None  # the game's own files
    verdicts: Sequence[Verdict] = ()
    neighbours: Sequence[InstalledPack] = ()  # other packs in the game that the workspace names

    @property
    def title(self) -> str:
        """The game's title."""
        return self.profile.rules.game.title


def of_workspace(workspace: Workspace) -> Context:
    """What the pack of a workspace is checked against."""
    pack_file = workspace.pack_file
    return Context(
        workspace.profile,
        workspace.catalogue,
        [sound.key for sound in pack_file.sound if sound.new],
        [sound.key for sound in pack_file.sound if sound.silent],
        pack_file,
        workspace.file.place,
        workspace.game_files(),
        verdicts.of_workspace(workspace.folder),
        workspace.neighbours(),
    )


def workspace_at(start: Path, game: str | None, *, needed: bool) -> Workspace | None:
    """The workspace that we are in; one that cannot be read matters only where it is needed."""
    try:
        folder = workspaces.find_folder(start)
    except UsageError:
        return None
    try:
        return workspaces.load(folder, game)
    except IchnosError:
        if needed:
            raise
        return None


def _are_own(packs: Sequence[Path], loaded: Workspace | None) -> bool:
    """Are these packs of the workspace's own, built or released?"""
    if loaded is None:
        return False
    made = [disk.resolved(loaded.folder / name) for name in ("build", "release")]
    return all(any(disk.resolved(pack).is_relative_to(folder) for folder in made) for pack in packs)


def last_built(loaded: Workspace | None) -> Path:
    """The pack that a workspace built last. Raises UsageError where there is none."""
    if loaded is None:
        raise UsageError("there is no pack to check", cure="name one, with --game, or go into a workspace")
    package = latest_package(loaded.folder, loaded.game)
    if package is None:
        raise UsageError("nothing is built yet", cure="build first: ichnos build")
    return package


def context_of(
    loaded: Workspace | None, game: str | None, installation: Path | None, packs: Sequence[Path], *, own: bool
) -> Context:
    """What packs are checked against: the workspace's ``own``, or anybody's for the same game.

    Args:
        loaded: the workspace that we are in.
        game: a game's name, or its profile's folder, where there is no workspace.
        installation: where the game is installed, to check the keys against its own.

    Raises:
        UsageError: nobody says which game.
    """

    own = own or _are_own(packs, loaded)
    if loaded is not None:
        context = of_workspace(loaded) if own else Context(loaded.profile, loaded.catalogue)
    elif game is not None:
        game_profile = loading.load(profile.find(game))
        context = Context(game_profile, library.load(game_profile.identity) if installation is None else None)
    else:
        raise UsageError("which game is the pack for?", cure="say --game GAME, or go into a workspace")
    if installation is not None:
        theirs = game_tree(installation, context.profile)
        context = replace(context, catalogue=harvest(context.profile, installation), own=theirs)
    return context
