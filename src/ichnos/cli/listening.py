"""``listen`` and ``sheet``: what a pack sounds and looks like."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ichnos.cli import show
from ichnos.cli.app import DryRun, Json, Overwrite, WorkspaceFolder, app, examples
from ichnos.errors import UsageError

if TYPE_CHECKING:
    from ichnos.games.opening import Opened
    from ichnos.pack.workspace.workspace import Workspace
    from ichnos.page.gathering import PageModel
    from ichnos.review.subject import Subject

Pack = Annotated[
    Path | None,
    typer.Argument(metavar="PACK", help="A pack's folder or archive.", show_default="what the workspace built last"),
]
Game = Annotated[
    str | None,
    typer.Option("--game", "-g", metavar="GAME", help="Which game it is for.", show_default="the workspace's"),
]
Installation = Annotated[
    Path | None,
    typer.Option(metavar="FOLDER", help="Where the game is installed.", show_default="as the workspace says"),
]


Against = Annotated[
    Path | None,
    typer.Option(
        metavar="OTHER",
        help="What is old: another pack, or an installed game.",
        show_default="the game, or else the last release",
    ),
]
To = Annotated[
    Path | None,
    typer.Option(metavar="PAGE.html", help="Where to put the page.", show_default="listen.html beside the pack"),
]
Bed = Annotated[
    Path | None, typer.Option(metavar="FILE", help="A recording to hear the sounds over: its first minute.")
]
Audio = Annotated[
    str | None,
    typer.Option(
        metavar="inside|beside",
        help="Put the sounds into the page, or into a folder beside it.",
        show_default="inside, up to 24 MB",
    ),
]


@app.command(
    short_help="Make a page to listen to a pack, old against new.",
    epilog=examples(
        "ichnos listen --open",
        "ichnos listen --against release/storm-watch-0.1.0.lampbox --bed storm-recording.wav",
        "ichnos listen someones.lampbox --game tarnlight --to someones.html",
    ),
)
def listen(
    pack: Pack = None,
    against: Against = None,
    to: To = None,
    game: Game = None,
    installation: Installation = None,
    bed: Bed = None,
    audio: Audio = None,
    open_: Annotated[bool, typer.Option("--open", help="Open it in your browser.")] = False,
    overwrite: Overwrite = False,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Make one HTML file in which every sound of a pack is heard and seen, old against new, and judged.

    It needs no network and no server. Verdicts stay in the browser until they are exported; then:
    ichnos assign --verdicts verdicts.csv
    """
    from ichnos.page import listening

    subject, loaded, path = _subject(pack, game, installation, workspace)
    page = to or path.with_name("listen.html")
    _refuse_odd(page, audio, bed)
    listening.refuse_foreign(page, overwrite=overwrite)
    old = _old(subject, loaded, against, path)
    book = _gathered(subject, path, old)
    where = listening.where_sounds_go(book, audio)
    written = 0
    if not dry_run:
        with show.progress("writing", len(book.contents())) as advance:
            written = listening.write(
                book, page, audio=where, verdicts=subject.context.verdicts, bed=bed, on_progress=advance
            )
    _close(subject, old)
    if json:
        show.as_json({"to": page, "audio": where, "bytes": written, **_as_json(book)})
    else:
        beside = f", sounds in {listening.sounds_beside(page)}" if where == "beside" else ""
        show.say(f"would write {page}{beside}" if dry_run else f"{page} is written, {show.size(written)}{beside}")
        _say_of(book)
    if open_ and not dry_run:
        _open(page)


def _refuse_odd(page: Path, audio: str | None, bed: Path | None) -> None:
    from ichnos.files import disk
    from ichnos.page.listening import BESIDE, INSIDE

    if audio not in (None, INSIDE, BESIDE):
        raise UsageError(f'sounds cannot be put "{audio}"', cure="say inside or beside")
    if page.suffix.lower() not in (".html", ".htm"):
        raise UsageError(f"{page} is no name for a page", cure="end it in .html")
    if bed is not None:
        disk.refuse_no_file(bed)


def _open(page: Path) -> None:
    import webbrowser

    if not webbrowser.open(page.absolute().as_uri()):
        show.say(f"No browser was found: open {page} yourself.", err=True)


def _as_json(book: PageModel) -> dict[str, Any]:
    sounds = [
        {
            "key": entry.key,
            "loudness": entry.level,
            "seconds": entry.seconds,
            "jump": entry.jump,
            "old": entry.has_old,
            "findings": entry.findings,
        }
        for entry in book.entries
    ]
    unheard = [
        {"file": content.piece.label, "reason": content.trouble}
        for content in book.contents().values()
        if content.trouble
    ]
    return {"against": book.against or None, "sounds": sounds, "unheard": unheard}


