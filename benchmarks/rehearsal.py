"""How long a rehearsal takes, as a share of what it plays, and how much memory; each in a process of its own.

A pack of twenty sounds, a sound every two seconds from a thing that the listener walks by, over a bed, mixed.
The memory of a scene six times as long must be that of the short one: it is made in blocks. Exits 1 where a limit is
passed.
"""

from __future__ import annotations

import json
import random
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

SHORT, LONG = 300, 1800  # seconds of scene
MOST, MOST_MEMORY = 0.1, 1.25
SOUNDS = 20


def make(folder: Path) -> None:
    """A built pack for the open game, by hand, and a bed."""
    chance = np.random.default_rng(1)
    pack = folder / "pack"
    (pack / "audio").mkdir(parents=True)
    sounds = []
    for number in range(SOUNDS):
        name = f"audio/bench.n{number}-1.ogg"
        frames = int(44100 * chance.uniform(0.5, 5))
        soundfile.write(pack / name, chance.normal(0, 0.05, frames), 44100, "VORBIS", format="OGG")
        sounds.append({"key": f"bench.n{number}", "positional": True, "takes": [{"file": name}]})
    (pack / "open-pack.json").write_text(json.dumps({"format": 1, "title": "Many", "sounds": sounds}))
    soundfile.write(folder / "bed.flac", chance.normal(0, 0.01, (44100 * 30, 2)), 44100)


def scene(folder: Path, seconds: int) -> Path:
    """A scene of so many seconds."""
    chance = random.Random(1)
    path = folder / f"scene-{seconds}.toml"
    walk = f"[[listener]]\nat = 0\nplace = [-20, 0]\n[[listener]]\nat = {seconds}\nplace = [20, 0]\nfacing = 900\n"
    happenings = "".join(
        f'[[happening]]\nat = {at}\nplay = "bench.n{chance.randrange(SOUNDS)}"\nfrom = "tower"\n'
        for at in range(0, seconds, 2)
    )
    thing = '[[thing]]\nname = "tower"\nplace = [0, 12]\n'
    path.write_text(f'format = 1\nseconds = {seconds}\nbed = "bed.flac"\n{walk}{thing}{happenings}')
    return path


def run(folder: Path, seconds: int) -> tuple[float, int]:
    """The share of its own time that a scene takes, and the most memory, in bytes."""
    words = ["rehearse", str(scene(folder, seconds)), "--pack", "pack", "--game", "open-pack", "--to", f"{seconds}.wav"]
    code = f"import sys; sys.argv = ['ichnos', *{words!r}]; from ichnos.cli.main import program; program()"
    begun = time.perf_counter()
    before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    subprocess.run([sys.executable, "-c", code], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    assert most >= before
    assert (folder / f"{seconds}.wav").stat().st_size > seconds * 44100 * 6
    return (time.perf_counter() - begun) / seconds, most * 1024


def main() -> int:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        make(folder)
        short, less = run(folder, SHORT)
        share, more = run(folder, LONG)
    print(f"a scene of {SHORT} s takes {short:.3f} of its time, one of {LONG} s {share:.3f} (limit {MOST})")
    print(f"memory: {less / 1e6:.0f} MB, of the long one {more / less:.2f} x that (limit {MOST_MEMORY})")
    return 1 if max(short, share) > MOST or more > MOST_MEMORY * less else 0


if __name__ == "__main__":
    sys.exit(main())
