"""How soon the listening page of 2,000 sounds is there, and how soon a filter has done its work, in a real browser.

The sounds lie in the page, and each has an old one beside it. A page is there when it has been drawn with its whole
index; a filter is done when the frame behind it has been drawn. Exits 1 where a limit is passed, 0 where there is no
browser. The times are a browser's and cannot be ratios; the limits are what a person takes for at once.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

SOUNDS = 2000
LOAD, FILTER = 2000.0, 100.0  # ms
CHROMIUM = Path("/usr/bin/chromium")
FRAME = "new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"


def make(folder: Path, seed: int) -> None:
    """A built pack for the open game, by hand."""
    chance = np.random.default_rng(seed)
    (folder / "audio").mkdir(parents=True)
    sounds = []
    for number in range(SOUNDS):
        name = f"audio/bench.n{number}-1.ogg"
        frames = int(44100 * chance.uniform(0.2, 0.6))
        soundfile.write(
            folder / name, chance.normal(0, chance.uniform(0.01, 0.1), frames), 44100, "VORBIS", format="OGG"
        )
        labels = {"en": f"Sound {number}", "de": f"Klang {number}"}
        entry = {"key": f"bench.n{number}", "category": f"c{number % 12}", "labels": labels, "takes": [{"file": name}]}
        sounds.append(entry)
    (folder / "open-pack.json").write_text(json.dumps({"openPack": 2, "title": "Many", "sounds": sounds}))


def timed(tab: object, work: str) -> float:
    """The milliseconds until something has been done in the page, and drawn."""
    code = (
        f"async () => {{ const begun = performance.now(); {work}; await {FRAME}; return performance.now() - begun; }}"
    )
    return float(tab.evaluate(code))  # type: ignore[attr-defined]


def main() -> int:
    if not CHROMIUM.exists():
        print("there is no /usr/bin/chromium: the page is not timed")
        return 0
    from playwright.sync_api import sync_playwright

    with tempfile.TemporaryDirectory() as scratch, sync_playwright() as driver:
        folder = Path(scratch)
        make(folder / "pack", 1)
        make(folder / "before", 2)
        page = folder / "page.html"
        words = ["listen", "pack", "--against", "before", "--game", "open-pack", "--to", str(page), "--audio", "inside"]
        begun = time.perf_counter()
        subprocess.run([sys.executable, "-m", "ichnos", *words], cwd=folder, check=True, stdout=subprocess.DEVNULL)
        print(f"made in {time.perf_counter() - begun:.1f} s, {page.stat().st_size / 1e6:.1f} MB")
        arguments = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=arguments)
        tab = browser.new_page(viewport={"width": 1280, "height": 800})
        loads = []
        for _ in range(5):
            tab.goto(page.as_uri())
            tab.evaluate(f"async () => {{ await {FRAME}; }}")
            loads.append(float(tab.evaluate("() => performance.now()")))
        assert tab.evaluate("() => document.querySelectorAll('#lines li').length") == SOUNDS
        typed = (
            "const word = document.getElementById('word'); word.value = '{}'; word.dispatchEvent(new Event('input'))"
        )
        chosen = "const one = document.getElementById('{}'); one.value = '{}'; one.dispatchEvent(new Event('change'))"
        works = {
            "a word that few have": typed.format("klang 17"),
            "no word again": typed.format(""),
            "a category": chosen.format("category", "=c3"),
            "all categories": chosen.format("category", ""),
        }
        sorting = timed(tab, chosen.format("order", "loudness"))
        filters = {name: statistics.median(timed(tab, work) for _ in range(5)) for name, work in works.items()}
        browser.close()
    load = statistics.median(loads)
    print(f"{SOUNDS:,} sounds are there after {load:.0f} ms (limit {LOAD:.0f})")
    print(
        ", ".join(f"{name} {found:.0f} ms" for name, found in filters.items()),
        f"(limit {FILTER:.0f});",
        f"in another order {sorting:.0f} ms",
    )
    return 1 if load > LOAD or max(filters.values()) > FILTER else 0


if __name__ == "__main__":
    sys.exit(main())
