"""A workspace built from beginning to end: the outline, the plan, the build, and what is kept of it.

Where nothing but clips has changed, the last build's outline still holds, and no profile is loaded.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from contextlib import closing
from dataclasses import dataclass, replace
from functools import cache, partial
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import TYPE_CHECKING

from ichnos import __version__
from ichnos.errors import IchnosError
from ichnos.files import disk, signatures
from ichnos.files.signatures import Signatures
from ichnos.files.writing import sweep
from ichnos.games.catalogues import library
from ichnos.pack.build import state as states
from ichnos.pack.build.state import CLIP, INPUT, WRITTEN, LastBuild, WorkspaceState
from ichnos.pack.workspace.folder import FILE_NAME, LOCK_NAME, lock, usual_output

if TYPE_CHECKING:
    from ichnos.pack.build.build import Built, Prepared
    from ichnos.pack.plan.plan import Outline
    from ichnos.pack.workspace.lockfile import Given, Numbers
    from ichnos.pack.workspace.workspace import Workspace

_LIBRARIES = ("soundfile", "soxr", "numpy", "scipy", "pydantic", "jinja2", "pillow", "av")

Minted = Callable[[list[str]], None]


@dataclass(frozen=True)
class Begun:
    """An outline, and how everything was that it was made from."""

    outline: Outline
    inputs: Signatures
    clips: Signatures
    catalogue: str  # the identity of the kept catalogue
    given: Mapping[str, Given] | None = None  # what the game gave, where that is to be written down
    numbers: Numbers | None = None  # of things, that are to be written down
    workspace: Workspace | None = None  # where it is in memory


def standing(folder: Path, game: str | None, output: Path | None) -> LastBuild | None:
    """The last build, where nothing at all has changed since: neither what it was made from nor what it wrote."""
    last, before = states.last_build(folder, _other_game(folder, game), output), time.time_ns()
    if last is None or not _still_holds(last) or not last.stands:
        return None
    states.note_standing(folder, last, before)
    return last


def _other_game(folder: Path, game: str | None) -> str | None:
    """The game that is built for; None where it is the workspace's first, also by its name."""
    if game is None:
        return None
    import tomllib

    try:
        first = tomllib.loads(disk.read(folder / FILE_NAME).decode()).get("game")
    except (IchnosError, ValueError):  # what is wrong there is reported when the workspace is loaded
        return game
    return None if game == first else game


def _still_holds(last: LastBuild) -> bool:
    """Is all that its outline depends on as it was?"""
    return last.environment == _environment() and last.catalogue == _catalogue(last) and last.inputs_stand


def _catalogue(last: LastBuild) -> str:
    profile, _, _ = last.catalogue.partition("\n")
    return f"{profile}\n{library.identity_of(profile)}"


@cache
def _environment() -> str:
    parts = [__version__]
    for name in _LIBRARIES:
        try:
            parts.append(version(name))
        except PackageNotFoundError:
            parts.append("")
    return " ".join(parts)


def begin(folder: Path, game: str | None, last: LastBuild | None, minted: Minted | None = None) -> Begun:
    """The outline to build from.

    Args:
        last: the last build; its outline is taken where all but the clips is as it was.
        minted: called with the names of ids that were missing and are written into the workspace's file now;
            without it, none is written.

    Raises:
        IchnosError: whatever in the workspace is not as it must be.
    """
    if last is not None and _still_holds(last):
        from ichnos.pack.build import outlines

        kept = outlines.loads(last.outline)
        if kept is not None and kept.game == game:
            return Begun(kept, last.signatures[INPUT], signatures.sign_all(last.signatures[CLIP]), last.catalogue)
    from ichnos.pack.build import sources
    from ichnos.pack.plan import outline
    from ichnos.pack.workspace import assignments
    from ichnos.pack.workspace import reading as workspaces

    before = signatures.sign_all(sources.made_of(None, folder))
    loaded = workspaces.load(folder, game)
    if minted and loaded.ids_to_mint():
        with lock(folder):
            names = assignments.mint_missing_ids(workspaces.load(folder, game))
        if names:  # another process may just have done it
            minted(names)
        before = signatures.sign_all(sources.made_of(None, folder))
        loaded = workspaces.load(folder, game)
    return _of_workspace(loaded, outline.make(loaded), before)


def _of_workspace(loaded: Workspace, made: Outline, before: Signatures) -> Begun:
    from ichnos.pack.build import sources
    from ichnos.pack.workspace.numbers import numbers

    inputs = signatures.sign_all([*sources.made_of(loaded, loaded.folder), *sources.outside(loaded)])
    clips = signatures.sign_all(sources.clips_of(loaded))
    profile = loaded.profile.identity
    identity = f"{profile}\n{library.identity_of(profile)}"
    return Begun(made, {**inputs, **before}, clips, identity, loaded.to_lock(), numbers(loaded), loaded)


@dataclass(frozen=True)
class Building:
    """A build that can be shown, and then carried out."""

    folder: Path
    output: Path | None  # the usual one is None
    begun: Begun
    prepared: Prepared


