"""A rehearsal: a world, a scene and a seed make a log, a mix and findings; the same three the same bytes."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from ichnos.audio.blocks import chain
from ichnos.audio.blocks.chain import AudioStream
from ichnos.audio.files import clips
from ichnos.audio.files.clips import Facts
from ichnos.audio.measure import audibility
from ichnos.audio.measure.loudness import LoudnessMeter
from ichnos.audio.measure.peaks import PeakMeter, decibels
from ichnos.audio.process.conversion import write
from ichnos.audio.process.levels import Lowered, limit_peaks
from ichnos.audio.process.target import Target
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.games.profiles.vocabulary import BODY
from ichnos.games.targets import target
from ichnos.games.things import Thing
from ichnos.play import scene as scenes
from ichnos.play.acting import Acting, Played, Voice, called
from ichnos.play.decoding import Sounds
from ichnos.play.mixing import CEILING, Mixing, level
from ichnos.play.scene import Scene, distance
from ichnos.play.scripts import Scripts
from ichnos.play.world import GAME, PlayedSound, World, refuse_unknown
from ichnos.review.findings import Finding, finding

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block
    from ichnos.audio.measure.audibility import Levels

_LISTENED = 20.0  # seconds of a sound that are held against the bed
_LONGEST_ALONE = 86_400.0  # seconds: what one key may take
_FRAME, _MOST_BYTES = 6, (1 << 32) - 4096  # of a WAV: two sides of 24 bits, and what its header can say
_INAUDIBLE = 1e-3  # of full level: further away than that a sound is not heard


@dataclass
class Rehearsal:
    """What came of a scene. ``shown``: how loud each voice was at most, by its number, from 0 to 1."""

    scene: Scene
    played: Played
    findings: list[Finding]
    notes: list[str]
    shown: dict[int, float] = field(default_factory=dict)
    stands_out: dict[str, float] = field(default_factory=dict)  # by key: dB over what the bed covers
    curve: str = "straight"
    loudness: float | None = None  # LUFS, of the mix
    true_peak: float | None = None  # dBTP
    lowered: Lowered | None = None  # where the mix was too loud


def lengths(world: World, sounds: Sounds) -> dict[str, float]:
    """How long each sound of the packs is, in seconds, by its first file that can be read."""
    found = {}
    for sound in world.own():
        for file in sound.files:
            facts = sounds.known(file)
            if facts is not None:
                found[sound.key] = facts.frames / facts.rate
                break
    return found


def made_scene(world: World, seed: int) -> Scene:
    """The scene that is made up from the packs of a world."""
    with closing(Scripts(world, seed)) as scripts:
        triggers = [trigger for _, trigger in world.triggers] + [one for one, _ in scripts.listeners]
        return scenes.made_up(world, triggers, lengths(world, Sounds(world.profile)))


def rehearse(
    world: World,
    scene: Scene | None,
    seed: int,
    *,
    folder: Path,
    seconds: float | None = None,
    to: Path | None = None,
    on_progress: Callable[[float], None] = lambda seconds: None,
) -> Rehearsal:
    """Play a scene; without one, one that is made up from the packs.

    Args:
        folder: where the scene's bed is seen from.
        seconds: how long, in place of what the scene says.
        to: a WAV for the mix; without one, nothing is mixed that need not be.
        on_progress: called after each block that is mixed, with its seconds.

    Raises:
        IchnosError: the scene names a schedule or a prop that is not there; a file that cannot be written.
    """
    sounds, rate = Sounds(world.profile), _rate(world)
    whole = scene is None
    with closing(Scripts(world, seed)) as scripts:
        triggers = [*(trigger for _, trigger in world.triggers), *(trigger for trigger, _ in scripts.listeners)]
        scene = scene or scenes.made_up(world, triggers, lengths(world, sounds))
        scene = scene if seconds is None else scene.model_copy(update={"seconds": seconds})
        acting = Acting(world, scene, sounds, rate, seed, sure=whole)
        played = acting.run(scripts.listeners, scripts.asked)
    if whole:
        scene = _with_unplaced(scene, played)
    done = Rehearsal(scene, played, [], [*scripts.notes], curve=world.profile.rules.play.curve)
    mixing = Mixing(played, scene, sounds, world.profile.rules.play.curve)
    bed = _Bed(folder, scene, rate) if scene.bed else None
    if to is not None:
        _mix(done, mixing, bed, rate, to, on_progress)
    quiet = {voice.number: _highest(voice, scene, mixing, rate) for voice in played.voices if to is None}
    done.shown = quiet if to is None else mixing.heard
    if bed is not None:
        done.stands_out = dict(_against(bed.levels(), done, mixing, sounds, rate))
    is_shortened = seconds is not None and played.late > 0  # what was not reached is no fault
    done.findings += _findings(world, done, sounds, [] if is_shortened else triggers, whole=whole and not is_shortened)
    done.findings += _of_scripts(scripts)
    done.notes += _notes(world, played, sounds)
    return done


def _of_scripts(scripts: Scripts) -> Iterator[Finding]:
    for error in scripts.wrong:
        yield finding("script-stopped" if error.stopped else "script-error", error.place, error.what)


def _rate(world: World) -> int:
    """The rate of the mix, in Hz: the one that the game's sounds have as a rule."""
    return target(world.profile, world.profile.kinds[""]).rate


