"""Draws docs/screenshots/ afresh, on the demonstration's data: each command in a real terminal window, each picture
by its command, and the listening page in a real browser.

Needs Xvfb, xterm, ImageMagick's ``import`` and Debian's chromium. A window is 1280 wide and as high as what stands in
it: none is half-empty, and what would be scrolled away is an error.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile
from PIL import Image

from ichnos.games import made_up
from ichnos.games.profiles import profile

ROOT = Path(__file__).resolve().parent.parent
SHOTS = ROOT / "docs" / "screenshots"
DISPLAY = ":97"
ROWS = 66  # of a terminal, at the most
BACKGROUND = (0x16, 0x19, 0x1D)
PACK = "storm-watch/build/storm-watch-0.1.0.lampbox"

# name, folder below the demonstration's, commands typed
PICTURES: list[tuple[str, str, list[str]]] = [
    ("demo", ".", ["ichnos demo /tmp/ichnos-shot 2>&1 | tail -n 54"]),
    ("help", ".", ["ichnos --help"]),
    (
        "assign",
        "storm-watch",
        [
            "ichnos start ../gale --game tarnlight --licence CC0-1.0 --title 'A gale'",
            "head -n 12 ../gale/ichnos.toml",
            "ichnos assign tower-bel-near clips/draught.wav",
            "ichnos assign tower-bell-near clips/draught.wav",
            "ichnos assign tower-bell-near clips/draught.wav --add",
            "tail -n 14 ichnos.toml",
        ],
    ),
    ("build", "storm-watch", ["ichnos build --dry-run", "ichnos build", "ichnos build | tail -n 2"]),
    (
        "learn",
        ".",
        [
            "ichnos build -w storm-watch | tail -n 1",
            f"ichnos learn {PACK} --to lamps",
            "cat lamps/tree/lore/log.json",
            f"ichnos adopt {PACK} --game lamps --to again",
            "cd again && ichnos assign shore-gull-calling ../storm-watch/clips/draught.wav --add --weight 2",
            "ichnos build | tail -n 1",
            f"ichnos compare ../{PACK} build/storm-watch-0.1.0.lampbox",
        ],
    ),
    (
        "keys",
        "storm-watch",
        [
            "ichnos keys harvest ../Tarnlight",
            "ichnos keys fogorn neer",
            "ichnos keys stair wild --sort mentions --most 6",
        ],
    ),
    (
        "games",
        ".",
        ["ichnos games", "ichnos games check ombervale", "ichnos games check tarnlight --sample | tail -n 22"],
    ),
    ("look", ".", ["ichnos look harbour --game tarnlight", "ichnos look harbour/mooring.wav"]),
    (
        "convert",
        ".",
        [
            "ichnos convert harbour/ --to ready --like-game tarnlight",
            "ichnos convert storm-watch/clips/bell-take3.wav --to ready --container wav --bits 16 --rate 32000",
            "ichnos split harbour/gulls.wav --to takes",
            "ichnos treat --names",
        ],
    ),
    (
        "install",
        "marsh",
        [
            "ichnos build | tail -n 2",
            "ichnos install --dry-run | head -n 4",
            "ichnos install",
            "ichnos installed",
            "echo 'a line of mine' >> ../Quillmarsh/hut/shelf.txt",
            "echo mine > ../Quillmarsh/hut/notebooks/*/about.bog",
            "ichnos restore",
            "ichnos restore --keep-theirs",
        ],
    ),
    (
        "status",
        ".",
        [
            "cp storm-watch/clips/bell-take3.wav storm-watch/clips/hatch-1.flac .",
            "ichnos swap tower-bell-near bell-take3.wav --game tarnlight --installation Tarnlight --install",
            "ichnos swap hatch-closed hatch-1.flac --install",
            "cd my-tarnlight-sounds && cp ../storm-watch/clips/draught.wav . && ichnos",
            "ichnos status -w ../storm-watch",
        ],
    ),
    ("check", "slip", ["ichnos check slip --game tarnlight --installation ../Tarnlight"]),
]


# name, the command that draws it
DRAWN: list[tuple[str, list[str]]] = [
    ("look-picture", ["look", "harbour/engine.wav"]),
    ("heard-picture", ["heard", "harbour/murmur.wav", "--bed", "harbour/storm.flac"]),
    ("loop-picture", ["loop", "harbour/engine.wav", "--better"]),
    ("treat-picture", ["treat", "harbour/shout.wav", "--to", "ready", "--treatment", "over-the-din"]),
    ("sheet", ["sheet", PACK, "-w", "storm-watch"]),
    (
        "rehearse-picture",
        ["rehearse", "storm-watch/storm.toml", "--pack", PACK, "--game", "tarnlight", "--to", "mix.wav"],
    ),
]
CHROMIUM = "/usr/bin/chromium"


def main() -> int:
    for program in ("Xvfb", "xterm", "import"):
        if not shutil.which(program):
            print(f"{program} is not installed: see CONTRIBUTING.md", file=sys.stderr)
            return 1
    SHOTS.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:]
    server = subprocess.Popen(
        ["Xvfb", DISPLAY, "-screen", "0", "1290x1290x24"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        for name, command in DRAWN:
            if not wanted or name in wanted:
                with tempfile.TemporaryDirectory() as scratch:
                    _prepare(Path(scratch))
                    option = {"treat": "--before-after", "sheet": "--to"}.get(command[0], "--picture")
                    if PACK in command:
                        subprocess.run(["ichnos", "build", "-w", "storm-watch"], cwd=scratch, env=_environment())
                    # Exit code 1 is a finding, and the picture is drawn all the same.
                    drawn = subprocess.run(
                        ["ichnos", *command, option, SHOTS / f"{name}.png"],
                        cwd=scratch,
                        env=_environment(),
                        stdout=subprocess.DEVNULL,
                    )
                    if drawn.returncode not in (0, 1):
                        return 1
                print(f"drew docs/screenshots/{name}.png")
        if not wanted or "listen" in wanted:
            with tempfile.TemporaryDirectory() as scratch:
                _prepare(Path(scratch))
                _page(Path(scratch))
            print("drew docs/screenshots/listen.png")
        for name, folder, commands in PICTURES:
            if wanted and name not in wanted:
                continue
            with tempfile.TemporaryDirectory() as scratch:
                _prepare(Path(scratch))
                _picture(name, Path(scratch) / folder, commands)
            shutil.rmtree("/tmp/ichnos-shot", ignore_errors=True)
            shutil.rmtree("/tmp/ichnos-shot-data", ignore_errors=True)
            print(f"drew docs/screenshots/{name}.png")
    finally:
        server.terminate()
        server.wait()
    return 0


def _environment() -> dict[str, str]:
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    kept = {name: value for name, value in os.environ.items() if name not in ("NO_COLOR", "COLUMNS", "LINES")}
    return {
        **kept,
        "PATH": path,
        "DISPLAY": DISPLAY,
        "LC_ALL": "C.UTF-8",
        "ICHNOS_DATA": "/tmp/ichnos-shot-data",
        "TERM": "xterm-256color",
    }


def _prepare(scratch: Path) -> None:
    """The demonstration without its last build, and a pack with a few slips."""
    demo = scratch / "demo"
    subprocess.run(["ichnos", "demo", demo], check=True, env=_environment(), stdout=subprocess.DEVNULL)
    for part in demo.iterdir():
        shutil.move(part, scratch)
    _second_game(scratch)
    _harbour(scratch / "harbour")
    slip = scratch / "slip" / "slip"
    shutil.unpack_archive(scratch / "storm-watch/build/storm-watch-0.1.0.lampbox", slip, "zip")
    voices = slip / "lore" / "log.json"
    voices.write_text(voices.read_text("utf-8").replace("tower-bell-near", "tower-bell-neer", 1), "utf-8")
    audio = slip / "lore" / "audio" / "storm-watch"
    shutil.copy(scratch / "storm-watch/clips/gull.ogg", audio / "shore-gull-calling-1.ogg")
    whole = (audio / "hatch-closed-2.ogg").read_bytes()
    (audio / "hatch-closed-2.ogg").write_bytes(whole[: len(whole) // 2])
    (audio / "lamp-draught-storm-1.ogg").rename(audio / "lamp-draft-storm-1.ogg")
    shutil.rmtree(scratch / "storm-watch/build")
    shutil.rmtree(scratch / "storm-watch/.ichnos")


def _harbour(folder: Path) -> None:
    """Clips with something to say of each."""
    folder.mkdir()
    random = np.random.default_rng(4)
    second = np.arange(44100) / 44100

    def write(name: str, *sides: np.ndarray) -> None:
        soundfile.write(folder / name, np.stack(sides, axis=1), 44100, subtype="PCM_16")

    def call(hz: float, seconds: float, level: float) -> np.ndarray:
        time_ = np.arange(round(seconds * 44100)) / 44100
        bend = hz * (1 + 0.3 * np.sin(np.pi * time_ / seconds))
        return level * np.sin(np.pi * time_ / seconds) ** 0.7 * np.sin(2 * np.pi * np.cumsum(bend) / 44100)

    def hiss(seconds: float, level: float) -> np.ndarray:
        return level * random.normal(size=round(seconds * 44100))

    creak = call(220, 1.5, 0.4)
    write("mooring.wav", creak + hiss(1.5, 0.01), -0.9 * creak + hiss(1.5, 0.01))
    shout = call(600, 0.5, 0.15) + call(1900, 0.5, 0.08) * (1 + hiss(0.5, 0.3)) + call(3300, 0.5, 0.03)
    write("shout.wav", np.concatenate([hiss(0.7, 1e-4), shout, hiss(0.1, 1e-4), 0.7 * shout, hiss(0.9, 1e-4)]))
    write("murmur.wav", np.concatenate([hiss(0.4, 1e-4), 0.15 * shout, hiss(0.3, 1e-4), 0.5 * shout, hiss(0.5, 1e-4)]))
    calls = (call(900, 0.6, 0.5), call(1100, 0.4, 0.3), call(800, 0.9, 0.6))
    row = np.concatenate([hiss(0.5, 1e-3), *(part for one in calls for part in (one, hiss(0.6, 1e-3)))])
    write("gulls.wav", row, np.roll(row, 20))
    engine = sum(np.sin(2 * np.pi * 55.3 * n * np.arange(3 * 44100) / 44100 + n) / n for n in range(1, 12))
    engine = np.clip(0.4 * engine * (1 + 0.2 * np.sin(2 * np.pi * 2.1 * np.arange(3 * 44100) / 44100)), -1, 1)
    write("plain.wav", np.concatenate([np.zeros(22050), engine, np.zeros(8000)]))
    words = ["ichnos", "loop", "plain.wav", "--start", "30000", "--end", "149900", "--to", "engine.wav"]
    subprocess.run(words, cwd=folder, env=_environment(), stdout=subprocess.DEVNULL)
    (folder / "plain.wav").unlink()
    rumble = np.fft.irfft(np.fft.rfft(random.normal(size=6 * 44100)) / (1 + np.arange(3 * 44100 + 1) / 1500), 6 * 44100)
    gusts = np.tile(0.7 + 0.3 * np.sin(2 * np.pi * second / 2), 6)
    write("storm.flac", 0.25 * gusts * rumble / rumble.std())


def _second_game(scratch: Path) -> None:
    """Quillmarsh, and a workspace whose sounds are merged into its own file."""
    sample = made_up.sample_of(profile.BUNDLED / "quillmarsh")
    if sample is None:
        raise SystemExit("quillmarsh has no sample")
    made_up.lay_installation(sample, scratch / "Quillmarsh")
    start = ["start", "marsh", "--game", "quillmarsh", "--title", "A wet spring", "--installation", "Quillmarsh"]
    subprocess.run(["ichnos", *start], check=True, cwd=scratch, env=_environment(), stdout=subprocess.DEVNULL)
    shutil.copytree(scratch / "storm-watch/clips", scratch / "marsh/clips")
    for key, clip in (("heron_calls_dawn", "gull.ogg"), ("peat_drips_cold", "hatch-1.flac")):
        words = ["assign", key, f"clips/{clip}"]
        subprocess.run(
            ["ichnos", *words], check=True, cwd=scratch / "marsh", env=_environment(), stdout=subprocess.DEVNULL
        )


def _page(scratch: Path) -> None:
    """The listening page, playing the old one of a sound of which the pack has a louder take."""
    from playwright.sync_api import sync_playwright

    storm = scratch / "storm-watch"
    for words in (
        ["assign", "tower-bell-near", "clips/draught.wav", "--add", "--weight", "0.5"],
        ["assign", "roof-wind-wild", "clips/draught.wav", "--volume", "0.3"],
        ["build"],
        ["listen", "--bed", "../harbour/storm.flac"],
    ):
        subprocess.run(["ichnos", *words], cwd=storm, env=_environment(), check=True, stdout=subprocess.DEVNULL)
    with sync_playwright() as driver:
        arguments = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=arguments)
        tab = browser.new_page(viewport={"width": 1280, "height": 800})
        tab.goto((storm / "build" / "listen.html").as_uri())
        tab.get_by_role("button", name="shore-gull-calling").click()
        tab.keyboard.press("k")
        tab.get_by_role("button", name="tower-bell-near").click()
        tab.keyboard.press("o")
        tab.keyboard.press("Space")
        tab.wait_for_function("() => listening.player.currentTime > 0.6")
        tab.screenshot(path=SHOTS / "listen.png")
        browser.close()


def _picture(name: str, folder: Path, commands: list[str]) -> None:
    done = folder / ".done"
    script = folder / ".typed.sh"
    lines = ["PS1='$ '", "clear"]
    for command in commands:
        lines += [f"printf '\\033[1m$ %s\\033[0m\\n' {_quoted(command)}", command, "echo"]
    asked = "IFS='[;' read -sdR -p $'\\E[6n' _ row _"  # where the cursor is: at the foot, something was scrolled away
    script.write_text("\n".join([*lines, "tput civis", asked, f"echo $row > {done}", "sleep 30"]))
    size = ["-fa", "DejaVu Sans Mono", "-fs", "10", "-geometry", f"158x{ROWS}+0+0", "-bw", "8"]
    colours = ["-bg", "#16191d", "-fg", "#d8dee6", "-xrm", "xterm*cursorBlink: false", "-uc"]
    window = subprocess.Popen(["xterm", *size, *colours, "-e", "bash", script], cwd=folder, env=_environment())
    try:
        for _ in range(400):
            if done.exists():
                break
            time.sleep(0.1)
        time.sleep(0.6)
        picture = SHOTS / f"{name}.png"
        subprocess.run(["import", "-window", "root", picture], check=True, env=_environment())
        if int(done.read_text()) >= ROWS:
            raise SystemExit(f"{name}: what was typed first is scrolled away")
        _trimmed(picture)
    finally:
        window.kill()
        window.wait()


def _trimmed(picture: Path) -> None:
    """Cut off what is empty below."""
    whole = Image.open(picture).convert("RGB")
    pixels = np.asarray(whole)
    rows = np.flatnonzero(
        (pixels[:, 12:1270] != np.array(BACKGROUND)).any(axis=(1, 2)) & (pixels[:, 12:1270].any(axis=(1, 2)))
    )
    cut = whole.crop((0, 0, 1280, int(rows[-1]) + 16))
    cut.quantize(64, dither=Image.Dither.NONE).save(picture, optimize=True)


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "'\\''") + "'"


if __name__ == "__main__":
    sys.exit(main())
