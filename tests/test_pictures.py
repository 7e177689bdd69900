"""Pictures, looked at by their own pixels: one style, nothing left blank, red for faults alone."""

from __future__ import annotations

import itertools
import os
import re
import struct
import subprocess
import sys
import wave
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from conftest import edit, run
from ichnos.audio.drawing import beds, style

RATE = 44100


def sound(path: Path, samples: Any) -> Path:
    with wave.open(str(path), "wb") as file:
        file.setparams((1, 2, RATE, 0, "NONE", ""))
        file.writeframes((np.clip(samples, -1, 1) * 32767).astype("<i2").tobytes())
    return path


def tone(seconds: float, level: float = 0.5, hz: float = 440.0) -> Any:
    return level * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


def near(picture: Path, colour: str, reach: int = 12) -> Any:
    """Which pixels of a picture have a colour, or nearly so."""
    pixels = np.asarray(Image.open(picture).convert("RGB")).astype(int)
    wanted = [int(colour[at : at + 2], 16) for at in (1, 3, 5)]
    return (np.abs(pixels - wanted) <= reach).all(axis=2)


def contrast(one: str, other: str) -> float:
    """WCAG 2.2."""

    def light(colour: str) -> float:
        parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    high, low = sorted((light(one), light(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def test_marks_and_texts_are_seen_on_paper() -> None:
    for paper, text in itertools.product((style.PAPER, style.LEAF), (style.INK, style.SOFT, style.GREEN, style.FAULT)):
        assert contrast(paper, text) >= 4.5
    for mark in (style.SHADE, style.PENCIL, style.GRAPHITE, *beds._HEARD):
        assert contrast(style.LEAF, mark) >= 3
    page = (Path(style.__file__).parents[2] / "page" / "page.css").read_text("utf-8")
    for colour in (style.PAPER, style.LEAF, style.INK, style.GREEN, style.FAULT):
        assert colour in page  # the page is of the same paper


def test_a_steady_tone_is_no_row_of_bars(tmp_path: Path) -> None:
    clip = sound(tmp_path / "hum.wav", tone(5, 0.9, hz=55.3))
    assert run("look", clip, "--picture", tmp_path / "hum.png").code == 0
    ink = near(tmp_path / "hum.png", style.INK)
    middle = int(np.median(np.flatnonzero(ink[:480, 60:1260].mean(axis=1) > 0.9)))
    lane = ink[middle - 20 : middle + 20, 60:1260]  # well inside the RMS
    assert lane.mean() > 0.97


@pytest.mark.parametrize("seconds", [0.03, 0.2, 0.39])
def test_short_clips_have_a_level(tmp_path: Path, seconds: float) -> None:
    clip = sound(tmp_path / "tick.wav", tone(seconds))
    assert run("look", clip, "--picture", tmp_path / "tick.png").code == 0
    panel = near(tmp_path / "tick.png", style.INK, 90)[520:760, 60:640]
    assert (panel.any(axis=0)).mean() > 0.9  # from the first moment to the last
    assert not near(tmp_path / "tick.png", style.FAULT).any()


def test_what_is_not_heard_is_drawn(tmp_path: Path) -> None:
    chance = np.random.default_rng(1)
    bed = sound(tmp_path / "bed.wav", 0.2 * chance.normal(size=3 * RATE))
    clip = sound(tmp_path / "call.wav", tone(1, 0.003))
    picture = tmp_path / "heard.png"
    done = run("heard", clip, "--bed", bed, "--picture", picture)
    assert done.code == 1
    assert re.search(r"lies \d+\.\d dB under, heard 0 % of its time", done.out)
    assert "by -" not in done.out
    surface = np.asarray(Image.open(picture).convert("RGB"))[110:440, 80:600].astype(int)
    leaf = np.array([int(style.LEAF[at : at + 2], 16) for at in (1, 3, 5)])
    assert (np.abs(surface - leaf).max(axis=2) > 60).mean() > 0.6
    assert near(picture, style.FAULT, 40).sum() > 200  # the shortfall
    assert near(picture, style.GREEN, 30).sum() > 200  # what is proposed


def test_seams_are_seen(tmp_path: Path) -> None:
    bad = sound(tmp_path / "bad.wav", tone(1.003, hz=100) * np.linspace(1, 0.5, round(1.003 * RATE)))
    good = sound(tmp_path / "good.wav", tone(1, hz=100))
    for clip, words, faults in ((bad, ["--fade", "0.1", "--to", tmp_path / "faded.wav"], True), (good, [], False)):
        picture = tmp_path / f"{clip.stem}.png"
        run("loop", clip, "--picture", picture, *words)
        assert near(picture, style.GREEN).sum() > 400
        assert bool(near(picture, style.FAULT, 30).sum() > 100) is faults
    assert Image.open(tmp_path / "bad.png").size == (1280, 800)


def test_a_split_shows_its_threshold(tmp_path: Path) -> None:
    quiet = np.zeros(RATE // 2)
    clip = sound(tmp_path / "takes.wav", np.concatenate([quiet, tone(0.5), quiet, tone(0.8), quiet]))
    picture = tmp_path / "split.png"
    assert (
        run("split", clip, "--to", tmp_path / "out", "--dry-run", "--threshold", "-30", "--picture", picture).code == 0
    )
    green = near(picture, style.GREEN, 30)
    rows = np.flatnonzero(green[:, 60:1260].mean(axis=1) > 0.9)
    assert len(rows)  # a line from side to side
    bottom, top = 754, 456  # about where -60 and 0 dBFS are
    assert abs((bottom - rows.mean()) / (bottom - top) - 0.5) < 0.06


def test_the_sheet_of_few_and_of_many(workspace: Path, tmp_path: Path) -> None:
    edit(workspace, 'title = "Storm watch"', 'title = "Storm $x^2$ {watch} \\\\frac"')
    assert run("build", cwd=workspace).code == 0
    done = run("sheet", "--to", tmp_path / "few.png", cwd=workspace)
    assert done.code == 0, done.err
    first = (tmp_path / "few.png").read_bytes()
    assert run("sheet", "--to", tmp_path / "few.png", cwd=workspace).code == 0
    assert (tmp_path / "few.png").read_bytes() == first
    wide, high = struct.unpack(">II", first[16:24])
    assert wide == 1280
    assert 600 < high < 1600
    assert near(tmp_path / "few.png", style.INK).sum() > 20_000

    (tmp_path / "many/audio").mkdir(parents=True)
    sound(tmp_path / "many/audio/one.wav", tone(0.1))
    names = [f"key.{number}" for number in range(40)]
    sounds = ", ".join(f'{{"key": "{key}", "sort": "all", "takes": [{{"clip": "audio/one.wav"}}]}}' for key in names)
    (tmp_path / "many/open-pack.json").write_text(f'{{"openPack": 2, "title": "Many", "heard": [{sounds}]}}', "utf-8")
    many = run("sheet", tmp_path / "many", "--game", "open-pack", "--to", tmp_path / "many.pdf")
    assert many.code == 0, many.err
    pages = len(re.findall(rb"/Type /Page\b", (tmp_path / "many.pdf").read_bytes()))
    assert pages == 2
    dry = run("sheet", tmp_path / "many", "--game", "open-pack", "--to", tmp_path / "p.png", "--dry-run")
    assert re.findall(r"p-\d\.png", dry.out) == ["p-1.png", "p-2.png"]
    assert not list(tmp_path.glob("p-*.png"))
    assert run("sheet", "--to", "sheet.gif", cwd=workspace).code == 2


def test_no_number_is_a_negative_nothing() -> None:
    """A level that rounds to nothing has no sign: every format of one says so (``z``, PEP 682)."""
    source = Path(style.__file__).parents[2]
    told = [f"{path}: {line}" for path in source.rglob("*.py") for line in path.read_text("utf-8").splitlines()
            if re.search(r":\+?\.\d+f\} (dB|LU|%)", line)]  # fmt: skip
    assert not told


@pytest.mark.skipif(sys.platform == "win32", reason="needs a terminal of the system's")
@pytest.mark.parametrize("columns", [80, 100, 120])
def test_a_plan_fits_its_terminal(workspace: Path, columns: int) -> None:
    import pty

    whole = run("build", "--dry-run", cwd=workspace).out
    main, end = pty.openpty()
    import fcntl
    import termios

    fcntl.ioctl(end, termios.TIOCSWINSZ, struct.pack("HHHH", 40, columns, 0, 0))
    environment = {name: value for name, value in os.environ.items() if name not in ("COLUMNS", "LINES")}
    words = [sys.executable, "-m", "ichnos", "build", "--dry-run"]
    with subprocess.Popen(words, cwd=workspace, stdout=end, stderr=subprocess.DEVNULL, env=environment) as process:
        os.close(end)
        pieces = []
        while True:
            try:
                piece = os.read(main, 65536)
            except OSError:
                break
            if not piece:
                break
            pieces.append(piece)
        assert process.wait() == 0
    shown = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", b"".join(pieces).decode()).replace("\r", "")
    assert max(map(len, shown.splitlines())) <= columns
    assert shown.split() == whole.split()  # folded, and nothing of it lost
