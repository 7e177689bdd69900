"""Loops: marks read by other eyes, seams made bad and good on purpose, and rates converted."""

from __future__ import annotations

import io
import json
import shutil
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from conftest import edit, run
from ichnos.audio.blocks.timeline import Timeline
from ichnos.audio.files import comments, loops, marks, ogg

RATE = 44100


def _hum(seconds: float, hz: float = 110.0) -> np.ndarray:
    time_ = np.arange(round(seconds * RATE)) / RATE
    return 0.3 * np.sin(2 * np.pi * hz * time_) + 0.1 * np.sin(2 * np.pi * 3 * hz * time_ + 1)


def _chunks(data: bytes) -> dict[bytes, bytes]:
    """The chunks of a WAV, by the letter of the standard."""
    assert struct.unpack("<4sI4s", data[:12]) == (b"RIFF", len(data) - 8, b"WAVE")
    found, at = {}, 12
    while at < len(data):
        name, length = struct.unpack_from("<4sI", data, at)
        found[name] = data[at + 8 : at + 8 + length]
        at += 8 + length + length % 2
    return found


def _loops(data: bytes) -> list[tuple[int, int]]:
    return marks.loops_of(marks.read(io.BytesIO(data)))


@pytest.mark.parametrize("chunks", ["smpl", "cue", "both"])
@pytest.mark.parametrize("frames", [44100, 44101])  # an odd length needs a byte to even it out
def test_the_marks_are_the_standards(tmp_path: Path, chunks: str, frames: int) -> None:
    soundfile.write(tmp_path / "a.wav", _hum(2)[:frames, None].repeat(1, 1), RATE, subtype="PCM_24")
    words = ("--start", "1000", "--end", "41000", "--to", "b.wav", "--marks", chunks)
    result = run("loop", "a.wav", *words, cwd=tmp_path)
    assert "b.wav is written" in result.out
    data = (tmp_path / "b.wav").read_bytes()
    there = _chunks(data)
    assert (b"smpl" in there, b"cue " in there) == (chunks != "cue", chunks != "smpl")
    if b"smpl" in there:
        head, one = struct.unpack_from("<9I", there[b"smpl"]), struct.unpack_from("<6I", there[b"smpl"], 36)
        assert (head[2], head[7]) == (round(1e9 / RATE), 1)
        assert one[1:4] == (0, 1000, 41000)
    if b"cue " in there:
        assert struct.unpack("<III4sIII", there[b"cue "]) == (1, 1, 1000, b"data", 0, 0, 1000)
        assert struct.unpack_from("<4s4sIII", there[b"LIST"]) == (b"adtl", b"ltxt", 20, 1, 40001)
    assert _loops(data) == [(1000, 41000)]
    seen = json.loads(run("look", "b.wav", "--json", cwd=tmp_path).out)["clips"][0]
    assert seen["loops"] == [{"first": 1000, "last": 41000}]
    assert np.array_equal(soundfile.read(tmp_path / "b.wav")[0], soundfile.read(tmp_path / "a.wav")[0])


@given(st.integers(100, 10**6), st.integers(0, 10**6), st.sampled_from([22050, 32000, 48000]), st.integers(2, 10**6))
def test_a_loops_length_survives_another_rate(length: int, start: int, to_rate: int, rest: int) -> None:
    """The length depends on nothing but itself, and is right to half a frame."""
    frames = round((start + length + rest) * to_rate / RATE)
    first, last = loops.carry_over((start, start + length - 1), Timeline(to_rate / RATE), frames)
    assert last + 1 - first == round(length * to_rate / RATE)
    assert abs(first - start * to_rate / RATE) <= 0.5
    assert 0 <= first < last < frames


def _seam(path: Path, *words: str) -> tuple[int, dict]:
    result = run("loop", path.name, "--json", *words, cwd=path.parent)
    return result.code, json.loads(result.out)


def _measured(loop: dict) -> dict[str, float]:
    """How many times too much each measure is."""
    return {one["what"]: one["value"] / one["limit"] for one in loop["measures"]}


