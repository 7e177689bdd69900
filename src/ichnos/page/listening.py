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
import math
import re
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ichnos.documents.tree import spelled
from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.paths import plain
from ichnos.files.writing import fresh, write_whole
from ichnos.games.facts import own_facts
from ichnos.games.profiles.vocabulary import is_spoken
from ichnos.games.things import SoundThing
from ichnos.pack.workspace.verdicts import Verdict
from ichnos.page.gathering import Content, Entry, PageModel, Shown
from ichnos.review.by_key import number
from ichnos.review.findings import Finding

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

INSIDE, BESIDE = "inside", "beside"
MARK = "<!doctype html>\n<!-- A listening page of Ichnos. -->\n"
MOST_INSIDE = 24_000_000  # bytes of sound that one file holds without being slow to open
_LONGEST = 1200.0  # seconds: what is longer takes a browser too much memory, decoded
_LARGEST = 300_000_000  # bytes
_BED_SECONDS = 60.0
_HERE = Path(__file__).parent
_SPOKEN = {("Ogg", "Vorbis"), ("Ogg", "Opus"), ("FLAC", "PCM 16"), ("FLAC", "PCM 24"), ("FLAC", "PCM 8")}
_WAV = {"PCM 8", "PCM 16", "PCM 24", "PCM 32", "float 32"}
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
    return wanted or (INSIDE if sum(one.size for one in _playable(book)) <= MOST_INSIDE else BESIDE)


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
    from jinja2 import Environment, FileSystemLoader

    sources: list[tuple[str, Callable[[], bytes]]] = [(one.digest, partial(_bytes_of, one)) for one in _playable(book)]
    if bed is not None:
        sources.append(("bed", partial(_start_of, bed)))
    folder = disk.own_place(page.parent, sounds_beside(page))
    size = 0
    names = {}
    if audio == BESIDE:
        for digest, sound in sources:
            data = sound()
            names[digest] = f"{hashlib.sha256(data).hexdigest()[:16]}.js"
            text = f'ichnosSound({json.dumps(digest)}, "{base64.b64encode(data).decode()}");\n'
            write_whole(folder / names[digest], text.encode())
            size += len(text)
            on_progress(1)
    data_of_page = _data(book, verdicts, beside=f"{folder.name}/" if audio == BESIDE else "", names=names, bed=bed)
    style, script = _source("page.css"), _script()
    environment = Environment(loader=FileSystemLoader(_HERE), autoescape=True, trim_blocks=True, lstrip_blocks=True)
    policy = _policy(style, script, beside=audio == BESIDE)
    whole = environment.get_template("page.html.j2").render(
        policy=policy, style=style, script=script, data=_as_script(data_of_page), title=plain(book.title),
        game=plain(book.profile.rules.game.title), version=plain(book.said("pack.version")), old=plain(book.against),
        sounds=_SOUNDS,
    )  # fmt: skip
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
    return [one for one in book.contents().values() if not _why_not(one)]


def _why_not(content: Content) -> str:
    """Why a browser is not given a sound; empty where it is."""
    if content.glance is None:
        return content.trouble
    seconds = content.glance.facts.seconds
    if content.size > _LARGEST:
        return f"larger than {_LARGEST / 1e6:.0f} MB, which is too much for a page: listen to the file itself"
    if seconds > _LONGEST:
        return f"longer than {_LONGEST / 60:.0f} minutes, which is too much for a page: listen to the file itself"
    return ""


def _is_spoken(content: Content) -> bool:
    """Do browsers decode it as it is?"""
    assert content.glance is not None
    facts = content.glance.facts
    if facts.container == "WAV":
        return facts.codec in _WAV
    return facts.container == "MP3" or (facts.container, facts.codec) in _SPOKEN


def _bytes_of(content: Content) -> bytes:
    """What the page plays: the file itself, or the same samples as FLAC where no browser decodes it."""
    with content.piece.stream() as stream:
        if disk.digest_of(stream) != content.digest:
            what, cure = "this has changed while it was looked at", "say it again"
            raise IchnosError(what, place=Place(content.piece.label), cure=cure)
        stream.seek(0)
        if _is_spoken(content):
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


def _data(
    book: PageModel, verdicts: Sequence[Verdict], *, beside: str, names: dict[str, str], bed: Path | None
) -> dict[str, Any]:
    """All that the page's script shows, as JSON."""
    contents = book.contents()
    order = {digest: number for number, digest in enumerate(contents)}
    rules = book.profile.rules
    keys = {entry.key for entry in book.entries}
    return {
        "identity": f"{rules.game.name}/{book.name}",
        "against": book.against,
        "curve": rules.play.curve,
        "stereo": rules.play.stereo,
        "beside": beside,
        "names": names,
        "bed": bed.name if bed is not None else "",
        "contents": [_content(one) for one in contents.values()],
        "entries": [_entry(book, entry, order) for entry in book.entries],
        "remarks": [_finding(one) for one in book.remarks],
        "verdicts": [
            {"key": one.key, "verdict": one.verdict, "note": one.note, "heard": one.heard}
            for one in verdicts
            if one.key in keys
        ],
    }


