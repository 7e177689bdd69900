"""Converting: Ichnos against a bare loop that only decodes, averages and encodes; and its memory.

Printed as ratios of one run, the two taking turns. Exits 1 where a limit is passed.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

import numpy as np
import soundfile

from ichnos.audio.blocks.block import BLOCK_SAMPLES
from ichnos.audio.files.clips import Facts
from ichnos.audio.process import exports
from ichnos.audio.process.target import Target

COUNT, ROUNDS = 200, 5
MOST_TIME, MOST_MEGABYTES = 1.2, 150.0
KINDS = [("MP3", "MPEG_LAYER_III", ".mp3"), ("FLAC", "PCM_16", ".flac"), ("WAV", "PCM_16", ".wav")]


def _sound(seconds: float, seed: int) -> np.ndarray:
    """Noise in bursts over a chord, stereo."""
    random = np.random.default_rng(seed)
    time_ = np.arange(round(seconds * 44100)) / 44100
    chord = sum(np.sin(2 * np.pi * hz * time_) for hz in random.uniform(80, 3000, 5)) / 20
    bursts = np.clip(np.sin(2 * np.pi * random.uniform(0.2, 2) * time_), 0, 1)
    sides = [chord + 0.1 * bursts * random.normal(size=len(time_)) for _ in range(2)]
    return np.stack(sides, axis=1).astype(np.float32)


def _write(path: Path, sound: np.ndarray, container: str, subtype: str) -> None:
    with soundfile.SoundFile(path, "w", 44100, 2, subtype, format=container) as out:
        for start in range(0, len(sound), 65536):
            out.write(sound[start : start + 65536])


def make_clips(folder: Path) -> list[Path]:
    """Lengths spread evenly, by ratio, over 2 to 60 s; each sound is made once for every four clips."""
    lengths = np.geomspace(2, 60, COUNT // 4)

    def one(number: int) -> list[Path]:
        sound = _sound(float(lengths[number]), number)
        made = []
        for copy in range(4):
            container, subtype, suffix = KINDS[(number + copy) % 3]
            path = folder / f"{number:03}-{copy}{suffix}"
            if copy < 3:
                _write(path, sound, container, subtype)
            else:
                path.write_bytes((folder / f"{number:03}-0{suffix}").read_bytes())
            made.append(path)
        return made

    with ThreadPoolExecutor(2) as pool:
        return [path for made in pool.map(one, range(len(lengths))) for path in made]


def floor(clips: list[Path], to: Path, *, proved: bool = False) -> None:
    """Decode, average in the fastest way known, encode; and decode what came of it: nothing else."""

    def one(clip: Path) -> None:
        with (
            soundfile.SoundFile(clip) as source,
            soundfile.SoundFile(
                to / f"{clip.name}.ogg", "w", source.samplerate, 1, "VORBIS", format="OGG", compression_level=0.5
            ) as out,
        ):
            while len(block := source.read(BLOCK_SAMPLES, dtype="float32", always_2d=True)):
                out.write((block[:, 0] + block[:, 1]) * np.float32(0.5))
        with soundfile.SoundFile(to / f"{clip.name}.ogg") as again:
            while proved and len(again.read(BLOCK_SAMPLES, dtype="float32", always_2d=True)):
                pass

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(one, clips))


def ours(clips: list[Path], to: Path) -> None:
    """As ``ichnos convert --container ogg --channels 1`` does it, two threads as well."""

    def wanted(facts: Facts) -> Target:
        return Target("Ogg", "Vorbis", facts.rate, 1, 5.0)

    planned = exports.plan([(clip, Path(f"{clip.name}.x")) for clip in clips], wanted, to)
    failed = [one for one in exports.run(planned, lambda _: None) if one.error]
    if failed:
        raise SystemExit(f"not converted: {failed[0].error}")


def _seconds(work: Callable[[list[Path], Path], None], clips: list[Path], scratch: Path) -> float:
    with tempfile.TemporaryDirectory(dir=scratch) as to:
        start = time.perf_counter()
        work(clips, Path(to))
        return time.perf_counter() - start


_MEMORY = """
import resource, sys
from pathlib import Path
import numpy, soundfile, soxr, scipy.signal, scipy.ndimage
from ichnos.audio.files import clips
from ichnos.audio.process import conversion
from ichnos.audio.process import treatments
from ichnos.audio.process import exports
def peak():
    status = Path("/proc/self/status")
    if not status.exists():
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    return int(status.read_text().split("VmHWM:")[1].split()[0]) / 1000
if sys.argv[1] == "work":
    steps = treatments.BUNDLED["clear-speech"][1] if sys.argv[4] == "treated" else ()
    wish = exports.Wish("Ogg", "Vorbis", 48000, 1, 5.0, "auto", steps)
    planned = exports.plan([(Path(sys.argv[2]), Path("hour"))], wish.target, Path(sys.argv[3]))
    done = exports.run(planned, lambda _: None)
    assert not done[0].error, done[0].error
print(peak())
"""


def _peak(*words: object) -> float:
    done = subprocess.run([sys.executable, "-c", _MEMORY, *map(str, words)], capture_output=True, text=True, check=True)
    return float(done.stdout)


def main() -> int:
    failed = False
    with tempfile.TemporaryDirectory() as folder:
        scratch = Path(folder)
        (scratch / "clips").mkdir()
        clips = make_clips(scratch / "clips")
        # The bare loop gets its clips in the order that suits two threads best, too.
        clips.sort(key=lambda clip: -soundfile.info(clip).duration)
        works = {
            "bare": floor,
            "bare, and the result decoded": partial(floor, proved=True),
            "Ichnos": ours,
        }
        rounds = [{name: _seconds(work, clips, scratch) for name, work in works.items()} for _ in range(ROUNDS)]
        usual = {name: statistics.median(times[name] for times in rounds) for name in works}
        seconds = sum(soundfile.info(clip).duration for clip in clips)
        print(f"{len(clips)} clips, {seconds / 60:.0f} min, to mono Vorbis in two threads, median of {ROUNDS}:")
        for name, took in usual.items():
            ratios = [times["Ichnos"] / times[name] for times in rounds]
            each = ", ".join(f"{ratio:.2f}" for ratio in ratios)
            print(f"  {name}: {took:.1f} s; Ichnos to it {statistics.median(ratios):.2f} ({each})")
        print(f"  limit {MOST_TIME} to the bare loop whose result is decoded, for ours is proved by that")
        proved = [times["Ichnos"] / times["bare, and the result decoded"] for times in rounds]
        failed |= statistics.median(proved) > MOST_TIME
        hour = scratch / "hour.flac"
        with soundfile.SoundFile(hour, "w", 44100, 2, "PCM_16", format="FLAC") as out:
            minute = _sound(60, 1)
            for _ in range(60):
                out.write(minute)
        if os.name == "posix":
            bare_memory = _peak("bare")
            for how in ("plain", "treated"):
                more = _peak("work", hour, scratch / how, how) - bare_memory
                print(f"one hour of stereo, {how}: {more:.0f} MB above the interpreter (limit {MOST_MEGABYTES:g})")
                failed |= more > MOST_MEGABYTES
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
