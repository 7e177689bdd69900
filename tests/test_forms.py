"""Games that take sounds in several forms: clips keep what the game plays, and nothing of that is a finding."""

from __future__ import annotations

import json
import shutil
import wave
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PIL import Image

from conftest import Made, edit

TREE = {
    "tree/noises.json": '{"sounds": [\n  {"id": "@key@", "files": ["@file@"]}\n]}\n',
    "tree/@key@-@take.number@.ogg": "",
}
LISTED = '{"sounds": [\n  {"id": "sluice", "files": ["sluice-a.ogg", "sluice-b.ogg"]},\n  {"id": "gate", "files": ["gate.ogg"]}\n]}\n'
SOUND = '\n[[sound]]\nkey = "{key}"\nnew = true\ntakes = ["{clip}"]\n'


def _clip(path: Path, rate: int, channels: int) -> None:
    soundfile.write(path, 0.3 * np.random.default_rng(rate).normal(size=(rate, channels)), rate, subtype="PCM_16")


def _game(folder: Path, audio: str, installed: dict[str, str] | None = None) -> Made:
    game = Made(folder, "lock", "", TREE, installed or {})
    rules = game.profile / "game.toml"
    lines = rules.read_text().splitlines()
    start = lines.index("[audio]")
    end = next((at for at in range(start + 1, len(lines)) if lines[at].startswith("[")), len(lines))
    rules.write_text("\n".join([*lines[:start], "[audio]", *audio.splitlines(), *lines[end:]]) + "\n")
    return game


@pytest.mark.parametrize(
    ("audio", "clip", "becomes"),
    [
        ("rate = [44100, 22050]\nchannels = 1", (22050, 1), (22050, 1)),
        ("rate = [44100, 22050]\nchannels = 1", (48000, 2), (44100, 1)),
        ('rate = "any"\nchannels = "any"', (11025, 2), (11025, 2)),
        ('rate = "any"\nchannels = [2, 1]', (48000, 1), (48000, 1)),
        ("rate = 32000\nchannels = [1, 2]", (48000, 6), (32000, 2)),
        ('rate = "any"\nchannels = [1]', (250000, 1), (44100, 1)),
    ],
)
def test_a_clip_keeps_what_the_game_plays(
    audio: str, clip: tuple[int, int], becomes: tuple[int, int], tmp_path: Path
) -> None:
    game = _game(tmp_path, f'container = "Ogg"\ncodec = "Vorbis"\n{audio}')
    game.start(SOUND.format(key="sluice", clip="clip.wav"))
    _clip(game.own / "clip.wav", *clip)
    info = soundfile.info(game.build() / "sluice-1.ogg")
    assert (info.samplerate, info.channels, info.subtype) == (*becomes, "VORBIS")


def test_what_is_accepted_is_no_finding_and_what_is_not_is_one(tmp_path: Path) -> None:
    game = _game(tmp_path, 'container = "Ogg"\ncodec = ["Vorbis", "Opus"]\nrate = [24000, 48000]\nchannels = "any"')
    shown = game.run("games", "show", game.profile).out
    assert "Ogg Vorbis or Opus, any channels, 24 or 48 kHz" in shown
    game.start(SOUND.format(key="sluice", clip="c1.wav"))
    pack = game.build()
    for rate, subtype, channels, found in (
        (24000, "OPUS", 1, None), (48000, "VORBIS", 2, None), (44100, "VORBIS", 1, "rate 44100 Hz, not 24000 or 48000 Hz"),
    ):  # fmt: skip
        sound = np.random.default_rng(1).normal(size=(rate, channels)) * 0.1
        soundfile.write(pack / "sluice-1.ogg", sound, rate, format="OGG", subtype=subtype)
        checked = json.loads(game.run("check", pack, "--game", game.profile, "--json", cwd=tmp_path).out)
        said = [one["reason"] for one in checked["findings"] if one["id"] == "take-format"]
        assert said == ([found] if found else []), checked
    # A finished sound of a pack keeps its codec, too, and its bytes.
    soundfile.write(pack / "sluice-1.ogg", sound[:24000], 24000, format="OGG", subtype="OPUS")
    shutil.copytree(pack, tmp_path / "theirs")
    adopted = game.run("adopt", tmp_path / "theirs", "--game", game.profile, "--to", tmp_path / "again", cwd=tmp_path)
    assert adopted.code == 0, adopted.out + adopted.err
    built = json.loads(game.run("build", "--json", cwd=tmp_path / "again").out)["to"]
    assert (Path(built) / "sluice-1.ogg").read_bytes() == (tmp_path / "theirs" / "sluice-1.ogg").read_bytes()


