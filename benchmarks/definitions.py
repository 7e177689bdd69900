"""Reading and merging a 20 MB definition file, as ratios to the standard library's json on the same text;
and searching a catalogue of 100,000 keys, as a whole process."""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from ichnos.documents.formats import named, parse
from ichnos.games.catalogues import kept
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.entries.edit import merge
from ichnos.games.entries.read import read
from ichnos.games.profiles import profile
from ichnos.games.samples import sample_pack

KEYS = 100_000
SEARCH_LIMIT = 0.6  # seconds, whole process


def definitions(count: int) -> str:
    """Definitions in Tarnlight's manner, in a real file's two styles."""
    chance = random.Random(5)
    places = [
        f"{a}{b}" for a in ("north", "south", "upper", "lower", "old") for b in ("shore", "stair", "gallery", "mill")
    ]
    entries = []
    for number in range(count):
        key = f"{chance.choice(places)}.{chance.choice(('bell', 'wind', 'gull', 'step'))}.n{number}"
        takes = ", ".join(
            f'{{"src": "{key.replace(".", "/")}-{take}", "odds": {chance.randint(1, 3)}}}'
            for take in range(chance.randint(1, 3))
        )
        entries.append(
            f'    {{\n      "id": "{key}",\n      "choir": "weather",\n      "takes": [{takes}],\n'
            f'      "hush": {{"floor": 0.2, "after": [3, 9]}},\n      "gain": {chance.random():.3f}\n    }}'
        )
    return '{\n  "voices": [\n' + ",\n".join(entries) + "\n  ]\n}\n"


def best(work: Callable[[], object], rounds: int = 3) -> float:
    times = []
    for _ in range(rounds):
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    return min(times)


def main() -> int:
    tarnlight = profile.load(profile.find("tarnlight"))
    exemplar = next(one for one in tarnlight.documents if str(one.document.text.path).endswith("voices.json"))
    text = definitions(KEYS)
    data = text.encode()
    print(f"{len(data) / 1e6:.1f} MB of JSON, {KEYS:,} keys")
    loads = best(lambda: json.loads(text))
    both = best(lambda: json.dumps(json.loads(text), indent=2))
    print(f"json.loads                 {loads:.2f} s")
    print(f"json.loads and json.dumps  {both:.2f} s")
    document = parse(data, "voices.json", named("json"))
    parsing = best(lambda: parse(data, "voices.json", named("json")))
    print(f"parse into a tree          {parsing:.2f} s   {parsing / loads:.2f} x json.loads")
    reading = best(lambda: read(exemplar, document))
    print(f"read its entries           {reading:.2f} s   {(parsing + reading) / loads:.2f} x json.loads, with parsing")
    around = {"pack": sample_pack(tarnlight)}
    merging = best(lambda: merge(exemplar, document, around))
    print(f"merge two sounds in        {merging:.2f} s   {(parsing + merging) / both:.2f} x loads+dumps, with parsing")
    with tempfile.TemporaryDirectory() as scratch:
        os.environ["ICHNOS_DATA"] = f"{scratch}/data"
        base = Path(scratch) / "game" / "base" / "lore"
        base.mkdir(parents=True)
        (base / "voices.json").write_bytes(data)
        started = time.perf_counter()
        kept.save("tarnlight", harvest(tarnlight, Path(scratch) / "game", lambda _: None))
        print(f"harvest and keep           {time.perf_counter() - started:.2f} s")
        worst = 0.0
        for words in (["bell", "n4711"], ["galery", "wnd"], []):
            call = [sys.executable, "-m", "ichnos", "keys", *words, "--game", "tarnlight"]
            took = best(
                lambda call=call: subprocess.run(call, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            )
            worst = max(worst, took)
            print(f"ichnos keys {' '.join(words):<14} {took:.2f} s   (at most {SEARCH_LIMIT} s)")
    return 0 if worst <= SEARCH_LIMIT else 1


if __name__ == "__main__":
    sys.exit(main())
