"""How long ``ichnos`` takes to start, as a ratio to importing its command-line library alone."""

from __future__ import annotations

import statistics
import subprocess
import sys
import time

ROUNDS = 15
LIMIT = 2.5


def seconds(*words: str) -> float:
    started = time.perf_counter()
    subprocess.run([sys.executable, *words], check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - started


def main() -> int:
    calls = {"--help": ("-m", "ichnos", "--help"), "--version": ("-m", "ichnos", "--version")}
    floor, measured = [], {name: [] for name in calls}
    for _ in range(ROUNDS):  # interleaved, so that a slow moment of the machine hits all alike
        floor.append(seconds("-c", "import typer"))
        for name, words in calls.items():
            measured[name].append(seconds(*words))
    base = statistics.median(floor)
    print(f'python -c "import typer"   {base:.3f} s')
    worst = 0.0
    for name, times in measured.items():
        ratio = statistics.median(times) / base
        worst = max(worst, ratio)
        print(f"ichnos {name:<19} {statistics.median(times):.3f} s   {ratio:.2f} x (at most {LIMIT} x)")
    return 0 if worst <= LIMIT else 1


if __name__ == "__main__":
    sys.exit(main())
