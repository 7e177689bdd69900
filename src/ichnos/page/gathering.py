"""All that the page and the sheet show of a pack: every key with its sounds measured, old beside new."""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from statistics import median

from ichnos.audio.files import clips, loops
from ichnos.audio.measure.analysis import Glance, glance
from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.games.opening import Opened
from ichnos.games.pack_sounds import PackSounds
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import ENTRY
from ichnos.games.targets import marking
from ichnos.games.things import PackThing, SoundThing
from ichnos.pack.workspace.pack_file import PackFile
from ichnos.review.budget import Budget
from ichnos.review.by_key import KeyFile, KeySounds, PackByKey, number, of_subject
from ichnos.review.findings import Finding
from ichnos.review.subject import Subject
from ichnos.review.verdicts import heard_as

_JUMP = 6.0  # LU from the middle of its category: what listeners hear as a jump
_FEWEST = 3  # sounds of a category that have a middle
_COLUMNS = 300  # of a waveform


@dataclass(frozen=True)
class Content:
    """A sound file by its bytes. ``loop``: first and last frame; ``trouble``: why it cannot be heard."""

    digest: str
    size: int
    name: str
    piece: KeyFile  # where the bytes are
    glance: Glance | None = None
    loop: tuple[int, int] | None = None
    trouble: str = ""
    unread: bool = False  # the file itself cannot be read, so that nobody knows its bytes


@dataclass(frozen=True)
class Shown:
    """A take or a part with what is in it; ``content`` is None where there is no file."""

    piece: KeyFile
    content: Content | None

    @property
    def level(self) -> float | None:
        """How loud it is, in LUFS, before the definition makes it louder or quieter; None for silence."""
        return heard(self.content.glance) if self.content and self.content.glance else None


def heard(seen: Glance) -> float | None:
    """The loudness of a sound on two loudspeakers, in LUFS; None for silence.

    ITU-R BS.1770 counts each channel once; one alone comes out of both, and is 3 LU louder then.
    """
    level = seen.loudness.level + (_OF_BOTH if seen.facts.channels == 1 else 0)
    return level if math.isfinite(level) else None


_OF_BOTH = 10 * math.log10(2)  # LU


@dataclass(frozen=True)
class Entry:
    """A key as it is shown. ``jump``: LU above (or below) the middle of its category, where that is heard as a jump."""

    key: str
    definition: SoundThing
    category: str
    kind: str
    near: float
    far: float
    positional: bool
    new: tuple[Shown, ...]
    old: tuple[Shown, ...]
    old_definition: SoundThing | None
    players: tuple[str, ...]
    findings: tuple[Finding, ...]
    heard: str
    loose: bool = False
    jump: float | None = None

    @property
    def has_old(self) -> bool:
        """Is there an old sound that can be heard?"""
        return any(shown.content is not None and shown.content.glance is not None for shown in self.old)

    @property
    def level(self) -> float | None:
        """How loud its loudest take or part is as the game plays it, in LUFS."""
        return max(self.levels(), default=None)

    def levels(self) -> Iterator[float]:
        """How loud each take or part is as the game plays it, in LUFS."""
        volume = number(self.definition.values.get("volume"))
        for shown in self.new:
            gain = volume * shown.piece.volume
            if shown.level is not None and gain > 0:
                yield shown.level + 20 * math.log10(gain)

    @property
    def seconds(self) -> float:
        """How long its longest take or part is."""
        return max(
            (shown.content.glance.facts.seconds for shown in self.new if shown.content and shown.content.glance),
            default=0,
        )


@dataclass(frozen=True)
class PageModel:
    """A pack to be shown. ``against``: what old is; ``remarks``: findings that are of no one sound.

    ``own_name``: the short name that its workspace gives it, where it has one.
    """

    profile: Profile
    definitions: PackThing
    label: str
    own_name: str
    against: str
    entries: tuple[Entry, ...]
    remarks: tuple[Finding, ...] = ()
    left_out: int = 0
    middles: Mapping[str, float] = field(default_factory=dict)  # LUFS by category

    def said(self, name: str) -> str:
        """A value of the pack's own, as ``pack.title``; empty where it is not said."""
        value = self.definitions.values.get(name)
        return "" if value is None else str(value)

    @property
    def title(self) -> str:
        return self.said("pack.title") or self.said("pack.name") or Path(self.label).stem

    @property
    def name(self) -> str:
        """What it is known by, from one edition to the next."""
        return self.own_name or self.said("pack.name") or self.title

    def contents(self) -> dict[str, Content]:
        """Every file that is shown, by its SHA-256."""
        shown = (one.content for entry in self.entries for one in (*entry.new, *entry.old))
        return {content.digest: content for content in shown if content is not None}