def test_a_clip_that_changes_its_form_is_converted_anew(tmp_path: Path) -> None:
    """The last outline, kept, still says what is accepted."""
    game = _game(tmp_path, 'container = "Ogg"\ncodec = "Vorbis"\nrate = "any"\nchannels = "any"')
    game.start(SOUND.format(key="sluice", clip="clip.wav"))
    for rate, channels in ((22050, 1), (48000, 2)):
        _clip(game.own / "clip.wav", rate, channels)
        info = soundfile.info(game.build() / "sluice-1.ogg")
        assert (info.samplerate, info.channels) == (rate, channels)
    looked = game.run("look", game.own / "clip.wav", "--game", game.profile, "--json")
    assert json.loads(looked.out)["clips"][0]["build-changes"] == ["WAV PCM 16 becomes Ogg Vorbis"]


@pytest.mark.parametrize(
    ("audio", "told"),
    [
        ('codec = ["Vorbis", "PCM 16"]\nrate = 44100\nchannels = 1', "Ogg holds Vorbis or Opus, not PCM 16"),
        ('codec = "Opus"\nrate = [48000, 44100]\nchannels = 1', "Opus has a rate of 8000"),
        ('codec = "Vorbis"\nrate = []\nchannels = 1', 'a whole number from 8000 to 192000, a list of such, or "any"'),
        ('codec = "Vorbis"\nrate = "some"\nchannels = 1', "game.toml:12:"),
        ('codec = "Vorbis"\nrate = 44100\nchannels = [1, 3]', '1 or 2, a list of such, or "any" is expected'),
    ],
)
def test_forms_that_cannot_be(audio: str, told: str, tmp_path: Path) -> None:
    game = _game(tmp_path, f'container = "Ogg"\n{audio}')
    checked = game.run("games", "check", game.profile)
    assert checked.code == 1
    assert told in checked.err
    assert checked.err.count("error: ") == 1
    assert "game.toml:" in checked.err


@pytest.mark.parametrize("by_path", [False, True])
def test_what_takes_the_place_of_a_sound_has_its_form(by_path: bool, tmp_path: Path) -> None:
    game = _game(
        tmp_path,
        'container = "Ogg"\ncodec = "Vorbis"\nrate = 44100\nchannels = 1\nlike = "replaced"',
        {"noises.json": LISTED},
    )
    if by_path:
        rules = game.profile / "game.toml"
        known = '\n[modes]\nreplace = "by-path"\nnew = false\n[[document]]\npath = "noises.json"\nmode = "known"\n'
        rules.write_text(rules.read_text() + known)
    for name, rate, channels, subtype in (
        ("sluice-a", 22050, 2, "VORBIS"), ("sluice-b", 32000, 1, "VORBIS"), ("gate", 48000, 2, "OPUS"),
    ):  # fmt: skip
        sound = np.random.default_rng(2).normal(size=(rate, channels)) * 0.1
        soundfile.write(tmp_path / "game" / f"{name}.ogg", sound, rate, format="OGG", subtype=subtype)
    new = "" if by_path else SOUND.format(key="pier", clip="c4.wav")
    fresh = "" if by_path else "fresh = true\n"  # so that a copy can be built without the game
    replaced = "".join(
        f'\n[[sound]]\nkey = "{key}"\n{fresh}takes = {takes}\n'
        for key, takes in (("sluice", '["c1.wav", "c2.wav"]'), ("gate", '["c3.wav"]'))
    )
    game.start(replaced + new, keys=2)
    expected = {
        "c1": (22050, 2, "VORBIS"),
        "c2": (32000, 1, "VORBIS"),
        "c3": (48000, 2, "OPUS"),
        "c4": (44100, 1, "VORBIS"),
    }

    def forms(pack: Path) -> list[tuple[int, int, str]]:
        infos = [soundfile.info(path) for path in pack.rglob("*.ogg")]
        return sorted((info.samplerate, info.channels, info.subtype) for info in infos)

    wanted = sorted(form for clip, form in expected.items() if new or clip != "c4")
    pack = game.build()
    assert forms(pack) == wanted
    # Where the game is not, the workspace remembers what it was like.
    shutil.copytree(game.own, tmp_path / "copy", ignore=shutil.ignore_patterns(".ichnos", "build", "ichnos.local.toml"))
    again = game.run("build", "--json", cwd=tmp_path / "copy")
    assert again.code == 0, again.err
    assert forms(Path(json.loads(again.out)["to"])) == wanted
    # Of the usual form, and not of the game's own, it is a finding.
    first = next(path for path in pack.rglob("*.ogg") if soundfile.info(path).samplerate == 22050)
    soundfile.write(first, np.zeros((44100, 1)) + 0.1, 44100, format="OGG", subtype="VORBIS")
    found = json.loads(game.run("check", pack, "--json", cwd=game.own).out)["findings"]
    assert [one["reason"] for one in found if one["id"] == "take-format"] == [
        "rate 44100 Hz, not 22050 Hz; channels 1, not 2"
    ]
    # Whoever does not know the game's own files says nothing of their form.
    stranger = json.loads(game.run("check", pack, "--game", game.profile, "--json", cwd=tmp_path).out)["findings"]
    assert "take-format" not in {one["id"] for one in stranger}
    (tmp_path / "game" / "gate.ogg").write_bytes(b"locked")
    noted = game.run("build", cwd=game.own)
    assert "the form of the game's own gate is not known, so it gets the usual form" in noted.err


