"""``learn``: a draft of a game's profile, from finished packs for it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, app, examples
from ichnos.cli.encoding import encoded
from ichnos.errors import UsageError
from ichnos.files import disk, scratch

if TYPE_CHECKING:
    from ichnos.games.learning.decisions import Doubt
    from ichnos.games.learning.learn import Draft
    from ichnos.games.learning.proving import DraftProof

_MOST_QUESTIONS = 5
_SHOWN = 12


Packs = Annotated[list[Path], typer.Argument(metavar="PACK...", help="Finished packs for one game; two are better.")]
Installation = Annotated[
    Path | None,
    typer.Option(metavar="GAME", help="Where the game is installed: which of the documents are its own."),
]
To = Annotated[
    Path | None, typer.Option(metavar="FOLDER", help="The new profile.", show_default="a name that is made up")
]


@app.command(
    short_help="Draft a game's profile from finished packs.",
    epilog=examples(
        "ichnos learn finished-pack.zip --to my-game",
        "ichnos learn one-pack/ another-pack/ --installation ~/games/Millrace --to millrace",
    ),
)
def learn(
    packs: Packs,
    installation: Installation = None,
    to: To = None,
    ask: Annotated[bool, typer.Option("--ask", help="Ask what is not sure and matters: 5 questions at most.")] = False,
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Learn how packs for a game are made, from finished ones: a draft of its profile, which builds.

    The packs are read through the draft and built again from what was read, and it is said what comes back and what
    does not. Two packs say more than one: what differs between them is the modder's, what does not is the game's.
    The exit code is 1 where anything does not come back.
    """
    from ichnos.games.learning import learn as learning

    if to is not None and disk.exists(to) and not (disk.is_folder(to) and not disk.names(to)):
        raise UsageError(f"{to} is there already", cure="choose another folder: --to FOLDER")
    if ask and json:
        raise UsageError("--ask and --json exclude each other", cure="choose one")
    name = to.absolute().name if to is not None else None
    with show.progress("reading", None) as advance:
        made = learning.learn(packs, installation, name, None, lambda _: advance(1))
    if ask:
        answers = _asked(made)
        if answers:
            made = learning.learn(packs, installation, name, answers)
    folder = to or Path(made.name)
    if to is None and not dry_run and disk.exists(folder):
        raise UsageError(f"{folder} is there already", cure="choose another folder: --to FOLDER")
    proof, fault = _proved(made)
    if proof is not None:
        proof.faults[:0] = made.faults
    if not dry_run:
        made.write(folder)
    for pack in made.packs:
        pack.files.close()
    if json:
        draft = {"game": made.name, "to": None if dry_run else folder, "files": sorted(made.files)}
        remarks = {"doubts": made.doubts, "notes": made.told, "fault": fault}
        show.as_json({**draft, **remarks, "proof": proof and {**encoded(proof), "back": proof.back}})
    else:
        _print(made, folder, proof, fault, written=not dry_run)
    if fault or proof is None or proof.lost or proof.added or proof.misplaced or proof.faults:
        raise typer.Exit(1)


def _proved(made: Draft) -> tuple[DraftProof | None, str | None]:
    """The draft written aside, loaded, and the packs read and built again through it."""
    from ichnos.errors import IchnosError
    from ichnos.games.learning import proving
    from ichnos.games.profiles import loading

    with scratch.throwaway() as aside:
        made.write(aside / made.name)
        try:
            proof = proving.prove(loading.load(aside / made.name), made.packs)
            proof.faults = [fault.replace(f"{aside}/", "") for fault in proof.faults]
            fault = proving.check(aside / made.name)
            return proof, fault and fault.replace(f"{aside}/", "")
        except IchnosError as error:
            return None, str(error).replace(f"{aside}/", "")


def _asked(made: Draft) -> dict[str, str]:
    """The answers to the questions that matter most."""
    if not show.is_answered():
        show.say("Nobody is there to answer: nothing is asked.", err=True)
        return {}
    answers: dict[str, str] = {}
    for doubt in [unsure for unsure in made.doubts if unsure.others][:_MOST_QUESTIONS]:
        _question(doubt)
        choice = typer.prompt("Which", default="1", err=True).strip()
        options = (doubt.taken, *doubt.others)
        if choice.isdecimal() and 1 < int(choice) <= len(options):
            answers[doubt.id] = options[int(choice) - 1]
    return answers


def _question(doubt: Doubt) -> None:
    show.say(f"\n{doubt.place}:  {doubt.text}", err=True, bold=True)
    show.say(f"  1  {doubt.taken}: {doubt.why}", err=True)
    for number, other in enumerate(doubt.others, 2):
        show.say(f"  {number}  {other}", err=True)


def _print(made: Draft, folder: Path, proof: DraftProof | None, fault: str | None, *, written: bool) -> None:
    from rich.text import Text

    documents = [name for name, data in made.files.items() if name.startswith("tree/") and data]
    sounds = sum(len(pack.sounds) for pack in made.packs)
    what = f"{show.counted(len(documents), 'document')}, learned from {show.counted(len(made.packs), 'pack')}"
    verb = "Wrote" if written else "This would write"
    show.say(f"{verb} {folder}: {what} with {show.counted(sounds, 'sound file')}.")
    out = show.console()
    for doubt in made.doubts:
        about = doubt.text if doubt.place == doubt.text else f"{doubt.place}  {doubt.text}"
        sure = (f"  ({doubt.sure}: {doubt.why})", "dim")
        out.print(Text.assemble(("? ", "yellow"), about, ("  is taken for  ", "dim"), doubt.taken, sure))
    _some([f"Note: {note}." for note in made.told], "notes: --json shows all of them.")
    if fault is not None:
        show.say(fault, lead="the draft is not sound yet:", fg="red", bold=True)
    if proof is None:
        return
    show.say(f"Read through it and built again: of {show.counted(proof.values, 'value')} {_back(proof)}.")
    if proof.constant:
        show.say(f"{proof.constant} of them would be the same in every pack.")
    _some([f"  {lost.place}: {lost}" for lost in proof.lost])
    if proof.added:
        show.say(f"{show.counted(len(proof.added), 'value')} would be there that no pack has:")
    _some([f"  {added.place}: {added}" for added in proof.added])
    _some(
        [f"  {what}" for what in (*proof.faults, *(f"{name}: no definition leads to it" for name in proof.misplaced))]
    )
    if written:
        show.say(f"Next: read {folder / 'game.toml'}, then ichnos games check {folder}")


def _some(lines: list[str], more: str = "of them: --json shows all.") -> None:
    for line in lines[:_SHOWN]:
        show.say(line)
    if len(lines) > _SHOWN:
        show.say(f"  and {len(lines) - _SHOWN} more {more}")


def _back(proof: DraftProof) -> str:
    if not proof.lost:
        return "all come back" if proof.values else "there are none to come back"
    return f"{proof.back} come back; {'this one does' if len(proof.lost) == 1 else f'these {len(proof.lost)} do'} not"
