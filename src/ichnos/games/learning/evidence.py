"""What finished packs consist of: sounds, pictures, texts that are understood, and others."""

from __future__ import annotations

import os
import posixpath
import re
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePosixPath

from ichnos.audio.files import clips
from ichnos.audio.files.clips import Facts
from ichnos.documents import formats
from ichnos.documents.lines import Lines
from ichnos.documents.lua import Lua
from ichnos.documents.recognition import candidates
from ichnos.documents.text import from_bytes
from ichnos.documents.tree import Document, Format, Node
from ichnos.documents.xml import Xml
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.paths import is_plain, windows_refuses
from ichnos.files.sources import Files, Inside, files_at
from ichnos.games.learning import lines
from ichnos.games.profiles.exemplar import Exemplar

_SOUNDS = (".ogg", ".wav", ".flac", ".opus", ".mp3", ".aif", ".aiff", ".oga")
_PICTURES = (".png", ".jpg", ".jpeg", ".webp", ".bmp", ".gif")
SCRIPTS = (".lua", ".js", ".py", ".rb", ".gd", ".cs", ".sh", ".bat")
_READ = re.compile(
    r"(?i)^(credits?|licen[cs]es?|readme|read me|changes|changelog|copying|notes?)(\.(txt|md|rst|html?))?$"
)
_MARKS = ((b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"), (b"\xef\xbb\xbf", "utf-8"))
_LARGEST = 24 << 20  # bytes of a text that is looked at
_LARGEST_SCRIPT = 1 << 20  # letters of one that is looked at line by line
_MOST = 20_000  # files of a pack


@dataclass
class TextFile:
    """A text of a pack, understood. ``encoding``: where it is neither UTF-8 nor has a mark that says it."""

    pack: int
    name: str
    document: Document
    format: str
    encoding: str | None = None
    escapes: str | None = None

    def __hash__(self) -> int:
        return id(self)


@dataclass
class Pack:
    """A finished pack. ``called``: its folder's or archive's name; ``scripts``: texts that are in no format of ours."""

    index: int
    path: Path
    called: str
    archive: bool
    files: Files
    sounds: dict[str, Facts | None] = field(default_factory=dict)
    pictures: list[str] = field(default_factory=list)
    texts: list[TextFile] = field(default_factory=list)
    scripts: dict[str, str] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)  # credits and the like, for people alone
    others: list[str] = field(default_factory=list)
    broken: list[IchnosError] = field(default_factory=list)

    @property
    def stem(self) -> str:
        """Its name without the extension that only an archive has."""
        return str(PurePosixPath(self.called).stem) if self.archive else self.called


def gather(paths: list[Path], on_progress: Callable[[str], None]) -> list[Pack]:
    """Look at every file of every pack.

    Raises:
        IchnosError: there is nothing at a path, it is no pack, or there is no sound in it.
    """
    packs: list[Pack] = []
    opened = [files_at(path) for path in paths]
    wrapped = [_folder_in(path, files) for path, files in zip(paths, opened, strict=True)]
    if len(wrapped) > 1 and len(set(wrapped)) == 1:
        wrapped = [None] * len(paths)  # the same in all of them is the game's
    for index, (path, files, top) in enumerate(zip(paths, opened, wrapped, strict=True)):
        every = [name for name in files.names() if not name.endswith("/")]
        names = [name for name in every if is_plain(name) and not any(map(windows_refuses, name.split("/")))]
        if len(names) > _MOST:
            what = f"there are {len(names):,} files here, and a pack has no more than {_MOST:,}"
            raise IchnosError(what, place=Place(str(path)), cure="give the pack's own folder")
        archive = not disk.is_folder(path)
        called = disk.resolved(path).name
        if top is not None:
            files, archive, called = Inside(files, top), False, top
            names = [name[len(top) + 1 :] for name in names if name.startswith(f"{top}/")]
        pack = Pack(index, path, called, archive, files)
        pack.broken += [
            IchnosError("no system takes such a name for a file", place=Place(f"{path}/{name}"))
            for name in every
            if not is_plain(name) or any(map(windows_refuses, name.split("/")))
        ]
        _sort(pack, names, on_progress)
        if not pack.sounds:
            what = "there is no sound in this" if names else "this is empty"
            cure = "give a finished pack: its folder, or its archive"
            raise IchnosError(f"{what}, so it is no pack that can be learned from", place=Place(str(path)), cure=cure)
        packs.append(pack)
    return packs


def _folder_in(path: Path, files: Files) -> str | None:
    """The one folder that is all of an archive: a pack's folder, sent as a zip."""
    if disk.is_folder(path) or path.suffix.lower() != ".zip":  # with a suffix of the game's own it is what that reads
        return None
    tops = {name.partition("/")[0] for name in files.names()}
    return tops.pop() if len(tops) == 1 and all("/" in name for name in files.names()) else None


def texts_with(files: Files, index: int, stems: list[bytes]) -> Pack:
    """The texts of a game that hold any of some names, as those of a pack."""
    pack = Pack(index, Path(files.place.path), "", False, files)
    for name in files.names():
        if name.endswith("/") or name.lower().endswith((*_SOUNDS, *_PICTURES)) or files.size(name) > _LARGEST:
            continue
        try:
            data = files.read(name)
        except IchnosError:
            continue
        plain = data.replace(b"\0", b"") if data.startswith((b"\xff\xfe", b"\xfe\xff")) else data
        if b"\0" not in plain[:4096] and any(stem in plain for stem in stems):
            _read(pack, name)
    return pack


def _sort(pack: Pack, names: list[str], on_progress: Callable[[str], None]) -> None:
    def facts(name: str) -> Facts | None:
        try:
            with pack.files.stream(name) as stream:
                return clips.OpenSound(stream, name).facts
        except IchnosError:
            return None

    sounds = [name for name in names if name.lower().endswith(_SOUNDS)]
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for name, found in zip(sounds, pool.map(facts, sounds), strict=True):
            pack.sounds[name] = found
            on_progress(name)
    for name in names:
        if name in pack.sounds:
            continue
        on_progress(name)
        if name.lower().endswith(_PICTURES):
            pack.pictures.append(name)
        else:
            _read(pack, name)
    _take_scripts(pack)


def _take_scripts(pack: Pack) -> None:
    """Scripts, and texts in no known format, that name the pack's sounds where nothing else does: documents as well."""
    names = {PurePosixPath(name).name: name for name in pack.sounds}
    said = "\n".join(text.document.text.content for text in pack.texts)
    references = References(list(pack.sounds))
    is_named = sum(name in said or PurePosixPath(name).stem in said for name in names) > len(names) / 2

    def names_file(word: str) -> bool:
        return any("no-extension" not in way.converters or way.folder for _, way in references.find(word, ""))

    for name in [name for name, text in pack.scripts.items() if len(text) <= _LARGEST_SCRIPT]:
        data = pack.files.read(name)
        encoding = _spelling(data)
        text = from_bytes(data, pack.files.label(name), encoding or "utf-8")
        if not is_named:
            document = _as_data(pack, name, names_file) or lines.document(text, names_file)
        else:  # then only what is a table through and through; what calls something is a script
            is_data = "(" not in text.content
            document = _as_data(pack, name, lambda word: bool(references.find(word, ""))) if is_data else None
        if document is not None:
            kind = "lua" if isinstance(document.format, Lua) else "line-patterns"
            pack.texts.append(TextFile(pack.index, name, document, kind, encoding))
            del pack.scripts[name]


def _as_data(pack: Pack, name: str, names_file: Callable[[str], bool]) -> Document | None:
    """A script of nothing but tables, or calls, that name sounds."""
    if PurePosixPath(name).suffix.lower() != ".lua":
        return None
    try:
        document = formats.parse(pack.files.read(name), pack.files.label(name), formats.named("lua"))
    except IchnosError:
        return None
    return document if any(names_file(value) for _, value in strings(document)) else None


def _read(pack: Pack, name: str) -> None:
    if pack.files.size(name) > _LARGEST:
        pack.others.append(name)
        return
    try:
        data = pack.files.read(name)
    except IchnosError as error:
        pack.broken.append(error)
        return
    if not data.strip():
        pack.others.append(name)
        return
    encoding = _encoding(data)
    if encoding is None:
        with_sound = _as_sound(pack, name)
        if not with_sound:
            pack.others.append(name)
        return
    label = pack.files.label(name)
    if _READ.match(PurePosixPath(name).name):
        pack.notes.append(name)
        return
    try:
        text = from_bytes(data, label, encoding).content
    except IchnosError as error:
        pack.broken.append(error)
        return
    if PurePosixPath(name).suffix.lower() in SCRIPTS:
        pack.scripts[name] = text
        return
    spelling = _spelling(data)
    errors: list[IchnosError] = []
    for kind in candidates(name, text):
        escapes = _escapes(kind, text)
        try:
            document = formats.parse(data, label, form_of(kind, escapes, text), spelling)
        except IchnosError as error:
            errors.append(error)
            continue
        if document.root.children:
            pack.texts.append(TextFile(pack.index, name, document, kind, spelling, escapes))
            return
    if errors and formats.format_of(name) is not None:
        pack.broken.append(errors[0])
    pack.scripts[name] = text


def form_of(kind: str, escapes: str | None, text: str) -> Format:
    """A format, as a text of a pack or of a draft shows it: whether values stand in quotation marks."""
    form = formats.named(kind, escapes)
    if isinstance(form, Lines):
        quoted, all_of = len(_QUOTED.findall(text)), len(_STATEMENT.findall(text))
        return replace(form, quoted=2 * quoted > all_of)
    return form


_QUOTED = re.compile(r"""^[^\[=:;#\r\n]+[=:][ \t]*(?:"[^"\r\n]*"|'[^'\r\n]*')[ \t]*(?:[;#].*)?$""", re.MULTILINE)
_STATEMENT = re.compile(r"^[^\[=:;#\r\n]+[=:]", re.MULTILINE)


def _spelling(data: bytes) -> str | None:
    """How a text is spelled, where neither that it is UTF-8 nor a mark says it."""
    encoding = _encoding(data)
    return None if encoding == "utf-8" or data.startswith(tuple(mark for mark, _ in _MARKS)) else encoding


def _escapes(kind: str, text: str) -> str | None:
    """Does the game read a backslash in a value as itself, where the format's own way is another?"""
    if kind == "braces" and re.search(r'"(?:[^"\\\n]|\\\\)*\\[^\\"nt\n]', text):
        return "none"
    return "backslash" if kind in ("lines", "ini") and re.search(r"\\n|\\\\", text) else None


def _as_sound(pack: Pack, name: str) -> bool:
    """Is it a sound, whatever its name says?"""
    try:
        with pack.files.stream(name) as stream:
            pack.sounds[name] = clips.OpenSound(stream, name).facts
    except IchnosError:
        return False
    return True


def _encoding(data: bytes) -> str | None:
    """How a text is spelled; None for what is no text."""
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            return encoding
    if b"\0" in data:
        return None
    try:
        data.decode("utf-8")
        return "utf-8"
    except UnicodeDecodeError:
        control = sum(byte < 32 and byte not in b"\t\r\n\f" for byte in data[:4096])
        return "cp1252" if not control and _decodes(data, "cp1252") else None


def _decodes(data: bytes, encoding: str) -> bool:
    try:
        data.decode(encoding)
        return True
    except UnicodeDecodeError:
        return False


_OWNED = re.compile(r"(?:(?P<owner>[\w.-]+)(?=[:!|#]))?(?P<sign>[:!|#]{0,2}/{0,3}(?<=.))(?P<path>[^/].*)")


@dataclass(frozen=True)
class Reference:
    """A way to name a file: as seen from ``folder``, spelled with these converters.

    ``line``: what [references] would say of it, where no converters can.
    """

    folder: str
    converters: tuple[str, ...]
    line: tuple[str, str] | None = None

    def __str__(self) -> str:
        relative = (f"relative({self.folder})",) if self.folder else ()
        return "".join(f"~{converter}" for converter in (*relative, *self.converters))


class References:
    """Finds the file of a pack that a text names."""

    def __init__(self, names: list[str]) -> None:
        self._known: dict[str, list[tuple[str, str, bool]]] = {}  # by spelling: file, folder, is it bare?
        for name in names:
            bare = str(PurePosixPath(name).with_suffix(""))
            for spelled, is_bare in ((name, False), (bare, True)):
                pieces = spelled.split("/")
                for cut in range(len(pieces)):
                    own = "/".join(pieces[cut:])
                    self._known.setdefault(own, []).append((name, "/".join(pieces[:cut]), is_bare))
        self._alone = {name.rpartition("/")[2] for name in names}

    def find(self, value: str, document: str) -> list[tuple[str, Reference]]:
        """Each file that a value may name, and how it does, the plainest way first."""
        text = value.strip()
        if not text or len(text) > 500 or "\n" in text:
            return []
        backslash = ("backslash",) if "\\" in text else ()
        plain = text.replace("\\", "/")
        found = self._found(plain, (), backslash)
        if not found and plain.startswith(("../", "./")):
            folder = posixpath.dirname(document)
            joined = posixpath.normpath(posixpath.join(folder, plain))
            found = [
                (name, Reference(folder, (*more.converters,)))
                for name, more in self._found(joined, (), backslash)
                if not more.folder
            ]
        if not found and re.search(r"\.[A-Za-z0-9]{1,4}$", plain):
            stem, _, extension = plain.rpartition(".")
            found = self._found(stem, (f"extension({extension})",), backslash)
        return found or list(self._behind_owner(plain))

    def _behind_owner(self, value: str) -> Iterator[tuple[str, Reference]]:
        """Files that a text names behind the word for whose they are, or behind a slash."""
        match = _OWNED.fullmatch(value)
        for name, folder, is_bare in self._known.get(match["path"], ()) if match else ():
            owner, sign = match["owner"] or "", match["sign"]  # type: ignore[index]
            pieces = folder.split("/") if folder else []
            is_folder = owner in pieces
            if is_folder:
                at = pieces.index(owner)
                pieces = [*pieces[:at], "\0", *pieces[at + 1 :]]
            end = PurePosixPath(name).suffix if is_bare else ""
            there = "/".join([*pieces, ""]).replace("@", "@@").replace("\0", "@owner@")
            left = ("@owner@" if is_folder else owner.replace("@", "@@")) + sign
            yield name, Reference("", (), (f"{left}@path@", f"{there}@path@{end}"))

    def _found(self, plain: str, before: tuple[str, ...], after: tuple[str, ...]) -> list[tuple[str, Reference]]:
        return [
            (name, Reference(folder, (*(before or (("no-extension",) if bare else ())), *after)))
            for name, folder, bare in self._known.get(plain, ())
            if bare or not before
        ]


def read_as(exemplar: Exemplar, text: TextFile) -> Document:
    """A text of a pack as a draft reads it."""
    form = exemplar.document.format
    if form == text.document.format:
        return text.document
    return replace(text.document, format=form, root=form.parse(text.document.text))


def strings(document: Document) -> Iterator[tuple[Node, str]]:
    """Every value of a document that may be a name."""
    for node in document.root.walk():
        if node.holds_value and node.value:
            yield node, node.value


def is_xml(text: TextFile) -> bool:
    return isinstance(text.document.format, Xml)
