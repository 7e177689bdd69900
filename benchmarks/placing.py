"""Putting 2,000 files into a game against a plain copy of them, each on the disk (fsync) before the next.

Printed as ratios of one run, the two taking turns. Exits 1 where the limit is passed.
"""

from __future__ import annotations

import json
import os
import shutil
import statistics
import sys
import tempfile
import time
from pathlib import Path

from ichnos.files import journal
from ichnos.files.rooted import Root
from ichnos.games.profiles import loading, profile
from ichnos.place import carrying, packs, plan
from ichnos.place.contents import Contents

COUNT, SIZE, ROUNDS = 2000, 30_000, 7
MOST = 1.5


def make(folder: Path) -> None:
    """A pack of 2,000 sounds, by hand: what is in them is of no matter here."""
    names = [f"audio/bench.sound.n{number}-1.ogg" for number in range(COUNT)]
    (folder / "audio").mkdir(parents=True)
    for name in names:
        (folder / name).write_bytes(os.urandom(SIZE))
    sounds = [{"key": f"bench.sound.n{number}", "takes": [{"file": name}]} for number, name in enumerate(names)]
    (folder / "open-pack.json").write_text(json.dumps({"format": 1, "title": "Many", "sounds": sounds}))


def copy(pack: Path, to: Path) -> float:
    """The seconds of a plain copy, each file on the disk before the next."""
    start = time.perf_counter()
    for path in sorted(pack.rglob("*")):
        target = to / path.relative_to(pack)
        if path.is_dir():
            target.mkdir(parents=True)
            continue
        target.parent.mkdir(parents=True, exist_ok=True)
        with path.open("rb") as source, target.open("wb") as out:
            shutil.copyfileobj(source, out, 1 << 20)
            out.flush()
            os.fsync(out.fileno())
    return time.perf_counter() - start


def install(pack: Path, game: Path) -> tuple[float, float]:
    """The seconds of putting it in, and of taking it out."""
    found, root = loading.load(profile.find("open-pack")), Root(game)
    with journal.locked() as notes:
        start = time.perf_counter()
        contents, record = Contents(notes), notes.record(root.folder)[0]
        prepared = packs.prepare(found, pack, root, contents)
        carrying.carry_out(plan.for_install(root, record, prepared, contents, "stop"), notes)
        put_in = time.perf_counter() - start
        start = time.perf_counter()
        record = notes.record(root.folder)[0]
        carrying.carry_out(plan.for_restore(root, notes, record, record.packs[0], "stop"), notes)
        return put_in, time.perf_counter() - start


def main() -> int:
    ratios, outs = [], []
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        os.environ["ICHNOS_DATA"] = str(folder / "data")
        make(folder / "many")
        (folder / "game/packs").mkdir(parents=True)
        for number in range(ROUNDS):
            plain = copy(folder / "many", folder / f"copy-{number}")
            put_in, out = install(folder / "many", folder / "game")
            ratios.append(put_in / plain)
            outs.append(out / plain)
            shutil.rmtree(folder / f"copy-{number}")
            print(f"  copied in {plain:.2f} s, put in in {put_in:.2f} s, taken out in {out:.2f} s")
    print(f"{COUNT} files of {SIZE // 1000} kB put in: {statistics.median(ratios):.2f} x a plain copy (limit {MOST})")
    print(f"  taken out: {statistics.median(outs):.2f} x")
    return 1 if statistics.median(ratios) > MOST else 0


if __name__ == "__main__":
    sys.exit(main())
