"""Scripts of packs as templates: lines that repeat for each sound or each trigger become a loop, and are proved."""

from __future__ import annotations

import re
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from itertools import pairwise
from pathlib import Path

from ichnos.documents.regions import region_of
from ichnos.documents.tree import Value
from ichnos.errors import IchnosError
from ichnos.files import disk, scratch
from ichnos.games.learning import lexicon
from ichnos.games.profiles.calls import parse_call
from ichnos.games.profiles.name_rules import NameRules
from ichnos.games.profiles.vocabulary import PACK, SOUND, TRIGGER
from ichnos.games.profiles.word import attribute
from ichnos.games.scripts import render, script_values
from ichnos.games.things import PackThing, Thing

_VALUE = re.compile(r'"(?:[^"\\\n]|\\.)*"|\'(?:[^\'\\\n]|\\.)*\'|(?<![\w.])-?\d+(?:\.\d+)?(?![\w.])|\b(?:true|false)\b')
_FIELD = re.compile(r"(,?\s*)(\w+)(\s*=\s*)$")
_JINJA = ("{{", "{%", "{#")
_COMMENTS = ("--", "#", "//", ";")


@dataclass(frozen=True)
class ScriptValue:
    """A value in a line: the text before it, the name of its field (or ""), and the value as it is spelled."""

    before: str
    name: str
    text: str

    @property
    def value(self) -> Value:
        if self.text[:1] in "\"'":
            return re.sub(
                r"\\(.)", lambda mark: {"n": "\n", "t": "\t", "r": "\r"}.get(mark[1], mark[1]), self.text[1:-1]
            )
        if self.text in ("true", "false"):
            return self.text == "true"
        return float(self.text)


@dataclass
class ScriptDraft:
    """A script's template, and the comment that marks a region in it, where there is one.

    ``triggers``: what the script of each pack waits for.
    """

    template: str
    region: str | None
    functions: dict[str, str] = field(default_factory=dict)  # what they mean: how the game's are called
    triggers: dict[int, list[Thing]] = field(default_factory=dict)  # by pack


Line = tuple[list[ScriptValue], str]  # its values, and what is behind the last


def draft(texts: dict[int, str], packs: dict[int, PackThing], names: NameRules) -> ScriptDraft | None:
    """A template that gives every pack's script again; None where none is found.

    Args:
        texts: the script of each pack, by its number. said: what each says in its documents.
    """
    for comment in _COMMENTS:
        inner = {pack: region_of(text, comment)[1] for pack, text in texts.items()}
        if all(inner.values()):
            script = _draft({pack: text.strip("\n") + "\n" for pack, text in inner.items()}, packs, names)
            if script is not None:
                script.region = comment
            return script
    return _draft(texts, packs, names)


def _draft(texts: dict[int, str], packs: dict[int, PackThing], names: NameRules) -> ScriptDraft | None:
    keys = {pack: [sound.key for sound in pack_said.sounds] for pack, pack_said in packs.items()}
    if any(sign in text for text in texts.values() for sign in _JINJA):
        return None  # it would be taken for the template's own
    taken_apart = {pack: _blocks(text, set(keys.get(pack, ()))) for pack, text in texts.items()}
    if not all(taken_apart.values()):
        return None
    heads = {parts[0] for parts in taken_apart.values() if parts}
    tails = {parts[2] for parts in taken_apart.values() if parts}
    blocks = {pack: parts[1] for pack, parts in taken_apart.items() if parts}
    if len(heads) != 1 or len(tails) != 1:
        return None
    every = [block for several in blocks.values() for block in several]
    all_keys = {key for several in keys.values() for key in several}
    simple = all(len(pieces) <= 1 for block in every for pieces, _ in block)
    made = _for_sounds(every, all_keys) if simple else _for_triggers(every, all_keys)
    if made is None:
        return None
    loop, holes = made
    over = "sound in sounds" if simple else "trigger in triggers"
    body = f"{{% for {over} %}}\n{loop}{{% endfor %}}\n"
    template = f"{heads.pop()}{body}{tails.pop()}"
    script = ScriptDraft(template, None, {} if simple else functions(max(every, key=_much), holes))
    for pack, text in texts.items():
        definitions = packs.get(pack, PackThing(PACK))
        if not simple:
            script.triggers[pack] = [_trigger(block, holes) for block in blocks[pack]]
            there = {SOUND: definitions.sounds, TRIGGER: tuple(script.triggers[pack])}
            definitions = replace(definitions, inside=there)
        if _rendered(template, definitions, names) != text:
            return None
    return script