def plan(folder: Path, game: str | None = None, output: Path | None = None, minted: Minted | None = None) -> Building:
    """Plan a build. Nothing is written, but for ids that are missing, where ``minted`` is given.

    Args:
        output: the folder that the package goes into; the usual one without it.

    Raises:
        IchnosError: whatever in the workspace is not as it must be, or a clip that cannot be used.
    """
    game = _other_game(folder, game)
    state = states.opened(folder)
    try:
        last = state.last_build(game, output) if state else None
        begun = begin(folder, game, last, minted)
        return _prepared(folder, output, begun, state, last)
    finally:
        if state is not None:
            state.close()


def plan_workspace(loaded: Workspace, output: Path) -> Building:
    """Plan a build of a workspace as it is in memory, into a folder. Raises IchnosError as ``plan`` does."""
    from ichnos.pack.plan import outline

    # The file may yet say otherwise than the workspace does: the next build must not take it for its own.
    before: Signatures = {str(loaded.folder / FILE_NAME): signatures.CHANGED}
    state = states.opened(loaded.folder)
    try:
        return _prepared(loaded.folder, output, _of_workspace(loaded, outline.make(loaded), before), state, None)
    finally:
        if state is not None:
            state.close()


def plan_outline(folder: Path, outline: Outline) -> Prepared:
    """Plan the usual build of an outline. Writes nothing. Raises IchnosError for clips that cannot be used."""
    from ichnos.pack.build.build import prepare

    state = states.opened(folder)
    try:
        return prepare(folder, outline, usual_output(folder, outline.game), state, None)
    finally:
        if state is not None:
            state.close()


def _prepared(
    folder: Path, output: Path | None, begun: Begun, state: WorkspaceState | None, last: LastBuild | None
) -> Building:
    from ichnos.pack.build.build import prepare

    into = output or disk.own_place(folder, usual_output(folder, begun.outline.game))
    return Building(folder, output, begun, prepare(folder, begun.outline, into, state, last))


def carry_out(
    building: Building,
    on_progress: Callable[[float], None],
    on_wait: Callable[[], None] = lambda: None,
    *,
    note: bool = True,
) -> tuple[Built, Building]:
    """Build, and keep what the next build can begin with. Another process that builds here is waited for.

    Args:
        note: it is from then on the one that was built last.

    Returns:
        What was done, and the build that was carried out: planned again, where another one came in between.

    Raises:
        IchnosError: as ``build.build`` does.
    """
    from ichnos.pack.build import build as builds
    from ichnos.pack.build import finished

    with lock(building.folder, on_wait), closing(WorkspaceState(building.folder)) as state:
        state.mend()
        sweep(building.prepared.package.parent, (building.prepared.package.name, "probe"))
        game, planned = building.begun.outline.game, building.prepared.last
        if state.last_number(game, building.output) not in (0, planned.number if planned else 0):
            now = state.last_build(game, building.output)  # another process has built since
            building = _prepared(building.folder, building.output, building.begun, state, now)
        begun = building.begun
        finish = partial(finished.documents, building.folder, begun.outline.game, begun.workspace)
        built = builds.build(building.prepared, state, on_progress, finish)
        if note:
            _note(state, building, built)
            builds.forget_others(building.folder, state)
    return built, building


def _note(state: WorkspaceState, building: Building, built: Built) -> None:
    """Keep what the next build can begin with."""
    from ichnos.pack.build import comparison, outlines

    begun, prepared, outline = building.begun, building.prepared, building.begun.outline
    if begun.given is not None or begun.numbers:
        from ichnos.pack.workspace import lockfile

        lockfile.keep(building.folder, outline.game, begun.given, begun.numbers or {})
    if built.written or prepared.last is None:
        digests = built.digests or {}
        made = {file.path: comparison.made_from(file) for file in prepared.plan.files}
        files = {path: replace(file, sha256=digests.get(path, file.sha256)) for path, file in made.items()}
    else:
        files = dict(prepared.last.files)
    written = [str(built.package), *signatures.below(built.package)]
    signed: dict[str, Signatures] = {
        INPUT: {
            **signatures.still(begun.inputs),
            **signatures.sign_all([building.folder / LOCK_NAME] if begun.numbers else []),  # as it is written now
        },
        CLIP: signatures.still(begun.clips),
        WRITTEN: {path: signatures.sign(path) for path in written},
    }
    kept = tuple(conversion.identity for conversion in prepared.plan.conversions)
    done = LastBuild(
        built.package, built.sha256, built.size, outline.profile, _environment(), begun.catalogue,
        outlines.dumps(outline), signed, files, kept,
    )  # fmt: skip
    state.note_build(outline.game, building.output, done)


def is_current(workspace: Workspace) -> bool:
    """Would a build give the latest package again?"""
    package = states.latest_package(workspace.folder, workspace.game)
    if package is None:
        return False
    usual = usual_output(workspace.folder, workspace.game)
    output = None if package.parent == usual else package.parent
    try:
        return plan(workspace.folder, workspace.game, output).prepared.comparison.unchanged
    except IchnosError:
        return False
