"""Sound files of packs: what kinds of them there are, and how their names come of keys."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from itertools import product
from pathlib import PurePosixPath

from ichnos.audio.files.clips import Facts
from ichnos.games.learning.evidence import Pack
from ichnos.games.profiles.name_rules import NameRules

_CODECS = {"Vorbis": "Ogg", "Opus": "Ogg"}


@dataclass(frozen=True)
class Use:
    """A sound file at its work: of which key of which pack, as which take or part."""

    pack: int
    file: str
    key: str
    number: int = 1
    part: str | None = None
    category: str | None = None


@dataclass
class KindDraft:
    """A kind of sound: its form, and the paths of its files. ``name``: empty for the commonest."""

    name: str
    form: tuple[str, str, int, int]  # container, codec, rate, channels
    uses: list[Use] = field(default_factory=list)
    categories: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()
    take_path: str | None = None
    alone_path: str | None = None  # of a take that its key has alone, where that has no number
    part_path: str | None = None
    several: bool = False
    parts: tuple[str, ...] = ()
    mixed: list[tuple[str, str, int, int]] = field(default_factory=list)  # other forms among them, in its container
    odd: dict[str, str] = field(default_factory=dict)  # files that could not be told from them, and their container

    def forms(self, at: int) -> list[str | int]:
        """The codecs, rates or channels that its sounds have, the commonest first."""
        return list(dict.fromkeys([self.form[at], *(form[at] for form in self.mixed)]))


def form_of(facts: Facts) -> tuple[str, str, int, int]:
    """What a build makes for such a file: the nearest that a profile can say."""
    codec = facts.codec
    container = facts.container
    if codec not in ("Vorbis", "Opus", "PCM 16", "PCM 24", "float 32"):
        codec = "PCM 16"
    if container not in _BUILT:
        container = _CODECS.get(codec, "WAV")
    return container, codec, facts.rate, min(2, max(1, facts.channels))


def separator_of(keys: set[str]) -> str:
    """What stands between the pieces of keys."""
    signs = Counter(sign for key in keys for sign in set(re.findall(r"[^\w\s]|_", key)))
    return signs.most_common(1)[0][0] if signs else "."


def name_rules(uses: list[Use], separator: str) -> NameRules:
    """How keys are spelled in file names: the plainest way in which nearly all of them are found there."""
    best: tuple[int, NameRules] | None = None
    sample = uses[:: max(1, len(uses) // 400)]
    for ascii_only, case, spaces, allowed in product(
        (False, True), ("kept", "lower", "upper"), (None, "_", "-", ""), (None, "a-zA-Z0-9_-", "a-z0-9_")
    ):
        rules = NameRules(separator=separator, ascii=ascii_only, case=case, spaces=spaces, allowed=allowed)  # type: ignore[arg-type]
        hits = sum(_found(rules, use) for use in sample)
        if best is None or hits > best[0]:
            best = hits, rules
        if hits == len(sample):
            break
    assert best is not None
    return best[1]


def with_own_names(rules: NameRules, uses: list[Use], names: list[str]) -> NameRules:
    """The same, where the packs' own names are spelled in file names with other signs than they have."""
    for allowed in ("a-z0-9_", "A-Za-z0-9_"):
        other = rules.model_copy(update={"allowed": allowed})
        changed = [use for use in uses if (own := names[use.pack]) and other.spelled(own) != rules.spelled(own)]
        fits = all(
            other.spelled(names[use.pack]) in use.file and rules.spelled(names[use.pack]) not in use.file
            for use in changed
        )
        if changed and fits and all(other.spelled(use.key) == rules.spelled(use.key) for use in uses):
            return other
    return rules


def _found(rules: NameRules, use: Use) -> bool:
    return rules.spelled(use.key) in use.file


