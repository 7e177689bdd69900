"""Packs for games whose documents nobody here has shaped: in any format, or none; keys where they happen to be."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path

import numpy as np
import pytest
import soundfile

from conftest import run
from test_learn import lay_pack

_THREE = ["wav/gull_far.wav", "wav/bell_low.wav", "wav/rope.wav"]

# What of the draft must be there, besides that all comes back: texts of its documents, its rules, or its files' names.
CASES: dict[str, tuple[dict[str, str], list[str], list[str]]] = {
    "YAML under another extension": (
        {
            "noises.def": "noises:\n  gull_far:\n    path: wav/gull_far.wav\n    loud: 0.5\n"
            "  bell_low:\n    path: wav/bell_low.wav\n    loud: 0.8\n"
        },
        _THREE[:2],
        ["@volume@"],
    ),
    "TOML": (
        {"n.toml": '[noises.gull]\npath = "wav/gull.wav"\nloud = 0.5\n\n[noises.bell]\npath = "wav/bell.wav"\nloud = 0.75\n'},
        ["wav/gull.wav", "wav/bell.wav"],
        ['[noises."@key@"]\npath = "@file@"'],
    ),
    "a table in Lua": (
        {
            "noises.lua": 'return {\n  gull_far = { path = "wav/gull_far.wav", loud = 0.5 },\n'
            '  bell_low = { path = "wav/bell_low.wav", loud = 0.75 },\n}\n'
        },
        _THREE[:2],
        ['["@key@"] = { path = "@file@", loud = "@volume@" }'],
    ),
    "calls in Lua": (
        {
            "init.lua": 'local wharf = require("wharf")\n\nwharf.ring("gull_far", "wav/gull_far.wav", 0.5)\n'
            'wharf.ring("bell_low", "wav/bell_low.wav", 0.75)\n\nreturn wharf\n'
        },
        _THREE[:2],
        ['wharf.ring("@key@", "@file@"'],
    ),
    "names in quotation marks, or without": (
        {"n.txt": 'noise "gull far"\n\tfile gull\n\tloud 0.5\nnoise rope\n\tfile rope\n\tloud 1\n'},
        ["s/gull.wav", "s/rope.wav"],
        ['noise "@key@"\n\tfile @file~relative(s)~no-extension@'],
    ),
    "sections between brackets": (
        {"n.cfg": "[noise]\n  id=gull\n  file=wav/gull.wav\n[/noise]\n[noise]\n  id=bell\n  file=wav/bell.wav\n[/noise]\n"},
        ["wav/gull.wav", "wav/bell.wav"],
        ["[noise]\n  id=@key@\n  file=@file@\n[/noise]"],
    ),
    "an ini file with quotation marks": (
        {"set.spec": '[about]\nname = _("Harbour")\nmail = "x"\n\n[files]\ngull_far = "g.wav"\nbell_low = "b.wav"\n; rope = ""\n'},
        ["g.wav", "b.wav"],
        ['@key@ = "@file@"'],
    ),
    "lines with comments, the file's name the key": (
        {
            "all.snd": 'audio "gull_far.wav" oneshot 30 1800 /*close*/\naudio "bell_low.wav" oneshot 40 1200\n'
            'audio "rope.wav" loops 20 600 /*far*/\n'
        },
        _THREE,
        ['format = "line-patterns"', 'audio "@key@.wav" @', "wav/@key@.wav"],
    ),
    "lines with words before what they say": (
        {
            "cues.txt": "# ours\n*[gull far] a [one] gull.wav [vol] 1.0\n*[bell low] a [one] bell.wav [vol] 0.5\n"
            "*[rope] a [one] rope.wav\n"
        },
        ["gull.wav", "bell.wav", "rope.wav"],
        ["*[@key@] a [one] @file@ [vol] @volume"],
    ),
    "a word that is what a file is called": (
        {
            "t.xml": '<tunes>\n  <tune id="tide">\n    <piece><name>intro</name><file>tide/intro.wav</file></piece>\n'
            "    <piece><name>body</name><file>tide/body.wav</file></piece>\n  </tune>\n"
            '  <tune id="fog">\n    <piece><name>intro</name><file>fog/intro.wav</file></piece>\n  </tune>\n</tunes>\n'
        },
        ["tide/intro.wav", "tide/body.wav", "fog/intro.wav"],
        ["<piece><name>@part.name@</name><file>@part.file@</file></piece>", "@key@/@part.name@.wav"],
    ),
    "keys in elements, beside the files": (
        {
            "p.xml": "<all>\n  <piece><name>intro</name><file>intro.wav</file></piece>\n"
            "  <piece><name>outro</name><file>outro.wav</file></piece>\n</all>\n"
        },
        ["intro.wav", "outro.wav"],
        ["<piece><name>@key@</name><file>@file@</file></piece>"],
    ),
    "the key is the file's path": (
        {"n.xml": '<all><s file="yard/Click.wav" vol="3"/><s file="yard/Gate.wav" vol="4"/><s file="Rope.wav" vol="2"/></all>'},
        ["sfx/yard/Click.wav", "sfx/yard/Gate.wav", "sfx/Rope.wav"],
        ['<s file="@key@.wav" vol="@volume@"/>', "sfx/@key@.wav", 'separator = "/"'],
    ),
    "a key that the whole begins with": (
        {
            "n.json": '{"default": "gull", "noises": [{"id": "gull", "file": "gull.wav"}, {"id": "bell", "file": "bell.wav"}]}'
        },
        ["gull.wav", "bell.wav"],
        ['{"id": "@key@", "file": "@file@"}'],
    ),
    "one of the takes named again": (
        {
            "n.json": json.dumps(
                [{"id": key, "first": f"{key}-1.wav", "all": [f"{key}-1.wav", f"{key}-2.wav"]} for key in ("gull", "bell")]
            )
        },
        ["gull-1.wav", "gull-2.wav", "bell-1.wav", "bell-2.wav"],
        ['"first": "@field.first@", "all": ["@file@"]'],
    ),
    "one file more beside the takes": (
        {
            "n.json": json.dumps(
                [{"id": key, "far": f"{key}-far.wav", "all": [f"{key}-1.wav", f"{key}-2.wav"]} for key in ("gull", "bell")]
            )
        },
        ["gull-1.wav", "gull-2.wav", "gull-far.wav", "bell-1.wav", "bell-2.wav", "bell-far.wav"],
        ['"far": "@part.far.file@", "all": ["@file@"]', "@key@-@part.name@.wav", "@key@-@take.number@.wav"],
    ),
    "two files in elements": (
        {
            "n.xml": '<all>\n  <n id="gull"><near>gull_near.wav</near><away>gull_away.wav</away></n>\n'
            '  <n id="bell"><near>bell_near.wav</near><away>bell_away.wav</away></n>\n</all>\n'
        },
        ["gull_near.wav", "gull_away.wav", "bell_near.wav", "bell_away.wav"],
        ["<near>@part.near.file@</near><away>@part.away.file@</away>"],
    ),
    "a second text beside the takes, numbers without a sign": (
        {
            "n.json": json.dumps(
                {"gull": {"mood": "calm", "all": ["gull1.wav", "gull2.wav"]}, "bell": {"mood": "brisk", "all": ["bell1.wav"]}}
            )
        },
        ["s/gull1.wav", "s/gull2.wav", "s/bell1.wav"],
        ['"@key@": {"mood": "@field.mood@", "all": ["@file~relative(s)@"]}', "s/@key@@take.number@.wav"],
    ),
    "a second row of headings": (
        {"n.csv": "id,file,loud\ntext,path,0..1\ngull,gull.wav,0.5\nbell,bell.wav,1\nrope,rope.wav,0.25\n"},
        ["gull.wav", "bell.wav", "rope.wav"],
        ["id,file,loud\ntext,path,0..1\n@key@,@file@,@volume=1@"],
    ),
    "names of files in names of files": (
        {"n.json": json.dumps({"gull": {"near": "gull_near.wav", "far": "gull_far.wav"}, "bell": {"near": "bell_near.wav", "far": "bell_far.wav"}})},
        ["gull_near.wav", "gull_far.wav", "bell_near.wav", "bell_far.wav"],
        ['"@key@": {"near": "@part.near.file@"'],
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", CASES)
def test_a_pack_of_an_own_shape_is_learned(tmp_path: Path, what: str) -> None:
    files, clips, wanted = CASES[what]
    lay_pack(tmp_path / "pack", files, clips)
    learned = run("learn", "pack", "--to", "draft", cwd=tmp_path)
    assert "all come back" in learned.out, learned.out + learned.err
    tree = tmp_path / "draft/tree"
    texts = [path.read_text("utf-8") for path in tree.rglob("*") if path.is_file()]
    names = [path.relative_to(tree).as_posix() for path in tree.rglob("*")]
    draft = "\n".join([*texts, *names, (tmp_path / "draft/game.toml").read_text("utf-8")])
    for text in wanted:
        assert text in draft, draft
    assert run("games", "check", "draft", cwd=tmp_path).code == 0
    adopted = json.loads(run("adopt", "pack", "--game", "draft", "--to", "own", "--json", cwd=tmp_path).out)
    assert adopted["again"]["changes"] == adopted["lost"] == [], adopted


_NOISES = json.dumps([{"id": key, "file": f"wav/{key}.wav"} for key in ("gull_far", "bell_low", "rope")])
_CALLED = {
    "fx.txt": ('effect "storm begins"\n\tsound gull_far\n', 'effect "@trigger.event@"\n\tsound @trigger.key@'),
    "fx.json": ('{"dusk": "gull_far", "gate opens": "rope"}', '{"@trigger.event@": "@trigger.key@"}'),
    "fx.ini": ("[dusk]\nsound = rope\nat = pier\n\n[gate opens]\nsound = bell_low\nat = yard\n", "[@trigger.event@]\n"),
    "fx.toml": ('[on.dusk]\nsound = "rope"\n\n[on.gate]\nsound = "rope"\n', '[on."@trigger.event@"]\n'),
    "fx.lua": ('return {\n  dusk = { sound = "rope" },\n  gate = { sound = "rope" },\n}\n', '["@trigger.event@"] = {'),
}


@pytest.mark.parametrize("name", _CALLED)
def test_keys_that_are_files_names_play_at_what_is_called_by_an_event(tmp_path: Path, name: str) -> None:
    said, wanted = _CALLED[name]
    lay_pack(tmp_path / "pack", {"n.json": _NOISES, name: said}, _THREE)
    learned = run("learn", "pack", "--to", "draft", cwd=tmp_path)
    assert learned.code == 0, learned.out
    assert wanted in (tmp_path / "draft/tree" / name).read_text()
    adopted = json.loads(run("adopt", "pack", "--game", "draft", "--to", "own", "--json", cwd=tmp_path).out)
    assert adopted["again"]["changes"] == adopted["lost"] == [], adopted


@pytest.mark.parametrize(("comment", "count"), [("#rope=\n#tide=tide.wav", 4), ("# loud = 3 was too much", 2)])
def test_entries_that_wait_in_comments_are_keys(tmp_path: Path, comment: str, count: int) -> None:
    said = f"[files]\n# the harbour\ngull_far=gull.wav\n{comment}\nbell_low=bell.wav\n"
    lay_pack(tmp_path / "pack", {"set.ini": said}, ["gull.wav", "bell.wav"])
    assert run("learn", "pack", "--to", "draft", cwd=tmp_path).code == 0
    assert run("games", "check", "draft", cwd=tmp_path).code == 0
    kept = json.loads(run("keys", "harvest", "pack", "--game", "draft", "--json", cwd=tmp_path).out)
    assert kept["keys"] == count
    adopted = run("adopt", "pack", "--game", "draft", "--to", "own", cwd=tmp_path)
    assert "Nothing differs" in adopted.out
    assert adopted.code == 0, adopted.out  # what a file is called by is no value that is lost


def test_lines_in_an_old_encoding(tmp_path: Path) -> None:
    lay_pack(tmp_path / "pack", {}, ["gull.wav", "bell.wav"])
    (tmp_path / "pack/cues.txt").write_bytes(b"# f\xfcr alle\ncue gull.wav 3\ncue bell.wav 4\n")
    learned = run("learn", "pack", "--to", "draft", cwd=tmp_path)
    assert "all come back" in learned.out, learned.out + learned.err
    assert "cues.txt  is taken for  a document that the game reads" in learned.out
    assert (tmp_path / "draft/tree/cues.txt").read_bytes().startswith(b"# f\xfcr alle\ncue @key@.wav @")


@pytest.mark.parametrize("sign", [".", "-", "_", ""])
def test_numbers_of_takes_are_seen_where_nothing_names_the_files(tmp_path: Path, sign: str) -> None:
    lay_pack(
        tmp_path / "pack",
        {},
        [f"s/gull{sign}1.wav", f"s/gull{sign}2.wav", "s/bell.wav", f"s/gate{7 if sign else ''}.wav"],
    )
    assert run("learn", "pack", "--to", "draft", cwd=tmp_path).code == 0
    names = {path.name for path in (tmp_path / "draft/tree").rglob("*.wav")}
    assert names == {f"@key@{sign}@take.number@.wav", "@key@.wav"}
    adopted = run("adopt", "pack", "--game", "draft", "--to", "own", cwd=tmp_path)
    assert adopted.code == 0, adopted.out
    assert "Nothing differs. Of 4 sound files all are the same byte for byte." in adopted.out
    assert "--installation FOLDER tells them apart" in adopted.out


def test_forms_that_are_mixed_and_those_that_no_pack_has(tmp_path: Path) -> None:
    names = ["gull.wav", "bell.wav", "rope.wav", "song.wav", "hum.ogg", "fog.mp3"]
    listed = json.dumps([{"id": name.partition(".")[0], "file": name} for name in names])
    lay_pack(tmp_path / "pack", {"n.json": listed}, names[:3])
    silence = np.zeros((4000, 2))
    for name, rate, kind in (
        ("song.wav", 22050, "PCM_16"),
        ("hum.ogg", 44100, "VORBIS"),
        ("fog.mp3", 44100, "MPEG_LAYER_III"),
    ):
        soundfile.write(tmp_path / "pack" / name, silence, rate, subtype=kind)
    learned = run("learn", "pack", "--to", "draft", cwd=tmp_path)
    assert "hum.ogg is Ogg Vorbis, most others beside it are WAV PCM 16" in learned.out
    assert "fog.mp3 is MP3, which no pack is built with" in learned.out
    audio = tomllib.loads((tmp_path / "draft/game.toml").read_text())["audio"]
    assert (audio["codec"], audio["rate"], audio["channels"]) == ("PCM 16", [44100, 22050], [1, 2])


_ABOUT = """{"name": "%s", "title": "%s", "maker": "%s", "key": "%s", "sounds": "packs/%s/n.json", "scale": %d, "engine": "ring",
 "parts": [{"of": "%s"}], "for": {"whom": "%s"}, "mail": ["%s@made.invalid", "who@made.invalid"]}"""
_LISTED = '[{"id": "gull", "file": "gull.wav"}, {"id": "bell", "file": "bell.wav"}]'


def _own_pack(folder: Path, name: str, title: str, maker: str, own: str, scale: int) -> None:
    about = _ABOUT % (name, title, maker, own, name, scale, own, own, maker.lower())
    lay_pack(folder, {"about.json": about, "n.json": _LISTED}, ["gull.wav", "bell.wav"])


def test_what_is_an_author_s_is_never_the_game_s(tmp_path: Path) -> None:
    one, other = "9f2c1a04-0b1d-4d64-8f6e-2f6f3a1c7e55", "0a1b2c3d-0b1d-4d64-8f6e-2f6f3a1c7e55"
    _own_pack(tmp_path / "night-pier", "night-pier", "The pier at night", "Ada", one, 2)
    _own_pack(tmp_path / "fog-lane", "fog-lane", "A lane in the fog", "Bo", other, 3)
    learned = run("learn", "night-pier", "--to", "draft", cwd=tmp_path)
    assert "about.json:1: engine = ring  would be the same in every pack" in learned.out
    assert "4 of them would be the same in every pack" in learned.out
    about = (tmp_path / "draft/tree/about.json").read_text()
    assert '"sounds": "packs/@pack.name@/n.json"' in about
    assert one not in about
    drafted = tomllib.loads((tmp_path / "draft/game.toml").read_text())
    assert set(drafted["learned"]["theirs"]) == {"ada@made.invalid", "who@made.invalid"}
    assert (
        run("adopt", "night-pier", "--game", "draft", "--to", "theirs", cwd=tmp_path).code == 0
    )  # it is that very pack
    adopted = run("adopt", "fog-lane", "--game", "draft", "--to", "own", cwd=tmp_path)
    told = 'about.json would say "ada@made.invalid", which is of the pack that this profile was learned from'
    assert told in adopted.out + adopted.err
    assert run("build", cwd=tmp_path / "own").code == 1
    rules = tmp_path / "draft/game.toml"
    rules.write_text(rules.read_text().replace("theirs = [", "theirs = [] #"))
    assert run("build", cwd=tmp_path / "own").code == 0
    run("learn", "night-pier", "fog-lane", "--to", "both", cwd=tmp_path)
    about = (tmp_path / "both/tree/about.json").read_text()
    for text in (
        '"maker": "@pack.author@"',
        "@pack.field.scale~number@",
        '"packs/@pack.name@/n.json"',
        '"engine": "ring"',
    ):
        assert text in about
    assert "learned" not in tomllib.loads((tmp_path / "both/game.toml").read_text())
