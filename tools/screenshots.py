"""Draws docs/screenshots/ afresh: each command in a real terminal window, on the demonstration's data.

Needs Xvfb, xterm and ImageMagick's ``import``. The window is 1280x800 or so; what does not fit is
scrolled away, as it would be for a user.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from ichnos.games import made_up, profile

ROOT = Path(__file__).resolve().parent.parent
SHOTS = ROOT / "docs" / "screenshots"
DISPLAY = ":97"

# name, folder below the demonstration's, commands typed
PICTURES: list[tuple[str, str, list[str]]] = [
    ("demo", ".", ["ichnos demo /tmp/ichnos-shot"]),
    ("help", ".", ["ichnos --help", "ichnos assign --help"]),
    ("start", ".", ["ichnos start gale --game tarnlight --title 'A gale'", "cat gale/ichnos.toml"]),
    (
        "assign",
        "storm-watch",
        [
            "ichnos assign tower.bel.near clips/draught.wav",
            "ichnos assign tower.bell.near clips/draught.wav",
            "ichnos assign tower.bell.near clips/draught.wav --add",
            "tail -n 20 ichnos.toml",
        ],
    ),
    ("build", "storm-watch", ["ichnos build --dry-run", "ichnos build", "ichnos build | tail -n 2"]),
    (
        "merge",
        "marsh",
        [
            "ichnos games show quillmarsh",
            "ichnos build --dry-run",
        ],
    ),
    (
        "keys",
        "storm-watch",
        [
            "ichnos keys harvest ../Tarnlight",
            "ichnos keys fogorn neer",
            "ichnos keys stair snow --sort used --most 6",
        ],
    ),
    (
        "games",
        ".",
        ["ichnos games", "ichnos games check ombervale", "ichnos games check tarnlight --sample | tail -n 22"],
    ),
    ("check", "slip", ["ichnos check slip --game tarnlight --installation ../Tarnlight"]),
]


def main() -> int:
    for program in ("Xvfb", "xterm", "import"):
        if not shutil.which(program):
            print(f"{program} is not installed: see CONTRIBUTING.md", file=sys.stderr)
            return 1
    SHOTS.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:]
    server = subprocess.Popen(
        ["Xvfb", DISPLAY, "-screen", "0", "1290x810x24"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        time.sleep(1)
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
    slip = scratch / "slip" / "slip"
    shutil.unpack_archive(scratch / "storm-watch/build/storm-watch-0.1.0.lampbox", slip, "zip")
    voices = slip / "lore" / "voices.json"
    voices.write_text(voices.read_text("utf-8").replace("tower.bell.near", "tower.bell.neer", 1), "utf-8")
    audio = slip / "lore" / "audio" / "storm-watch"
    shutil.copy(scratch / "storm-watch/clips/gull.ogg", audio / "shore.gull.calling-1.ogg")
    whole = (audio / "stair.step.iron-2.ogg").read_bytes()
    (audio / "stair.step.iron-2.ogg").write_bytes(whole[: len(whole) // 2])
    (audio / "lamp.draught.storm-1.ogg").rename(audio / "lamp.draft.storm-1.ogg")
    shutil.rmtree(scratch / "storm-watch/build")
    shutil.rmtree(scratch / "storm-watch/.ichnos")


def _second_game(scratch: Path) -> None:
    """Quillmarsh, and a workspace whose sounds are merged into its own file."""
    sample = made_up.sample_of(profile.BUNDLED / "quillmarsh")
    if sample is None:
        raise SystemExit("quillmarsh has no sample")
    made_up.lay_installation(sample, scratch / "Quillmarsh")
    start = ["start", "marsh", "--game", "quillmarsh", "--title", "A wet spring", "--installation", "Quillmarsh"]
    subprocess.run(["ichnos", *start], check=True, cwd=scratch, env=_environment(), stdout=subprocess.DEVNULL)
    shutil.copytree(scratch / "storm-watch/clips", scratch / "marsh/clips")
    for key, clip in (("heron_calls_dawn", "gull.ogg"), ("peat_drips_cold", "iron-step-1.flac")):
        words = ["assign", key, f"clips/{clip}"]
        subprocess.run(
            ["ichnos", *words], check=True, cwd=scratch / "marsh", env=_environment(), stdout=subprocess.DEVNULL
        )


def _picture(name: str, folder: Path, commands: list[str]) -> None:
    done = folder / ".done"
    script = folder / ".typed.sh"
    lines = ["PS1='$ '", "clear"]
    for command in commands:
        lines += [f"printf '\\033[1m$ %s\\033[0m\\n' {_quoted(command)}", command, "echo"]
    script.write_text("\n".join([*lines, f"touch {done}", "sleep 30"]))
    size = ["-fa", "DejaVu Sans Mono", "-fs", "10", "-geometry", "158x48+0+0", "-bw", "8"]
    colours = ["-bg", "#16191d", "-fg", "#d8dee6", "-xrm", "xterm*cursorBlink: false", "-uc"]
    window = subprocess.Popen(["xterm", *size, *colours, "-e", "bash", script], cwd=folder, env=_environment())
    try:
        for _ in range(400):
            if done.exists():
                break
            time.sleep(0.1)
        time.sleep(0.6)
        picture = SHOTS / f"{name}.png"
        subprocess.run(
            ["import", "-window", "root", "+dither", "-colors", "64", picture], check=True, env=_environment()
        )
    finally:
        window.kill()
        window.wait()


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "'\\''") + "'"


if __name__ == "__main__":
    sys.exit(main())