@app.command(
    short_help="Draw a contact sheet of a pack.",
    epilog=examples("ichnos sheet --to sheet.png", "ichnos sheet someones.lampbox --game tarnlight --to sheet.pdf"),
)
def sheet(
    pack: Pack = None,
    to: Annotated[
        Path | None,
        typer.Option(metavar="FILE.png|.pdf", help="What to draw it into.", show_default="sheet.png beside the pack"),
    ] = None,
    game: Game = None,
    installation: Installation = None,
    workspace: WorkspaceFolder = Path(),
    dry_run: DryRun = False,
    json: Json = False,
) -> None:
    """Draw every sound of a pack on one level scale, by category, with loudness, total length and credits.

    A PNG of more sounds than one page holds becomes several: sheet-1.png, sheet-2.png and so on.
    """
    from ichnos.pack.workspace import credit
    from ichnos.page import sheet as sheets

    subject, _, path = _subject(pack, game, installation, workspace)
    picture = to or path.with_name("sheet.png")
    if picture.suffix.lower() not in sheets.KINDS:
        raise UsageError(f"{picture} is neither a PNG nor a PDF", cure="end its name in .png or .pdf")
    book = _gathered(subject, path, None)
    pack_file = subject.context.pack_file
    thanks = credit.in_brief(pack_file) if pack_file is not None else []
    written = sheets.names(picture, sheets.count(book))
    if not dry_run:
        with show.progress("drawing", None):
            written = sheets.draw(book, picture, thanks)
    _close(subject, None)
    if json:
        show.as_json({"to": written, "pages": sheets.count(book), "sounds": len(book.entries)})
        return
    for one in written:
        show.say(f"{'would draw ' if dry_run else ''}{one}{'' if dry_run else ' is drawn'}")
    _say_of(book)


def _subject(
    pack: Path | None, game: str | None, installation: Path | None, workspace: Path
) -> tuple[Subject, Workspace | None, Path]:
    """The pack that is meant, what it is checked against, and where it is."""
    from ichnos.cli import checking
    from ichnos.games.opening import opened, recognised
    from ichnos.review import context as contexts
    from ichnos.review.context import Context
    from ichnos.review.subject import Subject

    loaded = contexts.workspace_at(workspace, game, needed=pack is None)
    if pack is None:
        path = contexts.last_built(loaded)
        checking.warn_if_behind(loaded)
    else:
        path = pack
    if loaded is None and game is None:
        found = recognised(path)
        if found.is_game:
            raise UsageError(f"{path} is a game, and no pack", cure="name a pack, and the game with --against")
        return Subject(Context(found.profile), found.files), None, path
    context = contexts.context_of(loaded, game, installation, [path], own=pack is None)
    return Subject(context, opened(context.profile, path)), loaded, path


def _old(subject: Subject, loaded: Workspace | None, against: Path | None, path: Path) -> Opened | None:
    """What new is held against: as said, or the game as it was, or the last release."""
    from ichnos.files import disk
    from ichnos.games.opening import Opened, through

    if against is not None:
        return through(subject.profile, against)
    if subject.context.own is not None:
        own = subject.context.own
        return Opened(Path(own.place.path), subject.profile, own, is_game=True)
    if loaded is None or subject.context.pack_file is None:
        return None
    from ichnos.pack.workspace.unfinished import RELEASES

    folder = loaded.folder / RELEASES
    names = [one for one in disk.names(folder) if not one.endswith(".sha256")] if disk.is_folder(folder) else []
    archives = [folder / name for name in names if not name.startswith(".") and not disk.is_same(folder / name, path)]
    return through(subject.profile, max(archives, key=disk.changed_at)) if archives else None


def _gathered(subject: Subject, path: Path, old: Opened | None) -> PageModel:
    from ichnos.page import gathering
    from ichnos.review import check as checking

    with show.progress("decoding", len(subject.sounds)) as advance:
        checked = checking.check(subject, lambda _: advance(1))
    with show.progress("listening", gathering.count(subject, old)) as advance:
        return gathering.gather(subject, str(path), checked.findings, old, advance)


def _close(subject: Subject, old: Opened | None) -> None:
    subject.files.close()
    if old is not None and old.files is not subject.context.own:
        old.files.close()


def _say_of(book: PageModel) -> None:
    """What is in a page, and what is not."""
    olds = sum(entry.has_old for entry in book.entries)
    jumps = [entry for entry in book.entries if entry.jump is not None]
    against = f"; {olds} with an old one, from {book.against}" if book.against else ""
    show.say(f"{show.counted(len(book.entries), 'sound')}{against}; {show.counted(len(jumps), 'jump')} in level.")
    if book.against and not olds:
        show.say(f"Nothing in {book.against} that can be heard is under a key of this pack.", err=True)
    for entry in jumps[:_MOST]:
        jump = entry.jump or 0.0
        how = "louder" if jump > 0 else "quieter"
        show.say(f"  {entry.key} is {abs(jump):z.1f} LU {how} than the middle of {entry.category or 'its kind'}")
    if len(jumps) > _MOST:
        show.say(f"  and {len(jumps) - _MOST} more")
    unheard = [content for content in book.contents().values() if content.trouble]
    for one in unheard[:_MOST]:
        show.say(f"not heard: {one.piece.label}: {one.trouble}", err=True)
    if len(unheard) > _MOST:
        show.say(f"not heard: {len(unheard) - _MOST} more", err=True)
    if book.left_out:
        entries = "entry" if book.left_out == 1 else "entries"
        what = f"Left out: {book.left_out:,} {entries} of the game's own, in the pack's copy of its documents."
        show.say(what, err=True)


_MOST = 10  # lines of one sort
