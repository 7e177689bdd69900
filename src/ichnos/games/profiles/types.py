"""What fields of game.toml hold: paths, names, encodings, lines."""

from __future__ import annotations

import codecs
import re
from typing import Annotated

from pydantic import AfterValidator

from ichnos.documents.formats import FORMATS
from ichnos.files.paths import is_plain


def inside(path: str) -> str:
    if path.startswith("/") or "\\" in path or ":" in path or ".." in path.split("/"):
        raise ValueError("a path below the pack or the game is expected, with slashes, without ..")
    return "" if path in (".", "./") else path.rstrip("/")


def format_name(name: str) -> str:
    if name not in FORMATS:
        raise ValueError(f"one of {', '.join(FORMATS)} is expected")
    return name


def one_name(name: str) -> str:
    if "/" in name or "\\" in name or name.startswith(".."):
        raise ValueError("a name is expected, without a folder before it")
    return name


# Python's codecs that are no way to write a text file: they encode for other ends, or run what they read.
_NO_ENCODINGS = ("idna", "mbcs", "oem", "punycode", "raw_unicode_escape", "undefined", "unicode_escape", "utf-7")


def encoding_name(name: str) -> str:
    try:
        found = codecs.lookup(name).name
        fits = "{a} = 1\n".encode(name).decode(name) == "{a} = 1\n"
    except (LookupError, ValueError, TypeError):
        found, fits = "", False
    if not fits or found in _NO_ENCODINGS or found.replace("-", "_") in _NO_ENCODINGS:
        raise ValueError(f"there is no encoding named {name!r} for text; there are UTF-8, UTF-16, latin-1, cp1252 ...")
    return name


def _one_file(path: str) -> str:
    if not is_plain(path):
        raise ValueError("the path of a file or a folder below the game's folder is expected, such as cache/sounds.bin")
    return path


def _one_line(line: str) -> str:
    if not line.strip() or len(line.splitlines()) != 1:
        raise ValueError("one line of text is expected")
    return line


def short_names(roots: dict[str, str]) -> dict[str, str]:
    for name in roots:
        if not re.fullmatch(r"[a-z][a-z0-9-]*", name):
            raise ValueError(f'"{name}" cannot be the name of a folder here: small letters, digits and hyphens')
    return roots


InsidePath = Annotated[str, AfterValidator(inside)]
InsideFile = Annotated[str, AfterValidator(inside), AfterValidator(_one_file)]
Line = Annotated[str, AfterValidator(_one_line)]
