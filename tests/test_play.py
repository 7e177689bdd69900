"""The stand-in game: what it plays is measured in the WAV, what it picks is counted, what it finds is planted."""

from __future__ import annotations

import copy
import json
import math
import shutil
import sys
import time
import wave
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from conftest import Made, Result, run
from ichnos.audio.files import markers
from ichnos.games.things import Thing
from ichnos.play.turns import Turns

RATE = 22050
FIELDS = 'near="@near@" far="@far@" high="@pitch@" here="@positional@" again="@loop@" rank="@priority@" at-most="@voices@" loud="@volume@"'
TRIGGERS = "name,what,where,key,from,once,luck\n@trigger.name@,@trigger.event@,@trigger.where@,@trigger.key@,@trigger.from@,@trigger.once=false@,@trigger.odds=1@\n"
SHAPES = {
    "mill": {
        "tree/list.json": '{"all": [\n {"k": "@key@", "f": [{"s": "@file@", "w": "@weight=1@"}], "parts": [{"as": "@part.name@", "on": "@part.file@"}],'
        + ", ".join(one.replace("=", '": ').join(('"', "")) for one in FIELDS.split(" ")) + "}\n]}\n",
        "tree/cues.csv": TRIGGERS,
    },
    "quay": {
        "tree/list.xml": f'<all><s k="@key@" {FIELDS}><f s="@file@" w="@weight=1@"/><p as="@part.name@" on="@part.file@"/></s></all>\n',
        "tree/cues.csv": TRIGGERS,
        "tree/turns/@schedule.name@.json": '{"after": "@schedule.after@", "odds": "@schedule.odds@", "twice": "@schedule.twice@", "all": [{"k": "@entry.key@", "as": "@entry.kind@"}]}\n',
    },
}  # fmt: skip
RULES = """
[parts]
names = ["intro", "body", "tail"]

[loops]
kind = "wav-markers"

[[kind]]
name = "wide"
keys = ["wide*"]
channels = 2
files = "wide/@key@-@take.number@.wav"
several = true

[play]
curve = "{curve}"
voices = 3
"""
CURVES = {"mill": "straight", "quay": "halving"}


def tone(path: Path, seconds: float = 1.0, pitch: float = 1000, channels: int = 1, level: float = 0.25) -> None:
    """A steady tone with whole periods, so that its level is exact."""
    with wave.open(str(path), "wb") as file:
        file.setparams((channels, 2, RATE, 0, "NONE", ""))
        one = np.sin(2 * np.pi * round(pitch * seconds) / seconds * np.arange(round(seconds * RATE)) / RATE) * level
        file.writeframes(np.repeat((one * 32767).astype("<i2"), channels).tobytes())


def samples(path: Path) -> np.ndarray:
    """A WAV of 24 bits, read by the standard library: shape (frames, 2), full scale 1."""
    with wave.open(str(path)) as file:
        assert (file.getnchannels(), file.getsampwidth(), file.getframerate()) == (2, 3, RATE)
        data = np.frombuffer(file.readframes(file.getnframes()), np.uint8).reshape(-1, 2, 3).astype(np.int32)
    return ((data[..., 0] | data[..., 1] << 8 | data[..., 2] << 16) << 8 >> 8) / 2**23


def rms(block: np.ndarray) -> np.ndarray:
    return np.sqrt((block**2).mean(axis=0))


_BUILT: dict[tuple[str, str, str], Made] = {}  # a game and a pack are built once, and copied


@pytest.fixture(scope="module", autouse=True)
def _kept(tmp_path_factory: pytest.TempPathFactory) -> None:
    _BUILT.clear()
    global _folder
    _folder = tmp_path_factory.mktemp("played")


_folder = Path()


def game_of(tmp_path: Path, shape: str, sounds: str, more: str = "", extra: dict[str, str] | None = None) -> Made:
    if (shape, sounds, more) not in _BUILT:
        _BUILT[shape, sounds, more] = _built(_folder / str(len(_BUILT)), shape, sounds, more, extra)
    shutil.copytree(_BUILT[shape, sounds, more].folder, tmp_path, dirs_exist_ok=True, copy_function=shutil.copy2)
    game = copy.copy(_BUILT[shape, sounds, more])
    game.folder, game.profile, game.own = tmp_path, tmp_path / shape, tmp_path / "own"
    return game


