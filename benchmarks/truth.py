"""How true the sound is: each figure that Ichnos gives, and each change that it makes, against an independent one.

The references are pyloudnorm (BS.1770 of another hand), NumPy's Fourier transform, and the formulas by which
the signals were made. Signals are made up and seeded. One row for each: how many cases, the worst of them, how
far off it may be. Exits 1 where a row is further off.
"""

from __future__ import annotations

import io
import math
import sys
import tempfile
import warnings
from collections.abc import Callable, Iterator
from pathlib import Path

import loop_signals
import numpy as np
import pyloudnorm
import soundfile
from numpy.typing import NDArray

from ichnos.audio.blocks.chain import AudioStream, mix_channels, resample
from ichnos.audio.files import clips, markers, marks
from ichnos.audio.measure import audibility, splitting
from ichnos.audio.measure.analysis import analyse
from ichnos.audio.measure.loudness import LoudnessMeter
from ichnos.audio.measure.peaks import PeakMeter
from ichnos.audio.measure.seams import LoopSeams
from ichnos.audio.process import conversion, levels, timing
from ichnos.audio.process import treatments as t
from ichnos.audio.process.target import Target

Signal = NDArray[np.float64]
Rows = Iterator[tuple[str, str, list[float], float]]  # what, against what, how far off each case is, the most

RATE = 44100
ROUNDS = 20


def programme(random: np.random.Generator, seconds: float, channels: int, rate: int = RATE) -> Signal:
    """Noise of some colour in swells, with tones: as uneven as a recording."""
    frames = round(seconds * rate)
    spectrum = np.fft.rfft(random.normal(size=(frames, channels)), axis=0)
    slope = random.uniform(0, 1)
    spectrum[1:] /= (np.arange(1, len(spectrum)) / frames * rate / 1000)[:, None] ** slope
    time = np.arange(frames)[:, None] / rate
    sound = np.fft.irfft(spectrum, frames, axis=0)
    sound *= 0.05 / sound.std() * (1.1 + np.sin(2 * np.pi * random.uniform(0.1, 1, channels) * time))
    hz = random.uniform(60, min(5000, 0.4 * rate), channels)
    return np.asarray(sound + 0.1 * np.sin(2 * np.pi * hz * time))


def hiss(random: np.random.Generator, rate: int) -> Signal:
    """A second of noise up to 18 kHz: above, the standard's own filter for true peaks reads too low."""
    spectrum = np.fft.rfft(random.normal(size=rate))
    spectrum[18000:] = 0
    return np.fft.irfft(spectrum, rate)


def other_loudness(sound: Signal, rate: int) -> float:
    """By pyloudnorm, with the filters of the standard's tables (its usual ones are 0.1 LU beside them)."""
    return float(pyloudnorm.Meter(rate, "DeMan").integrated_loudness(sound))


def loudness(sound: Signal, rate: int = RATE) -> float:
    meter = LoudnessMeter(rate, sound.shape[1])
    for start in range(0, len(sound), 65536):
        meter.add(sound[start : start + 65536].astype(np.float32))
    return meter.result().level


def finer(sound: Signal, times: int = 32) -> Signal:
    """One channel, with so many values for each, by the Fourier transform: exact for what repeats."""
    spectrum = np.fft.rfft(sound)
    spectrum[-1] /= 2 if len(sound) % 2 == 0 else 1
    return np.fft.irfft(spectrum, len(sound) * times) * times


def decibels(value: float) -> float:
    return 20 * math.log10(max(value, 1e-9))


def peaks(sound: Signal) -> PeakMeter:
    meter = PeakMeter(RATE, sound.shape[1])
    for start in range(0, len(sound), 65536):
        meter.add(sound[start : start + 65536].astype(np.float32))
    meter.finish()
    return meter


def stream(sound: Signal, rate: int = RATE) -> AudioStream:
    blocks = (sound[start : start + 65536].astype(np.float32) for start in range(0, len(sound), 65536))
    return AudioStream(blocks, rate, sound.shape[1])


def treated(sound: Signal, *steps: t.Step) -> Signal:
    return np.concatenate(list(t.treat(stream(sound), steps, lambda said: None).blocks)).astype(np.float64)


def in_file(sound: Signal, rate: int = RATE) -> clips.OpenSound:
    file = io.BytesIO()
    soundfile.write(file, sound, rate, format="WAV", subtype="FLOAT")
    return clips.OpenSound(file, "clip.wav")


# What is measured.


