"""Loading a game profile from its folder: every file of it has its place, or is refused."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path, PurePosixPath

from ichnos.documents.checked import checked
from ichnos.documents.formats import FORMATS, WITH_DISABLED, format_of, named, parse
from ichnos.documents.line_patterns import LinePatterns
from ichnos.documents.lines import Lines, shows_quotes
from ichnos.documents.recognition import recognise
from ichnos.documents.rows import CsvTable
from ichnos.documents.text import Text, from_bytes
from ichnos.documents.toml import TomlFile
from ichnos.documents.tree import Format
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.games.profiles import holes, kinds, references
from ichnos.games.profiles.converter import SUFFIXES, Pair, Tables
from ichnos.games.profiles.document_rules import DocumentRules
from ichnos.games.profiles.exemplar import Exemplar, ExemplarRules
from ichnos.games.profiles.exemplar_slips import refuse_slips
from ichnos.games.profiles.hole import HoleError
from ichnos.games.profiles.hole_patterns import Pattern, TakePath
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.nesting import line_patterns
from ichnos.games.profiles.profile import Profile, goes_with, path_of
from ichnos.games.profiles.rules import Rules
from ichnos.games.profiles.templates import is_litter, scripts
from ichnos.games.profiles.units import understand
from ichnos.games.profiles.vocabulary import OWN, PACK, PART, PROP, SCOPES, SOUND, TAKE
from ichnos.likeness import did_you_mean

# Tables of ichnos.toml that every workspace may have.
_TAKEN = (
    "credit", "defaults", "file", "finished", "format", "insert", "game", "games", "ids", "minted-for", "table",
    "treatment", "waive", "installation", "key", "uuid", "verdict", "fields",
)  # fmt: skip
PICTURE_SUFFIXES = (".png", ".jpg", ".webp", ".bmp")
_SINGLE = re.compile(rb'"(?:[^"\\\n]|\\\\)*\\[^\\"nt\n]')  # a backslash that guards nothing, in quotation marks


def load(folder: Path) -> Profile:
    """Load and understand a profile.

    Raises:
        IchnosError: with file, line and reason, where anything in it cannot be understood.
    """
    return _Loader(folder).profile()


class _Loader:
    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.tree = folder / "tree"
        path = folder / "game.toml"
        if not disk.is_file(path):
            raise IchnosError("there is no game.toml here", place=Place(str(folder)), cure="a profile needs one")
        self.file = TomlFile(disk.read(path), str(path))
        self.rules = checked(Rules, self.file)
        suffixes = tuple(dict.fromkeys((*SUFFIXES, *self.rules.sound_suffixes)))
        for at, what, cure in self.rules.declared.slips(_TAKEN):
            raise self.error(what, cure, *at)
        self.tables = Tables(self.rules.tables, suffixes, declared=self.rules.declared, references=self.references())
        self.kinds = self.all_kinds()
        self.documents: list[Exemplar] = []
        self.takes: list[Pattern] = []  # of the empty files in tree/
        self.parts: list[Pattern] = []
        self.pictures: list[Pattern] = []
        self.plain: list[str] = []

    def profile(self) -> Profile:
        names = self.names()
        for index, rules in enumerate(self.rules.document):
            if rules.path not in names:
                raise self.error(
                    f'tree/ has no file "{rules.path}"', "write its path as it stands", "document", index, "path"
                )
            self.need_kinds((*rules.kinds, *rules.entries), "document", index)
            if rules.region is not None and rules.mode == "merge":
                what = "a marked region is in a file of the modder's own, and merge changes one of the game's"
                raise self.error(what, "leave one of the two out", "document", index, "region")
        for index, wanted in enumerate(self.rules.needs):
            if self.rules.declared.word(wanted) is None:
                raise self.error(f"there is no hole named {wanted}", "see the profile reference", "needs", index)
        for name in names:
            self.take(self.tree / name, name)
        takes = self.paths(self.takes, "files")
        parts = self.paths(self.parts, "part_files")
        self.need_paths(takes, parts)
        self.need_documents()
        self.refuse_adding_to_changed()
        package = self.pattern(self.rules.packaging.name, self.file.place("packaging", "name"))
        if any(hole.word.scope != PACK for hole in package.holes):
            raise self.error(
                "a package's name can only have holes of the pack", "such as @pack.name@", "packaging", "name"
            )
        return Profile(
            self.folder, self.rules, tuple(self.documents), self.kinds, takes, parts, tuple(self.pictures), package,
            scripts(self.folder, self.rules, self.error), tuple(self.plain), self.tables, tuple(self.load_lines()),
            {one.word.name: self.pattern(one.path, self.file.place("field", index, "path"))
             for index, one in enumerate(self.rules.field) if one.path},
        )  # fmt: skip

    def references(self) -> Pair | None:
        """How the game names files, where it says that in general."""
        try:
            return references.references(self.rules.references) if self.rules.references else None
        except ValueError as error:
            line, what = error.args
            raise self.error(what, "write the same holes on both sides", "references", line) from None

    def load_lines(self) -> Iterator[Pattern]:
        """The line of each list of what the game loads."""
        if (root := self.rules.install.root) not in (None, *self.rules.roots):
            raise self.error(f'"{root}" is none of [roots]', "say there what that folder is", "install", "root")
        for index, rule in enumerate(self.rules.install.lists):
            at = "install", "lists", index, "line"
            line = self.pattern(rule.line, self.file.place(*at))
            if any(hole.word.scope != PACK for hole in line.holes):
                raise self.error("a line of a list can only have holes of the pack", "such as @pack.name@", *at)
            yield line

    def names(self) -> list[str]:
        """The files of tree/, without what operating systems leave there."""
        if not disk.is_folder(self.tree):
            raise IchnosError(
                "there is no tree/ here", place=Place(str(self.folder)), cure="it shows what a pack is like"
            )
        for path in disk.everything_below(self.folder):
            if disk.is_link(path):
                what, cure = "a profile cannot hold links", "put the file itself here"
                raise IchnosError(what, place=Place(str(path)), cure=cure)
        return [path.relative_to(self.tree).as_posix() for path in disk.below(self.tree) if not is_litter(path)]

    def error(self, what: str, cure: str, *at: str | int) -> IchnosError:
        return IchnosError(what, place=self.file.place(*at), cure=cure)

    def all_kinds(self) -> dict[str, Kind]:
        """The game's kinds by name, and the one without a name for all other sounds."""
        found = {"": kinds.general(self.rules)}
        for index, own in enumerate(self.rules.kind):
            if own.name in found:
                raise self.error(f'there are two kinds named "{own.name}"', "rename one", "kind", index, "name")
            try:
                found[own.name] = kinds.resolved(self.rules, own)
            except ValueError as error:
                raise self.error(f"{error}", "say what this kind's files are", "kind", index) from None
        return found

    def need_kinds(self, names: tuple[str, ...], *at: str | int) -> None:
        for name in names:
            if name not in self.kinds:
                known = ", ".join(filter(None, self.kinds)) or "none"
                raise self.error(f'there is no kind "{name}"', f"the game has: {known}; add [[kind]]", *at)

    def pattern(self, text: str, place: Place) -> Pattern:
        try:
            return holes.parse(text, self.tables)
        except HoleError as error:
            raise IchnosError(error.what, place=place, cure=error.cure) from None

    def take(self, path: Path, name: str) -> None:
        """One file of tree/: a document with holes, the place of sounds or pictures, or a plain file."""
        rules = self.rules.document_rules(name)
        place = Place(str(path))
        pattern = self.pattern(name, place)
        scopes = {hole.word.scope for hole in pattern.holes}
        suffix = PurePosixPath(name).suffix.lower()
        encoder = self.rules.own_encoder
        if pattern.holes and encoder is not None and suffix == encoder.extension:
            (self.parts if PART in scopes else self.takes).append(pattern)
        elif pattern.holes and suffix in self.rules.sound_suffixes:
            if encoder is not None:
                what = f"the game reads only what its own encoder writes, {encoder.extension}, and this is {suffix}"
                raise IchnosError(what, place=place, cure=f"give this file the extension {encoder.extension}")
            (self.parts if PART in scopes else self.takes).append(pattern)
        elif suffix in PICTURE_SUFFIXES and PROP in scopes:
            self.pictures.append(pattern)
        elif (document_format := self.format_of(path, rules)) is not None:
            data = disk.read(path)
            if isinstance(document_format, CsvTable):
                first = from_bytes(data, str(path), rules.encoding or "utf-8").content.partition("\n")[0]
                if any(holes.known(first, self.rules.declared)):  # it is an entry, and no header
                    document_format = replace(document_format, header=False)
            several = any(self.kinds[name].several for name in (rules.kinds or tuple(self.kinds)))
            if isinstance(document_format, LinePatterns | Lines):
                text = from_bytes(data, str(path), rules.encoding or "utf-8")
                document_format = self.shaped(document_format, text, rules, several=several)
            document = parse(data, str(path), document_format, rules.encoding, has_holes=True)
            how = ExemplarRules(
                several, self.repeat(rules), self.tables, rules.entries, frozenset(rules.kinds),
                rules.entry_for == "take", frozenset(rules.match), rules.encoding, rules.region,
            )  # fmt: skip
            exemplar = understand(pattern, document, how)
            refuse_slips(exemplar, self.rules.declared, {part for kind in self.kinds.values() for part in kind.parts})
            self.need_telling(exemplar, rules)
            self.documents.append(exemplar)
        else:
            self.refuse_unread_holes(path, name, pattern)
            self.plain.append(name)

    def shaped(self, form: Format, text: Text, rules: DocumentRules, *, several: bool) -> Format:
        """A format as an exemplar's own text shows it."""
        if isinstance(form, Lines):
            return replace(form, quoted=shows_quotes(text.content))
        try:
            return line_patterns(text.content, rules, self.rules.declared, several_takes=several)
        except HoleError as error:
            raise IchnosError(error.what, place=Place(text.path), cure=error.cure) from None

    def refuse_unread_holes(self, path: Path, name: str, pattern: Pattern) -> None:
        """A file that is copied as it stands must not have holes: nobody would fill them."""
        text = disk.read(path).decode("utf-8", "ignore")
        inside = next(holes.known(text, self.rules.declared), None)
        if pattern.holes or inside:
            where = Place(str(path), text.count("\n", 0, inside[0]) + 1) if inside else Place(str(path))
            raise IchnosError(
                f"there are holes here ({inside[1] if inside else path_of(pattern)}), and nothing says what format"
                " the file has",
                place=where,
                cure=f'say it in game.toml: [[document]], path = "{name}", format = "..." ({", ".join(FORMATS)});'
                " a text in no format is a script's template, scripts/PATH.j2",
            )

    def name_of(self, exemplar: Exemplar) -> str:
        return Path(exemplar.document.text.path).relative_to(self.tree).as_posix()

    def need_telling(self, exemplar: Exemplar, rules: DocumentRules) -> None:
        """A name whose value tells entries apart is one in an entry, with a value that no hole fills."""
        inside = [inner for unit in exemplar.units for inner in unit.walk() if inner is not unit and inner.holds_value]
        there = {str(node.label) for node in inside if node.label is not None and node not in exemplar.values}
        for label in rules.match:
            if label not in there:
                what = f'no entry has a value named "{label}" that is the same in all, without holes'
                cure = did_you_mean(there, label, 2, otherwise="name one that stands in the entry")
                raise self.error(what, cure, "document", self.rules.document.index(rules), "match")

    def format_of(self, path: Path, rules: DocumentRules) -> Format | None:
        """A document's format, as game.toml says it, or its content shows; ``None`` of a file that is only copied."""
        name = rules.format or self.recognised(path, rules)
        if name is None:
            return None
        if name == "braces" and rules.escapes is None and _SINGLE.search(disk.read(path)):
            return named("braces", "none")  # the file shows that a backslash stands for itself
        return named(name, rules.escapes, self.disabled(name, rules))

    def recognised(self, path: Path, rules: DocumentRules) -> str | None:
        """What format a file's content shows; it is lines of its own where it has holes, and is like no other."""
        by_extension = format_of(path.name)
        hint = by_extension.name.lower() if by_extension is not None else None
        try:
            text = from_bytes(disk.read(path), str(path), rules.encoding or "utf-8").content
        except IchnosError:
            return hint  # what is wrong is said where it is read
        has_holes = any(holes.known(text, self.rules.declared))
        return (recognise(path.name, text) or "line-patterns") if has_holes else hint

    def repeat(self, rules: DocumentRules) -> dict[str, str | int]:
        """What game.toml says outright of what repeats, by scope as code calls it."""
        own = {scope.removeprefix(OWN): scope for scope in self.rules.declared.scopes}
        known = {**{scope: scope for scope in SCOPES if scope != PACK}, **own}
        for scope in rules.repeat:
            if scope not in known:
                at = "document", self.rules.document.index(rules), "repeat"
                raise self.error(f"there is no scope {scope!r}", f"there are: {', '.join(known)}", *at)
        return {known[scope]: which for scope, which in rules.repeat.items()}

    def disabled(self, name: str, rules: DocumentRules) -> str | None:
        """What stands before disabled entries; refuses what a format does not have."""
        at = "document", self.rules.document.index(rules) if rules in self.rules.document else 0
        if rules.disabled is not None and name not in WITH_DISABLED:
            what = f"entries of the format {name} cannot be disabled"
            raise self.error(what, f"these can: {', '.join(WITH_DISABLED)}", *at, "disabled")
        if rules.comments is not None and name != "line-patterns":
            what = f"the format {name} has comments of its own"
            raise self.error(what, 'leave them out, or say format = "line-patterns"', *at, "comments")
        return rules.disabled

    def paths(self, in_tree: list[Pattern], field: str) -> dict[str, Pattern]:
        """The path of each kind's files: as the kind says, or as the empty file in tree/ that goes with it."""
        found: dict[str, Pattern] = {}
        used: set[int] = set()
        for index, kind in enumerate(self.kinds.values(), -1):
            own = getattr(kind, field)
            if own is not None:
                found[kind.name] = self.pattern(own, self.file.place("kind", index, field.replace("_", "-")))
                continue
            others, encoder = self.rules.audio.extensions, self.rules.own_encoder
            fitting = [path for path in in_tree if encoder or goes_with(str(path.parts[-1]), kind.container, others)]
            if field == "files" and len(fitting) == 2 and (path := TakePath.of_two(*fitting)) is not None:
                found[kind.name] = path
                used |= {*map(id, fitting)}
                continue
            if len(fitting) > 1:
                both = " and ".join(path_of(path) for path in fitting)
                raise IchnosError(
                    f"two empty files stand for the same sounds: {both}",
                    place=Place(str(self.tree)),
                    cure=f'keep one, or say which kind each is for: [[kind]], {field.replace("_", "-")} = "..."',
                )
            if fitting:
                found[kind.name] = fitting[0]
        used |= set(map(id, found.values()))
        for pattern in in_tree:
            if id(pattern) not in used:
                wanted = ", ".join(dict.fromkeys(kind.container for kind in self.kinds.values()))
                raise IchnosError(
                    f"no sound of this game becomes such a file; they are {wanted}",
                    place=Place(f"{self.tree}/{path_of(pattern)}"),
                    cure="correct its extension, or say in game.toml which kind is so",
                )
        return found

    def need_paths(self, takes: dict[str, Pattern], parts: dict[str, Pattern]) -> None:
        for patterns, scopes in ((takes, {SOUND, TAKE}), (parts, {SOUND, PART})):
            for name, pattern in patterns.items():
                self.need_names(pattern, scopes, self.kinds[name])
        for kind in self.kinds.values():
            if kind.parts and kind.name not in parts:
                raise IchnosError(
                    f"tree/ has no sound file for parts{_of(kind)}",
                    place=Place(str(self.tree)),
                    cure=f"lay down an empty file such as music/@key@-@part.name@.{kind.container.lower()}",
                )
            if kind.name not in takes and kind.name not in parts and (kind.name or len(self.kinds) == 1):
                raise IchnosError(
                    f"tree/ has no sound file with holes in its name for {kind.container}{_of(kind)}",
                    place=Place(str(self.tree)),
                    cure=f"lay down an empty file such as sounds/@key@-@take.number@.{kind.container.lower()}",
                )

    def need_documents(self) -> None:
        """Where sounds stand in documents, those of each kind must stand in one, or the game never hears of them."""
        listing = [
            document
            for document in self.documents
            if SOUND in document.scopes.values() or TAKE in document.scopes.values()
        ]
        if not listing or self.rules.script:
            return
        for index, kind in enumerate(self.kinds.values(), -1):
            covered = any(not one.how.kinds or kind.name in one.how.kinds for one in listing)
            of_entries = [one for one in listing if one.entry_kinds]
            if of_entries and len(of_entries) == len(listing):
                covered = any(kind.name in of_entry.entry_kinds.values() for of_entry in of_entries)
            if kind.name and not covered and kind.replace != "by-path":
                raise self.error(
                    f"sounds of the kind {kind.name} stand in no document",
                    f'say which has them: [[document]], kinds = ["{kind.name}"]',
                    "kind",
                    index,
                )

    def refuse_adding_to_changed(self) -> None:
        """Where the game's own entry is changed, a pack has no second one whose takes could come besides."""
        with_takes = [one for one in self.documents if TAKE in one.scopes.values()]
        merged = [one for one in with_takes if self.rules.document_rules(self.name_of(one)).mode == "merge"]
        cure = "a sound that keeps takes of the game's says so: takes = [{kept = true}, ...]"
        what = "the game's own entries are changed in this document, so no takes can come besides them"
        for exemplar in merged:
            for node in exemplar.document.root.walk():
                if "adds" in exemplar.names_at(node):
                    raise exemplar.document.error(what, node.start, f"take @adds@ out; {cure}")
        if self.rules.takes.added and merged and len(merged) == len(with_takes):
            what = 'added goes with no document of mode = "merge": there the game\'s own entries are changed'
            raise self.error(what, f"take it out; {cure}", "takes", "added")

    def need_names(self, pattern: Pattern, scopes: set[str], kind: Kind) -> None:
        """A sound file's own name must tell sounds apart, and takes."""
        place = Place(f"{self.tree}/{path_of(pattern)}")
        names = {hole.word.name for hole in pattern.holes}
        if not scopes & {hole.word.scope for hole in pattern.holes}:
            what = "this sound file's name would be the same for every sound"
            raise IchnosError(what, place=place, cure="put @key@ into it")
        if TAKE in scopes and kind.several and "take.number" not in names and (kind.replace != "by-path" or kind.new):
            raise IchnosError(
                f"a key may have several takes{_of(kind)}, and all of them would be this one file",
                place=place,
                cure="put @take.number@ into its name; or say several = false, if the game takes one for each key",
            )
        if PART in scopes and "part.name" not in names:
            what = "all parts of a sound would be this one file"
            raise IchnosError(what, place=place, cure="put @part.name@ into its name")
        own = "".join(part for part in pattern.parts if isinstance(part, str)).rpartition(".")[0]
        if self.rules.names.spelled(own) != own:
            raise IchnosError(
                "[names] in game.toml does not allow what this sound file's name has itself",
                place=place,
                cure="allow its characters, or write it otherwise",
            )


def _of(kind: Kind) -> str:
    return f" of the kind {kind.name}" if kind.name else ""