def _rounded(value: float | None) -> float | None:
    return None if value is None or not math.isfinite(value) else round(value, 1)


def _content(content: Content) -> dict[str, Any]:
    trouble = _why_not(content)
    said: dict[str, Any] = {"digest": content.digest, "size": content.size, "trouble": trouble}
    seen = content.glance
    if seen is None:
        return said
    facts = seen.facts
    loop = [content.loop[0] / facts.rate, (content.loop[1] + 1) / facts.rate] if content.loop else None
    return said | {
        "format": f"{facts.kind}, {_channels(facts.channels)}, {facts.rate / 1000:g} kHz",
        "channels": facts.channels,
        "seconds": round(facts.seconds, 4),
        "loudness": _rounded(seen.loudness.level),
        "peak": _rounded(seen.peak),
        "truePeak": _rounded(seen.true_peak),
        "loop": loop,
        "copied": not trouble and not _is_spoken(content),
        "shape": _shape(content),
    }


def _channels(count: int) -> str:
    return {1: "mono", 2: "stereo"}.get(count, f"{count} channels")


def _shape(content: Content) -> str:
    """Peak and RMS of each column on the scale from -60 to 0 dBFS, a byte each, in base64."""
    import numpy as np

    assert content.glance is not None
    wave = content.glance.waveform
    peak = np.maximum(np.abs(wave.low), np.abs(wave.high)).max(axis=1)
    rms = wave.rms.max(axis=1)
    return base64.b64encode(np.stack([_scaled(peak), _scaled(rms)], axis=1).tobytes()).decode()


def _scaled(level: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Full scale is 255, -60 dBFS and less is 0."""
    import numpy as np

    db = 20 * np.log10(np.maximum(level, 1e-9))
    return np.asarray(np.round(np.clip(db / 60 + 1, 0, 1) * 255), np.uint8)


def _entry(book: PageModel, entry: Entry, order: dict[str, int]) -> dict[str, Any]:
    said = entry.definition
    old = entry.old_definition
    return {
        "key": entry.key,
        "titles": [[tag or "", text] for tag, text in said.titles.items()],
        "oldTitles": [[tag or "", text] for tag, text in (old.titles if old else {}).items()],
        "category": entry.category,
        "kind": entry.kind,
        "settings": _settings(said),
        "volume": _volume(said),
        "oldVolume": _volume(old),
        "pitch": _pitch(said),
        "oldPitch": _pitch(old),
        "near": entry.near,
        "far": entry.far,
        "positional": entry.positional,
        "loop": said.loops,
        "oldLoop": old.loops if old else False,
        "new": [_piece(one, order) for one in entry.new],
        "old": [_piece(one, order) for one in entry.old],
        "players": list(entry.players),
        "findings": [_finding(one) for one in entry.findings],
        "level": _rounded(entry.level),
        "seconds": round(entry.seconds, 4),
        "size": sum(one.content.size for one in entry.new if one.content),
        "jump": entry.jump,
        "middle": _rounded(book.middles.get(entry.category or entry.kind)),
        "heard": entry.heard,
        "loose": entry.loose,
    }


def _settings(said: SoundThing) -> dict[str, str]:
    facts = (fact for fact in own_facts(said, ()) if fact.field != "category" and not is_spoken(fact.field))
    words = {True: "yes", False: "no"}
    return {
        fact.field.rpartition(".")[2]: words[fact.value] if isinstance(fact.value, bool) else spelled(fact.value)
        for fact in facts
    }


def _volume(said: Any) -> float:
    return min(100.0, number(said.values.get("volume"))) if said else 1.0


def _pitch(said: Any) -> float:
    return min(16.0, max(1 / 16, number(said.values.get("pitch")))) if said else 1.0


def _piece(one: Shown, order: dict[str, int]) -> dict[str, Any]:
    piece = one.piece
    return {
        "role": piece.role,
        "file": piece.name or piece.reference,
        "content": order[one.content.digest] if one.content else None,
        "weight": piece.weight,
        "volume": min(100.0, piece.volume),
        "pitch": min(16.0, max(1 / 16, piece.pitch)),
        "ofGame": piece.of_game,
    }


def _finding(found: Finding) -> dict[str, Any]:
    kind = found.kind
    said = {"id": kind.id, "severity": kind.severity, "reason": found.reason, "effect": kind.effect, "cure": found.cure}
    return {"place": str(found.place), **said}
