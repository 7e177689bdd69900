"""``ichnos look``: what it measures and says of clips made for it, by the arithmetic of how they were made."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PIL import Image

from conftest import run

RATE = 44100


def _sine(seconds: float = 1.0, hz: float = 1000, peak: float = 0.5) -> np.ndarray:
    return peak * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)


def _wav(path: Path, *sides: np.ndarray, subtype: str = "PCM_16", **tags: str) -> Path:
    with soundfile.SoundFile(path, "w", RATE, len(sides), subtype) as out:
        for name, text in tags.items():
            setattr(out, name, text)
        out.write(np.stack(sides, axis=1))
    return path


def _seen(path: Path, *words: str) -> tuple[dict[str, Any], dict[str, bool]]:
    """What JSON says of one clip, and its remarks: whether each is an error."""
    result = run("look", path, "--json", *words)
    (clip,) = json.loads(result.out)["clips"]
    remarks = {remark["id"]: remark["severity"] == "error" for remark in clip["findings"]}
    assert result.code == (1 if any(remarks.values()) else 0)
    assert all(remark["cure"] for remark in clip["findings"])
    return clip, remarks


def test_a_plain_clip_is_measured(tmp_path: Path) -> None:
    silence = np.zeros(RATE)
    sound = np.concatenate([silence, _sine(3), silence[: RATE // 4]])
    clip, remarks = _seen(_wav(tmp_path / "a.wav", sound, subtype="PCM_24", title="Pier", artist="A. Keeper"))
    assert (clip["container"], clip["codec"], clip["rate"], clip["bits"], clip["channels"]) == (
        "WAV", "PCM 24", RATE, 24, 1,
    )  # fmt: skip
    assert clip["samples"] == len(sound)
    assert clip["peak-dbfs"] == pytest.approx(-6.02, abs=0.02)
    assert clip["true-peak-dbtp"] == pytest.approx(-6.02, abs=0.1)
    assert clip["momentary-lufs"] == pytest.approx(-9.03, abs=0.05)  # 1 kHz, one channel: peak - 3.01 dB
    assert clip["silence-start"] == pytest.approx(1, abs=0.001)
    assert clip["silence-end"] == pytest.approx(0.25, abs=0.001)
    assert clip["tags"] == {"title": "Pier", "author": "A. Keeper"}
    assert clip["stereo"] is None
    assert remarks == {"silent-start": False}


def test_what_mono_would_cost(tmp_path: Path) -> None:
    left, other = _sine(), _sine(hz=1700)
    for name, right, cost in (("same", left, 0.0), ("other", other, -3.01), ("soft", -0.8 * left, -19.13)):
        clip, remarks = _seen(_wav(tmp_path / f"{name}.wav", left, right))
        assert clip["stereo"]["mono-db"] == pytest.approx(cost, abs=0.05)
        assert clip["stereo"]["twins"] == (name == "same")
        assert clip["stereo"]["louder"] == "left"
        assert remarks == ({"out-of-phase": True} if name == "soft" else {})
    clip, remarks = _seen(_wav(tmp_path / "against.wav", left, -left))
    assert clip["stereo"]["mono-db"] < -80  # nothing but rounding is left
    assert remarks == {"out-of-phase": True}
    low = _sine(hz=150)
    _, remarks = _seen(_wav(tmp_path / "thin.wav", left + 0.6 * low, left - 0.6 * low))
    assert remarks == {"thinned": False}


def test_clipping_offset_and_silence(tmp_path: Path) -> None:
    loud = np.clip(_sine(1, 100, 1.4), -1, 1)
    clip, remarks = _seen(_wav(tmp_path / "clipped.wav", loud))
    assert clip["clipped-runs"] == 200  # both half-waves of each of 100 periods
    assert clip["clipped-longest-samples"] == pytest.approx(RATE / 100 * math.acos(1 / 1.4) / math.pi, abs=2)
    assert remarks == {"clipped": False}
    clip, remarks = _seen(_wav(tmp_path / "offset.wav", 0.3 * _sine() + 0.1))
    assert clip["dc-offset"] == pytest.approx(0.1, abs=1e-4)
    assert remarks == {"offset": False}
    _, remarks = _seen(_wav(tmp_path / "silent.wav", 1e-4 * _sine()))
    assert remarks == {"silent": True}
    _, remarks = _seen(
        _wav(tmp_path / "over.wav", np.sin(np.pi / 2 * np.arange(RATE) + np.pi / 4) * 0.99 * math.sqrt(2))
    )
    assert remarks == {"over": False}  # fs/4 at 45 degrees: the samples stay at 0.99


def test_a_renamed_file_and_a_game(tmp_path: Path) -> None:
    path = _wav(tmp_path / "a.wav", _sine(), _sine(hz=1700))
    clip, remarks = _seen(path.rename(tmp_path / "a.ogg"), "--game", "tarnlight")
    assert (clip["container"], clip["claimed"]) == ("WAV", "Ogg")
    assert set(remarks) == {"disguised"}
    assert clip["build-changes"] == ["WAV PCM 16 becomes Ogg Vorbis", "stereo becomes mono"]
    fitting = tmp_path / "b.ogg"
    soundfile.write(fitting, _sine(), RATE, format="OGG", subtype="VORBIS")
    result = run("look", fitting, "--game", "tarnlight")
    assert "It has the form that Tarnlight reads; the build encodes it again." in result.out
    long = tmp_path / "long.wav"
    soundfile.write(long, 0.1 * np.ones(8000 * 121), 8000)
    limits = [run("look", long, "--game", name, "--json") for name in ("quillmarsh", "tarnlight")]
    ids = [{remark["id"] for remark in json.loads(one.out)["clips"][0]["findings"]} for one in limits]
    assert ["long" in one for one in ids] == [True, False]
    assert run("look", fitting, "--key", "x").code == 2
    assert "did you mean" in run("look", fitting, "--game", "tarnlite").err


def test_a_folder_is_a_table_the_worst_first(tmp_path: Path) -> None:
    folder = tmp_path / "clips"
    (folder / "deep").mkdir(parents=True)
    _wav(folder / "a-fine.wav", _sine())
    _wav(folder / "b-cancels.wav", _sine(), -_sine())
    _wav(folder / "deep" / "c-offset.wav", 0.3 * _sine() + 0.1)
    (folder / "d-broken.wav").write_bytes((folder / "a-fine.wav").read_bytes()[:3000])
    (folder / "notes.txt").write_text("no clip")
    result = run("look", folder)
    assert result.code == 1
    rows = [line.split()[0].rsplit("/", 1)[1] for line in result.out.splitlines() if ".wav" in line]
    assert rows == ["d-broken.wav", "b-cancels.wav", "c-offset.wav", "a-fine.wav"]
    assert "bytes of sound are missing" in result.out
    assert "4 clips: 2 would not be heard as meant, 1 with minor findings only." in result.out
    assert run("look", folder / "a-fine.wa").code == 2


def test_the_picture_is_a_picture(tmp_path: Path) -> None:
    path = _wav(tmp_path / "a.wav", np.clip(_sine(1, 100, 1.4), -1, 1), _sine(hz=300))
    picture = tmp_path / "out" / "a.png"
    assert run("look", path, "--picture", picture).code == 0
    with Image.open(picture) as drawn:
        assert drawn.size == (1280, 800)
        colours = {colour for _, colour in drawn.convert("RGB").getcolors(1 << 20)}
    fault = (0xA3, 0x24, 0x1B)  # clipping is marked
    assert any(max(abs(one - other) for one, other in zip(colour, fault, strict=True)) < 16 for colour in colours)
    assert run("look", path, path.with_name("b.wav"), "--picture", picture).code == 2


@pytest.mark.parametrize(("name", "codec", "container"), [("a.m4a", "aac", "MP4"), ("a.webm", "libopus", "Matroska")])
def test_recordings_of_phones_are_read(tmp_path: Path, name: str, codec: str, container: str) -> None:
    av = pytest.importorskip("av")
    path = tmp_path / name
    with av.open(str(path), "w") as out:
        stream = out.add_stream(codec, rate=48000, layout="stereo")
        sound = np.tile(0.5 * np.sin(2 * np.pi * 1000 * np.arange(48000) / 48000), (2, 1)).astype(np.float32)
        for start in range(0, 48000, 960):
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound[:, start : start + 960]), "fltp", "stereo")
            frame.rate, frame.pts = 48000, start
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    clip, _ = _seen(path)
    assert (clip["container"], clip["rate"], clip["channels"]) == (container, 48000, 2)
    assert clip["seconds"] == pytest.approx(1, abs=0.06)
    assert clip["momentary-lufs"] == pytest.approx(-6.0, abs=0.5)
    done = run("convert", path, "--to", tmp_path, "--container", "wav", "--channels", "1")
    assert done.code == 0, done.err
    out, rate = soundfile.read(tmp_path / "a.wav")
    assert rate == 48000
    assert np.sqrt(np.mean(out[4800:-4800] ** 2)) == pytest.approx(0.5 / math.sqrt(2), rel=0.02)
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    broken = run("look", path)
    assert broken.code == 1
    assert "recording" in broken.out
