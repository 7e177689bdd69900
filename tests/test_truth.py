"""What comes out is what went in: signals with a formula, and files that others write, against numpy and the standard library."""

from __future__ import annotations

import contextlib
import io
import json
import math
import struct
import wave
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from conftest import run
from ichnos.audio.measure.loudness import LoudnessMeter
from ichnos.audio.measure.peaks import PeakMeter

RATE = 44100
Samples = NDArray[np.float32]


def tone(hz: float, seconds: float, level: float = 0.5, rate: int = RATE) -> Samples:
    return (level * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)).astype(np.float32)


def noise(seconds: float, level: float = 0.1, rate: int = RATE, seed: int = 1) -> Samples:
    return (level * np.random.default_rng(seed).normal(size=round(seconds * rate))).astype(np.float32)


def wav(path: Path, sound: Samples, rate: int = RATE) -> NDArray[np.int16]:
    """Written with the standard library alone; gives the samples that were written."""
    whole = np.rint(np.clip(sound, -1, 32767 / 32768) * 32768).astype("<i2").reshape(len(sound), -1)
    with wave.open(str(path), "wb") as file:
        file.setparams((whole.shape[1], 2, rate, 0, "NONE", ""))
        file.writeframes(whole.tobytes())
    return whole


def samples(path: Path) -> NDArray[np.int16]:
    with wave.open(str(path), "rb") as file:
        return np.frombuffer(file.readframes(file.getnframes()), "<i2").reshape(-1, file.getnchannels())


def done(*words: str | Path, cwd: Path) -> dict[str, Any]:
    result = run(*words, "--json", cwd=cwd)
    assert result.code == 0, result.err + result.out
    return dict(json.loads(result.out))