def _built(tmp_path: Path, shape: str, sounds: str, more: str, extra: dict[str, str] | None) -> Made:
    tree = {**SHAPES[shape], "tree/all/@key@-@take.number@.wav": "", "tree/parts/@key@-@part.name@.wav": ""}
    tree |= extra or {}
    game = Made(tmp_path, shape, RULES.format(curve=CURVES[shape]) + more, tree, {})
    game.start(sounds)
    for number in range(1, 4):
        tone(game.own / f"c{number}.wav", pitch=500 * number)
    tone(game.own / "c4.wav", channels=2)
    done = run("build", cwd=game.own)
    assert done.code == 0, done.err
    return game


def sound(key: str, clips: str = '"c1.wav"', more: str = "") -> str:
    return f'\n[[sound]]\nkey = "{key}"\nnew = true\ntakes = [{clips}]\n{more}\n'


def scene_of(game: Made, seconds: float, *rest: str) -> Path:
    path = game.own / "scene.toml"
    path.write_text(f"format = 1\nseconds = {seconds}\n" + "\n".join(rest))
    return path


def thing(name: str, east: float, north: float) -> str:
    return f'[[thing]]\nname = "{name}"\nplace = [{east}, {north}]\n'


def happening(at: float, what: str) -> str:
    return f"[[happening]]\nat = {at}\n{what}\n"


def rehearsed(game: Made, *words: str | Path) -> tuple[Result, dict]:
    done = run("rehearse", *words, "--json", cwd=game.own)
    assert done.code in (0, 1), done.err
    return done, json.loads(done.out)


def ids(said: dict) -> list[str]:
    return [one["id"] for one in said["findings"]]


@pytest.mark.parametrize("shape", SHAPES)
def test_level_by_distance_and_sides_by_direction_are_the_documented_ones(tmp_path: Path, shape: str) -> None:
    game = game_of(tmp_path, shape, sound("hum", more="positional = true\nnear = 2\nfar = 22"))
    distances = [1, 4, 7, 12, 21.8]
    angles = [0, 45, 90, 135, 180, 225, 270, 315]
    rest = [thing(f"d{n}", 0, d) for n, d in enumerate(distances)]
    rest += [thing(f"a{n}", 2 * math.sin(math.radians(a)), 2 * math.cos(math.radians(a))) for n, a in enumerate(angles)]
    names = [f"d{n}" for n in range(5)] + [f"a{n}" for n in range(8)]
    rest += [happening(n, f'play = "hum"\nfrom = "{name}"') for n, name in enumerate(names)]
    _, said = rehearsed(game, scene_of(game, 13, *rest), "--to", "mix.wav")
    mix, clip = samples(game.own / "mix.wav"), 0.25 / math.sqrt(2)
    assert len(mix) == 13 * RATE
    for number, d in enumerate(distances):
        expected = 1 if d <= 2 else (22 - d) / 20 if shape == "mill" else 2 / d
        both = math.hypot(*rms(mix[number * RATE : (number + 1) * RATE]))
        assert abs(20 * math.log10(both / clip / expected)) < 0.1
    for number, angle in enumerate(angles, 5):
        turn = (math.sin(math.radians(angle)) + 1) * math.pi / 4
        for side, expected in enumerate((math.cos(turn), math.sin(turn))):
            found = rms(mix[number * RATE : (number + 1) * RATE])[side] / clip
            assert found < 1e-3 if expected < 1e-3 else abs(20 * math.log10(found / expected)) < 0.1
    assert ids(said) == []
    again = run("rehearse", "scene.toml", "--to", "again.wav", "--seed", "1", cwd=game.own)
    assert again.code == 0
    assert (game.own / "again.wav").read_bytes() == (game.own / "mix.wav").read_bytes()
    assert run("rehearse", "scene.toml", "--to", "mix.wav", cwd=game.own).code == 2