def template(use: Use, rules: NameRules, own: str) -> str | None:
    """A file's path with holes; None where its key is not in it."""
    spelled = rules.spelled(use.key)
    folder, dot, suffix = use.file.rpartition(".")
    path = folder if dot else use.file
    at = path.rfind(spelled)
    hole = "\x01"
    if at < 0 or not spelled:
        group, _, last = use.key.rpartition(rules.separator)
        joined = f"{rules.spelled(group)}/{rules.spelled(last)}"
        at = path.rfind(joined) if group else -1
        if at < 0:
            return None
        spelled, hole = joined, "\x02"
    before, after = path[:at], path[at + len(spelled) :]
    if use.part:
        after = re.sub(rf"(?<![A-Za-z0-9]){re.escape(use.part)}(?![A-Za-z0-9])", "\x04", after, count=1)
    number = re.fullmatch(r"(\D*)(\d+)(\D*)", after)
    if number and int(number[2]) == use.number and use.part is None and number[2] == str(int(number[2])):
        after = f"{number[1]}\x03{number[3]}"
    both = []
    for piece in (before, after):
        if own:
            piece = re.sub(rf"(?<![a-z0-9]){re.escape(own)}(?![a-z0-9])", "\x05", piece)
        if use.category and re.search(rf"(^|/){re.escape(use.category)}/", piece):
            piece = re.sub(rf"(^|/){re.escape(use.category)}/", r"\1" + "\x06/", piece, count=1)
        both.append(piece.replace("@", "@@"))
    signs = {
        "\x01": "@key@", "\x02": "@key.group@/@key.own@", "\x03": "@take.number@", "\x04": "@part.name@",
        "\x05": "@pack.name@", "\x06": "@category@",
    }  # fmt: skip
    whole = f"{both[0]}{hole}{both[1]}.{suffix}" if dot else f"{both[0]}{hole}{both[1]}"
    for sign, name in signs.items():
        whole = whole.replace(sign, name)
    return whole


def best_template(
    uses: list[Use], rules: NameRules, names: list[str], *, several: bool
) -> tuple[str | None, list[str]]:
    """The path that most files of a kind have, and those that have another."""
    found: dict[str, list[Use]] = {}
    categories = len({use.category for use in uses})
    for use in uses:
        bare = use if categories > 1 else replace(use, category=None)
        found.setdefault(template(bare, rules, rules.spelled(names[use.pack])) or "", []).append(use)
    ranked = sorted(found, key=lambda one: (one != "", len(found[one])), reverse=True)
    best = ranked[0] if ranked else ""
    if not best:
        return None, [use.file for use in uses]
    if several and "@take.number@" not in best:
        numbered = next((one for one in ranked if "@take.number@" in one), None)
        best = numbered or best
    apart = [use.file for one, there in found.items() if one != best for use in there]
    return best, apart


def path_alone(uses: list[Use], numbered: str, rules: NameRules, names: list[str]) -> str | None:
    """The path of files that are all that their key has, where those have no number and the others do."""
    count = Counter((use.pack, use.key) for use in uses)
    found: Counter[str] = Counter()
    for use in uses:
        if count[use.pack, use.key] == 1:
            path = template(replace(use, category=None), rules, rules.spelled(names[use.pack])) or ""
            found[path] += 1
    found.pop("", None)
    found.pop(numbered, None)
    best = found.most_common(1)
    return best[0][0] if best and "@take.number@" not in best[0][0] else None


def by_paths(packs: list[Pack]) -> list[Use]:
    """The files of packs in which nothing names them: a key is what a file is called, without the number of a take."""
    files = [(pack.index, file) for pack in packs for file in pack.sounds]
    pieces = {(index, file): _NUMBERED.fullmatch(PurePosixPath(file).stem) for index, file in files}
    numbers: dict[tuple[int, str, str, str], set[int]] = {}
    for (index, file), match in pieces.items():
        if match:
            group = (index, str(PurePosixPath(file).parent), match["key"], match["sign"])
            numbers.setdefault(group, set()).add(int(match["number"]))
    signs = {sign for (_, _, _, sign), those in numbers.items() if len(those) > 1 and min(those) <= 1}
    found = []
    shared = _shared_folder([file for _, file in files])
    for (index, file), match in pieces.items():
        is_take = match is not None and match["sign"] in signs
        if match is not None and is_take:
            those = numbers[index, str(PurePosixPath(file).parent), match["key"], match["sign"]]
            is_take = those <= {*range(max(those) + 1)} and min(those) <= 1 and len(those) >= max(those)
        key = match["key"] if match is not None and is_take else PurePosixPath(file).stem
        below = str(PurePosixPath(file).parent.relative_to(shared))
        key = key if below == "." else f"{below}/{key}"
        found.append(Use(index, file, key, int(match["number"]) if match is not None and is_take else 1))
    return found


def _shared_folder(files: list[str]) -> str:
    """The folder that all files lie in, at any depth."""
    parts = [PurePosixPath(file).parent.parts for file in files]
    shared = []
    for pieces in zip(*parts, strict=False):
        if len(set(pieces)) > 1:
            break
        shared.append(pieces[0])
    return "/".join(shared)


_NUMBERED = re.compile(r"(?P<key>.*?[^\d._-])(?P<sign>[._-]?)(?P<number>\d{1,3})")


