"""Writes docs/profile-reference.md and the JSON Schemas in docs/ from the code; --check only compares."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from ichnos.audio.process import treatments
from ichnos.documents.formats import FORMATS
from ichnos.documents.tree import spelled
from ichnos.games.profiles import loading, places
from ichnos.games.profiles.converters import CONVERTERS
from ichnos.games.profiles.rules import Rules
from ichnos.games.profiles.vocabulary import ID_PREFIX, SCOPES, WORDS
from ichnos.games.samples import sample_pack
from ichnos.games.sandbox import MOST_STEPS, MOST_TEXT, PLAIN_FILTERS
from ichnos.games.scripts import FILTERS, script_values
from ichnos.pack.workspace.local import Local
from ichnos.pack.workspace.pack_file import PackFile
from ichnos.review.findings import KINDS

DOCS = Path(__file__).resolve().parent.parent / "docs"


def reference() -> str:
    """The reference of every hole, converter, format and rule."""
    lines = [
        "# Profile reference",
        "",
        "Made from the code by `tools/reference.py`; a test fails when it falls behind.",
        "The guide is [profiles.md](profiles.md).",
        "",
        "## Holes",
        "",
        "`@name@`, `@name~converter@`, `@name~converter(argument)=default@`; `@@` is a plain @.",
        "A hole with neither value nor default is left out, with the smallest thing around it that can be.",
        "",
    ]
    for scope, inner in ((one.name, one.inside) for one in SCOPES.values()):
        lines += [
            f"### {scope}" + (f" (holds: {', '.join(inner)})" if inner else ""),
            "",
            "| hole | kind | meaning |",
            "|---|---|---|",
        ]
        lines += [
            f"| `@{word.name}@` | {word.kind} | {word.meaning} |" for word in WORDS.values() if word.scope == scope
        ]
        if scope == "pack":
            lines.append(f"| `@{ID_PREFIX}NAME@` | id | an id minted once for the pack, one for each NAME |")
        lines.append("")
    lines += ["## Converters", "", "| converter | writes | ours | the game's |", "|---|---|---|---|"]
    for name, kind in CONVERTERS.items():
        shown = f"~{name}({kind.argument})" if kind.argument else f"~{name}"
        ours, theirs = (_shown(value) for value in kind.example)
        lines.append(f"| `{shown}` | {kind.meaning} | `{ours}` | `{theirs}` |")
    lines += ["", "## Formats", "", "| name | files that end in |", "|---|---|"]
    for name, make in FORMATS.items():
        suffixes = ", ".join(make().suffixes) or "nothing of its own: name it in game.toml"
        lines.append(f"| `{name}` | {suffixes} |")
    lines += ["", *_scripts(), "", "## game.toml", ""]
    lines += _tables(Rules, "", set())
    return "\n".join(lines).rstrip() + "\n"


_IN_SCRIPTS = {
    "group": "the sound key up to its last separator",
    "own": "the sound key after it",
    "spelled": "the key as the game's file names spell it",
    "kind": "the kind of sound that it is",
    "like": "the key that its entry starts from",
    "titles": "by language: `sound.titles.en`",
    "texts": "by language: `prop.texts.en`",
    "fields": "the free fields by name: `sound.fields.mood`",
    "takes": "its takes, as below",
    "parts": "its parts, as below",
    "translated": "what is said in several languages: `pack.translated.title.de`",
    "ids": "by name: `pack.ids.NAME`",
    "languages": "those of the titles",
    "entries": "its entries, as below",
}


def _scripts() -> Iterator[str]:
    """What a script's template is given, and the filters."""
    profile = loading.load(places.find("ombervale"))
    values = script_values(sample_pack(profile), profile.rules.names)
    sound, schedule = values["sounds"][0], values["schedules"][0]
    yield from (
        "## Scripts",
        "",
        "A script's template, `scripts/PATH.j2`, is given `pack` and `game`, and the lists `sounds`, `triggers`,",
        "`props` and `schedules`. What nobody has said is none. `games check` fills it with a made-up pack that has",
        "everything.",
        "",
        "| name | meaning | made up |",
        "|---|---|---|",
    )
    tables: list[tuple[str, str, dict[str, Any]]] = [
        ("pack", "pack.", values["pack"]),
        ("game", "game.", values["game"]),
        ("sound", "", sound),
        ("take", "take.", sound["takes"][0]),
        ("part", "part.", values["sounds"][-1]["parts"][0]),
        ("trigger", "trigger.", values["triggers"][0]),
        ("prop", "prop.", values["props"][0]),
        ("schedule", "schedule.", schedule),
        ("entry", "entry.", schedule["entries"][0]),
    ]
    for name, prefix, table in tables:
        for field, value in table.items():
            known = WORDS.get(prefix + field.replace("_", "-")) or WORDS.get(field)
            meaning = known.meaning if known else _IN_SCRIPTS[field]
            shown = "" if isinstance(value, dict | list) or value in ("", None) else f"`{_shown(value)}`"
            yield f"| `{name}.{field}` | {meaning} | {shown} |"
    yield from (
        "",
        "Of Jinja's own filters there are those that give the same result each time: "
        + ", ".join(f"`{name}`" for name in sorted((*PLAIN_FILTERS, "indent", "join", "replace", "round", "string")))
        + f". A script takes at most {MOST_STEPS:,} steps and {MOST_TEXT:,} characters.",
    )
    yield from ("", "| filter | what it makes | of | is |", "|---|---|---|---|")
    for name, filter_ in FILTERS.items():
        about = (filter_.__doc__ or "").splitlines()[0].rstrip(".")
        yield f"| `{name}` | {about[0].lower()}{about[1:]} | `far.bell` | `{filter_('far.bell')}` |"
    for name, kind in CONVERTERS.items():
        shown = f'{name.replace("-", "_")}("{kind.argument}")' if kind.argument else name.replace("-", "_")
        ours, theirs = (_shown(value) for value in kind.example)
        yield f"| `{shown}` | {kind.meaning} | `{ours}` | `{theirs}` |"