def test_a_walk_turns_and_comes_near(tmp_path: Path) -> None:
    game = game_of(tmp_path, "mill", sound("hum", more="positional = true\nnear = 2\nfar = 22\nloop = true"))
    walk = "[[listener]]\nat = 0\nplace = [0, -20]\n\n[[listener]]\nat = 10\nplace = [0, 0]\nfacing = -90\n"
    _, said = rehearsed(game, scene_of(game, 10, walk, thing("stove", 0, 0), happening(0, 'play = "hum"\nfrom = "stove"')), "--to", "mix.wav")  # fmt: skip
    mix = samples(game.own / "mix.wav")
    for second in (1, 5, 8):
        part = mix[round((second - 0.05) * RATE) : round((second + 0.05) * RATE)]
        assert abs(math.hypot(*rms(part)) / (0.25 / math.sqrt(2)) - (22 - (20 - 2 * second)) / 20) < 0.01
        turn = (math.sin(math.radians(9 * second)) + 1) * math.pi / 4  # the stove comes round to the right
        assert abs(rms(part)[0] / math.hypot(*rms(part)) - math.cos(turn)) < 0.01
    assert said["true-peak-dbtp"] < -1


def test_a_loop_of_three_turns_is_exact(tmp_path: Path) -> None:
    game = game_of(tmp_path, "mill", sound("hum", more="loop = true"))
    tone(game.own / "c1.wav", pitch=441)  # 50 frames a period
    with (game.own / "c1.wav").open("r+b") as file:
        markers.add_sampler_loop(file, 5000, 14999, RATE)
    assert run("build", cwd=game.own).code == 0
    assert run("play", "hum", "--times", "3", "--to", "three.wav", cwd=game.own).code == 0
    three = samples(game.own / "three.wav")
    with wave.open(str(game.own / "build/my-own/all/hum-1.wav")) as file:
        one = np.frombuffer(file.readframes(file.getnframes()), "<i2") / 2**15
    unrolled = np.concatenate([one[:15000], one[5000:15000], one[5000:15000]])
    assert len(three) == len(unrolled) == 35000
    assert np.abs(three - unrolled[:, None] * math.sqrt(0.5)).max() < 2**-22
    assert np.abs(np.diff(three[14990:15010, 0])).max() <= np.abs(np.diff(three[:14000, 0])).max() + 1e-6


def test_an_intro_once_and_then_the_body_round_and_round(tmp_path: Path) -> None:
    parts = '\n[[sound]]\nkey = "shift"\nnew = true\nloop = true\nparts = {intro = "c1.wav", body = "c2.wav"}\n'
    odd = '\n[[sound]]\nkey = "odd"\nnew = true\nparts = {intro = "c1.wav", tail = "c2.wav"}\n'
    game = game_of(tmp_path, "quay", parts + sound("bat", more="pitch = 2") + odd)
    said = run("rehearse", scene_of(game, 1, happening(0, 'play = "odd"')), cwd=game.own).err
    assert "the part tail of odd did not play" in said
    happenings = [happening(0, 'play = "shift"'), happening(3.5, 'stop = "shift"\nfade = 0.5')]
    _, said = rehearsed(game, scene_of(game, 5, *happenings), "--to", "mix.wav")
    assert run("play", "bat", "--to", "bat.wav", cwd=game.own).code == 0
    bat = samples(game.own / "bat.wav")
    assert len(bat) == RATE // 2  # an octave up is half as long
    assert np.abs(np.fft.rfft(bat[2000:9000, 0])).argmax() * RATE / 7000 == pytest.approx(1000, abs=4)
    mix = samples(game.own / "mix.wav")
    for at, pitch in ((0.5, 500), (1.5, 1000), (2.5, 1000), (3.2, 1000)):
        heard = np.abs(np.fft.rfft(mix[round(at * RATE) : round(at * RATE) + 2205, 0]))
        assert abs(heard.argmax() * 10 - pitch) <= 10
    assert rms(mix[round(4.1 * RATE) :]).max() < 1e-6
    assert said["sounds"][0]["what"] == "intro, then body"


def test_what_is_picked(tmp_path: Path) -> None:
    takes = '{clip = "c1.wav", weight = 1}, {clip = "c2.wav", weight = 2}, {clip = "c3.wav", weight = 5}'
    night = '\n[[schedule]]\nname = "night"\nentries = ["hum", "far", {key = "owl", kind = "between"}]\nafter = 2\nodds = 0.5\n'
    game = game_of(tmp_path, "quay", sound("hum", takes) + sound("far", more="loop = true") + sound("owl") + night)
    _, said = rehearsed(game, "--statistics", "100000", "--picture", "shares.png")
    for share, expected in zip(said["takes"]["hum"], (1 / 8, 2 / 8, 5 / 8), strict=True):
        assert abs(share["found"] - expected) < 3 * math.sqrt(expected * (1 - expected) / 100_000)
    assert abs(said["schedules"]["night"]["mean-gap"] - 3) < 0.05
    assert min(map(int, said["schedules"]["night"]["gaps"])) == 2
    shown = run("rehearse", "--statistics", "500", cwd=game.own).out
    assert "expected  12.5 %" in shown
    assert "pieces between two in-betweens: 2: " in shown
    _, played = rehearsed(game)
    _, long = rehearsed(game, scene_of(game, 200, happening(0, 'schedule = "night"')))
    pairs = list(zip(long["sounds"], long["sounds"][1:], strict=False))
    assert len(pairs) > 5
    assert all(one["end"] <= other["start"] for one, other in pairs)  # also where one goes round
    kinds = {one["kind"] for one in played["sounds"] if one["cause"] == "schedule night"}
    assert kinds == {"piece", "between"}


