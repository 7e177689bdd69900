"""Reading and merging a 20 MB definition file, as ratios to the standard library's json on the same text;
and searching a catalogue of 100,000 keys, as a ratio of whole processes to ``ichnos --version``."""

from __future__ import annotations

import json
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from ichnos.documents.formats import named, parse
from ichnos.games.catalogues import library
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.entries.arranged import arranged
from ichnos.games.entries.edit import merge
from ichnos.games.entries.read import read
from ichnos.games.profiles import loading, profile
from ichnos.games.samples import sample_pack

KEYS = 100_000
SEARCH_LIMIT = 1.6  # times ichnos --version, whole processes in turn
READ_LIMIT = 60.0  # times json.loads: each value has its place
GROWTH_LIMIT = 2.0  # what grows with the square would be ten times
ROUNDS = 9


def definitions(count: int) -> str:
    """PackThing in Tarnlight's manner, in a real file's two styles."""
    chance = random.Random(5)
    places = [
        f"{a}{b}" for a in ("north", "south", "upper", "lower", "old") for b in ("shore", "stair", "gallery", "mill")
    ]
    entries = []
    for number in range(count):
        key = f"{chance.choice(places)}-{chance.choice(('bell', 'wind', 'gull', 'hatch'))}-n{number}"
        takes = ", ".join(
            f'"{key.replace("-", "/")}-{take}.ogg": {chance.randint(1, 3)}' for take in range(chance.randint(1, 3))
        )
        entries.append(
            f'    {{\n      "voice": "{key}",\n      "odds": {{{takes}}},\n'
            f'      "hush": {{"floor": 0.2, "after": [3, 9]}},\n      "gain": {chance.random():.3f}\n    }}'
        )
    return '{"log": [{"page": "weather", "heard": [\n' + ",\n".join(entries) + "\n]}]}\n"


def best(work: Callable[[], object], rounds: int = 3) -> float:
    times = []
    for _ in range(rounds):
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    return min(times)


def main() -> int:
    tarnlight = loading.load(profile.find("tarnlight"))
    exemplar = next(one for one in tarnlight.documents if str(one.document.text.path).endswith("log.json"))
    text = definitions(KEYS)
    data = text.encode()
    print(f"{len(data) / 1e6:.1f} MB of JSON, {KEYS:,} keys")
    loads = best(lambda: json.loads(text))
    both = best(lambda: json.dumps(json.loads(text), indent=2))
    print(f"json.loads                 {loads:.2f} s")
    print(f"json.loads and json.dumps  {both:.2f} s")
    document = parse(data, "log.json", named("json"))
    parsing = best(lambda: parse(data, "log.json", named("json")))
    print(f"parse into a tree          {parsing:.2f} s   {parsing / loads:.2f} x json.loads")
    reading = best(lambda: read(exemplar, document))
    print(f"read its entries           {reading:.2f} s   {(parsing + reading) / loads:.2f} x json.loads, with parsing")
    bindings = {"pack": arranged(sample_pack(tarnlight), tarnlight)}
    merging = best(lambda: merge(exemplar, document, bindings))
    print(f"merge two sounds in        {merging:.2f} s   {(parsing + merging) / both:.2f} x loads+dumps, with parsing")
    with tempfile.TemporaryDirectory() as scratch:
        os.environ["ICHNOS_DATA"] = f"{scratch}/data"
        base = Path(scratch) / "game" / "base" / "lore"
        base.mkdir(parents=True)
        (base / "log.json").write_bytes(data)
        # A game is older than its harvest: files changed a moment before are known by their content as well.
        os.utime(base / "log.json", (time.time() - 3600,) * 2)
        started = time.perf_counter()
        found = harvest(tarnlight, Path(scratch) / "game", lambda _: None)
        harvested = time.perf_counter()
        library.save(tarnlight.identity, "tarnlight", found)
        print(f"harvest                    {harvested - started:.2f} s")
        print(f"keep it, with its index    {time.perf_counter() - harvested:.2f} s")
        ratio = _searches(scratch)
    growth = _growth()
    return 0 if ratio <= SEARCH_LIMIT and (parsing + reading) / loads <= READ_LIMIT and growth <= GROWTH_LIMIT else 1


def _growth() -> float:
    """How much longer each block takes in a file of ten times as many brace blocks, with lists inside lists."""

    def reading(count: int) -> float:
        text = "".join(f"a{number} {{ l = {{ 1, 2, {{ 3, 4 }} }}; }}\n" for number in range(count)).encode()
        return best(lambda: parse(text, "blocks", named("braces")), 1) / count

    few, many = reading(KEYS // 10), reading(KEYS)
    each = f"each {many / few:.2f} x as in a tenth of them (at most {GROWTH_LIMIT} x)"
    print(f"{KEYS:,} brace blocks       {KEYS * many:.2f} s   {each}")
    return many / few


def _searches(scratch: str) -> float:
    """The worst ratio of a search to the program's own start, in medians of rounds taken in turn."""
    calls = {
        "--version": ["--version"],
        **{
            " ".join(["keys", *words]): ["keys", *words, "--game", "tarnlight"]
            for words in (["bell", "n4711"], ["galery", "wnd"], ["stair", "gul"], [])
        },
    }
    times: dict[str, list[float]] = {name: [] for name in calls}
    # With modules compiled beforehand, as pip does when it installs.
    surroundings = {**os.environ, "PYTHONPYCACHEPREFIX": f"{scratch}/compiled"}
    surroundings.pop("PYTHONDONTWRITEBYTECODE", None)
    for _ in range(ROUNDS + 1):
        for name, words in calls.items():
            started = time.perf_counter()
            subprocess.run([sys.executable, "-m", "ichnos", *words], check=True, capture_output=True, env=surroundings)
            times[name].append(time.perf_counter() - started)
    medians = {name: statistics.median(taken[1:]) for name, taken in times.items()}
    worst = 0.0
    for name, median in medians.items():
        ratio = median / medians["--version"]
        worst = max(worst, ratio)
        print(f"ichnos {name:<19} {median:.3f} s   {ratio:.2f} x ichnos --version (at most {SEARCH_LIMIT} x)")
    return worst


if __name__ == "__main__":
    sys.exit(main())
