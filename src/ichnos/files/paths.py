"""Paths: which are safe, which no system takes, and how messages call them and whatever else strangers wrote."""

from __future__ import annotations

import os
import re
import unicodedata
from collections.abc import Iterable
from pathlib import Path

# What no terminal is to be sent in a text: control characters (also those of the second half), what turns the
# direction of writing round, line ends that only some see, and halves of letters out of file names.
UNSEEN = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff]")
LONGEST_NAME = 255  # bytes of one name, on the usual systems
SPELL_PATHS = r"in double quotes TOML reads \ as its own sign: write paths with /, or in single quotes: 'C:\Games\Mine'"
_OF_WINDOWS = re.compile(r"(.*/)?([A-Za-z]:\\|\\\\)")
_FORBIDDEN = re.compile(r'[\\:*?"<>|\x00-\x1f]')
_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(\..*)?|.*[. ]", re.IGNORECASE)


def folded(path: str) -> str:
    """A path as systems see it that take capitals and small letters, and both spellings of an accent, for one.

    >>> folded("Möwe.ogg") == folded("mo\u0308we.OGG")
    True
    """
    return unicodedata.normalize("NFC", unicodedata.normalize("NFC", path).casefold())


def listed(names: Iterable[str]) -> str:
    """Names as a sentence has them, each once.

    >>> listed(["birch", "cedar", "birch", "elm"])
    'birch, cedar and elm'
    """
    unique = list(dict.fromkeys(names))
    return unique[0] if len(unique) == 1 else f"{', '.join(unique[:-1])} and {unique[-1]}"


def leads_out(path: str) -> bool:
    """Does a path with slashes lead out of the folder that it is below: absolute, with a drive, or by ``..``?

    >>> leads_out("lore/voices.json"), leads_out("../voices.json"), leads_out("C:/voices.json")
    (False, True, True)
    """
    pieces = path.replace("\\", "/").split("/")
    return pieces[0] == "" or ":" in pieces[0] or ".." in pieces


def is_plain(path: str) -> bool:
    """Is it a path below a folder, with slashes, of names that every system takes, none of them . or .. or empty?

    >>> is_plain("lore/voices.json"), is_plain("lore//voices.json"), is_plain("what?.json")
    (True, False, False)
    """
    return all(piece not in ("", ".", "..") for piece in path.split("/")) and not _FORBIDDEN.search(path)


def windows_refuses(name: str) -> bool:
    """Is it a name of a device, or one with a dot or a space at its end, that Windows would cut?

    >>> windows_refuses("aux.ogg"), windows_refuses("bell."), windows_refuses("bell.ogg")
    (True, True, False)
    """
    return name not in ("", ".", "..") and _RESERVED.fullmatch(name) is not None


def shown(folder: Path, path: Path) -> str:
    """A path as messages call it: from a folder, with slashes, where it lies below that; else as it is."""
    return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else str(path)


def misread(path: str) -> str:
    r"""What to do about a path whose backslashes were read as TOML's own; "" where there were none.

    >>> misread("clips/thud.wav"), misread("clips\thud.wav") == SPELL_PATHS
    ('', True)
    """
    if not any(letter in path for letter in "\b\t\n\f\r\x1b"):
        return ""
    return SPELL_PATHS


def elsewhere(path: Path | str) -> str:
    """What to do about a path that only Windows has, where this is another system; else "".

    >>> elsewhere("the game")
    ''
    """
    is_windows = _OF_WINDOWS.match(str(path)) is not None
    return "this is a path of Windows: write it as this system has it" if is_windows and os.name != "nt" else ""


def seen_from(folder: Path, path: Path) -> str:
    """A path from a folder, with slashes, also where it does not lie below; absolute on another drive."""
    try:
        return Path(os.path.relpath(path, folder)).as_posix()
    except ValueError:
        return path.as_posix()


def below(folder: Path, path: str) -> Path:
    """The path that ``seen_from`` gave, again."""
    return Path(os.path.normpath(folder / path))


def plain(text: str) -> str:
    r"""A text as it is shown, whoever wrote it: what would not be seen, or would act on a terminal, is spelled out.

    >>> plain("a\x1b[2Jb"), plain("fog\udcffhorn")
    ('a\\x1b[2Jb', 'fog\\xffhorn')
    """
    return UNSEEN.sub(_spelled_out, text)


def _spelled_out(match: re.Match[str]) -> str:
    code = ord(match[0])
    if 0xDC80 <= code <= 0xDCFF:  # a byte of a file name that is no UTF-8 (PEP 383)
        code -= 0xDC00
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"
