"""The listening page: one HTML file with all that is shown in it, and the sounds inside or beside.

Everything from strangers (keys, titles, notes, names of files) is data in it, and becomes text by ``textContent``
alone: the content policy forbids everything else. The script and the style are the files beside this one, allowed by
their SHA-256 (CSP 3). Sounds that lie beside are scripts, for a page that was opened from the disk may read no other
file; only the page's own script can load them, and only by the names that it knows ('strict-dynamic').
"""

from __future__ import annotations

import base64
import hashlib
import io
import json
import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.paths import plain
from ichnos.files.writing import fresh, write_whole
from ichnos.pack.workspace.verdicts import Verdict
from ichnos.page.contents import data_of, is_copied_as_it_is, why_not
from ichnos.page.gathering import Content, PageModel

if TYPE_CHECKING:
    pass

INSIDE, BESIDE = "inside", "beside"
MARK = "<!doctype html>\n<!-- A listening page of Ichnos. -->\n"
MOST_INSIDE = 24_000_000  # bytes of sound that one file holds without being slow to open
_BED_SECONDS = 60.0
_HERE = Path(__file__).parent
# In an order in which each finds what it needs at once.
_MODULES = ("book", "verdicts", "player", "hearing", "index", "leaf", "drawing", "keys", "begin")
_SOUNDS = "@sounds@"  # where they go
_NAME = re.compile(r"[0-9a-f]{16}\.js")  # of a sound beside the page
_MIME = "application/octet-stream"


def sounds_beside(page: Path) -> Path:
    """The folder for the sounds of a page, where they are not in it."""
    return page.with_name(f"{page.stem}-sounds")


def refuse_foreign(page: Path, *, overwrite: bool) -> None:
    """Raises UsageError where something else is to be written over."""
    if not disk.exists(page) or overwrite:
        return
    if disk.is_file(page):
        with disk.opened(page) as stream:
            if stream.read(len(MARK)) == MARK.encode():
                return
    raise UsageError(f"{page} is there already, and is no listening page", cure="name another file, or say --overwrite")


def where_sounds_go(book: PageModel, wanted: str | None) -> str:
    """Inside the page, or beside it: as is wanted, or by how much there is."""
    return wanted or (INSIDE if sum(content.size for content in _playable(book)) <= MOST_INSIDE else BESIDE)


def write(
    book: PageModel,
    page: Path,
    *,
    audio: str,
    verdicts: Sequence[Verdict] = (),
    bed: Path | None = None,
    on_progress: Callable[[float], None] = lambda _: None,
) -> int:
    """Write the page; what lies beside it first, so that it never misses anything.

    A sound beside it is called by its content: until the new page is there, the old one still has its own.

    Args:
        audio: INSIDE or BESIDE.
        verdicts: those that are known already.
        bed: a recording to hear the sounds over; its first minute.

    Returns:
        The bytes written, in all.

    Raises:
        IchnosError: something cannot be written, the pack has changed since it was looked at, or the bed is no audio.
    """
    sources = _sources(book, bed)
    folder = disk.own_place(page.parent, sounds_beside(page))
    size = 0
    names: dict[str, str] = {}
    for digest, sound in sources if audio == BESIDE else ():
        names[digest], length = _beside(folder, digest, sound())
        size += length
        on_progress(1)
    data = data_of(book, verdicts, beside=f"{folder.name}/" if audio == BESIDE else "", names=names, bed=bed)
    whole = _page(book, data, beside=audio == BESIDE)
    head, _, tail = whole.rpartition(_SOUNDS)  # the last: what is before it may be a stranger's
    head = MARK + head
    with fresh(page) as beside, disk.written(beside) as out:
        size += out.write(head.encode())
        for digest, sound in sources if audio == INSIDE else ():
            block = f'<script type="{_MIME}" id="sound-{digest}">{base64.b64encode(sound()).decode()}</script>\n'
            size += out.write(block.encode())
            on_progress(1)
        size += out.write(tail.encode())
    _sweep(folder, set(names.values()))
    return size


def _sources(book: PageModel, bed: Path | None) -> list[tuple[str, Callable[[], bytes]]]:
    """What can be heard, by its digest, and how its bytes are had."""
    sources: list[tuple[str, Callable[[], bytes]]] = [
        (content.digest, partial(_bytes_of, content)) for content in _playable(book)
    ]
    return [*sources, *([("bed", partial(_start_of, bed))] if bed is not None else ())]


