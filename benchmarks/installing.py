"""Putting 2,000 files into a game against a plain copy of them, each on the disk (fsync) before the next.

And against the same where each is written beside its place and then given its name, as it must be for nobody ever to
see half a file.

Printed as ratios of one run. The three take turns, and each goes first in its turn, for a disk is still busy with
the one before; each writes into a folder of its own, and nothing is deleted in between, for ext4 is slow in making
files for seconds after many were deleted. Exits 1 where the limit is passed.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from ichnos.games.profiles import loading, profile
from ichnos.install import transaction

COUNT, SIZE, ROUNDS = 2000, 30_000, 9
MOST = 1.5


def make(folder: Path) -> None:
    """A pack of 2,000 sounds, by hand: what is in them is of no matter here."""
    names = [f"audio/bench.sound.n{number}-1.ogg" for number in range(COUNT)]
    (folder / "audio").mkdir(parents=True)
    for name in names:
        (folder / name).write_bytes(os.urandom(SIZE))
    sounds = [{"key": f"bench.sound.n{number}", "takes": [{"file": name}]} for number, name in enumerate(names)]
    (folder / "open-pack.json").write_text(json.dumps({"format": 1, "title": "Many", "sounds": sounds}))


def copy(pack: Path, to: Path, *, beside: bool) -> float:
    """The seconds of a plain copy, each file on the disk before the next; ``beside``: under another name at first."""
    start = time.perf_counter()
    for path in sorted(pack.rglob("*")):
        target = to / path.relative_to(pack)
        if path.is_dir():
            target.mkdir(parents=True)
            continue
        target.parent.mkdir(parents=True, exist_ok=True)
        written = target.with_name(f".{target.name}.part") if beside else target
        with path.open("rb") as source, written.open("wb") as out:
            shutil.copyfileobj(source, out, 1 << 20)
            out.flush()
            os.fsync(out.fileno())
        if beside:
            written.replace(target)
    return time.perf_counter() - start


def install(pack: Path, game: Path) -> float:
    """The seconds of putting it in."""
    (game / "packs").mkdir(parents=True)
    found = loading.load(profile.find("open-pack"))
    with transaction.opened(game) as there:
        start = time.perf_counter()
        there.carry_out(there.to_install(found, pack))
        return time.perf_counter() - start


def restore(game: Path) -> float:
    """The seconds of taking it out."""
    with transaction.opened(game) as there:
        start = time.perf_counter()
        there.carry_out(there.to_restore(there.record.packs[0]))
        return time.perf_counter() - start


def main() -> int:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        os.environ["ICHNOS_DATA"] = str(folder / "data")
        make(folder / "many")
        ways: dict[str, Callable[[Path], float]] = {
            "copied": lambda to: copy(folder / "many", to, beside=False),
            "beside": lambda to: copy(folder / "many", to, beside=True),
            "game": lambda to: install(folder / "many", to),
        }
        seconds: dict[str, list[float]] = {name: [] for name in ways}
        for number in range(ROUNDS):
            names = list(ways)
            for name in names[number % 3 :] + names[: number % 3]:
                seconds[name].append(ways[name](folder / f"{name}-{number}"))
            plain, beside, put_in = (seconds[name][-1] for name in names)
            print(f"  copied in {plain:.2f} s, beside in {beside:.2f} s, put in in {put_in:.2f} s")
        outs = [restore(folder / f"game-{number}") for number in range(ROUNDS)]

    def ratio(many: list[float], to: str) -> float:
        return statistics.median(one / other for one, other in zip(many, seconds[to], strict=True))

    against = ratio(seconds["game"], "copied")
    print(f"{COUNT} files of {SIZE // 1000} kB put in: {against:.2f} x a plain copy (limit {MOST})")
    print(f"  {ratio(seconds['game'], 'beside'):.2f} x a copy beside; taken out: {ratio(outs, 'copied'):.2f} x")
    return 1 if against > MOST else 0


if __name__ == "__main__":
    sys.exit(main())