def test_a_bad_seam_is_found_and_mended(tmp_path: Path) -> None:
    period = RATE / 110
    good = round(100 * period)
    path = tmp_path / "hum.wav"
    soundfile.write(path, _hum(1.2), RATE, subtype="PCM_16")
    code, said = _seam(path, "--start", "4000", "--end", str(4000 + good - 1))
    assert (code, said["audible"]) == (0, False)
    bad = ("--start", "4000", "--end", str(4000 + good - 1 + round(period / 3)))
    code, said = _seam(path, *bad)
    assert (code, said["audible"]) == (1, True)
    assert _measured(said["loop"])["click"] > 1
    code, said = _seam(path, *bad, "--better", "--within", "0.05", "--to", "repaired.wav")
    assert (code, said["audible"]) == (0, False)
    best = said["candidates"][0]
    assert abs((best["last"] + 1 - best["first"]) % period - period / 2) > period / 2 - 2  # whole periods
    assert best["likeness"] > 0.99
    assert _seam(tmp_path / "repaired.wav")[1]["loop"]["first"] == best["first"]


def test_a_step_under_noise_a_gap_and_a_break_in_the_difference(tmp_path: Path) -> None:
    """Each is well below what the noise itself moves from frame to frame, and each is heard."""
    random = np.random.default_rng(5)
    noise = 0.05 * random.normal(size=RATE)
    gap = noise.copy()
    gap[:100], gap[-165:] = 0, 0  # 6 ms
    beat = 0.02 * np.sin(2 * np.pi * 110.4 * np.arange(RATE) / RATE)
    crackle = 0.002 * random.normal(size=RATE)
    for at in (200, 9000, 15000, 31000, RATE - 450):  # also beside the joint, and the clip's own all the same
        crackle[at : at + 300] += 0.3 * random.normal(size=300) * np.exp(-np.arange(300) / 40)
    tremolo = noise * np.sin(2 * np.pi * 2 * np.arange(RATE) / RATE)  # silent at the joint, as at three other places
    heard = {
        "step": noise + np.linspace(0, 0.15, RATE),
        "gap": gap,
        "gap on one side": np.stack([noise, gap], axis=1),
        "difference": np.stack([noise + beat, noise - beat], axis=1),
    }
    fine = {"noise": noise, "crackle": crackle, "tremolo": tremolo, "stereo": random.normal(0, 0.05, (RATE, 2))}
    said = {}
    for name, sound in (heard | fine).items():
        soundfile.write(tmp_path / f"{name}.wav", sound, RATE, subtype="FLOAT")
        code, one = _seam(tmp_path / f"{name}.wav")
        said[name] = one["loop"]
        assert (name, code) == (name, int(name in heard))
    assert _measured(said["step"])["click"] > 2
    assert _measured(said["gap"])["pause"] > 1
    assert max(_measured(one)["click"] for name, one in said.items() if name in fine) < 1


def _knocks(bars: int, beat: float = 0.4) -> np.ndarray:
    sound = np.zeros(round(bars * 4 * beat * RATE))
    time_ = np.arange(round(0.1 * RATE)) / RATE
    for number in range(bars * 8):
        at = round(number * beat / 2 * RATE)
        knock = 0.6 / (1 + number % 2) * np.cos(2 * np.pi * (900 - 500 * (number % 4 == 0)) * time_)
        sound[at : at + len(time_)] += knock * np.exp(-time_ / 0.02)
    return sound