@pytest.mark.parametrize(("after", "apart", "twice"), [(2, 3, False), (0, 5, True), (4, 0, False)])
def test_no_rule_of_a_schedule_is_broken(after: int, apart: int, twice: bool) -> None:
    entries = [("a", "piece"), ("b", "piece"), ("c", "piece"), ("x", "between"), ("y", "between")]
    said = {"schedule.name": "n", "schedule.after": after, "schedule.odds": 0.6, "schedule.apart": apart, "schedule.twice": twice}  # fmt: skip
    inside = {"entry": tuple(Thing("entry", {"entry.key": key, "entry.kind": kind}) for key, kind in entries)}
    turns = Turns(Thing("schedule", said, inside), 7)
    heard = [turns.next() for _ in range(100_000)]
    last = {"x": -(10**9), "y": -(10**9)}
    pieces, before, odds = 0, "", []
    for number, (key, kind) in enumerate(heard):
        assert (key, kind) in entries
        if kind == "piece":
            odds += [0] if pieces >= after and any(number - one > apart for one in last.values()) else []
            assert twice or key != before
            pieces, before = pieces + 1, key
        else:
            assert pieces >= after
            assert number - last[key] > apart
            odds.append(1)
            pieces, last[key] = 0, number
    assert abs(np.mean(odds) - 0.6) < 0.02


FUNCTIONS = """
[[script]]
path = "a.lua"

[play.functions]
listen = "upon(event, where, {once = first, odds}, do)"
play = "Bells:ring(key, {volume = gain, from = at})"
stop = "still(key, {fade})"
"""
LUA = {
    "scripts/a.lua.j2": '-- nothing\nBells = Bells\nupon("dusk", "", {}, function() Bells:ring("hum", {gain = 0.5}) end)\n'
}


@pytest.mark.parametrize(
    ("text", "kind", "where", "what"),
    [
        ("\nwhile true do end", "script-error", ":2", "too many steps"),
        ("while true do pcall(function() while true do end end) end", "script-stopped", "", "stopped"),
        ("local t = {}\nfor i = 1, 1e9 do t[i] = {} end", "script-error", "", "memory"),
        ('\n\nio.open("/etc/passwd")', "script-error", ":3", "io"),
        ('os.execute("touch x")', "script-error", ":1", "os"),
        ('require("os")', "script-error", ":1", "require"),
        ("local x = = 3", "script-error", ":1", "unexpected"),
        ('upon("dusk", "", {}, function()\n  error("no such bell") end)', "script-error", ":2", "no such bell"),
        ('upon("dusk", "", {}, function() -- Bells:ring("old")\n  Bells:ring("quite.another") end)', "play-unknown", ":2", "did you mean hum"),
        ('upon("dawn", "", {odds = 0.5}, function() Bells:ring("hum") end)', "trigger-never-fired", ":1", "dawn"),
    ],
)  # fmt: skip
def test_scripts_are_run_and_bounded(tmp_path: Path, text: str, kind: str, where: str, what: str) -> None:
    game = game_of(tmp_path, "mill", sound("hum"), FUNCTIONS, LUA)
    scene = scene_of(game, 2, happening(0.5, 'event = "dusk"'))
    _, said = rehearsed(game, scene)
    (one,) = said["sounds"]
    assert (one["key"], one["start"], one["level"], said["findings"]) == ("hum", 0.5, 0.5, [])
    (game.own / "build/my-own/a.lua").write_text(text)
    begun = time.monotonic()
    done, said = rehearsed(game, scene)
    assert time.monotonic() - begun < 60  # and not for ever, however busy the machine is
    assert ids(said) == [kind]
    shown = run("rehearse", scene, cwd=game.own).out
    assert f"a.lua{where}" in shown
    assert what in shown
    assert done.code == 1
    assert not (game.own / "x").exists()
    checked = run("check", cwd=game.own).out
    assert checked.count("script-key") == (kind == "play-unknown"), checked


