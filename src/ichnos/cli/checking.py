"""``check`` and ``explain``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import zip_longest
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import Json, WorkspaceFolder, app, examples
from ichnos.errors import IchnosError, UsageError
from ichnos.files import disk

if TYPE_CHECKING:
    from ichnos.errors import Place
    from ichnos.pack.workspace.verdicts import Verdict
    from ichnos.pack.workspace.workspace import Workspace
    from ichnos.review.check import Checked
    from ichnos.review.findings import Finding
    from ichnos.review.subject import Context, Subject


@app.command(
    short_help="Prove a pack: read it back, decode it.",
    epilog=examples(
        "ichnos check",
        "ichnos check someones.lampbox --game tarnlight",
        "ichnos check first.lampbox second.lampbox --game tarnlight",
    ),
)
def check(
    packs: Annotated[
        list[Path] | None,
        typer.Argument(
            metavar="PACK",
            help="A pack's folder or archive; several in load order.",
            show_default="what the workspace built last",
        ),
    ] = None,
    game: Annotated[
        str | None,
        typer.Option("--game", "-g", metavar="GAME", help="Which game it is for.", show_default="the workspace's"),
    ] = None,
    installation: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Where the game is installed, to check the keys against its own."),
    ] = None,
    workspace: WorkspaceFolder = Path(),
    json: Json = False,
    budget: Annotated[
        float,
        typer.Option(
            metavar="TIMES",
            min=0.01,
            max=1000,
            help="How much of a large pack is looked at; 1 is 20,000 sounds, 4 GB, 10 hours.",
        ),
    ] = 1.0,
    verdicts: Annotated[
        Path | None,
        typer.Option(
            metavar="FILE.csv",
            help="What somebody who listened said, as the listening page exports it.",
            show_default="verdicts.csv in the workspace, for its own packs",
        ),
    ] = None,
    sarif: Annotated[bool, typer.Option("--sarif", help="Print the findings as SARIF 2.1.0, for code hosts.")] = False,
) -> None:
    """Read a pack back from disk, decode every sound in it, and report findings.

    Several packs are also held against each other, in the order in which the game loads them. What is
    no slip for you is waived in ichnos.toml, under [[waive]], with a reason.
    """
    from ichnos.games.opening import opened
    from ichnos.review import across
    from ichnos.review import check as checking
    from ichnos.review import verdicts as judging
    from ichnos.review.budget import Budget
    from ichnos.review.subject import Subject

    if json and sarif:
        raise UsageError("--json and --sarif exclude each other", cure="choose one")
    loaded = workspace_at(workspace, game, needed=not packs or game is None)
    own = not packs
    if not packs:
        packs = [last_built(loaded)]
        warn_if_behind(loaded)
    context = context_of(loaded, game, installation, packs, own=own)
    said = _verdicts(verdicts) if verdicts is not None else context.verdicts
    context = replace(context, verdicts=said)
    if context.catalogue is None:
        show.keys_unchecked(context.profile.rules.game.title)
    subjects = [Subject(context, opened(context.profile, pack)) for pack in packs]
    if verdicts is not None:
        _refuse_unknown(said, subjects)
    with show.progress("decoding", sum(len(subject.sounds) for subject in subjects)) as advance:
        results = [checking.check(subject, lambda _: advance(1), Budget(budget)) for subject in subjects]
    shared: list[Finding] = []
    if len(packs) > 1:
        loads = [across.Loaded(str(pack), subject) for pack, subject in zip(packs, subjects, strict=True)]
        shared = list(across.findings(context.profile, loads))
    over = [key for subject in subjects for key in judging.over(subject)]
    for subject in subjects:
        subject.files.close()
    if over:
        what = f"{show.counted(len(over), 'verdict')} of a sound that has changed since: {', '.join(over[:5])}"
        show.say(f"{what}{' and others' if len(over) > 5 else ''}", err=True)
    if own and loaded:
        note(loaded, results[0])
    if sarif:
        from ichnos.review.sarif import sarif as as_sarif

        findings = [*(one for result in results for one in result.findings), *shared]
        waived = [one for result in results for one in result.waived]
        folders = dict.fromkeys(loaded.files, loaded.folder) if loaded else {}
        show.as_json(as_sarif(findings, waived, base=Path.cwd(), folders=folders))
    elif json:
        _print_json(packs, results, shared)
    else:
        for pack, result in zip(packs, results, strict=True):
            _print(result, loaded.shown(pack.absolute()) if loaded else str(pack))
        if len(packs) > 1:
            _print_shared(shared, len(packs))
    if shared or any(result.findings for result in results):
        raise typer.Exit(1)


def passes(folder: Path, *, json: bool = False) -> bool:
    """Check the pack that a workspace built last, and tell whether it works in the game; briefly, where it does."""
    from ichnos.games.opening import opened
    from ichnos.pack.workspace import workspace as workspaces
    from ichnos.review import check as checking
    from ichnos.review.subject import Subject, of_workspace

    loaded = workspaces.load(folder)
    package = last_built(loaded)
    subject = Subject(of_workspace(loaded), opened(loaded.profile, package))
    result = checking.check(subject, lambda _: None)
    subject.files.close()
    note(loaded, result)
    if json:
        _print_json([package], [result], ())
        return result.passed
    if not result.passed:
        _print(result, loaded.shown(package))
        return False
    show.say(f"Read back: {show.counted(result.keys, 'key')}, {show.counted(result.sounds, 'sound')} decoded.")
    if result.findings:
        what = f"{show.counted(len(result.findings), 'finding')} to see to before you publish it: ichnos check"
        show.say(f"{what} -w {folder.name}" if Path.cwd() != folder else what, err=True)
    return True


def note(loaded: Workspace, result: Checked) -> None:
    """Note for ``status`` what came of checking the pack that was built last."""
    import json
    from contextlib import closing, suppress

    from ichnos.pack.build import state as states

    state = states.opened(loaded.folder)
    if state is not None and loaded.game is None:
        with closing(state), suppress(IchnosError):  # it is only told
            last = state.latest_build(None)
            if last is not None:
                errors = sum(one.kind.is_error for one in result.findings)
                first = max(result.findings, key=lambda one: one.kind.is_error, default=None)
                told = f"{first.kind.id}, {first.place}: {first.reason}" if first else ""
                said = {"sha256": last.sha256, "findings": len(result.findings), "errors": errors, "first": told}
                state.note_fact("checked", json.dumps(said))


def _print_json(packs: Sequence[Path], results: Sequence[Checked], shared: Sequence[Finding]) -> None:
    said: list[dict[str, Any]] = [
        {
            "pack": str(pack),
            "passed": result.passed,
            "keys": result.keys,
            "sounds": result.sounds,
            "seconds": round(result.seconds, 3),
            "own-codec": result.own_codec,
            "findings": [finding.as_json() for finding in result.findings],
            "waived": [{**finding.as_json(), "waived": reason} for finding, reason in result.waived],
        }
        for pack, result in zip(packs, results, strict=True)
    ]
    together = {"packs": said, "together": [finding.as_json() for finding in shared]}
    show.as_json(said[0] if len(said) == 1 else together)


def workspace_at(start: Path, game: str | None, *, needed: bool) -> Workspace | None:
    """The workspace that we are in; one that cannot be read matters only where it is needed."""
    from ichnos.pack.workspace import workspace as workspaces

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
    from ichnos.pack.build.state import latest_package

    if loaded is None:
        raise UsageError("there is no pack to check", cure="name one, with --game, or go into a workspace")
    package = latest_package(loaded.folder, loaded.game)
    if package is None:
        raise UsageError("nothing is built yet", cure="build first: ichnos build")
    return package


def warn_if_behind(loaded: Workspace | None) -> None:
    from ichnos.pack.build import building

    if loaded and not building.is_current(loaded):
        what = (
            "The workspace or the pack has changed since this was built; what follows is of the pack as it lies there."
        )
        show.say(what, err=True)


def context_of(
    loaded: Workspace | None, game: str | None, installation: Path | None, packs: Sequence[Path], *, own: bool
) -> Context:
    """What packs are checked against: the workspace's ``own``, or anybody's for the same game."""
    from ichnos.files.sources import Inside
    from ichnos.games.catalogues import library
    from ichnos.games.catalogues.harvest import harvest
    from ichnos.games.pristine import game_files
    from ichnos.games.profiles import loading, profile
    from ichnos.review.subject import Context, of_workspace

    own = own or _are_own(packs, loaded)
    if loaded is not None:
        context = of_workspace(loaded) if own else Context(loaded.profile, loaded.catalogue)
    elif game is not None:
        found = loading.load(profile.find(game))
        context = Context(found, library.load(found.identity) if installation is None else None)
    else:
        raise UsageError("which game is the pack for?", cure="say --game GAME, or go into a workspace")
    if installation is not None:
        rules = context.profile.rules.catalogue
        theirs = Inside(game_files(installation, context.profile), rules.folder)
        context = replace(context, catalogue=harvest(context.profile, installation), own=theirs)
    return context


def _verdicts(path: Path) -> Sequence[Verdict]:
    from ichnos.pack.workspace import verdicts

    return verdicts.read(disk.read(path), str(path))


def _refuse_unknown(said: Sequence[Verdict], subjects: Sequence[Subject]) -> None:
    from ichnos.pack.workspace import verdicts
    from ichnos.review.by_key import of_subject

    verdicts.refuse_unknown(said, [key for subject in subjects for key in of_subject(subject).sounds])


def _shown(place: Place) -> Place:
    """The place as seen from here, where it lies below."""
    from ichnos.files.paths import shown

    return replace(place, path=shown(Path.cwd(), Path(place.path)))


def print_findings(out: Any, findings: Sequence[Finding]) -> None:
    from rich.text import Text

    for finding, following in zip_longest(findings, findings[1:]):
        style = "red" if finding.kind.is_error else "yellow"
        out.print(Text.assemble((finding.kind.id, f"bold {style}"), f"  {_shown(finding.place)}: {finding.reason}"))
        if following and (following.kind, following.cure) == (finding.kind, finding.cure):
            continue  # of many alike, the last says what to do
        out.print(Text(f"    in the game: {finding.kind.effect}", "dim"))
        out.print(Text(f"    cure: {finding.cure}"))


def _print(result: Checked, pack: str) -> None:
    from rich.text import Text

    out = show.console()
    print_findings(out, result.findings)
    for finding, reason in result.waived:
        out.print(Text(f"waived: {finding.kind.id}  {finding.place}: {reason}", "dim"))
    read = (
        f"{pack}: read back {show.counted(result.documents, 'document')}, {show.counted(result.keys, 'key')};"
        f" decoded {show.counted(result.sounds, 'sound')}, {result.seconds:.1f} s"
    )
    if result.own_codec:
        read += f"; {result.own_codec} in the game's own codec, which only it can decode"
    verdict = show.counted(len(result.findings), "finding") if result.findings else "no findings"
    out.print(Text.assemble(f"{read}: ", (verdict, "bold red" if not result.passed else "bold green")))


def _print_shared(shared: Sequence[Finding], count: int) -> None:
    from rich.text import Text

    out = show.console()
    print_findings(out, shared)
    verdict = show.counted(len(shared), "finding") if shared else "they leave each other alone"
    out.print(Text.assemble(f"{count} packs in load order: ", (verdict, "bold yellow" if shared else "bold green")))


@app.command(short_help="What a finding means.", epilog=examples("ichnos explain take-format", "ichnos explain"))
def explain(
    identity: Annotated[str | None, typer.Argument(metavar="ID", help="A finding's id.", show_default="all")] = None,
    json: Json = False,
) -> None:
    """What a finding means: what happens in the game, and the cure."""
    from rich.text import Text

    from ichnos.review.findings import KINDS

    if identity is not None and identity not in KINDS:
        from ichnos.likeness import did_you_mean

        raise UsageError(f'there is no finding "{identity}"', cure=did_you_mean(KINDS, identity))
    kinds = [KINDS[identity]] if identity is not None else list(KINDS.values())
    if json:
        rows = [{"id": k.id, "severity": k.severity, "effect": k.effect, "cure": k.cure} for k in kinds]
        show.as_json(rows if identity is None else rows[0])
        return
    out = show.console()
    for kind in kinds:
        style = "bold red" if kind.is_error else "bold yellow"
        out.print(Text.assemble((kind.id, style), "" if kind.is_error else "  (minor: the pack works all the same)"))
        out.print(Text(f"    in the game: {kind.effect}", "dim"))
        out.print(Text(f"    cure: {kind.cure}"))
