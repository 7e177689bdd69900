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
from ichnos.cli.encoding import encoded
from ichnos.errors import UsageError
from ichnos.files import disk

if TYPE_CHECKING:
    from ichnos.errors import Place
    from ichnos.pack.workspace.verdicts import Verdict
    from ichnos.pack.workspace.workspace import Workspace
    from ichnos.review.check import Checked
    from ichnos.review.findings import Finding
    from ichnos.review.proving import Proved
    from ichnos.review.subject import Subject


Packs = Annotated[
    list[Path] | None,
    typer.Argument(
        metavar="PACK",
        help="A pack's folder or archive; several in load order.",
        show_default="what the workspace built last",
    ),
]
Game = Annotated[
    str | None,
    typer.Option("--game", "-g", metavar="GAME", help="Which game it is for.", show_default="the workspace's"),
]
Installation = Annotated[
    Path | None,
    typer.Option(metavar="FOLDER", help="Where the game is installed, to check the keys against its own."),
]
Budget = Annotated[
    float,
    typer.Option(
        metavar="TIMES",
        min=0.01,
        max=1000,
        help="How much of a large pack is looked at; 1 is 20,000 sounds, 4 GB, 10 hours.",
    ),
]
Verdicts = Annotated[
    Path | None,
    typer.Option(
        metavar="FILE.csv",
        help="What somebody who listened said, as the listening page exports it.",
        show_default="verdicts.csv in the workspace, for its own packs",
    ),
]


@app.command(
    short_help="Prove a pack: read it back, decode it.",
    epilog=examples(
        "ichnos check",
        "ichnos check someones.lampbox --game tarnlight",
        "ichnos check first.lampbox second.lampbox --game tarnlight",
    ),
)
def check(
    packs: Packs = None,
    game: Game = None,
    installation: Installation = None,
    workspace: WorkspaceFolder = Path(),
    json: Json = False,
    budget: Budget = 1.0,
    verdicts: Verdicts = None,
    sarif: Annotated[bool, typer.Option("--sarif", help="Print the findings as SARIF 2.1.0, for code hosts.")] = False,
) -> None:
    """Read a pack back from disk, decode every sound in it, and report findings.

    Several packs are also held against each other, in the order in which the game loads them. What is
    no slip for you is waived in ichnos.toml, under [[waive]], with a reason.
    """
    from ichnos.review import context as contexts
    from ichnos.review import proving

    if json and sarif:
        raise UsageError("--json and --sarif exclude each other", cure="choose one")
    loaded = contexts.workspace_at(workspace, game, needed=not packs or game is None)
    own = not packs
    if not packs:
        packs = [contexts.last_built(loaded)]
        warn_if_behind(loaded)
    context = contexts.context_of(loaded, game, installation, packs, own=own)
    if verdicts is not None:
        context = replace(context, verdicts=_verdicts(verdicts))
    if context.catalogue is None:
        show.keys_unchecked(context.profile.rules.game.title)
    subjects = proving.subjects(context, packs)
    if verdicts is not None:
        _refuse_unknown(context.verdicts, subjects)
    with show.progress("decoding", sum(len(subject.sounds) for subject in subjects)) as advance:
        proved = proving.prove(packs, subjects, lambda _: advance(1), budget)
    if own and loaded:
        proving.note(loaded, proved.results[0])
    _tell(proved, loaded, json=json, sarif=sarif)
    if proved.findings:
        raise typer.Exit(1)


def _tell(proved: Proved, loaded: Workspace | None, *, json: bool, sarif: bool) -> None:
    """Say what came of a check."""
    if proved.over:
        what = f"{show.counted(len(proved.over), 'verdict')} of a sound that has changed since"
        more = " and others" if len(proved.over) > 5 else ""
        show.say(f"{what}: {', '.join(proved.over[:5])}{more}", err=True)
    if sarif:
        from ichnos.review.sarif import sarif as as_sarif

        waived = [waived_finding for result in proved.results for waived_finding in result.waived]
        folders = dict.fromkeys(loaded.files, loaded.folder) if loaded else {}
        show.as_json(as_sarif(list(proved.findings), waived, base=Path.cwd(), folders=folders))
    elif json:
        _print_json(proved.packs, proved.results, proved.shared)
    else:
        for pack, result in zip(proved.packs, proved.results, strict=True):
            _print(result, loaded.shown(pack.absolute()) if loaded else str(pack))
        if len(proved.packs) > 1:
            _print_shared(proved.shared, len(proved.packs))


def passes(folder: Path, *, json: bool = False) -> bool:
    """Check the pack that a workspace built last, and tell whether it works in the game; briefly, where it does."""
    from ichnos.pack.workspace import reading as workspaces
    from ichnos.review import context as contexts
    from ichnos.review import proving

    loaded = workspaces.load(folder)
    package = contexts.last_built(loaded)
    (result,) = proving.prove([package], proving.subjects(contexts.of_workspace(loaded), [package])).results
    proving.note(loaded, result)
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


def _print_json(packs: Sequence[Path], results: Sequence[Checked], shared: Sequence[Finding]) -> None:
    rows: list[dict[str, Any]] = [
        {
            "pack": pack,
            "passed": result.passed,
            "keys": result.keys,
            "sounds": result.sounds,
            "seconds": result.seconds,
            "own-codec": result.own_codec,
            "findings": result.findings,
            "waived": [{**encoded(finding), "waived": reason} for finding, reason in result.waived],
        }
        for pack, result in zip(packs, results, strict=True)
    ]
    together = {"packs": rows, "together": shared}
    show.as_json(rows[0] if len(rows) == 1 else together)


def warn_if_behind(loaded: Workspace | None) -> None:
    from ichnos.pack.build import building

    if loaded and not building.is_current(loaded):
        what = (
            "The workspace or the pack has changed since this was built; what follows is of the pack as it lies there."
        )
        show.say(what, err=True)


def _verdicts(path: Path) -> Sequence[Verdict]:
    from ichnos.pack.workspace import verdicts

    return verdicts.read(disk.read(path), str(path))


def _refuse_unknown(read_verdicts: Sequence[Verdict], subjects: Sequence[Subject]) -> None:
    from ichnos.pack.workspace import verdicts
    from ichnos.review.by_key import of_subject

    verdicts.refuse_unknown(read_verdicts, [key for subject in subjects for key in of_subject(subject).sounds])


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
    of_game = " (the game itself, without packs: only what is broken is reported)" if result.is_game else ""
    read = (
        f"{pack}{of_game}: read back {show.counted(result.documents, 'document')}, {show.counted(result.keys, 'key')};"
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