def _with_unplaced(scene: Scene, played: Played) -> Scene:
    """A scene with the things that scripts alone know."""
    placed = tuple(scenes.SceneThing(name=name, place=(3.0, 4.0)) for name in sorted(played.unplaced))
    played.unplaced.clear()
    return scene.model_copy(update={"thing": (*scene.thing, *placed)})


def _notes(world: World, played: Played, sounds: Sounds) -> Iterator[str]:
    """What did not play, or is not heard as the scene says, and is no fault."""
    if sounds.own_codec:
        count = len(sounds.own_codec)
        what = "sound file is" if count == 1 else "sound files are"
        yield f"{count} {what} in the game's own codec, which only the game can play"
    locked = [key for key in sorted(played.without) if world.sounds[key].whose == GAME]
    if locked:
        more = f" and {len(locked) - 3} more" if len(locked) > 3 else ""
        yield f"of the game's own, {', '.join(locked[:3])}{more} cannot be read, and did not play"
    if played.everywhere:
        names = ", ".join(sorted(played.everywhere)[:3]) + (", ..." if len(played.everywhere) > 3 else "")
        yield f"{names} has no place in this game, and is heard everywhere, whatever the scene says"
    for what in sorted(played.passed_over):
        yield f"{what} did not play: the stand-in does not know when the game plays it"
    if played.late:
        yield f"{played.late} of the happenings come when the scene is over"
    if played.unplaced:
        names = ", ".join(sorted(played.unplaced))
        yield f"the scene does not say where {names} stands: it is heard from where the listener begins"