def gather(
    subject: Subject,
    label: str,
    findings: Sequence[Finding] = (),
    against: Opened | None = None,
    on_progress: Callable[[float], None] = lambda _: None,
) -> PageModel:
    """Measure every sound of a pack, and the old ones beside them.

    Args:
        label: what the pack is called.
        against: what old is.
        on_progress: called after each file.
    """
    side, old = of_subject(subject), _old(subject, against)
    heard = list(side.sounds.values())
    before = [_before(old, sounds) for sounds in heard]
    pieces = [piece for one in (*heard, *before) if one is not None for piece in one.pieces]
    contents = _measured(subject.profile, pieces, Budget(2 if against else 1), on_progress)
    places = _placed(heard)
    own: dict[str, list[Finding]] = {}
    remarks = []
    for finding in findings:
        keys = places.get((finding.place.path, None)) or places.get((finding.place.path, finding.place.line)) or ()
        for key in keys:
            own.setdefault(key, []).append(finding)
        if not keys:
            remarks.append(finding)
    players = _players(side.definitions, subject.context.pack_file)
    entries = [
        _entry(side, one, was, own.get(one.key, ()), players.get(one.definition.key, ()), contents, subject.at_a_place)
        for one, was in zip(heard, before, strict=True)
    ]
    entries, middles = _with_jumps(entries)
    return PageModel(
        subject.profile,
        side.definitions,
        label,
        subject.context.pack_file.pack.name if subject.context.pack_file else "",
        _called(against) if against else "",
        tuple(entries),
        tuple(remarks),
        side.left_out,
        middles,
    )


def _before(old: PackByKey | None, sounds: KeySounds) -> KeySounds | None:
    """What was under a key: of a game anything that it has, of another pack what that says itself."""
    if old is None or sounds.loose:
        return None
    if old.is_game:
        return old.of_key(sounds.definition.key)
    found = old.sounds.get(sounds.key) or old.sounds.get(sounds.definition.key)
    return None if found is None or found.loose else found


def count(subject: Subject, against: Opened | None) -> int:
    """About how many files will be measured."""
    return len(subject.sounds) * (2 if against else 1)


def _called(against: Opened) -> str:
    return f"{against.profile.rules.game.title}'s own" if against.is_game else against.path.name


def _old(subject: Subject, against: Opened | None) -> PackByKey | None:
    if against is None:
        return None
    own = None if against.is_game else subject.context.own
    catalogue = subject.context.catalogue
    view = PackSounds(against.profile, against.files, against.reading, catalogue)
    return PackByKey(view, own, is_game=against.is_game)


def _measured(
    profile: Profile, pieces: Sequence[KeyFile], budget: Budget, on_progress: Callable[[float], None]
) -> dict[tuple[int, str], Content]:
    """What is in each file, by where it is."""
    files = {(id(piece.files), piece.name): piece for piece in pieces if piece.name is not None}

    def one(piece: KeyFile) -> Content:
        content = _content(profile, piece, budget)
        on_progress(1)
        return content

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        return dict(zip(files, pool.map(one, files.values()), strict=True))


def _content(profile: Profile, piece: KeyFile, budget: Budget) -> Content:
    name = str(piece.name)
    encoder = profile.rules.own_encoder
    unread = Content(f"unread {piece.label}", 0, name, piece, unread=True)
    try:
        if not budget.file(name, piece.files.size(name)):
            return replace(unread, trouble=_OVER)
        with piece.stream() as stream:
            digest, size = disk.digest_of(stream), stream.tell()
            content = Content(digest, size, name, piece)
            if encoder is not None and name.lower().endswith(encoder.extension):
                return replace(content, trouble="in the game's own codec, which only it can decode")
            stream.seek(0)
            try:
                sound = clips.OpenSound(stream, name)
                if not budget.sound(name, sound.facts.seconds):
                    return replace(content, trouble=_OVER)
                how = marking(profile.rules.loops, sound.facts.container)
                seen = glance(sound, _COLUMNS)
                stream.seek(0)
                return replace(content, glance=seen, loop=loops.read(stream, how) if how else None)
            except IchnosError as error:
                return replace(content, trouble=error.what)
    except IchnosError as error:
        return replace(unread, trouble=error.what)