@pytest.mark.parametrize("seconds", [1.70, 1.75, 1.80, 1.88, 0.05, 3.0])
def test_a_fade_fits_a_sound_of_any_length(seconds: float, tmp_path: Path) -> None:
    wav(tmp_path / "a.wav", np.ones(round(seconds * RATE), np.float32) / 2)
    done("treat", "a.wav", "--to", "o", "--fade", "1.6:0.1:straight", cwd=tmp_path)
    level = samples_24(tmp_path / "o/a.wav")
    assert len(level) == round(seconds * RATE)
    assert level[0] < 0.01
    assert level[-1] < 0.01
    assert np.all(np.diff(level[: len(level) // 2]) >= -1e-6)


def samples_24(path: Path) -> NDArray[np.float64]:
    with wave.open(str(path), "rb") as file:
        assert file.getsampwidth() == 3
        raw = np.frombuffer(file.readframes(file.getnframes()), np.uint8).reshape(-1, 3).astype(np.int32)
    return ((raw[:, 0] | raw[:, 1] << 8 | raw[:, 2] << 16) - ((raw[:, 2] >> 7) << 24)) / 2**23


# Nothing is lost in silence.


def _without_length(data: bytes) -> bytes:
    """An MP3 without the frame in front that says how long it is."""
    start = data.index(b"\xff")
    kbits = (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)[data[start + 2] >> 4]
    assert b"Xing" in data[start : start + 200] or b"Info" in data[start : start + 200]
    return data[start + 144_000 * kbits // RATE + (data[start + 2] >> 1 & 1) :]


@pytest.mark.parametrize("mode", ["CONSTANT", "VARIABLE", "AVERAGE"])
def test_an_mp3_that_does_not_say_its_length_is_read_whole(mode: str, tmp_path: Path) -> None:
    rising = noise(3.0) * np.linspace(0.01, 1, 3 * RATE, dtype=np.float32)
    coded = io.BytesIO()
    soundfile.write(
        coded, rising, RATE, format="MP3", subtype="MPEG_LAYER_III", bitrate_mode=mode, compression_level=0.5
    )
    (tmp_path / "with.mp3").write_bytes(coded.getvalue())
    (tmp_path / "without.mp3").write_bytes(_without_length(coded.getvalue()))
    for name in ("with", "without"):
        done("convert", f"{name}.mp3", "--to", "o", "--container", "wav", cwd=tmp_path)
    whole, found = samples(tmp_path / "o/with.wav")[:, 0], samples(tmp_path / "o/without.wav")[:, 0]
    assert 0 <= len(found) - len(whole) < 3000  # the encoder's own padding is in it
    lag = int(
        np.argmax(
            np.correlate(found[: len(whole) // 2 + 3000].astype(float), whole[: len(whole) // 2].astype(float), "valid")
        )
    )
    assert np.abs(found[lag : lag + len(whole)].astype(int) - whole[: len(found) - lag]).max() <= 3  # dither


def test_all_sounds_of_a_chained_ogg_are_read(tmp_path: Path) -> None:
    parts = [io.BytesIO() for _ in range(2)]
    for part, hz in zip(parts, (440, 880), strict=True):
        soundfile.write(part, tone(hz, 1.0), RATE, format="OGG", subtype="VORBIS")
    for name, data in (("two", parts), ("same", [parts[0], parts[0]])):
        (tmp_path / f"{name}.ogg").write_bytes(b"".join(part.getvalue() for part in data))
        done("convert", f"{name}.ogg", "--to", "o", "--container", "wav", cwd=tmp_path)
        assert len(samples(tmp_path / f"o/{name}.wav")) == 2 * RATE
    other = io.BytesIO()
    soundfile.write(other, tone(440, 1.0, rate=22050), 22050, format="OGG", subtype="VORBIS")
    (tmp_path / "other.ogg").write_bytes(parts[0].getvalue() + other.getvalue())
    assert "2 sounds of different kinds" in run("look", "other.ogg", cwd=tmp_path).out


@pytest.mark.parametrize("said", [0, 0x7FFFF000, 0x7FFFFFFF, 0xFFFFFFFF])
def test_a_wav_whose_size_nobody_knew_is_read_to_its_end(said: int, tmp_path: Path) -> None:
    whole = wav(tmp_path / "a.wav", tone(440, 1.0))
    data = bytearray((tmp_path / "a.wav").read_bytes())
    data[40:44] = struct.pack("<I", said)
    (tmp_path / "a.wav").write_bytes(data)
    done("convert", "a.wav", "--to", "o", "--container", "wav", cwd=tmp_path)
    assert np.array_equal(samples(tmp_path / "o/a.wav"), whole)


@pytest.mark.parametrize("frames", [4096, 44100, 100_000])
def test_a_flac_whose_length_nobody_knew_is_read_to_its_end(frames: int, tmp_path: Path) -> None:
    sound = noise(frames / RATE)
    sound[-4000:] = 0  # whose last frame is a dozen bytes
    soundfile.write(tmp_path / "a.flac", sound, RATE)
    expected, _ = soundfile.read(tmp_path / "a.flac", dtype="int16")
    data = bytearray((tmp_path / "a.flac").read_bytes())
    data[21:26] = bytes([data[21] & 0xF0, 0, 0, 0, 0])  # STREAMINFO: the number of samples
    (tmp_path / "a.flac").write_bytes(data)
    done("convert", "a.flac", "--to", "o", "--container", "wav", cwd=tmp_path)
    assert np.array_equal(samples(tmp_path / "o/a.wav")[:, 0], expected)
    (tmp_path / "cut.flac").write_bytes(data[:-5])
    assert "its end is not whole" in run("look", "cut.flac", cwd=tmp_path).out


def test_ogg_flac_and_a_streamed_webm_are_read_whole(tmp_path: Path) -> None:
    av = pytest.importorskip("av")
    sound = (tone(440, 2.0, rate=48000) * 32767).astype(np.int16)

    class Pipe(io.RawIOBase):  # nobody can go back in it
        data = b""

        def writable(self) -> bool:
            return True

        def write(self, more: Any) -> int:
            self.data += bytes(more)
            return len(more)

    for name, form, codec in (("a.webm", "webm", "libopus"), ("b.ogg", "ogg", "flac")):
        pipe, target = Pipe(), tmp_path / name
        # Of FLAC the library writes all, and then complains that it cannot write the header once more.
        with (
            contextlib.suppress(av.ArgumentError),
            av.open(pipe if form == "webm" else str(target), "w", format=form) as file,
        ):
            stream = file.add_stream(codec, rate=48000)
            stream.layout = "mono"
            frame = av.AudioFrame.from_ndarray(sound[None, :], format="s16", layout="mono")
            frame.sample_rate = 48000
            for packet in [*stream.encode(frame), *stream.encode(None)]:
                file.mux(packet)
        if form == "webm":
            target.write_bytes(pipe.data)
        done("convert", name, "--to", "o", "--container", "wav", cwd=tmp_path)
        found = samples(tmp_path / "o" / f"{target.stem}.wav")[:, 0]
        assert abs(len(found) - len(sound)) < 1000
        assert abs(np.sqrt(np.mean(found.astype(float) ** 2)) / np.sqrt(np.mean(sound.astype(float) ** 2)) - 1) < 0.02


def test_nothing_empty_is_a_success(tmp_path: Path) -> None:
    wav(tmp_path / "a.wav", tone(440, 1.0))
    for words in (("--cut", "5:6"), ("--cut", "1:2")):
        refused = run("treat", "a.wav", "--to", "o", *words, cwd=tmp_path)
        assert (refused.code, "nothing is left of it" in refused.err) == (1, True)
    assert not list((tmp_path / "o").glob("*"))


# Coding.


@pytest.mark.parametrize("frames", [5759, 5760, 9600, 9601, 48000, 48001, 48100, 48959, 48960])
def test_opus_keeps_its_end(frames: int, tmp_path: Path) -> None:
    sound = tone(440, frames / 48000, rate=48000)
    wav(tmp_path / "a.wav", sound, 48000)
    done("convert", "a.wav", "--to", "o", "--container", "ogg", "--codec", "opus", cwd=tmp_path)
    found, _ = soundfile.read(tmp_path / "o/a.ogg")
    assert len(found) == frames
    assert np.corrcoef(found[-200:], sound[-200:])[0, 1] > 0.95


@pytest.mark.parametrize("quality", ["0", "3"])
def test_a_ceiling_survives_coding(quality: str, tmp_path: Path) -> None:
    bursts = noise(2.0, 0.6) * (np.sin(2 * np.pi * 7 * np.arange(2 * RATE) / RATE) > 0)
    wav(tmp_path / "a.wav", bursts.astype(np.float32))
    said = done(
        "treat", "a.wav", "--to", "o", "--loudness", "-9", "--container", "ogg", "--quality", quality, cwd=tmp_path
    )
    found, _ = soundfile.read(tmp_path / "o/a.ogg", always_2d=True, dtype="float32")
    meter = PeakMeter(RATE, 1)
    meter.add(found)
    meter.finish()
    above = 20 * math.log10(meter.true) + 1
    assert above <= 0.06 or "above -1 dBTP" in json.dumps(said)


def test_samples_that_only_move_are_kept_to_the_bit(tmp_path: Path) -> None:
    form = ("--container", "wav", "--bits", "16")
    whole = wav(tmp_path / "a.wav", noise(1.0))
    sides = wav(tmp_path / "s.wav", np.stack([noise(1.0, seed=2), noise(1.0, seed=3)], axis=1))
    for words, clip, expected in (
        (("--cut", "0.25:0.75"), "a", whole[11025:33075]),
        (("--reverse",), "a", whole[::-1]),
        (("--repeat", "3"), "a", np.tile(whole, (3, 1))),
        (("--trim", "-90"), "a", whole),
        (("--reverse", "--channels", "2"), "a", np.repeat(whole[::-1], 2, axis=1)),
        (("--reverse", "--channels", "1", "--mono", "right"), "s", sides[::-1, 1:]),
    ):
        done("treat", f"{clip}.wav", "--to", "o", "--overwrite", *form, *words, cwd=tmp_path)
        assert np.array_equal(samples(tmp_path / f"o/{clip}.wav"), expected), words
    for name in ("a", "b"):  # the same sound under two names is the same file
        wav(tmp_path / f"{name}.wav", noise(1.0))
        done("treat", f"{name}.wav", "--to", "p", "--gain", "-3.3", "--channels", "2", *form, cwd=tmp_path)
    assert (tmp_path / "p/a.wav").read_bytes() == (tmp_path / "p/b.wav").read_bytes()
    both = samples(tmp_path / "p/a.wav")
    assert np.array_equal(both[:, 0], both[:, 1])  # also where it is dithered


@pytest.mark.parametrize("form", ["wav", "ogg"])
def test_surround_is_mixed_down_as_bs_775_says(form: str, tmp_path: Path) -> None:
    hz = (300, 500, 700, 60, 900, 1100)  # left, right, centre, low effects, both surrounds
    sound = np.stack([tone(one, 2.0, 0.3) for one in hz], axis=1)
    if form == "wav":
        wav(tmp_path / "a.wav", sound)
    else:  # Vorbis I, 4.3.9: left, centre, right, both surrounds, low effects
        soundfile.write(tmp_path / "a.ogg", sound[:, [0, 2, 1, 4, 5, 3]], RATE, format="OGG", subtype="VORBIS")
    said = done("convert", f"a.{form}", "--to", "o", "--container", "wav", "--channels", "2", cwd=tmp_path)
    assert "BS.775" in json.dumps(said)
    found = samples(tmp_path / "o/a.wav")[:RATE]
    levels = [[2 * abs(np.fft.rfft(found[:, side])[one]) / RATE / 32768 / 0.3 for one in hz] for side in (0, 1)]
    half, scale = math.sqrt(0.5), 1 / (1 + 2 * math.sqrt(0.5))
    expected = [[1, 0, half, 0, half, 0], [0, 1, half, 0, 0, half]]
    assert np.allclose(np.array(levels) / scale, expected, atol=0.03)


# Judging.


@pytest.mark.parametrize("hz", [20, 30, 41, 80, 220, 1000])
@pytest.mark.parametrize("block", [997, 65536])
def test_bass_at_full_scale_is_not_called_clipped(hz: float, block: int) -> None:
    def runs(level: float) -> int:
        whole = np.rint(np.clip(tone(hz, 1.0, level), -1, 32767 / 32768) * 32768) / 32768
        meter = PeakMeter(RATE, 1)
        for at in range(0, len(whole), block):
            meter.add(whole[at : at + block, None].astype(np.float32))
        meter.finish()
        return meter.clipped_runs

    assert runs(1.0) == 0
    assert runs(1.12) == 2 * hz  # every half wave is cut off by 1 dB


@pytest.mark.parametrize("rate", [8000, 11025, 16000, 22050, 32000, 44100, 48000, 96000])
def test_loudness_is_the_same_at_every_rate(rate: int) -> None:
    """BS.1770-4: 997 Hz at 0 dBFS in one channel is -3.01 LUFS; what counts is the filter's curve."""
    for hz in (100, 997, 2000, 3500):
        found = []
        for at in (rate, 48_000):
            meter = LoudnessMeter(at, 1)
            meter.add(tone(hz, 3.0, 0.5, at)[:, None])
            found.append(meter.result().level)
        assert abs(found[0] - found[1]) < (0.05 if hz < 0.4 * rate else 0.3), hz


def test_each_channel_weighs_what_the_standard_says_and_short_clips_have_a_curve() -> None:
    sound = noise(0.25, 0.2)
    weights = (1, 1, 1, 0, 1, 1, 1.41, 1.41)  # BS.1770-4, Annex 3: only the sides, not what is behind
    alone = LoudnessMeter(RATE, 1)
    alone.add(sound[:, None])
    short = alone.result()
    assert len(short.curve) == 4
    assert short.curve[-1] - short.curve[0] == pytest.approx(10 * math.log10(2.5), abs=0.3)
    for channel, weight in enumerate(weights):
        meter = LoudnessMeter(RATE, 8)
        meter.add(np.eye(8, dtype=np.float32)[channel] * sound[:, None])
        extra = meter.result().level - short.level
        assert extra == pytest.approx(10 * math.log10(weight) if weight else -math.inf, abs=0.01)


def test_a_bang_behind_silence_is_not_silent(tmp_path: Path) -> None:
    sound = np.concatenate([np.zeros(round(0.4 * RATE), np.float32), noise(0.08, 0.3)])
    wav(tmp_path / "a.wav", sound)
    looked = done("look", "a.wav", cwd=tmp_path)["clips"][0]
    assert "silent" not in [one["id"] for one in looked["findings"]]
    done("treat", "a.wav", "--to", "o", "--loudness", "-20", cwd=tmp_path)
    again = done("look", "o/a.wav", cwd=tmp_path)["clips"][0]
    assert abs(again["momentary-lufs"] + 20) < 0.5


@pytest.mark.parametrize("seconds", [0.1, 0.3, 0.5, 1.0])
def test_a_loudness_that_was_asked_for_is_there_or_is_not_claimed(seconds: float, tmp_path: Path) -> None:
    hit = noise(seconds, 0.5) * np.exp(-np.arange(round(seconds * RATE)) / RATE * 40).astype(np.float32)
    wav(tmp_path / "a.wav", hit)
    said = done("treat", "a.wav", "--to", "o", "--loudness", "-14", cwd=tmp_path)
    found, _ = soundfile.read(tmp_path / "o/a.wav", always_2d=True, dtype="float32")
    meter = LoudnessMeter(RATE, 1)
    meter.add(found)
    assert abs(meter.result().level + 14) < 0.5 or "cannot be reached" in json.dumps(said)


def test_what_a_clip_says_of_itself_stays(tmp_path: Path) -> None:
    with soundfile.SoundFile(tmp_path / "a.flac", "w", RATE, 1) as file:
        file.title, file.artist, file.license = "Gull at dusk", "A. Nobody", "CC-BY-4.0"
        file.write(noise(1.0))
    for container in ("ogg", "flac", "wav"):
        done("convert", "a.flac", "--to", "o", "--container", container, cwd=tmp_path)
        with soundfile.SoundFile(tmp_path / f"o/a.{container}") as file:
            found = file.copy_metadata()
        assert (found["title"], found["artist"]) == ("Gull at dusk", "A. Nobody")
        assert container == "wav" or found["license"] == "CC-BY-4.0"  # a WAV has no place for it


def test_soft_clipping_stays_below_full_scale(tmp_path: Path) -> None:
    wav(tmp_path / "a.wav", np.sign(tone(440, 1.0, 0.9)))
    done("treat", "a.wav", "--to", "o", "--soft-clip", "12", "--container", "wav", "--bits", "float", cwd=tmp_path)
    found, _ = soundfile.read(tmp_path / "o/a.wav")
    assert 0.8 < np.abs(found).max() < 1


def test_float_is_not_said_to_be_clipped(tmp_path: Path) -> None:
    wav(tmp_path / "a.wav", tone(440, 1.0, 0.9))
    for bits, said in (("float", False), ("16", True)):
        words = ("treat", "a.wav", "--to", bits, "--gain", "6", "--container", "wav", "--bits", bits)
        assert ("are clipped" in json.dumps(done(*words, cwd=tmp_path))) is said


def test_sides_that_cancel_are_heard_and_cover(tmp_path: Path) -> None:
    one = noise(2.0, 0.2)
    wav(tmp_path / "anti.wav", np.stack([one, -one], axis=1))
    wav(tmp_path / "same.wav", np.stack([one, one], axis=1))
    wav(tmp_path / "quiet.wav", noise(2.0, 0.02, seed=7))
    for clip, bed in (("anti", "quiet"), ("quiet", "anti")):
        found = [
            json.loads(run("heard", f"{clip}.wav", "--bed", f"{bed}.wav", "--json", cwd=tmp_path).out)["stands-out-db"]
            for clip, bed in ((clip, bed), (clip.replace("anti", "same"), bed.replace("anti", "same")))
        ]
        assert found[0] == pytest.approx(found[1], abs=0.2)
    said = json.loads(run("heard", "quiet.wav", "--bed", "same.wav", "--json", cwd=tmp_path).out)
    assert said["lift"]["enough"] is (said["lift"]["stands-out-db"] >= said["wish-db"] - 0.5)


@pytest.mark.parametrize("floor", [-90, -60, -50, -40, -35])
@pytest.mark.parametrize("rumbles", [False, True])
def test_takes_are_found_above_any_floor(floor: float, rumbles: bool, tmp_path: Path) -> None:
    """Five takes at -12 dBFS in a room that is as loud as that, by its mean power."""
    ground = noise(12.0, 10 ** (floor / 20))
    if rumbles:
        ground = np.convolve(ground, np.hanning(400) / np.sqrt(np.square(np.hanning(400)).sum()), "same").astype(
            np.float32
        )
    for number in range(5):
        start = round((1 + 2.2 * number) * RATE)
        ground[start : start + RATE] += noise(1.0, 0.08, seed=number)
    wav(tmp_path / "a.wav", ground)
    found = done("split", "a.wav", "--to", "o", cwd=tmp_path)["pieces"]
    assert len(found) == 5
    for number, one in enumerate(found):
        assert one["first"] / RATE == pytest.approx(1 + 2.2 * number, abs=0.06)
    bell = tone(440, 3.0) * np.exp(-np.arange(3 * RATE) / RATE * 1.5).astype(np.float32)
    wav(tmp_path / "bell.wav", bell)
    (one,) = done("split", "bell.wav", "--to", "o", "--overwrite", cwd=tmp_path)["pieces"]
    assert one["last"] == len(bell) - 1  # what dies away is not cut off
    loud = run("split", "a.wav", "--to", "p", "--threshold", "-100", cwd=tmp_path)
    assert "one piece" in loud.err


@pytest.mark.parametrize("part", [0.0, 0.1, 0.5, 1.0])
def test_a_part_that_cancels_is_not_mixed_away(part: float, tmp_path: Path) -> None:
    one, other = noise(4.0), noise(4.0, seed=5)
    turned = one.copy()
    turned[: round(part * len(one))] *= -1
    wav(tmp_path / "a.wav", np.stack([one, turned], axis=1))
    wav(tmp_path / "wide.wav", np.stack([one, other], axis=1))
    done("convert", "a.wav", "wide.wav", "--to", "o", "--container", "wav", "--channels", "1", cwd=tmp_path)
    level = [float(np.sqrt(np.mean(samples(tmp_path / f"o/{name}.wav").astype(float) ** 2))) for name in ("a", "wide")]
    assert level[0] / 32768 == pytest.approx(0.1 if part != 0.1 else 0.095, rel=0.03)  # a tenth matters to nobody
    assert level[1] / 32768 == pytest.approx(0.1 * math.sqrt(0.5), rel=0.03)  # sides that differ are mixed
    looked = done("look", "wide.wav", cwd=tmp_path)["clips"][0]
    assert looked["stereo"]["mono-db"] == pytest.approx(-3, abs=0.2)