def _other_pack(game: Made) -> None:
    """Another pack, which has the key, too, and is loaded behind."""
    other = Made(game.folder / "other", game.profile.name, "", {}, {})
    other.profile = game.profile
    other.own = game.folder / "other-own"
    other.start(sound("hum"))
    assert run("build", cwd=other.own).code == 0


def _intro_goes_round(game: Made) -> None:
    with (game.own / "build/my-own/parts/hum-intro.wav").open("r+b") as file:
        markers.add_sampler_loop(file, 100, 9000, RATE)


def _another_key(game: Made) -> None:
    path = game.own / "build/my-own/cues.csv"
    path.write_text(path.read_text().replace("hum", "hmu"))


BED = 'bed = "bed.wav"\n'
CUE = '\n[[trigger]]\nname = "dusk"\nevent = "dusk"\nwhere = "pond"\nkey = "hum"\nfrom = "stove"\n'
PLAY = happening(0, 'play = "hum"')
SLIPS: dict[str, tuple[str, str, Callable[[Made], object], str]] = {
    # finding: the sounds, the scene, the slip, the scene with it
    "drowned": (sound("hum"), BED + PLAY, lambda game: tone(game.own / "bed.wav", 2, 500, level=0.9), BED + PLAY),
    "wrong-winner": (sound("hum"), PLAY, _other_pack, PLAY),
    "play-unknown": (sound("hum") + CUE, happening(0, 'event = "dusk"\nwhere = "pond"'), _another_key, ""),
    "trigger-never-fired": (sound("hum") + CUE, happening(0, 'event = "dusk"\nwhere = "pond"'), lambda game: None, PLAY),
    "stereo-at-a-place": (sound("hum") + sound("wide", '"c4.wav"', "positional = true"), PLAY, lambda game: None, happening(0, 'play = "wide"\nfrom = "stove"')),
    "loop-wrong": ('\n[[sound]]\nkey = "hum"\nnew = true\nloop = true\nparts = {intro = "c1.wav", body = "c2.wav"}\n', PLAY, _intro_goes_round, PLAY),
    "never-heard": (sound("hum", more="positional = true\nnear = 1\nfar = 3"), PLAY + happening(1, 'play = "hum"\nfrom = "stove"'), lambda game: None, happening(0, 'play = "hum"\nfrom = "stove"')),
    "cut-off": (sound("hum") + sound("low", more="priority = -1"), PLAY * 3, lambda game: None, PLAY * 3 + happening(0.5, 'play = "low"')),
}  # fmt: skip


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("slip", SLIPS)
def test_slips_that_only_playing_shows(tmp_path: Path, slip: str, shape: str) -> None:
    sounds, good, plant, bad = SLIPS[slip]
    game = game_of(tmp_path, shape, sounds)
    tone(game.own / "bed.wav", 2, 4000, level=0.01)
    stove = thing("stove", 0, 8)
    _, said = rehearsed(game, scene_of(game, 2, good, stove))
    assert ids(said) == []
    plant(game)
    packs = ["build/my-own", "../other-own/build/my-own"] if slip == "wrong-winner" else ["build/my-own"]
    words = [word for pack in packs for word in ("--pack", pack)]
    done, said = rehearsed(game, scene_of(game, 2, bad or good, stove), *words)
    assert (done.code, ids(said)) == (1, [slip]), said["findings"]
    if slip == "wrong-winner":
        assert said["findings"][0]["reason"] == f'"hum" of my-own is not heard: {packs[1]} has it, too'
    assert run("explain", slip).code == 0