_OVER = "not looked at: there is more here than any pack for a game has"


def _placed(heard: Sequence[KeySounds]) -> dict[tuple[str, int | None], list[str]]:
    """Which keys a finding is about, by the file that it names, or by the document and the line."""
    by_place: dict[tuple[str, int | None], list[str]] = {}
    for sounds in heard:
        definition = sounds.definition
        named = [definition.place, *definition.places.values(), *(place for _, place, _ in definition.files())]
        at: list[tuple[str, int | None]] = [(place.path, place.line) for place in named if place.line is not None]
        at += [(piece.label, None) for piece in sounds.pieces if piece.name is not None and not piece.of_game]
        for place in dict.fromkeys(at):
            by_place.setdefault(place, []).append(sounds.key)
    return by_place


def _players(pack: PackThing, own: PackFile | None) -> dict[str, list[str]]:
    """What plays each key, in words: as the documents say, and as the workspace does of what only a script says."""
    found: dict[str, list[str]] = {}

    def note(key: str | None, *words: object) -> None:
        text = ", ".join(str(word) for word in words if word)
        if text not in found.setdefault(str(key), []):
            found[str(key)].append(text)

    for trigger in pack.triggers:
        values = trigger.values
        about = [f"{what} {values[f'trigger.{what}']}" for what in _ABOUT if values.get(f"trigger.{what}")]
        note(trigger.key, f"trigger {values.get('trigger.name') or ''}".rstrip(), *about)
    if own is not None and not pack.triggers:
        for one in own.trigger:
            told = {"event": one.event, "where": one.where, "from": one.from_}
            note(
                one.key,
                f"trigger {one.name or ''}".rstrip(),
                *(f"{what} {told[what]}" for what in _ABOUT if told[what]),
            )
    for prop in pack.props:
        note(prop.key, f"prop {prop.name or prop.key}")
    for schedule in pack.schedules:
        called = f"schedule {schedule.values.get('schedule.name') or ''}".rstrip()
        for entry in schedule.of(ENTRY):
            note(entry.key, called, entry.values.get("entry.kind"))
    return found


_ABOUT = ("event", "where", "from")


def _entry(
    side: PackByKey,
    sounds: KeySounds,
    was: KeySounds | None,
    findings: Sequence[Finding],
    players: Sequence[str],
    contents: Mapping[tuple[int, str], Content],
    at_a_place: Mapping[str, str],
) -> Entry:
    sound, rules = sounds.definition, side.profile.rules.play
    new, old = _shown(sounds, contents), _shown(was, contents) if was else ()
    positional = sound.values.get("positional")
    read = [each for each in new if each.content is not None and not each.content.unread and not each.piece.of_game]
    digests = {each.piece.role: each.content.digest for each in read if each.content}
    return Entry(
        sounds.key,
        sound,
        side.view.category_of(sound) or "",
        side.view.kind_of(sound).name,
        number(sound.values.get("near"), rules.near),
        number(sound.values.get("far"), rules.far),
        (rules.positional if positional is None else positional is True)
        or any(piece.name in at_a_place for piece in sounds.pieces),
        new,
        old,
        was.definition if was else None,
        tuple(players),
        tuple(findings),
        heard_as(digests),
        sounds.loose,
    )


def _shown(heard: KeySounds, contents: Mapping[tuple[int, str], Content]) -> tuple[Shown, ...]:
    return tuple(
        Shown(piece, contents[id(piece.files), piece.name] if piece.name is not None else None)
        for piece in heard.pieces
    )


def _with_jumps(entries: Sequence[Entry]) -> tuple[list[Entry], dict[str, float]]:
    """The entries, with those marked that are far louder or quieter than the middle of their category."""
    levels: dict[str, list[float]] = {}
    for entry in entries:
        if entry.level is not None:
            levels.setdefault(entry.category or entry.kind, []).append(entry.level)
    middles = {name: median(found) for name, found in levels.items() if len(found) >= _FEWEST}
    marked = []
    for entry in entries:
        middle = middles.get(entry.category or entry.kind)
        apart = [level - middle for level in entry.levels()] if middle is not None else []
        worst = max(apart, key=abs, default=0.0)
        marked.append(replace(entry, jump=round(worst, 1)) if abs(worst) > _JUMP else entry)
    return marked, middles