def meters(random: np.random.Generator) -> Rows:
    for channels, rate in ((1, 48000), (2, 48000), (2, 44100), (2, 96000), (5, 48000)):
        found = []
        for _ in range(ROUNDS):
            sound = programme(random, random.integers(10, 80) / 10, channels, rate)
            found.append(loudness(sound, rate) - other_loudness(sound, rate))
        yield f"loudness, {channels} channels at {rate / 1000:g} kHz, LU", "pyloudnorm", found, 0.1
    found = []
    for rate in (8000, 11025, 16000, 22050, 32000):
        for _ in range(4):
            sound = programme(random, 4, 1, rate)[:, 0]
            spectrum = np.fft.rfft(sound)
            wide = np.fft.irfft(np.pad(spectrum, (0, 4 * 48000 // 2 + 1 - len(spectrum))), 4 * 48000)
            wide = wide[:, None] * 48000 / rate
            found.append(loudness(sound[:, None], rate) - other_loudness(wide, 48000))
    yield "loudness, mono at 8 to 32 kHz, LU", "pyloudnorm at 48 kHz", found, 0.1
    found = []
    for channel, weight in enumerate((1, 1, 1, 0, 1, 1, 1.41, 1.41)):
        sound = np.zeros((RATE, 8))
        sound[:, channel] = programme(random, 1, 1)[:, 0]
        alone = loudness(sound[:, [channel]])
        both = loudness(sound)
        found.append(both - alone - 10 * math.log10(weight) if weight else float(both > -100))
    yield "loudness of each of eight channels, LU", "BS.1770, annex 3", found, 0.01
    found = []
    for _ in range(3 * ROUNDS):
        hz = random.integers(20, 20000)
        sine = np.sin(2 * np.pi * hz * np.arange(RATE) / RATE + random.uniform(0, 7))
        swell = np.square(np.sin(np.pi * np.arange(RATE) / RATE))
        sound = 0.7 * sine * swell + 0.05 * random.normal(size=RATE) * swell
        found.append(decibels(peaks(sound[:, None]).true) - decibels(float(np.abs(finer(sound)).max())))
    yield "true peak, tones with noise, dB", "Fourier, 32 values for one", found, 0.5
    found = []
    for hz in (20, 30, 41, 80, 110, 220, 440, 997):
        for over in (1.0, 1.12, 1.5):
            sine = np.clip(over * np.sin(2 * np.pi * hz * np.arange(RATE) / RATE), -1, 32767 / 32768)
            found.append(peaks((np.rint(sine * 32768) / 32768)[:, None]).clipped_runs - (2 * hz if over > 1 else 0))
    yield "clipped half waves, too many or too few", "how they were made", found, 0
    offsets, ends, bands, mono = [], [], [], []
    for _ in range(ROUNDS):
        sound = programme(random, 2, 2) + 0.02
        before, behind = random.integers(0, RATE, 2)
        padded = np.pad(sound, ((before, behind), (0, 0)))
        padded[[before, -behind - 1]] = 0.3
        found_of = analyse(in_file(padded))
        offsets.append(1e6 * (found_of.offset - padded.mean()))
        ends += [found_of.silent_start * RATE - before, found_of.silent_end * RATE - behind]
        one, other = random.normal(size=(2, RATE))
        pair = 0.1 * np.stack([one, random.uniform(-0.4, 1) * one + random.uniform(0.5, 1) * other], axis=1)
        sides = analyse(in_file(pair)).sides
        assert sides is not None
        mono.append(sides.mono_db - 10 * math.log10(np.square(pair.mean(axis=1)).mean() / np.square(pair).mean()))
        hz = random.uniform(100, 10000)
        lone = analyse(in_file(0.5 * np.sin(2 * np.pi * hz * np.arange(4 * RATE) / RATE)[:, None])).spectrum
        bands.append(float(10 * np.log10((10 ** (lone.db / 10)).sum()) - 10 * math.log10(0.125)))
    yield "offset, millionths of full scale", "the mean", offsets, 1
    yield "silence at both ends, samples", "how it was made", ends, 0.5
    yield "level when mixed to mono, dB", "NumPy", mono, 0.05
    yield "spectrum of a tone, sum of its bands, dB", "half of its square", bands, 0.2


# What is changed.


def changes(random: np.random.Generator) -> Rows:
    found = []
    for rate, to_rate in ((48000, 44100), (44100, 48000), (44100, 22050), (22050, 44100), (96000, 48000)):
        for hz in (100, 997, 5000, 9000):
            sine = 0.9 * np.sin(2 * np.pi * hz * np.arange(4 * rate) / rate)
            blocks = resample(stream(sine[:, None], rate).blocks, rate, to_rate, 1)
            out = np.concatenate(list(blocks))[to_rate : 3 * to_rate, 0].astype(np.float64)
            turn = 2 * np.pi * hz * np.arange(len(out)) / to_rate
            base = np.stack([np.sin(turn), np.cos(turn)], axis=1)
            rest = out - base @ np.linalg.lstsq(base, out, rcond=None)[0]
            found.append(10 * math.log10(np.square(rest).mean() / np.square(out).mean()))
    yield "what another rate adds to a tone, dB", "fitted sine", found, -125
    found = []
    for _ in range(ROUNDS):
        rise, fall, seconds = random.uniform(0.01, 0.4), random.uniform(0.01, 0.4), random.uniform(1, 4)
        out = treated(np.ones((round(seconds * RATE), 1)), t.Fade(rise=rise, fall=fall, shape="straight"))[:, 0]
        at = np.arange(len(out)) + 0.5
        model = np.minimum(np.minimum(1, at / round(rise * RATE)), (len(out) - at) / round(fall * RATE))
        found.append(decibels(float(np.abs(out - model).max())))
    yield "straight fades, the most aside, dB", "the straight line", found, -80
    found = []
    for _ in range(ROUNDS):
        sound = programme(random, 3, 1)
        target = float(random.uniform(-30, -14))
        out = treated(sound, t.Loudness(lufs=target, ceiling=-1))
        found.append(other_loudness(out, RATE) - target)
    yield "a loudness that was asked for, LU", "pyloudnorm", found, 0.3
    found = []
    for _ in range(ROUNDS):
        sound = 0.9 * hiss(random, RATE) * np.square(np.sin(np.pi * np.arange(RATE) / RATE))
        out = treated(sound[:, None], t.Limit(ceiling=-3))[:, 0]
        found.append(max(0, decibels(float(np.abs(finer(out)).max())) + 3))
    yield "noise up to 18 kHz over a limiter's ceiling, dBTP", "Fourier, 32 values for one", found, 0.3
    found, missing = [], []
    for semitones in (-12, -7, -3, 3, 7, 12):
        for _ in range(ROUNDS // 2):
            sound = 0.01 * random.normal(size=3 * RATE)
            attacks = np.cumsum(random.uniform(0.12, 0.35, 10) * RATE).astype(int)
            for attack in attacks:
                sound[attack : attack + 4000] += 0.5 * random.normal(size=4000) * np.exp(-np.arange(4000) / 900)
            out = np.concatenate(list(timing.change_pitch(stream(sound[:, None]), semitones).blocks))[:, 0]
            was, now = set_in(sound), set_in(out.astype(np.float64))
            missing.append(len(now) - len(was))
            found += [float((now[np.abs(now - one).argmin()] - one) / RATE * 1000) for one in was]
    yield "attacks after a change of pitch, ms aside", "the same before", found, 5
    yield "attacks after a change of pitch, lost or doubled", "the same before", missing, 0
    sound = random.normal(size=(RATE, 6))
    half = math.sqrt(0.5)
    model = np.array([[1, 0], [0, 1], [half, half], [0, 0], [half, 0], [0, half]]) / (1 + 2 * half)
    out = np.concatenate(list(mix_channels([sound.astype(np.float32)], 2)))
    yield "5.1 as stereo, the most aside, dB", "BS.775", [decibels(float(np.abs(out - sound @ model).max()))], -110


def set_in(sound: Signal) -> NDArray[np.int_]:
    """Where the power over 1 ms rises to three times all of the 20 ms before."""
    power = np.square(sound[: len(sound) // 44 * 44]).reshape(-1, 44).mean(axis=1)
    before = np.array([power[max(0, at - 20) : max(1, at - 2)].max() for at in range(len(power))])
    rises = np.flatnonzero((power > 3 * before) & (power > 0.03 * power.max()))
    return rises[np.diff(rises, prepend=-99) > 20] * 44


def coding(random: np.random.Generator) -> Rows:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for codec, rate in (("Vorbis", 44100), ("Opus", 48000)):
            lengths, ends, over = [], [], []
            for _ in range(ROUNDS):
                frames = int(random.integers(3000, 3 * rate))
                tone = 0.5 * np.sin(2 * np.pi * random.uniform(200, 2000) * np.arange(frames) / rate)
                out, _ = converted(tone, folder, codec, rate)
                lengths.append(len(out) - frames)
                ends.append(1 - float(np.corrcoef(out[-200:], tone[-200:])[0, 1]))
                bursts = 0.6 * hiss(random, rate) * (np.sin(np.arange(rate) / 1000) > 0)
                out, said = converted(bursts.clip(-1, 1), folder, codec, rate, t.Loudness(lufs=-9, ceiling=-1))
                above = decibels(float(np.abs(finer(out, 8)).max())) + 1
                over.append(0 if any("above -1 dBTP" in one for one in said) else max(0, above))
            yield f"{codec}, length, samples", "what was put in", lengths, 0
            yield f"{codec}, the last 200 samples, 1 - correlation", "what was put in", ends, 0.05
            yield f"{codec}, over the ceiling and not said so, dBTP", "Fourier, 8 values for one", over, 0.4


def converted(sound: Signal, folder: Path, codec: str, rate: int, *steps: t.Step) -> tuple[Signal, tuple[str, ...]]:
    """What another decoder finds in the file, and what was said of it."""
    clip, to = folder / "clip.wav", folder / "clip.ogg"
    soundfile.write(clip, sound, rate, subtype="PCM_24")
    target = Target("Ogg", codec, rate, 1, 5.0, treatment=steps)
    with clips.open_sound(clip) as source:
        said = conversion.convert(source, target, to, 1).notes
    return soundfile.read(to)[0], said


# What is judged.


def better_loops(random: np.random.Generator) -> Rows:
    """Whether what is proposed, cut out and measured afresh, is better than what was there."""
    worse = []
    for name, heard, make in loop_signals.kinds(random):
        if heard and "silence of" not in name:
            seams = LoopSeams(in_file(sound := make()), within=0.5)
            for one in seams.candidates()[:1]:
                again = LoopSeams(in_file(sound[one.loop[0] : one.loop[1] + 1])).seam()
                worse.append(max(0.0, again.severity - seams.seam().severity))
    yield "a better loop, by how much it is worse", "measured afresh", worse, 0


def moved_marks(random: np.random.Generator) -> Rows:
    """Where the marks of a clip are after each conversion and step, against where its sound is."""
    frames, speed = 3 * RATE, 1.5
    moves: dict[str, tuple[tuple[t.Step, ...], Callable[[float], float]]] = {
        "nothing": ((), lambda at: at),
        "gain and filter": ((t.Gain(db=-3), t.HighPass(hz=80)), lambda at: at),
        "a cut": ((t.Cut(start=0.25, end=2.8),), lambda at: at - 0.25 * RATE),
        "speed": ((t.Speed(factor=speed),), lambda at: at / speed),
        "backwards": ((t.Reverse(),), lambda at: frames - at),
    }
    for name, (steps, where) in moves.items():
        aside = []
        for container, codec in (("WAV", "PCM 16"), ("Ogg", "Vorbis"), ("FLAC", "PCM 16")):
            for rate in (22050, RATE, 48000):
                first, last = int(random.integers(RATE // 2, RATE)), int(random.integers(RATE + 1000, 2 * RATE))
                clip = in_file(programme(random, 3, 1))
                markers.add_sampler_loop(clip.stream, first, last, RATE)
                with tempfile.TemporaryDirectory() as folder:
                    to = Path(folder) / "a"
                    target = Target(container, codec, rate, 1, 5.0, treatment=steps, keep_marks=True)
                    conversion.convert(clip, target, to, 1)
                    (found,) = marks.read(io.BytesIO(to.read_bytes()))
                ends = sorted(where(at) * rate / RATE for at in (first, last + 1))
                aside += [found.first - ends[0], found.last + 1 - ends[1]]
        yield f"marks through {name}, samples aside", "where the sound is", aside, 1


def told_squeezes(random: np.random.Generator) -> Rows:
    """By how much a limiter says that it lowers, against what came out of it."""
    aside = []
    for _ in range(ROUNDS):
        sound = np.asarray(0.05 * random.normal(size=(2 * RATE, 1)), np.float32)
        for at in random.integers(0, 2 * RATE - 400, 5):
            sound[at : at + 400, 0] += np.float32(random.uniform(0.3, 3)) * np.hanning(400).astype(np.float32)
        lowered = levels.Lowered(RATE)
        stream = levels.limit_peaks(AudioStream(iter([sound]), RATE, 1), -6, lowered=lowered)
        out = np.concatenate(list(stream.blocks))
        there = np.abs(sound) > 0.05
        aside.append(lowered.most_db + 20 * np.log10(float((out[there] / sound[there]).min())))
    yield "what a limiter says that it takes off, dB", "what came out against what went in", aside, 0.1


def faded_hums(random: np.random.Generator) -> Rows:
    """How far the level falls where the end of a hum is faded into its beginning."""
    holes = []
    for _ in range(ROUNDS):
        time = np.arange(3 * RATE) / RATE
        sound = sum(
            part * np.sin(2 * np.pi * count * hz * time)
            for hz in [random.uniform(45, 400)]
            for count, part in ((1, 0.3), (2, 0.1), (3, 0.05))
        )
        stream = AudioStream(iter([np.asarray(sound, np.float32)[:, None]]), RATE, 1)
        faded = np.concatenate(list(timing.crossfade_loop(stream, float(random.uniform(0.1, 0.8))).blocks))[:, 0]
        round_the_joint = np.square(np.concatenate([faded[-RATE:], faded[:RATE]]))
        levels = np.convolve(round_the_joint, np.full(RATE // 20, 20 / RATE), "valid")
        holes.append(float(10 * np.log10(levels.min() / np.mean(np.square(sound)))))
    yield "the hole in a hum whose ends are faded, dB", "its own level", holes, 1


def judgements(random: np.random.Generator) -> Rows:
    time = np.arange(RATE) / RATE

    def noise() -> Signal:
        return 0.05 * random.normal(size=RATE)

    def crackling() -> Signal:
        sound = 0.1 * noise()
        for at in random.integers(0, RATE - 400, 30):
            sound[at : at + 300] += 0.3 * random.normal(size=300) * np.exp(-np.arange(300) / 40)
        return np.roll(sound, random.integers(RATE))

    def hum(hz: float) -> Signal:
        return np.asarray(0.2 * np.sin(2 * np.pi * hz * time + random.uniform(0, 7)))

    kinds: list[tuple[str, bool, Callable[[], Signal]]] = [
        ("a hum of whole periods", False, lambda: hum(float(random.integers(30, 5000)))),
        ("crackling", False, crackling),
        ("tremolo, silent at the seam", False, lambda: noise() * np.sin(2 * np.pi * 2 * time)),
        ("a hum that breaks off", True, lambda: hum(random.integers(30, 2000) + random.uniform(0.3, 0.7))),
        ("a step under noise", True, lambda: noise() + np.linspace(0, 0.15, RATE)),
        ("a break in the difference", True, lambda: np.stack([(one := noise()) + (two := hum(110.4)), one - two], 1)),
        *loop_signals.kinds(random),
    ]
    for name, heard, make in kinds:
        wrong = [float(LoopSeams(in_file(make())).seam().is_audible != heard) for _ in range(ROUNDS)]
        yield f"seam: {name}, share wrong", "heard" if heard else "not heard", wrong, 0 if heard else 0.05
    yield from better_loops(random)
    yield from faded_hums(random)
    yield from moved_marks(random)
    yield from told_squeezes(random)
    wrong = []
    for floor in (-90, -60, -50, -45, -40, -35):
        for _ in range(5):
            ground = 10 ** (floor / 20) * random.normal(size=12 * RATE)
            for start in range(RATE, 11 * RATE, round(2.2 * RATE)):
                ground[start : start + RATE] += 0.08 * random.normal(size=RATE)
            wrong.append(float(len(splitting.pieces(in_file(ground[:, None]), None, 0.3, 0.05, 0.02)[0]) != 5))
    yield "split: floors of -90 to -35 dBFS, share wrong", "how they were made", wrong, 0
    found = []
    for _ in range(ROUNDS):
        one, bed = programme(random, 2, 1), programme(random, 2, 1)
        cover = audibility.covered(audibility.levels(in_file(bed)))
        both = [audibility.levels(in_file(np.hstack([one, side]))) for side in (-one, one)]
        anti, same = (audibility.compare(levels, cover).stands_out for levels in both)
        found.append(anti - same)
    yield "heard: sides that cancel, dB", "sides that are alike", found, 0.2


def main() -> int:
    warnings.simplefilter("ignore", UserWarning)
    random = np.random.default_rng(1)
    print(f"{'what':56} {'against':28} {'cases':>5} {'worst':>9} {'limit':>7}")
    failed = 0
    for family in (meters, changes, coding, judgements):
        for what, against, found, limit in family(random):
            worst = max(found, key=abs) if limit >= 0 else max(found)
            if what.endswith("share wrong"):
                worst = sum(found) / len(found)
            bad = abs(worst) > limit if limit >= 0 else worst > limit
            failed += bad
            print(
                f"{what:56} {against:28} {len(found):5} {worst:9.3f} {limit:7g}{'  TOO FAR' if bad else ''}", flush=True
            )
    return int(failed > 0)


if __name__ == "__main__":
    sys.exit(main())