def pack_file() -> str:
    """Every field of ichnos.toml."""
    lines = [
        "# The workspace's file, ichnos.toml",
        "",
        "Made from the code by `tools/reference.py`; a test fails when it falls behind. Worked examples are in",
        "[games.md](games.md), and what the parts are for in [workspace.md](workspace.md). What a game has no place",
        "for is not written, and `ichnos build` says so. For editors that check TOML:",
        "[ichnos.schema.json](ichnos.schema.json).",
        "",
        *_tables(PackFile, "", set()),
        "## ichnos.local.toml",
        "",
        "What is so on one machine alone. Leave it out when you hand the workspace on.",
        "",
        *_tables(Local, "", set()),
        *_steps(),
    ]
    return "\n".join(lines).rstrip() + "\n"


def findings() -> str:
    """Everything that a check can say."""
    lines = [
        "# Findings",
        "",
        "Made from the code by `tools/reference.py`; a test fails when it falls behind. `ichnos explain ID` says",
        "the same. Ids never change. With a minor one the pack works all the same. What is no slip for you is",
        "waived in `ichnos.toml`:",
        "",
        "    [[waive]]",
        '    id = "file-unused"',
        '    where = "readme.ogg"   # a part of the file\'s name or of the reason; * stands for anything',
        '    reason = "it is there on purpose"',
        "",
        "| id | | in the game | to do |",
        "|---|---|---|---|",
    ]
    lines += [f"| `{k.id}` | {'' if k.is_error else 'minor'} | {k.effect} | {k.cure} |" for k in KINDS.values()]
    return "\n".join(lines) + "\n"


def _steps() -> Iterator[str]:
    """The steps of treatments, and the treatments that are bundled."""
    yield from (
        "### Steps of a treatment",
        "",
        "Applied in the order in which they stand: `[treatment]`, then"
        ' `NAME = [{step = "high-pass", hz = 120}, {step = "loudness", lufs = -16}]`.',
        "",
        "| step | what it does | fields |",
        "|---|---|---|",
    )
    for step in treatments.STEPS:
        fields = [
            f"`{key}`{'' if field.is_required() else f' (`{_default(field.default)}`)'}: {field.description or key}"
            for key, field in step.model_fields.items()
            if key != "step"
        ]
        yield f"| `{step.model_fields['step'].default}` | {step.about} | {'; '.join(fields) or 'none'} |"
    yield from ("", "### Bundled treatments", "", "| name | for | steps |", "|---|---|---|")
    for name, (about, steps) in treatments.BUNDLED.items():
        yield f"| `{name}` | {about} | {', '.join(map(str, steps))} |"