def _much(block: list[Line]) -> int:
    return sum(len(pieces) for pieces, _ in block)


def functions(block: list[Line], holes: dict[str, str]) -> dict[str, str]:
    """How the game's functions are called that wait for an event and play a sound: as a profile says it."""
    calls: dict[str, list[str]] = {}
    name, table = "", False
    for number, (pieces, rest) in enumerate(block):
        for at, (before, piece) in enumerate([*((one.before, one) for one in pieces), (rest, None)]):
            for sign in re.finditer(r"([A-Za-z_][\w.:]*)\(|[{}]|\bfunction\b", before):
                if "function" in (sign[0], sign[1]):
                    calls.get(name, []).append("do")
                elif sign[1]:
                    name, table = sign[1], False
                    calls.setdefault(name, [])
                else:
                    table = sign[0] == "{"
                    if name and table:
                        calls[name].append("{}")
            if piece is None or not name:
                continue
            ours = attribute(holes.get(f"{number}/{piece.name or at}", ""))
            if not table:
                calls[name].append(ours)
            elif calls[name] and calls[name][-1].endswith("}"):
                said = ours if ours == piece.name else f"{ours} = {piece.name}"
                inside = calls[name][-1][1:-1]
                calls[name][-1] = f"{{{f'{inside}, ' if inside else ''}{said}}}"
    by_name = {}
    for called, arguments in calls.items():
        means = "listen" if "do" in arguments else "play" if "key" in arguments else ""
        text = f"{called}({', '.join(arguments)})"
        with suppress(ValueError):
            if means and means not in by_name:
                parse_call(means, text)
                by_name[means] = text
    return by_name


def _rendered(template: str, definitions: PackThing, names: NameRules) -> str | None:
    with scratch.throwaway() as aside:
        disk.write(aside / "script.j2", template.encode())
        try:
            return render(Path(aside), "script.j2", script_values(definitions, names))
        except IchnosError:
            return None


def _blocks(text: str, keys: set[str]) -> tuple[str, list[list[Line]], str] | None:
    """A script as what stands before its blocks, the blocks that each name a key, and what stands behind them."""
    lines = text.splitlines(keepends=True)
    apart = [_line(line) for line in lines]
    named = [any(piece.value in keys for piece in pieces) for pieces, _ in apart]
    if not any(named):
        return None
    first_named = named.index(True)
    starts_with = next(
        (
            _head(apart[at])
            for at in range(first_named, -1, -1)
            if apart[at][0] and not lines[at][:1].isspace() and _head(apart[at])
        ),
        None,
    )
    if starts_with is None:
        return None
    starts = [
        at for at, one in enumerate(apart) if one[0] and _head(one) == starts_with and not lines[at][:1].isspace()
    ]
    length = starts[1] - starts[0] if len(starts) > 1 else _until_end(lines, starts[0])
    blocks = []
    for start in starts:
        block = apart[start : start + length]
        if len(block) < length or not any(piece.value in keys for pieces, _ in block for piece in pieces):
            return None
        blocks.append(block)
    if any(b - a != length for a, b in pairwise(starts)):
        return None
    return "".join(lines[: starts[0]]), blocks, "".join(lines[starts[-1] + length :])


def _until_end(lines: Sequence[str], start: int) -> int:
    """How many lines a single block has: up to the next that begins at the margin, with that if it only closes."""
    at = start + 1
    while at < len(lines) and (lines[at][:1].isspace() or not lines[at].strip()):
        at += 1
    closes = at < len(lines) and re.fullmatch(r"(end|\}|\)|\])?[\])};,]*\s*", lines[at]) is not None
    opened = lines[start].count("(") + lines[start].count("{") > lines[start].count(")") + lines[start].count("}")
    return at - start + (1 if closes and (opened or at > start + 1) else 0)