def _beside(folder: Path, digest: str, data: bytes) -> tuple[str, int]:
    """Write a sound into a file of its own, called by its content. Gives the name, and how many bytes it has."""
    name = f"{hashlib.sha256(data).hexdigest()[:16]}.js"
    text = f'ichnosSound({json.dumps(digest)}, "{base64.b64encode(data).decode()}");\n'
    write_whole(folder / name, text.encode())
    return name, len(text)


def _page(book: PageModel, data: dict[str, Any], *, beside: bool) -> str:
    """The page without its sounds; where they go stands a mark."""
    from jinja2 import Environment, FileSystemLoader

    style, script = _source("page.css") + _source("leaf.css"), _script()
    environment = Environment(loader=FileSystemLoader(_HERE), autoescape=True, trim_blocks=True, lstrip_blocks=True)
    return environment.get_template("page.html.j2").render(
        policy=_policy(style, script, beside=beside), style=style, script=script, data=_as_script(data),
        title=plain(book.title), game=plain(book.profile.rules.game.title), version=plain(book.said("pack.version")),
        old=plain(book.against), sounds=_SOUNDS,
    )  # fmt: skip


def _sweep(folder: Path, kept: set[str]) -> None:
    """Remove the sounds of a page that was here before."""
    for name in disk.names(folder) if disk.is_folder(folder) else ():
        if _NAME.fullmatch(name) and name not in kept:
            disk.remove(folder / name)


def _source(name: str) -> str:
    """A file of the page's, with the line ends that a browser makes of any."""
    return disk.read(_HERE / name).decode().replace("\r\n", "\n")


def _script() -> str:
    """The page's script: its modules one behind the other, in a scope of their own, without what joins them."""
    modules = [re.sub(r"^import [^;]*;\n", "", _source(f"script/{name}.js"), flags=re.MULTILINE) for name in _MODULES]
    whole = re.sub(r"^export ", "", "".join(modules), flags=re.MULTILINE)
    return f'"use strict";\n(() => {{\n{whole}}})();\n'


def _policy(style: str, script: str, *, beside: bool) -> str:
    """What the page may do: nothing but its own script and style, by their digests; no request at all."""

    def source(text: str) -> str:
        return f"'sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}'"

    scripts = f"{source(script)} 'strict-dynamic'" if beside else source(script)
    return "; ".join(
        (
            "default-src 'none'",
            f"script-src {scripts}",
            f"style-src {source(style)}",
            "base-uri 'none'",
            "form-action 'none'",
            "require-trusted-types-for 'script'",
            "trusted-types ichnos-sounds" if beside else "trusted-types 'none'",
        )
    )


def _as_script(value: Any) -> str:
    """JSON that cannot end the element that it stands in, whatever a title says."""
    text = json.dumps(value, ensure_ascii=True, separators=(",", ":"), allow_nan=False)
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def _playable(book: PageModel) -> list[Content]:
    return [content for content in book.contents().values() if not why_not(content)]


def _bytes_of(content: Content) -> bytes:
    """What the page plays: the file itself, or the same samples as FLAC where no browser decodes it."""
    with content.piece.stream() as stream:
        if disk.digest_of(stream) != content.digest:
            what, cure = "this has changed while it was looked at", "say it again"
            raise IchnosError(what, place=Place(content.piece.label), cure=cure)
        stream.seek(0)
        if is_copied_as_it_is(content):
            return stream.read()
        from ichnos.audio.files import clips

        sound = clips.OpenSound(stream, content.name)
        return _as_flac(sound.blocks(), sound.facts.rate, sound.facts.channels)


def _as_flac(blocks: Iterator[Any], rate: int, channels: int) -> bytes:
    import soundfile

    out = io.BytesIO()
    with soundfile.SoundFile(out, "w", rate, channels, format="FLAC", subtype="PCM_24") as sound:
        for block in blocks:
            sound.write(block)
    return out.getvalue()


def _start_of(bed: Path) -> bytes:
    """The first minute of a recording, in FLAC.

    Raises:
        IchnosError: it is no audio.
    """
    from ichnos.audio.files import clips

    def first(blocks: Iterator[Any], frames: int) -> Iterator[Any]:
        for block in blocks:
            yield block[:frames]
            frames -= len(block)
            if frames <= 0:
                return

    with clips.open_sound(bed) as sound:
        facts = sound.facts
        if facts.channels > 2:
            what = f"{bed} has {facts.channels} channels"
            raise IchnosError(what, cure="take a bed in mono or stereo")
        return _as_flac(first(sound.blocks(), round(_BED_SECONDS * facts.rate)), facts.rate, facts.channels)