def _shown(value: Any) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else spelled(value)


def _tables(model: type[BaseModel], name: str, done: set[type[BaseModel]]) -> Iterator[str]:
    """A model's fields as a table, then the tables inside it."""
    done.add(model)
    yield f"### {f'[{name}]' if name else 'at the top'}"
    yield ""
    yield "| field | value | meaning |"
    yield "|---|---|---|"
    inner = []
    for key, field in model.model_fields.items():
        alias = field.alias or key
        table = _model_of(field.annotation)
        if table is not None and table not in done:
            inner.append((table, f"{name}.{alias}" if name else alias))
        default = (
            "needed" if field.is_required() else f"default: `{_default(field.get_default(call_default_factory=True))}`"
        )
        yield f"| `{alias}` | {_said(field)}; {default} | {field.description or 'a table of its own'} |"
    yield ""
    for table, path in inner:
        yield from _tables(table, path, done)


def _said(field: FieldInfo) -> str:
    """What somebody may write for a field."""
    is_either = "json_schema_input_type=str | list[str]" in f"{field.annotation} {field.metadata}"
    return "text, or a list" if is_either else _kind(field.annotation)


def _default(value: Any) -> str:
    if isinstance(value, BaseModel):
        return "as below"
    return {True: "true", False: "false"}.get(value, str(value)) if isinstance(value, bool) else str(value or "none")


def _kind(annotation: Any) -> str:
    table = _model_of(annotation)
    if table is not None:
        return "tables" if "tuple" in str(annotation) else "a table"
    text = str(annotation)
    if 'Literal["any"]' in text.replace("'", '"') and "tuple" in text:  # one, several, or any: without its branches
        branch = next(one for one in _branches(annotation) if "tuple" not in str(one) and "any" not in str(one))
        return f'{_kind(branch)}; a list of such, or `"any"`'
    if "Literal" in text:
        values = [
            value
            for part in (annotation, *get_args(annotation))
            for value in get_args(part)
            if not isinstance(value, type)
        ]
        plain = [value for value in values if isinstance(value, str | int)]
        if plain:
            return " or ".join(f"`{value}`" for value in dict.fromkeys(plain))
    for word, meaning in (
        ("tuple", "a list"),
        ("dict", "a table"),
        ("bool", "true or false"),
        ("float", "a number"),
        ("int", "a whole number"),
    ):
        if word in text:
            return meaning
    return "text"


def _branches(annotation: Any) -> Iterator[Any]:
    """The alternatives of a union, of what stands inside annotations too."""
    inner = [one for one in get_args(annotation) if "|" in str(one) or "Union" in str(one)]
    yield from _branches(inner[0]) if inner else get_args(annotation)


def _model_of(annotation: Any) -> type[BaseModel] | None:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    if treatments.Trim in get_args(annotation):
        return None  # a choice of steps has a section of its own
    return next((found for one in get_args(annotation) if (found := _model_of(one))), None)


def main() -> int:
    schema = json.dumps(
        {"$schema": "https://json-schema.org/draft/2020-12/schema", **Rules.model_json_schema()}, indent=2
    )
    of_pack_file = json.dumps(
        {"$schema": "https://json-schema.org/draft/2020-12/schema", **PackFile.model_json_schema()}, indent=2
    )
    wanted = {
        "profile-reference.md": reference(),
        "pack-file.md": pack_file(),
        "findings.md": findings(),
        "game.schema.json": f"{schema}\n",
        "ichnos.schema.json": f"{of_pack_file}\n",
    }
    behind = [
        name for name, text in wanted.items() if not (DOCS / name).is_file() or (DOCS / name).read_text("utf-8") != text
    ]
    if "--check" in sys.argv:
        print("behind the code: " + ", ".join(behind) if behind else "current")
        return 1 if behind else 0
    for name, text in wanted.items():
        (DOCS / name).write_text(text, "utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