def _head(line: Line) -> str:
    pieces, _ = line
    return pieces[0].before if pieces else ""


def _line(text: str) -> Line:
    pieces, at = [], 0
    for match in _VALUE.finditer(text):
        before = text[at : match.start()]
        name = _FIELD.search(before)
        pieces.append(ScriptValue(before, name[2] if name else "", match[0]))
        at = match.end()
    return pieces, text[at:]


def _for_sounds(blocks: list[list[Line]], keys: set[str]) -> tuple[str, dict[str, str]] | None:
    """Lines that say of each sound its key."""
    first, out = blocks[0], ""
    for pieces, rest in first:
        for piece in pieces:
            if piece.value not in keys or piece.text[:1] != '"':
                return None
            out += f"{piece.before}{{{{ sound.key | quoted }}}}"
        out += rest
    return out, {}


def _for_triggers(blocks: list[list[Line]], keys: set[str]) -> tuple[str, dict[str, str]] | None:
    """Lines that say of each trigger what it waits for and plays, some of it only where it is said."""
    holes: dict[str, str] = {"": ""}
    out = ""
    texts = iter(("trigger.event", "trigger.where", "trigger.from"))
    for number in range(len(blocks[0])):
        variants = [block[number] for block in blocks]
        base = max(variants, key=lambda one: len(one[0]))
        for at, piece in enumerate(base[0]):
            spot = f"{number}/{piece.name or at}"
            hole = _hole(piece, keys, texts, set(holes.values()))
            if hole is None:
                return None
            holes[spot] = hole
            always = (
                all(any(value.name == piece.name for value in pieces) for pieces, _ in variants) if piece.name else True
            )
            written = _written(piece, hole)
            if always:
                out += f"{piece.before}{written}"
            else:
                own = f"trigger.{hole.rpartition('.')[2]}"
                out += f"{{% if {own} %}}{piece.before}{{{{ {own} | quoted }}}}{{% endif %}}" if _is_text(piece) else ""
                if not _is_text(piece):
                    out += f"{{% if {own} is not none %}}{piece.before}{{{{ {own} }}}}{{% endif %}}"
        out += base[1]
    return out, holes


def _is_text(piece: ScriptValue) -> bool:
    return piece.text[:1] in "\"'"


def _hole(piece: ScriptValue, keys: set[str], texts: object, taken: set[str]) -> str | None:
    if piece.value in keys and "trigger.key" not in taken:
        return "trigger.key"
    if piece.name:
        kind = "text" if _is_text(piece) else "yes-no" if piece.text in ("true", "false") else "number"
        fits = {
            name
            for name in lexicon.WORDS[TRIGGER]
            if {"text": 1, "number": 2, "yes-no": 3}[kind]
            == (
                3
                if name == "trigger.once"
                else 2
                if name.rpartition(".")[2] in ("delay", "fade", "volume", "odds")
                else 1
            )
        }
        hole_for = lexicon.hole_for(TRIGGER, [piece.name], taken, fits)
        return hole_for[0] if hole_for else None
    if _is_text(piece):
        return next((text for text in texts if text not in taken), None)  # type: ignore[attr-defined]
    return None


def _written(piece: ScriptValue, hole: str) -> str:
    name = f"trigger.{hole.rpartition('.')[2]}"
    if hole == "trigger.key" or hole == "trigger.event":
        return f"{{{{ {name} | quoted }}}}"
    if _is_text(piece):
        return f'{{{{ ({name} or "") | quoted }}}}'
    if piece.text in ("true", "false"):
        return f'{{{{ "true" if {name} else "false" }}}}'
    neutral = f"{lexicon.NEUTRAL.get(hole, 0):g}"
    return f"{{{{ {neutral} if {name} is none else {name} }}}}"


def _trigger(block: list[Line], holes: dict[str, str]) -> Thing:
    values: dict[str, Value] = {"trigger.does": "play"}
    for number, (pieces, _) in enumerate(block):
        for at, piece in enumerate(pieces):
            hole = holes.get(f"{number}/{piece.name or at}")
            if hole and piece.value != "":
                values[hole] = piece.value
    return Thing(TRIGGER, values)
