"""Which texts of packs are one document: the same in two packs, or one for each sound, language or prop."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from ichnos.games.learning.evidence import Pack, TextFile, is_xml

# ISO 639-1, of the languages that games are translated to.
_LANGUAGES = frozenset(
    [
        "ar",
        "bg",
        "ca",
        "cs",
        "cy",
        "da",
        "de",
        "el",
        "en",
        "eo",
        "es",
        "et",
        "eu",
        "fa",
        "fi",
        "fr",
        "ga",
        "gl",
        "he",
        "hi",
        "hr",
        "hu",
        "id",
        "is",
        "it",
        "ja",
        "ka",
        "ko",
        "la",
        "lb",
        "lt",
        "lv",
        "mk",
        "ms",
        "mt",
        "nb",
        "nl",
        "nn",
        "no",
        "pl",
        "pt",
        "ro",
        "ru",
        "sk",
        "sl",
        "sq",
        "sr",
        "sv",
        "ta",
        "th",
        "tr",
        "uk",
        "ur",
        "vi",
        "zh",
    ]
)
_ALIKE = 0.5  # of the names at their tops that two files of one kind have in common


def is_language(text: str) -> bool:
    """Is it a language's tag, as games write them?

    >>> [is_language(text) for text in ("en", "pt-BR", "zh_Hans", "sfx")]
    [True, True, True, False]
    """
    fullmatch = re.fullmatch(r"([a-z]{2})(?:[-_][A-Za-z]{2,4})?", text)
    return fullmatch is not None and fullmatch[1] in _LANGUAGES


# Words that are tags of languages by chance: alone they say nothing.
_WORDS = frozenset(("id", "is", "it", "no", "he", "el", "et", "da", "la", "io"))
_TAG = re.compile(r"(?<![A-Za-z0-9])[a-z]{2}(?:[-_][A-Za-z]{2,4})?(?![A-Za-z0-9])")


@dataclass
class Group:
    """Texts that are one document of the profile. ``several``: a pack has more than one of them.

    ``in_languages``: the path of the first, with a hole for the language, where there is one for each.
    """

    texts: list[TextFile] = field(default_factory=list)
    several: bool = False
    in_languages: str | None = None

    @property
    def first(self) -> TextFile:
        return self.texts[0]

    def __hash__(self) -> int:
        return id(self)


def groups(packs: list[Pack], names: list[str]) -> list[Group]:
    """The documents that packs consist of.

    Args:
        names: the short name of each pack, which stands for itself in paths.
    """
    found: list[Group] = []
    by_path: dict[str, Group] = {}
    for pack, own in zip(packs, names, strict=True):
        here: dict[tuple[str, str, str], list[Group]] = {}
        spoken = _spoken([text.name for text in pack.texts])
        for text in pack.texts:
            in_languages = spoken.get(text.name)
            path = _masked(in_languages or text.name, own)
            kind = (str(PurePosixPath(path).parent), PurePosixPath(path).suffix, text.format)
            group = by_path.get(path)
            if group is None and in_languages is None:
                group = next((one for one in here.get(kind, ()) if _alike(one, text)), None)
                group = group or next((one for one in found if _is_one(one, text, kind, names)), None)
            if group is None:
                group = Group(in_languages=in_languages)
                found.append(group)
            group.several |= any(file.pack == text.pack for file in group.texts)
            group.texts.append(text)
            by_path[path] = group
            if group not in here.setdefault(kind, []):
                here[kind].append(group)
    return found


def _spoken(names: list[str]) -> dict[str, str]:
    """The files that are there once for each language, each with its path and a hole for that."""
    tried: dict[str, set[str]] = {}
    ways: dict[str, list[tuple[str, str, bool]]] = {}
    for name in names:
        for match in _TAG.finditer(name):
            if is_language(match[0]):
                path = f"{name[: match.start()]}@language@{name[match.end() :]}"
                ends = (
                    name[match.start() - 1 : match.start()] in ("", "/"),
                    name[match.end() : match.end() + 1] in ("/", "."),
                )
                ways.setdefault(name, []).append((path, match[0], all(ends)))
                tried.setdefault(path, set()).add(match[0])
    result = {}
    for name, several in ways.items():
        several.sort(key=lambda one: -len(tried[one[0]]))
        path, tag, whole = several[0]
        if len(tried[path]) > 1 or (whole and tag not in _WORDS):
            result[name] = path
    return result


def _masked(path: str, own: str) -> str:
    """A path with the pack's own name taken out."""
    return re.sub(rf"(?<![a-z0-9]){re.escape(own)}(?![a-z0-9])", "\0", path) if own else path


def _alike(group: Group, text: TextFile) -> bool:
    """Are a group's texts and one beside them in its folder of one kind?"""
    if group.in_languages or text.format in ("lines", "list"):
        return False  # their names are whatever they are about
    return _in_common(tops(group.texts[-1]), tops(text))


def _is_one(group: Group, text: TextFile, kind: tuple[str, str, str], names: list[str]) -> bool:
    """Is a text of another pack one of a group's, under another name?"""
    other = group.first
    if other.pack == text.pack or group.in_languages:
        return False
    path = _masked(other.name, names[other.pack])
    if (str(PurePosixPath(path).parent), PurePosixPath(path).suffix, other.format) != kind:
        return False
    if not group.several and text.format in ("lines", "list"):
        return False
    return _in_common(tops(other), tops(text))


def _in_common(one: set[str], other: set[str]) -> bool:
    return bool(one) and len(one & other) >= _ALIKE * len(one | other)


def tops(text: TextFile) -> set[str]:
    """The names at a text's top, by which its kind is known."""
    root = text.document.root
    if text.format in ("csv", "tsv"):
        return {str(cell.label) for cell in root.children[0].children}
    if text.format == "braces":
        return {(child.label or "").split(" ")[0] for child in root.children}
    if is_xml(text):
        return {str(root.label)}
    return {re.sub(r"\W*\d+$", "", child.label or "") for child in root.children}
