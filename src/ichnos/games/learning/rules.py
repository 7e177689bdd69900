"""A draft's ``game.toml``, and where its sound files go."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import TYPE_CHECKING

import tomlkit

from ichnos.documents.recognition import recognise
from ichnos.files.paths import plain
from ichnos.games.learning import scripts, sounds
from ichnos.games.learning.about_packs import theirs
from ichnos.games.learning.called import plain_name
from ichnos.games.learning.decisions import GUESS, Doubt, Learned
from ichnos.games.learning.evidence import Pack
from ichnos.games.learning.pictures import picture_paths, picture_size
from ichnos.games.learning.sounds import KindDraft, Use
from ichnos.games.profiles.converter import SOUND_SUFFIXES
from ichnos.games.profiles.name_rules import NameRules
from ichnos.games.profiles.rules import CreditRules
from ichnos.games.things import combine

if TYPE_CHECKING:
    from ichnos.games.learning.decisions import Readable

_PLAYERS = ("trigger.", "schedule.", "prop.", "entry.")


class Rules:
    """What a draft says besides its documents."""

    def __init__(
        self,
        packs: list[Pack],
        names: list[str],
        learned: Learned,
        readable: list[Readable],
        uses: list[Use],
        folder: str | None,
        told: list[str],
        *,
        by_path: bool,
    ) -> None:
        self.packs, self.names, self.known = packs, names, learned
        self.readable, self.uses, self.folder, self.told = readable, uses, folder, told
        self.doubts: list[Doubt] = []
        self.by_path = by_path
        self.name = ""
        self.functions: dict[str, str] = {}  # of the game's, in its scripts
        self.theirs: list[str] = []  # ids and names of the pack that still stand in the draft
        self.templates: dict[str, str | None] = {}  # of scripts: what marks a region in them
        if not uses:
            self.uses = sounds.by_paths(packs)
        self.name_rules = sounds.name_rules(self.uses, learned.separator) if self.uses else NameRules()
        self.name_rules = sounds.with_own_names(self.name_rules, self.uses, names)
        self.kinds = sounds.kinds(packs, self.uses) or [KindDraft("", ("WAV", "PCM 16", 44100, 1), list(self.uses))]
        for kind in self.kinds:
            self.paths(kind)
        self.doubt_by_path()
        told += sounds.odd_forms(packs, self.kinds[0])

    def paths(self, kind: KindDraft) -> None:
        """Where files of a kind go, and how many each sound has."""
        several = any(use.number > 1 for use in kind.uses if use.part is None)
        kind.several = several
        kind.parts = tuple(dict.fromkeys(use.part for use in kind.uses if use.part is not None))
        first = {(use.pack, use.file): use for use in reversed(kind.uses)}.values()  # a shared file goes by one key
        for is_part, needed in ((False, "@take.number@" if several else ""), (True, "@part.name@")):
            there = [use for use in reversed(list(first)) if (use.part is not None) == is_part]
            if not there:
                continue
            path, apart = sounds.best_template(there, self.name_rules, self.names, several=several)
            if path is None or needed not in path:
                path = sounds.own_path(there, self.names, several=several, parts=is_part)
                why = "the files' names do not come of the keys: new ones get these"
                if not self.by_path:
                    self.doubt(f"files {kind.name}", there[0].file, path, why, 6)
            elif several and apart and (alone := sounds.path_alone(there, path, self.name_rules, self.names)):
                kind.alone_path = alone
            elif apart and not self.by_path:
                count = f"{len(apart)} of {len(there)} sound files"
                self.told.append(f"{count} are named otherwise than {path}, such as {apart[0]}")
            if is_part:
                kind.part_path = path
            else:
                kind.take_path = path
                kind.several = several or "@take.number@" in path

    def doubt(self, name: str, text: str, taken: str, why: str, weight: int) -> None:
        self.doubts.append(Doubt(name, text, text, taken, why, GUESS, (), weight))

    def doubt_by_path(self) -> None:
        """Nothing that is understood names the sound files: is there something that is not?"""
        texts = [text.name for pack in self.packs for text in pack.texts] + [
            name for pack in self.packs for name in pack.scripts
        ]
        if self.by_path and self.folder is None and texts:
            why = "nothing that is understood names the sound files"
            self.doubt("by-path", texts[0], "sounds are replaced by the paths of their files", why, 9)

    def profile(self, name: str | None) -> dict[str, bytes]:
        """The files of the draft."""
        self.name = name or plain_name(self.packs)
        files: dict[str, bytes] = {}
        for readable in self.readable:
            files[f"tree/{readable.made.path}"] = readable.data
        for path in self.sound_files():
            files[f"tree/{path}"] = b""
        for path in picture_paths(self.packs, self.readable):
            files[f"tree/{path}"] = b""
        files |= self.plain_files({path.removeprefix("tree/") for path in files})
        files |= self.scripts()
        self.theirs = theirs(self.packs, self.readable, self.names, files) if len(self.packs) == 1 else []
        files["game.toml"] = "".join(self.text()).encode()
        return files

    def sound_files(self) -> Iterator[str]:
        """The empty files that stand for sounds: of the commonest kind, or where the container tells kinds apart."""
        for kind in self.kinds:
            if kind.name and kind.name in self.said_apart:
                continue
            yield from (path for path in (kind.take_path, kind.alone_path, kind.part_path) if path)

    @property
    def said_apart(self) -> set[str]:
        """The kinds whose paths are said in game.toml: their container does not tell them from others."""
        first = self.kinds[0]
        return {
            kind.name
            for kind in self.kinds[1:]
            if kind.take_path != first.take_path or kind.part_path != first.part_path
        }

    def plain_files(self, there: set[str]) -> dict[str, bytes]:
        """Texts without a hole that are the same in every pack; with one pack, nobody can know."""
        readable = {text.name for document in self.readable for text in document.made.group.texts}
        first, files = self.packs[0], {}
        others = [text.name for text in first.texts if text.name not in readable]
        for name in [*others, *first.others]:
            if len(self.packs) > 1 and all(
                name in pack.files.names() and pack.files.read(name) == first.files.read(name) for pack in self.packs
            ):
                files[f"tree/{name}"] = first.files.read(name)
            else:
                self.told.append(f"{name} is not understood, and left out of the draft")
        for name in dict.fromkeys(name for pack in self.packs for name in pack.notes):
            if name != self.credits_path():
                self.told.append(f"{name} is for people: it is left out of the draft")
        return files

    def credits_path(self) -> str:
        """Where the packs have their credits; without any, where Ichnos puts them."""
        names = [name for pack in self.packs for name in pack.notes if PurePosixPath(name).stem.lower() == "credits"]
        return names[0] if names else CreditRules().path or ""

    def scripts(self) -> dict[str, bytes]:
        """The templates of scripts that all packs have."""
        files: dict[str, bytes] = {}
        packs = {
            pack.index: combine([thing for document in self.readable for thing in document.said.get(pack.index, ())])
            for pack in self.packs
        }
        broken = {error.place.path for pack in self.packs for error in pack.broken if error.place}
        for name in dict.fromkeys(name for pack in self.packs for name in pack.scripts):
            if any(pack.files.label(name) in broken for pack in self.packs):
                continue
            texts = {pack.index: pack.scripts[name] for pack in self.packs if name in pack.scripts}
            made = scripts.draft(texts, packs, self.name_rules)
            if made is None:
                self.told.append(f"{name} is a script, or in no format that is read here: it is left out of the draft")
                continue
            files[f"scripts/{name}.j2"] = made.template.encode()
            self.templates[name] = made.region
            self.functions |= made.functions
        return files

    def text(self) -> Iterator[str]:
        packs = " and ".join(pack.called for pack in self.packs)
        yield f"# A draft, learned from {packs}. What is not sure is said in comments; try it: ichnos games check.\n"
        title = self.name.replace("-", " ").title()
        yield f"format = 1\n\n[game]\nname = {_quoted(self.name)}\ntitle = {_quoted(title)}\n"
        yield f"summary = {_quoted(f'Learned from {packs}.')}\n"
        versions = self.game_versions()
        yield f"versions = [{', '.join(map(_quoted, versions or ['unknown']))}]"
        yield "\n" if versions else "  # the packs do not say which version they are for\n"
        if self.theirs:
            yield "\n[learned]  # no pack is built with these; take out what is the game's own\n"
            yield f"of = {_quoted(self.names[0])}\n" if self.names[0] else ""
            yield f"theirs = [{', '.join(map(_quoted, self.theirs))}]\n"
        yield from self.audio()
        yield from self.takes()
        yield from self.modes()
        yield from self.spelling()
        yield from self.kind_tables()
        if self.folder:
            yield f"\n[catalogue]\nfolder = {_quoted(self.folder)}\n"
        if self.known.references:
            lines = sorted(self.known.references.items(), key=lambda line: line[0] == "@path@")
            yield "\n[references]\n" + "".join(f"{_quoted(left)} = {_quoted(right)}\n" for left, right in lines)
        yield from self.icon()
        if self.credits_path() != CreditRules().path:
            yield f"\n[credits]\npath = {_quoted(self.credits_path())}\n"
        yield from self.packaging()
        yield from self.documents()
        for name, region in self.templates.items():
            yield f"\n[[script]]\npath = {_quoted(name)}\n" + (f"region = {_quoted(region)}\n" if region else "")
        if self.functions:
            yield "\n[play.functions]\n" + "".join(
                f"{means} = {_quoted(call)}\n" for means, call in self.functions.items()
            )
        for name, table in {
            name: table for readable in self.readable for name, table in readable.made.tables.items()
        }.items():
            yield f"\n[tables.{name}]\n" + "".join(f"{ours} = {_quoted(theirs)}\n" for ours, theirs in table.items())
        yield from self.comments()

    def game_versions(self) -> list[str]:
        versions = [
            str(pack.values["game.version"])
            for readable in self.readable
            for several in readable.said.values()
            for pack in several
            if pack.values.get("game.version")
        ]
        return sorted(dict.fromkeys(versions), reverse=True)

    def audio(self) -> Iterator[str]:
        first = self.kinds[0]
        count = len(first.uses)
        yield f"\n[audio]  # as {count} of {len(self.uses)} sound files are\n"
        yield f"container = {_quoted(first.form[0])}\n"
        for at, name in enumerate(("codec", "rate", "channels"), 1):
            forms = [_quoted(form) if isinstance(form, str) else str(form) for form in first.forms(at)]
            yield f"{name} = {forms[0] if len(forms) == 1 else '[' + ', '.join(forms) + ']'}\n"

        read = {use.file for use in self.uses if self.packs[use.pack].sounds.get(use.file) is not None}
        ends = {PurePosixPath(file).suffix.lower() for file in read} - {*SOUND_SUFFIXES, ".mp3", ".aif", ".aiff", ""}
        if ends:
            yield f"extensions = [{', '.join(map(_quoted, sorted(ends)))}]\n"

    def takes(self) -> Iterator[str]:
        first = self.kinds[0]
        shared = Counter((use.pack, use.file) for use in self.uses)
        keys_of: dict[tuple[int, str], set[str]] = {}
        for use in self.uses:
            keys_of.setdefault((use.pack, use.file), set()).add(use.key)
        lines = []
        if not first.several:
            lines.append("several = false  # no key has two files here")
        if any(len(keys) > 1 for keys in keys_of.values()) and shared:
            lines.append("shared = true  # a file stands under several keys")
        if lines:
            yield "\n[takes]\n" + "".join(f"{line}\n" for line in lines)
        if first.parts:
            yield f"\n[parts]\nnames = [{', '.join(map(_quoted, first.parts))}]\n"

    def modes(self) -> Iterator[str]:
        if self.by_path:
            yield '\n[modes]\nreplace = "by-path"  # nothing in the pack names its sound files\n'
            yield "new = false\n" if self.folder is not None else ""

    def spelling(self) -> Iterator[str]:
        rules, lines = self.name_rules, []
        if rules.separator != ".":
            lines.append(f"separator = {_quoted(rules.separator)}")
        if rules.ascii:
            lines.append("ascii = true")
        if rules.case != "kept":
            lines.append(f"case = {_quoted(rules.case)}")
        if rules.spaces is not None:
            lines.append(f"spaces = {_quoted(rules.spaces)}")
        if rules.allowed is not None:
            lines.append(f"allowed = {_quoted(rules.allowed)}")
        if lines:
            yield "\n[names]\n" + "".join(f"{line}\n" for line in lines)

    def kind_tables(self) -> Iterator[str]:
        first = self.kinds[0]
        for kind in self.kinds[1:]:
            yield f"\n[[kind]]  # {len(kind.uses)} files\nname = {_quoted(kind.name)}\n"
            if kind.categories:
                yield f"categories = [{', '.join(map(_quoted, kind.categories))}]\n"
            if kind.keys:
                yield f"keys = [{', '.join(map(_quoted, kind.keys))}]\n"
            for name, mine, its in zip(("container", "codec", "rate", "channels"), kind.form, first.form, strict=True):
                if mine != its:
                    yield f"{name} = {_quoted(mine) if isinstance(mine, str) else mine}\n"
            if kind.several != first.several:
                yield f"several = {'true' if kind.several else 'false'}\n"
            if kind.parts != first.parts:
                yield f"parts = [{', '.join(map(_quoted, kind.parts))}]\n"
            if kind.name in self.said_apart:
                if kind.take_path and kind.take_path != first.take_path:
                    yield f"files = {_quoted(kind.take_path)}\n"
                if kind.part_path and kind.part_path != first.part_path:
                    yield f"part-files = {_quoted(kind.part_path)}\n"

    def icon(self) -> Iterator[str]:
        """A picture that is in every pack under one path, and that no document names."""
        said = [thing for readable in self.readable for several in readable.said.values() for thing in several]
        named = {str(prop.values.get("prop.picture")) for pack_said in said for prop in pack_said.props}
        for name in self.packs[0].pictures:
            in_every = all(name in pack.pictures for pack in self.packs)
            if name in named or not name.lower().endswith(".png") or not in_every:
                continue
            if size := picture_size(self.packs, name):
                yield f"\n[icon]\npath = {_quoted(name)}\nwidth = {size[0]}\nheight = {size[1]}\n"
                return
        props = [size for path in picture_paths(self.packs, self.readable) if (size := picture_size(self.packs, path))]
        if props:
            yield f"\n[pictures]\nwidth = {props[0][0]}\nheight = {props[0][1]}\n"

    def packaging(self) -> Iterator[str]:
        pack, own = self.packs[0], self.names[0]
        called = pack.called
        if own and own in called:
            called = called.replace(own, "@pack.name@")
        version = next(
            (
                str(pack_said.values["pack.version"])
                for readable in self.readable
                for pack_said in readable.said.get(0, ())
                if pack_said.values.get("pack.version")
            ),
            None,
        )
        if version and version in called:
            called = called.replace(version, "@pack.version@")
        if "@" not in called:
            called = f"@pack.name@{PurePosixPath(pack.called).suffix if pack.archive else ''}"
        kind = "archive" if pack.archive else "folder"
        yield f"\n[packaging]\nkind = {_quoted(kind)}\nname = {_quoted(called)}\n"

    def documents(self) -> Iterator[str]:
        for readable in self.readable:
            made, first = readable.made, readable.made.group.first
            lines = []
            is_known = recognise(made.path, readable.exemplar.document.text.content) == first.format
            said = {"format": None if is_known else first.format, "encoding": first.encoding}
            said |= {"escapes": first.escapes, "disabled": made.disabled}
            lines += [f"{name} = {_quoted(text)}" for name, text in said.items() if text is not None]
            if made.known:
                lines.append('mode = "known"  # read for its keys and files, and never shipped')
            elif made.merged:
                lines.append('mode = "merge"')
            elif self.is_fragment(readable):
                lines.append('mode = "fragment"')
            if made.entry_for_takes:
                lines.append('entry-for = "take"')
            lines += self.kinds_of(readable)
            if lines:
                yield f"\n[[document]]\npath = {_quoted(made.path)}\n" + "".join(f"{line}\n" for line in lines)

    def is_fragment(self, readable: Readable) -> bool:
        """Would nobody miss it in a pack that has nothing to say in it?"""
        named = {hole for hole in readable.made.says if not hole.startswith(("pack.", "uuid.", "game."))}
        lacks = {pack.index for pack in self.packs} - {text.pack for text in readable.made.group.texts}
        return bool(lacks) or (
            bool(named) and all(hole.startswith(_PLAYERS) for hole in named) and not readable.exemplar.file_scopes
        )

    def kinds_of(self, readable: Readable) -> list[str]:
        """Which kinds of sound stand in a document, where not all do."""
        if len(self.kinds) < 2 or not readable.made.has_files:
            return []
        kind_of = {(use.pack, use.key): kind.name for kind in self.kinds for use in kind.uses}
        there = {
            kind_of[pack, sound.key]
            for pack, several in readable.said.items()
            for pack_said in several
            for sound in pack_said.sounds
            if (pack, sound.key) in kind_of
        }
        if there == {kind.name for kind in self.kinds} or not there:
            return []
        return [f"kinds = [{', '.join(_quoted(kind.name) for kind in self.kinds if kind.name in there)}]"]

    def comments(self) -> Iterator[str]:
        doubts = [*(doubt for readable in self.readable for doubt in readable.made.doubts), *self.doubts]
        if not doubts:
            return
        yield "\n# What is not sure, and what else it may be:\n"
        for doubt in sorted(doubts, key=lambda one: (-one.weight, one.id)):
            other = f" Or: {', '.join(doubt.others)}." if doubt.others else ""
            text, taken = _one_line(doubt.text), _one_line(doubt.taken)
            about = text if doubt.place == doubt.text else f"{_one_line(doubt.place)}: {text}"
            yield f"# - {about} is taken for {taken} ({doubt.sure}: {doubt.why}).{other}\n"


def _one_line(text: str) -> str:
    return plain(" ".join(text.split())[:120])


def _quoted(text: str) -> str:
    return tomlkit.string(text).as_string()