def own_path(uses: list[Use], names: list[str], *, several: bool, parts: bool) -> str:
    """A path for new files, where the old ones' names do not come of keys."""
    folders = Counter(str(PurePosixPath(use.file).parent) for use in uses)
    folder = folders.most_common(1)[0][0]
    own = names[uses[0].pack]
    if own and own in folder.split("/"):
        folder = "/".join("@pack.name@" if piece == own else piece for piece in folder.split("/"))
    folder = "/".join(piece if piece == "@pack.name@" else piece.replace("@", "@@") for piece in folder.split("/"))
    suffix = Counter(PurePosixPath(use.file).suffix for use in uses).most_common(1)[0][0]
    last = "@key@" if "@pack.name@" in folder else "@pack.name@-@key@"
    more = "-@part.name@" if parts else "-@take.number@" if several else ""
    return f"{'' if folder == '.' else folder + '/'}{last}{more}{suffix}"


def kinds(packs: list[Pack], uses: list[Use]) -> list[KindDraft]:
    """The kinds of sound that there are: by their form, the commonest first."""
    drafts: dict[tuple[tuple[str, str, int, int], bool], KindDraft] = {}
    for use in uses:
        facts = packs[use.pack].sounds.get(use.file)
        if facts is None:
            continue
        form = form_of(facts)
        drafts.setdefault((form, False), KindDraft("", form)).uses.append(use)
    ordered = sorted(drafts.values(), key=lambda draft: (-len({use.key for use in draft.uses}), -len(draft.uses)))
    for kind in list(ordered[1:]):
        _name(kind, ordered)
        folders = {PurePosixPath(use.file).parent for use in kind.uses}
        first = {PurePosixPath(use.file).parent for use in ordered[0].uses}
        if not kind.categories and not kind.keys and folders & first:
            ordered[0].uses += kind.uses  # nobody could say which sounds are to be so
            if kind.form[0] == ordered[0].form[0]:
                ordered[0].mixed.append(kind.form)
            else:
                ordered[0].odd |= {use.file: f"{kind.form[0]} {kind.form[1]}" for use in kind.uses}
            ordered.remove(kind)
    return ordered


def _name(kind: KindDraft, all_of: list[KindDraft]) -> None:
    """What a kind is called, and by what its sounds are known: their category, or how their keys begin."""
    others = [use for one in all_of if one is not kind for use in one.uses]
    own = {use.category for use in kind.uses}
    if own and None not in own and not own & {use.category for use in others}:
        kind.categories = tuple(sorted(str(category) for category in own))
        kind.name = _plain(kind.categories[0])
        return
    prefixes = {_prefix(use.key) for use in kind.uses}
    if len(prefixes) == 1 and (prefix := prefixes.pop()) and not any(use.key.startswith(prefix) for use in others):
        kind.keys = (f"{prefix}*",)
        kind.name = _plain(prefix)
        return
    folder = PurePosixPath(kind.uses[0].file).parent.name
    kind.name = (
        _plain(folder) if _plain(folder) not in {draft.name for draft in all_of} else f"kind-{all_of.index(kind)}"
    )


def _prefix(key: str) -> str:
    match = re.match(r"[A-Za-z0-9]+[^A-Za-z0-9]", key)
    return match[0] if match else ""


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-") or "other"


def numbered(files: list[tuple[int, str, str, str | None, str | None]]) -> Iterator[Use]:
    """Uses with the numbers of takes, in the order of the documents: pack, file, key, part, category."""
    count: Counter[tuple[int, str]] = Counter()
    for pack, file, key, part, category in files:
        if part is None:
            count[pack, key] += 1
        yield Use(pack, file, key, count[pack, key] if part is None else 0, part, category)


def odd_forms(packs: list[Pack], first: KindDraft) -> Iterator[str]:
    """Which sound files have a form that the draft does not give to new ones."""
    usual = " ".join(map(str, first.form[:2]))
    for file, form in list(first.odd.items())[:_SHOWN]:
        yield f"{file} is {form}, most others beside it are {usual}, and nothing tells them apart: it becomes that"
    facts = {pack.files.label(name): facts for pack in packs for name, facts in pack.sounds.items()}
    others = {name: one.container for name, one in facts.items() if one and one.container not in _BUILT}
    for name, container in list(others.items())[:_SHOWN]:
        yield f"{name} is {container}, which no pack is built with: new ones are {first.form[0]}"
    for name in [name for name, one in facts.items() if one is None][:_SHOWN]:
        yield f"{name} cannot be read as a sound: no form is learned from it"


_BUILT = ("Ogg", "WAV", "FLAC")
_SHOWN = 6  # files that are told one by one