def test_a_scene_is_made_up_written_and_played_the_same(tmp_path: Path) -> None:
    more = sound("far", more="positional = true\nnear = 2\nfar = 40") + CUE
    game = game_of(tmp_path, "mill", sound("hum") + more)
    _, said = rehearsed(game, "--picture", "made.png")
    assert {(one["key"], one["from"]) for one in said["sounds"]} == {
        ("hum", None), ("far", "near 2 m"), ("far", "far 21 m"), ("hum", "stove"),
    }  # fmt: skip
    assert run("rehearse", "--write-scene", "mine.toml", cwd=game.own).code == 0
    _, again = rehearsed(game, "mine.toml")
    assert again["sounds"] == said["sounds"]
    assert "from stove" in run("rehearse", "--log", cwd=game.own).out
    (game.own / "mine.toml").write_text("format = 1\nseconds = 5\n[[happening]]\nat = 1\nplay = 'a'\nstop = 'b'\n")
    for words, message in (
        (["rehearse", "mine.toml"], "mine.toml:3:1"),
        (["rehearse", "--statistics", "5", "--to", "x.wav"], "--statistics plays nothing"),
        (["rehearse", "mine.toml", "--write-scene", "y.toml"], "--write-scene plays nothing"),
        (["rehearse", "-w", tmp_path], "which game is it for?"),
        (["play", "hum", "-w", tmp_path, "--game", "open-pack", "--to", "x.wav"], "which pack is to be played?"),
        (["rehearse", "--seconds", "inf"], "--seconds cannot be inf"),
        (["rehearse", "--statistics", "0"], "--statistics 0"),
        (["rehearse", "none.toml"], "none.toml"),
        (["rehearse", "--seconds", "80000", "--to", "day.wav"], "a WAV holds no more than"),
        (["play", "hmu", "--to", "x.wav"], "did you mean hum"),
        (["play", "hum", "--times", "0", "--to", "x.wav"], "--times 0"),
    ):
        done = run(*words, cwd=game.own)
        assert (done.code > 0, message in done.err) == (True, True), done.err


BY_PATH = """
[modes]
replace = "by-path"
new = false

[catalogue]
folder = "house"

[[document]]
path = "table.tsv"
mode = "known"
entry-for = "take"
"""


def test_files_in_the_place_of_the_games_own_play_under_its_keys(tmp_path: Path) -> None:
    game = Made(
        tmp_path, "moor", BY_PATH,
        {"tree/table.tsv": "call\tlies\n@key@\t@file@\n", "tree/loud/@key@-@take.number@.wav": ""},
        {"house/table.tsv": "call\tlies\nmoth.lands\tloud/m1.lck\ndusk\tloud/dusk.wav\n", "house/loud/m1.lck": "?"},
    )  # fmt: skip
    tone(tmp_path / "game/house/loud/dusk.wav")
    game.start('\n[[sound]]\nkey = "moth.lands"\ntakes = ["c1.wav"]\n', keys=2)
    assert run("build", cwd=game.own).code == 0
    _, said = rehearsed(game)
    assert [(one["key"], one["files"], one["whose"]) for one in said["sounds"]] == [
        ("moth.lands", ["loud/m1.wav"], "my-own"),
    ]  # fmt: skip
    _, said = rehearsed(game, scene_of(game, 1, happening(0, 'play = "dusk"')))
    assert [(one["key"], one["whose"]) for one in said["sounds"]] == [("dusk", "")]
    shutil.copytree(game.own / "build/my-own", tmp_path / "theirs")
    _, said = rehearsed(game, "--pack", "build/my-own", "--pack", tmp_path / "theirs")
    assert ids(said) == ["wrong-winner"]
    assert '"moth.lands" of my-own is not heard: theirs has it' in said["findings"][0]["reason"]
    odd = [happening(0, 'play = "dusk"\nfrom = "stove"'), happening(0, 'stop = "dsk"'), happening(2, 'play = "dusk"')]
    done, said = rehearsed(game, scene_of(game, 1, *odd))
    assert ids(said) == ["play-unknown"]
    assert "dusk has no place in this game" in done.err
    assert "1 of the happenings come when the scene is over" in done.err


def test_through_the_loudspeaker_where_there_is_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    game, heard = game_of(tmp_path, "mill", sound("hum")), []
    monkeypatch.setitem(sys.modules, "sounddevice", None)
    assert 'pip install "ichnos[loudspeaker]"' in run("play", "hum", cwd=game.own).err
    fake = SimpleNamespace(
        PortAudioError=OSError, query_devices=lambda kind: {}, play=lambda *words, blocking: heard.append(words)
    )
    monkeypatch.setitem(sys.modules, "sounddevice", fake)
    done = run("play", "hum", "--times", "2", "--json", cwd=game.own)
    assert (done.code, len(json.loads(done.out)["sounds"])) == (0, 2)
    ((samples_, rate),) = heard
    assert (samples_.shape, rate) == ((2 * RATE, 2), RATE)