def test_an_icon_stays_as_large_as_it_is_where_the_game_says_no_size(tmp_path: Path) -> None:
    game = _game(tmp_path, 'container = "Ogg"\ncodec = "Vorbis"\nrate = 44100\nchannels = 1')
    rules = game.profile / "game.toml"
    text = rules.read_text()
    rules.write_text(text + '\n[icon]\npath = "about/face.jpg"\n')
    assert "about/face.jpg, as large as it is" in game.run("games", "show", game.profile).out
    game.start(SOUND.format(key="sluice", clip="c1.wav"))
    drawn = Image.open(game.build() / "about" / "face.jpg")
    assert (drawn.format, drawn.size) == ("JPEG", (256, 256))
    Image.new("RGB", (30, 50), (90, 10, 10)).save(game.own / "mine.png")
    edit(game.own, "# icon =", 'icon = "mine.png"\n# icon =')
    made = Image.open(game.build() / "about" / "face.jpg")
    assert (made.format, made.size) == ("JPEG", (30, 50))
    Image.new("RGB", (77, 50), (90, 10, 10)).save(game.own / "mine.jpg")
    edit(game.own, "mine.png", "mine.jpg")
    pack = game.build()
    assert (pack / "about" / "face.jpg").read_bytes() == (game.own / "mine.jpg").read_bytes()
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "again", cwd=tmp_path).code == 0
    rules.write_text(text + '\n[icon]\npath = "face.png"\nwidth = 64\n')
    assert "say both the width and the height, or neither" in game.run("games", "check", game.profile).err
    rules.write_text(text + '\n[icon]\npath = "face.svg"\n')
    assert "it is written like icon.png" in game.run("games", "check", game.profile).err


@pytest.mark.parametrize(("channels", "found"), [("1", True), ('"any"', False), ("[1, 2]", False)])
def test_stereo_at_a_place_is_a_slip_only_where_the_game_takes_mono_alone(
    channels: str, found: bool, tmp_path: Path
) -> None:
    game = _game(tmp_path, f'container = "Ogg"\ncodec = "Vorbis"\nrate = 44100\nchannels = {channels}')
    game.start(SOUND.format(key="sluice", clip="c1.wav") + "positional = true\n")
    game.run("build", cwd=game.own)
    sound = np.random.default_rng(1).normal(size=(44100, 2)) * 0.1
    soundfile.write(game.own / "build" / "my-own" / "sluice-1.ogg", sound, 44100, format="OGG", subtype="VORBIS")
    ids = {one["id"] for one in json.loads(game.run("check", "--json", cwd=game.own).out)["findings"]}
    assert ("place-stereo" in ids) is found


def test_files_with_an_extension_of_the_game_s_own(tmp_path: Path) -> None:
    rules = 'takes = {several = false}\n---\n[modes]\nreplace = "by-path"\nnew = false\n'
    rules += '[[document]]\npath = "n.json"\nmode = "known"\n'
    tree = {"tree/n.json": '{"noises": [{"id": "@key@", "file": "@file@"}]}\n', "tree/a/@key@.snd": ""}
    game = Made(tmp_path, "pier", rules, tree, {"n.json": '{"noises": [{"id": "gong", "file": "a/gong.snd"}]}\n'})
    assert "nothing says what format" in game.run("games", "check", game.profile).err
    edit(game.profile, "channels = 1\n", 'channels = 1\nextensions = [".snd"]\n', "game.toml")
    game.start('\n[[sound]]\nkey = "gong"\ntakes = ["c1.wav"]\n', keys=1)
    with wave.open(str(game.build() / "a/gong.snd")) as file:
        assert (file.getnchannels(), file.getframerate()) == (1, 22050)