def _highest(voice: Voice, scene: Scene, mixing: Mixing, rate: int) -> float:
    """How loud a voice is at most by its distance."""
    if voice.thing is None:
        return 1.0 if voice.end > voice.start else 0.0
    place = scene.place_of(voice.thing) or scene.listener_at(0)[0]
    step = max(1, (voice.end - voice.start) // 200)
    moments = range(voice.start, max(voice.start + 1, voice.end), step)
    apart = (distance(place, scene.listener_at(moment / rate)[0]) for moment in moments)
    return max(level(one, voice.near, voice.far, mixing.curve) for one in apart)


class _Bed:
    """The recording that lies under a scene, again and again."""

    def __init__(self, folder: Path, scene: Scene, rate: int) -> None:
        self.path = folder / str(scene.bed)
        self.volume, self.rate, self.frames = scene.bed_volume, rate, round(scene.seconds * rate)
        if not disk.is_file(self.path):
            raise IchnosError(f'the bed "{scene.bed}" is not there', cure="correct its name in the scene")

    def _once(self, rate: int) -> Iterator[Block]:
        with clips.open_sound(self.path) as sound:
            mixed = chain.mix_channels(sound.blocks(), 2, mask=sound.facts.mask)
            for block in chain.resample(mixed, sound.facts.rate, rate, 2):
                yield block * self.volume

    def blocks(self) -> Iterator[Block]:
        """As long as the scene."""
        left = self.frames
        while left > 0:
            before = left
            for block in self._once(self.rate):
                yield block[:left]
                left -= len(block)
                if left <= 0:
                    return
            if left == before:
                return

    def levels(self) -> Levels:
        return audibility.levels_of(self._once(audibility.RATE))


def _mix(
    done: Rehearsal, mixing: Mixing, bed: _Bed | None, rate: int, to: Path, on_progress: Callable[[float], None]
) -> None:
    if done.played.frames * _FRAME > _MOST_BYTES:
        hours = _MOST_BYTES / _FRAME / rate / 3600
        what = f"a WAV holds no more than {hours:.1f} hours of this, and it would be {done.scene.seconds / 3600:.1f}"
        raise IchnosError(what, place=Place(str(to)), cure="make it shorter: --seconds N, or --times N")
    peaks, loudness, lowered = PeakMeter(rate, 2), LoudnessMeter(rate, 2), Lowered(rate)

    def metered() -> Iterator[Block]:
        mixed = mixing.blocks() if bed is None else _sum(mixing.blocks(), bed.blocks())
        for block in limit_peaks(AudioStream(mixed, rate, 2), CEILING, lowered=lowered).blocks:
            peaks.add(block)
            loudness.add(block)
            on_progress(len(block) / rate)
            yield block

    frames = done.played.frames
    write(metered(), Facts("WAV", "WAV", "float 32", rate, 2, frames), Target("WAV", "PCM 24", rate, 2, 0), to, to)
    peaks.finish()
    done.loudness = loudness.result().level
    done.true_peak = decibels(peaks.true)
    if lowered.times:
        done.lowered = lowered
        done.notes.append(f"all together it is too loud, so the mix is lowered by {lowered}")


def _sum(one: Iterator[Block], other: Iterator[Block]) -> Iterator[Block]:
    """Two sounds at once, as long as the first."""
    import numpy as np

    waiting = np.zeros((0, 2), np.float32)
    for block in one:
        while len(waiting) < len(block):
            more = next(other, None)
            if more is None:
                waiting = np.concatenate([waiting, np.zeros((len(block) - len(waiting), 2), np.float32)])
            else:
                waiting = np.concatenate([waiting, more.astype(np.float32)])
        yield block + waiting[: len(block)]
        waiting = waiting[len(block) :]


def _against(bed: Levels, done: Rehearsal, mixing: Mixing, sounds: Sounds, rate: int) -> Iterator[tuple[str, float]]:
    """By how much each key stands out of the bed, at its loudest."""
    cover = audibility.covered(bed)
    loudest: dict[str, Voice] = {}
    for voice in done.played.voices:
        best = loudest.get(voice.key)
        here = done.shown.get(voice.number, 0.0) * voice.gain
        if voice.end > voice.start and (best is None or here > done.shown.get(best.number, 0.0) * best.gain):
            loudest[voice.key] = voice
    apart = Mixing(done.played, done.scene, sounds, mixing.curve)
    for key, voice in loudest.items():
        last = min(voice.end, voice.start + round(_LISTENED * rate))
        blocks = (apart.part(voice, at, min(last, at + rate)) for at in range(voice.start, last, rate))
        levels = audibility.levels_of(chain.resample(blocks, rate, audibility.RATE, 2))
        yield key, audibility.compare(levels, cover).stands_out


def _findings(
    world: World, done: Rehearsal, sounds: Sounds, triggers: list[Thing], *, whole: bool
) -> Iterator[Finding]:
    """What only playing shows."""
    played, own = done.played, {sound.key: sound for sound in world.own()}
    for key, loser, winner, place in world.lost:
        cure = f"leave one of the two out, or have {loser} loaded {_order(world)} {winner}"
        yield finding("wrong-winner", place, f'"{key}" of {loser} is not heard: {winner} has it, too', cure)
    for key, cause, place in dict.fromkeys(played.unknown):
        from ichnos.likeness import did_you_mean

        yield finding(
            "play-unknown", place, f'{cause} "{key}", and nothing has that key', did_you_mean(world.sounds, key, 2)
        )
    yield from _silent(own.values(), done, sounds, whole=whole)
    for key, db in done.stands_out.items():
        if key in own and db < 0:
            less = "the bed covers it" if math.isinf(db) else f"it is {-db:z.1f} dB below what the bed covers"
            yield finding("drowned", own[key].place, f'"{key}": {less}')
    for key, reason in {voice.key: voice.cut for voice in played.voices if voice.cut}.items():
        if key in world.sounds:
            count = sum(1 for voice in played.voices if voice.key == key and voice.cut)
            place = world.sounds[key].place
            yield finding("cut-off", place, f'"{key}" is cut off {count} time{"s" if count > 1 else ""}: {reason}')
    yield from _loops(world, done, sounds)
    for file, key in played.at_a_place.items():
        place = world.sounds[key].place
        yield finding("stereo-at-a-place", place, f'"{key}" has a place, and {file} is stereo')
    for index, trigger in enumerate(triggers):
        if index not in played.met:
            yield finding("trigger-never-fired", trigger.place, f'"{called(trigger)}" never did anything')


def _silent(own: Iterable[PlayedSound], done: Rehearsal, sounds: Sounds, *, whole: bool) -> Iterator[Finding]:
    """Sounds of packs that are not heard, or not whole."""
    played = done.played
    heard: dict[str, float] = {}
    for voice in played.voices:
        heard[voice.key] = max(heard.get(voice.key, 0.0), done.shown.get(voice.number, 0.0) * bool(voice.gain))
    for sound in own:
        for what in sound.missing:
            yield finding("never-heard", sound.place, f'"{sound.key}": {what} leads to no file')
        if any(file.label in sounds.own_codec for file in sound.files):
            continue
        broken = [sounds.errors[file.label] for file in sound.files if file.label in sounds.errors]
        if sound.key in heard and heard[sound.key] > _INAUDIBLE and not broken:
            continue
        why = "its file cannot be read: " + broken[0].what if broken else _why_not(played, sound.key, whole=whole)
        if why:
            yield finding("never-heard", sound.place, f'"{sound.key}" is never heard: {why}')


def _order(world: World) -> str:
    return "behind" if world.profile.rules.install.wins == "last" else "before"


def _why_not(played: Played, key: str, *, whole: bool) -> str:
    """Why a key is not heard in a scene; empty where the scene simply has no part for it."""
    voices = [voice for voice in played.voices if voice.key == key]
    if not voices:
        return "none of its files is there" if whole or key in played.without else ""
    if any(voice.cut for voice in voices):
        return ""  # which is a finding of its own
    if not any(voice.gain for voice in voices):
        return "its level is nothing"
    return "it is always too far away"


def _loops(world: World, done: Rehearsal, sounds: Sounds) -> Iterator[Finding]:
    for key, place in done.played.stuck.items():
        reason = f'the body of "{key}" is never reached: its intro is marked as a loop, and goes round'
        yield finding("loop-wrong", place, reason, "take the marks out of the intro")
    keys = {voice.key for voice in done.played.voices}
    for sound in world.own():
        for file in sound.files if sound.key in keys and sound.loop is not False else ():
            facts = sounds.known(file)
            if facts is None or facts.loop is None or facts.loop[0] < facts.loop[1] < facts.frames:
                continue
            start, end = facts.loop
            reason = f"its loop goes from frame {start} to {end}, and the file has {facts.frames}"
            yield finding("loop-wrong", Place(file.label), reason)


def whose(world: World, key: str) -> str:
    """Whose sound plays under a key, for the log."""
    sound = world.sounds.get(key)
    return "" if sound is None or sound.whose == GAME else sound.whose


def one_key(
    world: World, key: str, times: int, seed: int, *, away: float | None, to: Path,
    on_progress: Callable[[float], None] = lambda seconds: None,
) -> Rehearsal:  # fmt: skip
    """One key as the game would play it, so many times; a loop goes round as often.

    Args:
        away: how far from the listener, in metres, straight ahead; None: at its near distance.
        to: a WAV for the sound.

    Raises:
        IchnosError: nothing has the key, or nothing of it can be played.
    """
    sound = refuse_unknown(world, key)
    sounds = Sounds(world.profile)
    rate = _rate(world)
    away_by = sound.near if away is None else away
    thing = scenes.SceneThing(name=f"{away_by:g} m away", place=(0.0, away_by))
    scene = Scene(format=1, seconds=_LONGEST_ALONE, thing=(thing,))
    acting = Acting(world, scene, sounds, rate, seed)
    at = 0
    for _ in range(1 if sound.loop or BODY in sound.parts else times):
        voice = acting.play(at, key, "you", thing=thing.name, turns=times)
        if voice is not None:
            at = voice.end
    if not any(voice.end > voice.start for voice in acting.played.voices):
        broken = next(iter(sounds.errors.values()), None)
        what = f'"{key}" is in the game\'s own codec' if sounds.own_codec else f'none of the files of "{key}" is there'
        raise broken or IchnosError(f"{what}, and cannot be played", cure="ichnos check says more of the pack")
    acting.played.frames = max(voice.end for voice in acting.played.voices)
    scene = scene.model_copy(update={"seconds": max(acting.played.frames / rate, 1e-3)})
    done = Rehearsal(scene, acting.played, [], [], curve=world.profile.rules.play.curve)
    mixing = Mixing(acting.played, scene, sounds, world.profile.rules.play.curve)
    _mix(done, mixing, None, rate, to, on_progress)
    done.shown = mixing.heard
    if away is not None and not sound.positional:
        done.notes.append(f"{key} is heard everywhere at one level, near and far")
    return done