def test_a_mix_that_is_lowered_says_by_how_much(tmp_path: Path) -> None:
    game = game_of(tmp_path, "mill", sound("hum"))
    tone(game.own / "bed.wav", 2, 500, level=0.9)
    scene = scene_of(game, 2, BED, "bed-volume = 2", happening(0.5, 'play = "hum"'))
    _, said = rehearsed(game, scene, "--to", "mix.wav")
    low = said["lowered"]
    assert low["most-db"] == pytest.approx(20 * np.log10(1.8 + 0.25) + 1, abs=0.7)  # the bed, the sound, up to -1 dBTP
    assert low["first"] == pytest.approx(0, abs=0.01)
    assert said["notes"] == [f"all together it is too loud, so the mix is lowered by up to {low['most-db']:.1f} dB, first at 0.00 s, once"]  # fmt: skip
    assert "so the mix is lowered" in run("rehearse", scene, "--to", "mix2.wav", cwd=game.own).err
    _, said = rehearsed(game, scene_of(game, 2, happening(0.5, 'play = "hum"')), "--to", "mix3.wav")
    assert (said["lowered"], said["notes"]) == (None, [])


def test_what_is_not_there_is_said_and_what_was_not_reached_is_no_fault(tmp_path: Path) -> None:
    game = game_of(tmp_path, "mill", sound("hum", '"c1.wav", "c2.wav"') + sound("far") + CUE)
    done, said = rehearsed(game, "--seconds", "0.5")
    assert (done.code, ids(said)) == (0, [])
    assert "happenings come when the scene is over" in done.err
    (game.own / "build/my-own/all/hum-2.wav").unlink()
    (game.own / "build/my-own/all/far-1.wav").write_bytes(b"RIFF")
    _, said = rehearsed(game)
    missing, broken = (one["reason"] for one in said["findings"])
    assert missing == '"hum": take 2 leads to no file'
    assert broken.startswith('"far" is never heard: its file cannot be read')
    for words in (["play", "far", "--to", "far.wav"], ["play", "far", "--to", "far.wav", "--json"]):
        refused = run(*words, cwd=game.own)
        assert (refused.code, "far-1.wav" in refused.err, (game.own / "far.wav").exists()) == (1, True, False)


def test_a_codec_that_only_the_game_can_play_is_no_fault(tmp_path: Path) -> None:
    rules = '[own-encoder]\nextension = ".knt"\n\n[takes]\nseveral = false\n'
    game = Made(tmp_path, "oven", rules, {"tree/list.json": '{"@key@": "@file@"}\n', "tree/a/@key@-1.knt": ""}, {})
    (tmp_path / "pack/a").mkdir(parents=True)
    (tmp_path / "pack/list.json").write_text('{"hum": "a/hum-1.knt"}')
    (tmp_path / "pack/a/hum-1.knt").write_bytes(b"KNT")
    done = run("rehearse", "--pack", tmp_path / "pack", "--game", game.profile, cwd=tmp_path)
    assert (done.code, "1 sound file is in the game's own codec" in done.err) == (0, True), done.out + done.err
    one = run("play", "hum", "--pack", tmp_path / "pack", "--game", game.profile, "--to", "x.wav", cwd=tmp_path)
    assert '"hum" is in the game\'s own codec, and cannot be played' in one.err


def test_the_games_own_sounds_play_with_the_packs(workspace: Path) -> None:
    own = workspace.parent / "Tarnlight/base/lore/audio"
    (own / "weather").mkdir()
    shutil.copy(own / "signals/tower-bell-near-1.ogg", own / "weather/shore-wind-steady-1.ogg")
    scene = workspace / "both.toml"
    scene.write_text(
        "format = 1\nseconds = 4\n"
        + happening(2, 'play = "roof-hail-wild"')
        + happening(0, 'play = "shore-wind-steady"')
        + happening(1, 'play = "tower-bell-near"')
    )
    done = run("rehearse", "both.toml", "--json", cwd=workspace)
    said = json.loads(done.out)
    assert "of the game's own, roof-hail-wild cannot be read, and did not play" in done.err
    assert [(one["key"], one["whose"]) for one in said["sounds"]] == [
        ("shore-wind-steady", ""), ("tower-bell-near", "storm-watch-0.1.0"),
    ]  # fmt: skip
