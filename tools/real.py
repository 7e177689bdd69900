"""Packs for the real systems that profiles ship for, as a table: made, checked, loaded by the system, taken out again.

    make real

Debian's packages have those systems (see .ci/run); one that is not installed is a row that says so.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from conftest import clip
from real_systems import SYSTEMS, System, missing, walk

_GUIDE = Path(__file__).parent.parent / "docs/real.md"
_COLUMNS = ("system", "keys", "findings on its own", "files", "findings on the pack", "the system itself", "left")


def row(system: System) -> tuple[tuple[str, ...], bool]:
    """What is said of a system, and whether all of it is as it must be."""
    if reason := missing(system):
        return (system.name, *["-"] * 4, reason, "-"), True
    with tempfile.TemporaryDirectory() as folder:
        os.environ["ICHNOS_DATA"] = f"{folder}/data"
        (work := Path(folder) / "work").mkdir()
        one = walk(system, work)
    there = len(system.keys(system.at))
    could_not = one.loaded.startswith("left out")
    good = one.keys == there and not (one.of_system or one.of_pack or one.left) and (one.loaded == "" or could_not)
    answer = one.loaded or ("loads it" if system.is_asked else "not asked: as its own files are")
    said = (
        f"{one.keys} of {there}",
        len(one.of_system),
        one.files,
        len(one.of_pack),
        answer,
        len(one.left),
    )
    return (system.name, *map(str, said)), good


def guide() -> list[str]:
    """What of docs/real.md does not hold, when its commands are run as they stand."""
    text = _GUIDE.read_text("utf-8")
    lines = [line[4:] for line in text.splitlines() if line.startswith("    ")]
    commands = [line for line in lines if line.startswith(("ichnos ", "cd ", "mkdir ", "test "))]
    with tempfile.TemporaryDirectory() as folder:
        for number, name in enumerate(("reed.wav", "tide.wav")):
            clip(Path(folder) / name, number + 3)
        path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
        around = {**os.environ, "HOME": folder, "ICHNOS_DATA": f"{folder}/data", "PATH": path}
        script = ["bash", "-c", "set -e\n" + "\n".join(commands)]
        done = subprocess.run(script, cwd=folder, env=around, capture_output=True, text=True, check=False)
    wrong = [f"a command fails: {done.stderr.strip()}"] if done.returncode else []
    said = " ".join(done.stdout.split())
    return wrong + [
        f"not said: {line}" for line in lines if line not in commands and " ".join(line.split()) not in said
    ]


def main() -> int:
    rows = [row(system) for system in SYSTEMS]
    print("| " + " | ".join(_COLUMNS) + " |\n|" + "---|" * len(_COLUMNS))
    for cells, _ in rows:
        print("| " + " | ".join(cells) + " |")
    if missing(SYSTEMS[0]):
        return int(not all(good for _, good in rows))
    wrong = guide()
    print(f"\ndocs/real.md: {'as it stands there' if not wrong else '; '.join(wrong)}")
    return int(bool(wrong) or not all(good for _, good in rows))


if __name__ == "__main__":
    sys.exit(main())