def test_a_good_beat_passes_and_a_better_loop_keeps_the_beat(tmp_path: Path) -> None:
    good = _knocks(2)
    soundfile.write(tmp_path / "good.wav", good, RATE)
    code, said = _seam(tmp_path / "good.wav", "--better")
    assert (code, said["audible"]) == (0, False)
    assert all(near["severity"] < said["loop"]["severity"] for near in said["candidates"])
    soundfile.write(tmp_path / "long.wav", np.concatenate([good, np.zeros(RATE // 20)]), RATE)
    code, said = _seam(tmp_path / "long.wav")
    assert (code, round(_measured(said["loop"])["beat"] * 12)) == (1, 50)
    code, said = _seam(tmp_path / "long.wav", "--better")
    best = said["candidates"][0]
    assert (code, best["audible"]) == (0, False)
    assert abs(best["last"] + 1 - best["first"] - len(good)) < RATE // 500


@pytest.mark.parametrize("ms", [6, 37, 500])
def test_silence_of_any_length_is_found(tmp_path: Path, ms: int) -> None:
    noise = 0.05 * np.random.default_rng(ms).normal(size=3 * RATE)
    noise[: round(ms * RATE / 2000)] = noise[-round(ms * RATE / 2000) :] = 0
    soundfile.write(tmp_path / "a.wav", noise, RATE, subtype="FLOAT")
    code, said = _seam(tmp_path / "a.wav")
    assert code == 1
    pause = next(one for one in said["loop"]["measures"] if one["what"] == "pause")
    assert abs(pause["value"] - ms) <= 4


def test_what_comes_slowly_and_jumps_back_at_the_seam(tmp_path: Path) -> None:
    random, count = np.random.default_rng(8), 4 * RATE
    rising, noise = np.linspace(0, 1, count), 0.05 * np.random.default_rng(9).normal(size=(count, 2))
    turns = np.cumsum(300 * 2 ** (rising * 150 / 1200)) / RATE
    glide = 0.3 * np.sin(2 * np.pi * turns * round(turns[-1]) / turns[-1])
    hum = 0.2 * np.sin(2 * np.pi * 150 * np.arange(count) / RATE)
    kinds = {
        "level": noise[:, 0] * 10 ** (rising / 4),
        "pitch": glide,
        "timbre": hum + 0.1 * rising * np.sin(2 * np.pi * 1200 * np.arange(count) / RATE),
        "place": noise[:, :1] * np.stack([1.1 - rising, 0.1 + rising], axis=1),
        "width": np.stack([noise[:, 0], noise[:, 0] * (1 - rising) + noise[:, 1] * rising], axis=1),
    }
    for what, sound in kinds.items():
        soundfile.write(tmp_path / "a.wav", sound, RATE, subtype="FLOAT")
        code, said = _seam(tmp_path / "a.wav")
        assert (what, code) == (what, 1)
        assert _measured(said["loop"])[what] > 1
    wobble = 1 + 0.8 * np.sin(2 * np.pi * 5 * np.arange(count) / count)
    soundfile.write(tmp_path / "a.wav", random.normal(0, 0.05, count) * wobble, RATE, subtype="FLOAT")
    assert _seam(tmp_path / "a.wav")[0] == 0


def test_a_fade_digs_no_hole_into_a_hum(tmp_path: Path) -> None:
    for hz in (61.3, 147.7):
        hum = _hum(3, hz)
        soundfile.write(tmp_path / "h.wav", hum, RATE)
        run("loop", "h.wav", "--fade", "0.4", "--to", "f.wav", "--overwrite", cwd=tmp_path)
        faded, _ = soundfile.read(tmp_path / "f.wav")
        joined = np.square(np.concatenate([faded[-RATE:], faded[:RATE]]))
        levels = np.convolve(joined, np.full(2205, 1 / 2205), "valid") / np.mean(np.square(hum))
        assert np.abs(10 * np.log10(levels)).max() < 1


def test_a_fade_leaves_no_seam(tmp_path: Path) -> None:
    random = np.random.default_rng(2)
    noise = np.cumsum(random.normal(size=2 * RATE))
    noise -= np.convolve(noise, np.ones(2001) / 2001, "same")
    noise *= 0.3 / np.abs(noise).max() * np.linspace(0.2, 1, len(noise))
    soundfile.write(tmp_path / "w.wav", noise, RATE)
    code, said = _seam(tmp_path / "w.wav")
    assert _measured(said["loop"])["level"] > 1
    assert code == 1
    code, said = _seam(tmp_path / "w.wav", "--fade", "0.5", "--to", "f.wav")
    assert (code, said["audible"]) == (0, False)
    out, _ = soundfile.read(tmp_path / "f.wav")
    assert len(out) == len(noise) - RATE // 2
    assert np.abs(out[:1000] - noise[RATE // 2 : RATE // 2 + 1000]).max() < 1e-4  # it begins behind what was faded in
    assert abs(out[-1] - noise[RATE // 2 - 1]) < 0.01  # and ends where that begins


def test_what_cannot_loop_is_refused(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", _hum(0.5), RATE)
    assert "no loop can go" in run("loop", "a.wav", "--end", "99999", cwd=tmp_path).err
    assert run("loop", "a.wav", "--to", "a.wav", cwd=tmp_path).code == 2
    assert run("loop", "a.wav", "--fade", "0.1", cwd=tmp_path).code == 2
    assert run("loop", "a.wav", "--to", "b.ogg", cwd=tmp_path).code == 2
    dry = run("loop", "a.wav", "--fade", "0.1", "--to", "c.wav", "--dry-run", cwd=tmp_path)
    assert "would write c.wav" in dry.out
    assert not (tmp_path / "c.wav").exists()


@given(
    st.lists(st.tuples(st.text("ABCXYZ_", min_size=1, max_size=9), st.text(max_size=70000)), max_size=3),
    st.integers(0, 3),
)
def test_comments_are_written_and_the_sound_stays(pairs: list[tuple[str, str]], kind: int) -> None:
    """However long, also over the edge of a page of 65,025 bytes; the sound's own packets keep their bytes."""
    encoded = io.BytesIO()
    sound = np.random.default_rng(kind).normal(scale=0.1, size=9000)
    soundfile.write(encoded, sound, 48000, format="OGG", subtype="OPUS" if kind == 3 else "VORBIS")
    said = {name: text.encode("utf-8", "replace").decode() for name, text in pairs}
    out = io.BytesIO()
    comments.with_comments(encoded, out, said)
    assert ogg.faulty_page(out) is None
    numbers = [int.from_bytes(page[18:22], "little") for page in ogg.pages(out)]
    assert numbers == list(range(len(numbers)))
    found = comments.vorbis_comments(out)
    assert all(found[name] == text for name, text in said.items())
    again, first = (soundfile.read(io.BytesIO(stream.getvalue()))[0] for stream in (out, encoded))
    assert np.array_equal(again, first)


def test_a_game_that_wants_comments(workspace: Path, tmp_path: Path) -> None:
    """A profile names the comments; the build carries the clip's own marks over, and the check looks for them."""
    from ichnos.games.profiles.profile import BUNDLED

    shutil.copytree(BUNDLED / "tarnlight", tmp_path / "demo" / "mine")
    rules = tmp_path / "demo" / "mine" / "game.toml"
    rules.write_text(
        rules.read_text() + '\n[loops]\nkind = "vorbis-comments"\nstart = "RETURN_AT"\nlength = "RETURN_FRAMES"\n'
    )
    soundfile.write(workspace / "clips" / "hum.wav", _hum(2)[::2], RATE // 2)
    words = ("clips/hum.wav", "--start", "5000", "--end", "30000", "--to", "clips/draught.wav", "--overwrite")
    run("loop", *words, cwd=workspace)
    edit(workspace, 'game = "tarnlight"', 'game = "../mine"')
    edit(workspace, 'key = "lamp-draught-storm"', 'key = "lamp-draught-storm"\nloop = true')
    built = run("build", cwd=workspace)
    assert built.code == 0, built.err
    shutil.unpack_archive(workspace / "build" / "storm-watch-0.1.0.lampbox", tmp_path / "pack", "zip")
    (path,) = (tmp_path / "pack").rglob("lamp-draught*.ogg")
    with path.open("rb") as stream:
        said = comments.vorbis_comments(stream)
    assert (said["RETURN_AT"], said["RETURN_FRAMES"]) == ("10000", "50002")
    assert run("check", cwd=workspace).code == 0
    seen = json.loads(run("look", path, "--game", tmp_path / "demo" / "mine", "--json").out)["clips"][0]
    assert seen["loops"] == [{"first": 10000, "last": 60001}]
    looped = json.loads(run("loop", path, "--game", tmp_path / "demo" / "mine", "--json").out)
    assert looped["loop"]["first"] == 10000
    path.write_bytes(path.read_bytes().replace(b"RETURN_AT=", b"RETURN_UP="))
    rules.write_text(rules.read_text().replace('length = "RETURN_FRAMES"', ""))
    assert "loops in comments need the names of two" in run("check", cwd=workspace).err


def test_converting_carries_the_marks_over(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", _hum(2), RATE)
    run("loop", "a.wav", "--start", "5000", "--end", "29999", "--to", "b.wav", cwd=tmp_path)
    words = ("b.wav", "--to", "out", "--container", "wav", "--rate", "22050")
    assert run("convert", *words, cwd=tmp_path).code == 0
    assert _loops((tmp_path / "out/b.wav").read_bytes()) == [(2500, 14999)]
    assert run("convert", "b.wav", "--to", "marsh", "--like-game", "quillmarsh", cwd=tmp_path).code == 0
    assert _loops((tmp_path / "marsh/b.wav").read_bytes()) == [(2500, 14999)]
    assert run("treat", "b.wav", "--to", "cut", "--cut", "0.1:1", cwd=tmp_path).code == 0
    assert _loops((tmp_path / "cut/b.wav").read_bytes()) == [(590, 25589)]
    half = run("treat", "b.wav", "--to", "half", "--cut", "0:0.5", "--like-game", "quillmarsh", cwd=tmp_path)
    assert "its loop from sample 5000 to 29999 is not whole any more, so all of it loops" in half.err


@given(st.integers(100, 10**6), st.integers(0, 10**6), st.sampled_from([8000, 22050, 32000, 48000]), st.booleans())
def test_a_mark_up_to_the_end_stays_whole(length: int, start: int, to_rate: int, turned: bool) -> None:
    timeline = Timeline(to_rate / RATE)
    frames = round((start + length) * to_rate / RATE)
    timeline = timeline.turned(frames) if turned else timeline
    there = marks.moved(marks.Mark("stretch", start, start + length - 1), timeline, frames)
    assert there is not None
    assert there.last + 1 - there.first == max(1, round(length * to_rate / RATE))


def _chunk(name: bytes, body: bytes, order: str = "<") -> bytes:
    return name + struct.pack(f"{order}I", len(body)) + body + b"\0" * (len(body) % 2)


def _marked_wav(path: Path) -> None:
    """Three loops of all kinds, two points and a stretch, by the letter of the standards."""
    soundfile.write(path, _hum(3), RATE, subtype="PCM_16")
    loops = ((0, 1000, 20000, 0), (1, 30000, 60000, 4), (2, 70000, 80000, 0))
    smpl = struct.pack("<9I", 0, 0, 22676, 60, 0, 0, 0, 3, 0)
    smpl += b"".join(struct.pack("<6I", at, kind, *ends, 0, times) for at, (kind, *ends, times) in enumerate(loops))
    cues = ((1, 500), (2, 44100), (3, 90000))
    cue = struct.pack("<I", 3) + b"".join(struct.pack("<II4sIII", at, to, b"data", 0, 0, to) for at, to in cues)
    more = _chunk(b"labl", struct.pack("<I", 2) + b"turn\0")
    more += _chunk(b"ltxt", struct.pack("<II4sHHHH", 3, 1000, b"rgn ", 0, 0, 0, 0))
    body = path.read_bytes()[8:] + _chunk(b"smpl", smpl) + _chunk(b"cue ", cue) + _chunk(b"LIST", b"adtl" + more)
    path.write_bytes(_chunk(b"RIFF", body))


def _marks_of(path: Path) -> list[tuple[object, ...]]:
    seen = json.loads(run("look", path, "--json").out)["clips"][0]["marks"]
    return [(one["kind"], one["first"], one["last"], one["times"], one["label"]) for one in seen]


ALL = [
    ("loop", 1000, 20000, 0, ""),
    ("back-and-forth", 30000, 60000, 4, ""),
    ("backward", 70000, 80000, 0, ""),
    ("point", 500, 500, 0, ""),
    ("point", 44100, 44100, 0, "turn"),
    ("stretch", 90000, 90999, 0, ""),
]


def test_all_marks_come_through_what_keeps_or_moves_time(tmp_path: Path) -> None:
    _marked_wav(tmp_path / "a.wav")
    assert _marks_of(tmp_path / "a.wav") == ALL
    for number, (words, at) in enumerate(
        (
            (("--gain", "-3", "--high-pass", "80"), lambda first, last: (first, last)),
            (("--cut", "0.01:2.9"), lambda first, last: (first - 441, last - 441)),
            (("--speed", "2"), lambda first, last: (first // 2, first // 2 + (last + 1 - first) // 2 - 1)),
            (("--reverse",), lambda first, last: (3 * RATE - 1 - last, 3 * RATE - 1 - first)),
        )
    ):
        done = run("treat", "a.wav", "--to", str(number), *words, cwd=tmp_path)
        assert (done.code, "left out" in done.out + done.err) == (0, False)
        moved = [(kind, *at(first, last), *rest) for kind, first, last, *rest in ALL]
        found = _marks_of(tmp_path / str(number) / "a.wav")
        for one, other in zip(found, moved, strict=True):
            assert (one[0], one[3:]) == (other[0], other[3:])
            assert max(abs(one[1] - other[1]), abs(one[2] - other[2]) if one[0] != "point" else 0) <= 1
    assert run("convert", "a.wav", "--to", "half", "--container", "wav", "--rate", "22050", cwd=tmp_path).code == 0
    data = _chunks((tmp_path / "half/a.wav").read_bytes())
    assert struct.unpack_from("<6I", data[b"smpl"], 36 + 24) == (1, 1, 15000, 29999, 0, 4)
    cut = run("treat", "a.wav", "--to", "cut", "--cut", "0.5:2", cwd=tmp_path)
    assert (
        "marks that are not whole in it are left out: loop from sample 1000 to 20000; point at sample 500;" in cut.err
    )


@pytest.mark.parametrize("container", ["ogg", "flac"])
def test_a_comment_holds_one_loop_and_the_rest_is_said(tmp_path: Path, container: str) -> None:
    _marked_wav(tmp_path / "a.wav")
    done = run("convert", "a.wav", "--to", "out", "--container", container, cwd=tmp_path)
    assert "back and forth, 4 times; loop from sample 70000 to 80000, backward; point at sample 500;" in done.err
    out = tmp_path / f"out/a.{container}"
    data = out.read_bytes()
    assert b"LOOPSTART=1000" in data
    assert b"LOOPLENGTH=19001" in data
    assert _marks_of(out) == ALL[:1]
    assert soundfile.read(out)[0].shape == (3 * RATE,)
    run("convert", out, "--to", "back", "--container", "wav", cwd=tmp_path)
    assert _marks_of(tmp_path / "back/a.wav") == ALL[:1]


def test_the_loop_of_an_aiff(tmp_path: Path) -> None:
    path = tmp_path / "a.aiff"
    soundfile.write(path, _hum(2), RATE, subtype="PCM_16", format="AIFF")
    points = struct.pack(">H", 3)
    for number, frame, name in ((1, 1000, b"a"), (2, 20001, b"end"), (3, 50000, b"turn")):
        text = bytes([len(name)]) + name
        points += struct.pack(">hI", number, frame) + text + b"\0" * (len(text) % 2)
    instrument = struct.pack(">6bh", 60, 0, 0, 127, 1, 127, 0) + struct.pack(">6h", 2, 1, 2, 0, 0, 0)
    body = path.read_bytes()[8:] + _chunk(b"MARK", points, ">") + _chunk(b"INST", instrument, ">")
    path.write_bytes(_chunk(b"FORM", body, ">"))
    run("convert", "a.aiff", "--to", "out", "--container", "wav", cwd=tmp_path)
    assert _marks_of(tmp_path / "out/a.wav") == [
        ("back-and-forth", 1000, 20000, 0, ""),
        ("point", 50000, 50000, 0, "turn"),
    ]


def test_what_turns_round_at_the_seam_is_heard_and_half_a_sample_is_not(tmp_path: Path) -> None:
    time_ = np.arange(RATE) / RATE
    soundfile.write(tmp_path / "turns.wav", 0.2 * np.sin(2 * np.pi * 600.5 * time_), RATE, subtype="FLOAT")
    code, said = _seam(tmp_path / "turns.wav")  # it ends where it began, and comes back from there
    assert (code, _measured(said["loop"])["bend"] > 1, _measured(said["loop"])["click"] < 1) == (1, True, True)
    hum = 0.3 * np.sin(2 * np.pi * 60 * np.arange(RATE) / (RATE + 0.5))
    soundfile.write(tmp_path / "hum.wav", hum, RATE, subtype="FLOAT")
    assert _seam(tmp_path / "hum.wav")[0] == 0


def test_a_loop_without_its_end_is_not_moved_to_where_it_fits(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", _hum(2), RATE)
    run("loop", "a.wav", "--start", "5000", "--end", "29999", "--to", "b.wav", cwd=tmp_path)
    words = ("treat", "b.wav", "--to", "cut", "--cut", "0:0.65", "--like-game", "quillmarsh")
    assert "is not whole any more, so all of it loops" in run(*words, cwd=tmp_path).err
    frames = soundfile.info(tmp_path / "cut/b.wav").frames
    assert _loops((tmp_path / "cut/b.wav").read_bytes()) == [(0, frames - 1)]


@pytest.mark.parametrize("beat", [0.148, 0.15, 0.152])
def test_the_fastest_beat_is_no_trouble(tmp_path: Path, beat: float) -> None:
    soundfile.write(tmp_path / "a.wav", _knocks(4, 2 * beat), RATE)
    assert _seam(tmp_path / "a.wav")[0] == 0
