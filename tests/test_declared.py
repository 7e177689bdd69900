"""Profiles that declare things and fields of their own: ichnos.toml speaks them as it speaks its own."""

from __future__ import annotations

import json
from pathlib import Path

from conftest import Made, edit, run
from ichnos.games.profiles.declared import Declarations, DeclaredThing
from ichnos.games.profiles.loading import _TAKEN
from ichnos.pack.workspace.pack_file import PackFile

RULES = """
[[script]]
path = "desk.lua"

[[thing]]
name = "channel"
about = "a channel of the mixing desk"

[[field]]
of = "channel"
name = "gain"
kind = "number"
unit = "dB"
least = -60
most = 6
about = "how loud it is"
needed = true

[[field]]
of = "channel"
name = "opens"
kind = "key"
about = "the sound that is heard when it opens"

[[field]]
name = "channel"
about = "the channel that it goes through"

[[field]]
name = "mood"
choices = ["calm", "brisk"]
about = "which weather it is for"

[[field]]
of = "take"
name = "echo"
kind = "number"
least = 0
most = 1
about = "how much of it comes back from the hills"

[[field]]
of = "pack"
name = "seats"
kind = "whole"
about = "for how many players"
"""
DESK = """{
  "seats": "@pack.seats=1@",
  "desk": [
    {"channel": "@channel.name@", "gain": "@channel.gain@", "opens": "@channel.opens@"}
  ],
  "noises": [
    {"noise": "@key@", "through": "@channel@", "mood": "@mood@",
     "from": [{"wav": "@file@", "echo": "@take.echo~percent@"}]}
  ]
}
"""
SCRIPT = '{% for one in channels %}open("{{ one.name }}", {{ one.fields.gain }})\n{% endfor %}'
TREE = {"tree/desk.json": DESK, "tree/wav/@key@-@take.number@.wav": "", "scripts/desk.lua.j2": SCRIPT}
SAID = """
[[sound]]
key = "weir"
new = true
channel = "water"
mood = "brisk"
takes = [{clip = "c1.wav", echo = 0.25}, "c2.wav"]

[[sound]]
key = "bell"
new = true
takes = ["c3.wav"]

[[channel]]
name = "water"
gain = -6.5
opens = "bell"

[[channel]]
name = "wind"
gain = 0
"""


def _desk(folder: Path) -> Made:
    game = Made(folder, "lock", RULES, TREE, {})
    game.start(SAID)
    edit(game.own, "[pack]\n", "[pack]\nseats = 3\n")
    return game


def test_things_and_fields_of_a_profile_s_own(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    pack = game.build()
    assert json.loads((pack / "desk.json").read_text()) == {
        "seats": 3,
        "desk": [{"channel": "water", "gain": -6.5, "opens": "bell"}, {"channel": "wind", "gain": 0}],
        "noises": [
            {
                "noise": "weir",
                "through": "water",
                "mood": "brisk",
                "from": [{"wav": "wav/weir-1.wav", "echo": 25}, {"wav": "wav/weir-2.wav"}],
            },
            {"noise": "bell", "from": [{"wav": "wav/bell-1.wav"}]},
        ],
    }
    assert (pack / "desk.lua").read_text().split() == ['open("water",', "-6.5)", 'open("wind",', "0)"]
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path).code == 0
    adopted = (tmp_path / "theirs" / "ichnos.toml").read_text("utf-8")
    for line in ("seats = 3", "[[channel]]", "gain = -6.5", "echo = 0.25", 'mood = "brisk"', 'opens = "bell"'):
        assert line in adopted
    other = run("build", "--json", cwd=tmp_path / "theirs")
    assert other.code == 0, other.err
    theirs = Path(json.loads(other.out)["to"])
    assert (theirs / "desk.json").read_bytes() == (pack / "desk.json").read_bytes()
    text = (theirs / "desk.json").read_text().replace("-6.5", "-3").replace("brisk", "calm")
    (theirs / "desk.json").write_text(text)
    compared = run("compare", pack, theirs, "--game", game.profile, cwd=tmp_path)
    assert "~ channel water" in compared.out
    assert "gain: -6.5  becomes  -3" in compared.out
    assert "mood" in compared.out


def test_slips_in_them_are_told_as_in_any_other(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    with (game.own / "ichnos.toml").open("a") as file:
        file.write('\n[[trigger]]\nname = "t"\nevent = "e"\nkey = "weir"\n')
    for old, new, told in (
        ("gain = -6.5", "gain = 9", "it must be at most 6"),
        ("gain = -6.5", "gian = 9", 'did you mean "gain"?'),
        ("gain = -6.5", 'gain = "loud"', "a number is expected"),
        ("gain = -6.5", "gain = true", "a number is expected, and not true"),
        ("gain = -6.5\n", "", 'Lock needs the gain of the channel "water"'),
        ('mood = "brisk"', 'mood = "wild"', "one of these is expected: 'calm' or 'brisk'"),
        ("echo = 0.25", "echo = 2", "it must be at most 1"),
        ('name = "wind"', 'name = "water"', 'the channel "water" is there already'),
        ("[[channel]]", "[[chanel]]", 'did you mean "channel"?'),
        ("[[trigger]]", "[trigger]", "write [[trigger]]"),
    ):
        assert told in game.refused(old, new)


def test_tables_have_columns_for_them(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    (game.own / "sounds.csv").write_text("key,clip,new,mood,echo\ngull,c4.wav,yes,calm,0.5\n")
    text = (game.build() / "desk.json").read_text()
    noise = json.loads(text)["noises"][-1]
    assert noise == {"noise": "gull", "mood": "calm", "from": [{"wav": "wav/gull-1.wav", "echo": 50}]}
    (game.own / "sounds.csv").write_text("key,clip,new,mood,echo\ngull,c4.wav,yes,calm,5\n")
    assert "sounds.csv:2" in run("build", cwd=game.own).err


def test_what_a_game_has_no_place_for_is_told(tmp_path: Path) -> None:
    game = _desk(tmp_path)
    more = '\n[[schedule]]\nname = "night"\nentries = [{key = "bell", fields = {mood = "calm"}}]\n'
    edit(game.own, "[pack]\n", "[pack]\nfields = {port = 3}\n")
    with (game.own / "ichnos.toml").open("a") as file:
        file.write(more)
    with (game.profile / "tree/turns.json").open("w") as file:
        file.write('{"turns": [{"name": "@schedule.name@", "of": ["@entry.key@"]}]}\n')
    told = run("build", cwd=game.own)
    assert "no place for port of the pack" in told.out + told.err
    assert "no place for mood of entry 1 of a schedule" in told.out + told.err


def test_a_thing_cannot_be_called_as_a_table_that_every_workspace_has() -> None:
    taken = [info.alias or name for name, info in PackFile.model_fields.items()]
    things = Declarations(tuple(DeclaredThing(name=name, about="x") for name in taken))
    assert len(list(things.slips(_TAKEN))) == len(taken)
