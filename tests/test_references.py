"""Games that name files otherwise than by their paths: [references], read and written in both directions."""

from __future__ import annotations

import json
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Made, clip
from ichnos.games.profiles.references import references

RULES = """
[references]
"/@owner@!@path@" = "stock/@owner@/noises/@path@.wav"
"..\\\\shared\\\\@path@.snd" = "shared/@path@.wav"
"""
TREE = {
    "tree/noises.xml": '<noises>\n  <noise id="@key@">\n    <file src="@file@"/>\n  </noise>\n</noises>\n',
    "tree/stock/@pack.name@/noises/@key@-@take.number@.wav": "",
}
OWN = """<noises>
  <noise id="sluice">
    <file src="/base!water/sluice"/>
    <file src="..\\shared\\wind.snd"/>
  </noise>
  <noise id="oddity">
    <file src="builtin(7)"/>
  </noise>
</noises>
"""
SOUND = '\n[[sound]]\nkey = "pier"\nnew = true\ntakes = ["c1.wav", "c2.wav"]\n'


def _game(folder: Path, more: str = "") -> Made:
    game = Made(folder, "lock", RULES + more, TREE, {"noises.xml": OWN})
    for number, path in enumerate(("stock/base/noises/water/sluice.wav", "shared/wind.wav")):
        (folder / "game" / path).parent.mkdir(parents=True, exist_ok=True)
        clip(folder / "game" / path, 3 + number)
    return game


def _sources(pack: Path) -> list[str | None]:
    return [file.get("src") for file in ET.parse(pack / "noises.xml").iter("file")]


def test_a_game_s_references_lead_to_files_and_back(tmp_path: Path) -> None:
    game = _game(tmp_path)
    game.start(SOUND, keys=2)
    pack = game.build()
    assert _sources(pack) == ["/my-own!pier-1", "/my-own!pier-2"]
    assert sorted(path.name for path in pack.rglob("*.wav")) == ["pier-1.wav", "pier-2.wav"]
    found = json.loads(game.run("keys", "--game", game.profile, "--json").out)
    assert {one["key"]: one["files"] for one in found} == {
        "sluice": ["stock/base/noises/water/sluice.wav", "shared/wind.wav"], "oddity": ["?/builtin(7)"],
    }  # fmt: skip
    text = (pack / "noises.xml").read_text()
    for slip, kind in (
        (text.replace("/my-own!pier-2", "/my-own!peir-2"), "take-missing"),
        (text.replace("/my-own!pier-2", "stock/my-own/noises/pier-2.wav"), "take-missing"),
    ):
        (pack / "noises.xml").write_text(slip)
        ids = {one["id"] for one in json.loads(game.run("check", pack, "--json", cwd=game.own).out)["findings"]}
        assert kind in ids, ids
    told = game.run("check", pack, cwd=game.own).out
    assert '"pier" refers to stock/my-own/noises/pier-2.wav, which is not how this game' in told
    (pack / "noises.xml").write_text(text)
    theirs = tmp_path / "theirs"
    adopted = game.run("adopt", pack, "--game", game.profile, "--to", theirs, cwd=tmp_path)
    assert adopted.code == 0, adopted.out + adopted.err


def test_a_file_is_replaced_where_its_reference_leads(tmp_path: Path) -> None:
    laid = '\n[install]\nfolder = ""\nlay = "over"\n'
    game = _game(
        tmp_path, f'\n[modes]\nreplace = "by-path"\nnew = false\n{laid}\n[[document]]\npath = "noises.xml"\nmode = "known"\n'
    )  # fmt: skip
    game.start('\n[[sound]]\nkey = "sluice"\ntakes = ["c1.wav", "c2.wav"]\n', keys=2)
    pack = game.build()
    assert sorted(path.relative_to(pack).as_posix() for path in pack.rglob("*.wav")) == [
        "shared/wind.wav", "stock/base/noises/water/sluice.wav"
    ]  # fmt: skip
    own = (tmp_path / "game" / "shared" / "wind.wav").read_bytes()
    assert game.run("install", cwd=game.own).code == 0
    assert (tmp_path / "game" / "shared" / "wind.wav").read_bytes() == (pack / "shared" / "wind.wav").read_bytes()
    assert game.run("restore", cwd=game.own).code == 0
    assert (tmp_path / "game" / "shared" / "wind.wav").read_bytes() == own
    text = (game.own / "ichnos.toml").read_text()
    (game.own / "ichnos.toml").write_text(text + '\n[[sound]]\nkey = "oddity"\ntakes = ["c3.wav"]\n')
    refused = game.run("build", cwd=game.own)
    assert refused.code == 1
    assert (
        "the game's own file of oddity is builtin(7), and no line of [references] says where that lies" in refused.err
    )


def test_merged_into_the_game_s_own_every_other_byte_stays(tmp_path: Path) -> None:
    game = _game(tmp_path, '\n[[document]]\npath = "noises.xml"\nmode = "merge"\n')
    game.start(SOUND, keys=2)
    merged = (game.build() / "noises.xml").read_text()
    start = merged.index('<noise id="pier">')
    end = merged.index("</noise>", start) + len("</noise>")
    assert "".join((merged[:start] + merged[end:]).split()) == "".join(OWN.split())


NAME = st.text("abc.-/", min_size=1, max_size=8)


@given(st.sampled_from(["mill", "a-b"]), NAME)
def test_what_is_written_is_read_as_the_same_file(owner: str, name: str) -> None:
    write, read = references({"@owner@!@path@": "stock/@owner@/noises/@path@.ogg", "@path@": "own/@path@.ogg"})
    for path in (f"stock/{owner}/noises/{name}.ogg", f"own/{name}.ogg"):
        assert read(write(path)) == path
    assert write(read(f"{owner}!{name}")) == f"{owner}!{name}"


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ('"@owner@!@path@" = "noises/@path@.wav"', "@owner@ stands on one side alone"),
        ('"@owner@@path@" = "@owner@/@path@.wav"', "two holes stand one behind the other"),
        ('"@path@" = "elsewhere/@path@.wav"', "no line of [references] fits the file stock/"),
        ('"@path@" = 7', "a text is expected"),
    ],
)
def test_lines_that_lead_nowhere(line: str, told: str, tmp_path: Path) -> None:
    game = Made(tmp_path, "lock", f"\n[references]\n{line}\n", TREE, {})
    checked = game.run("games", "check", game.profile)
    assert checked.code == 1
    assert told in checked.out + checked.err, checked.out + checked.err


def test_the_key_is_what_the_file_is_called(tmp_path: Path) -> None:
    """A list names the files, and these are the keys; subfolders are pieces of them."""
    listed = '<noises>\n  <noise file="@key@.wav" loud="@volume=1.0@"/>\n</noises>\n'
    own = '<noises>\n  <noise file="sluice/gate.wav" loud="0.5"/>\n  <noise file="wind.wav" loud="1.0"/>\n</noises>\n'
    game = Made(
        tmp_path, "lock", '\n[names]\nseparator = "/"\n', {"tree/noises.xml": listed, "tree/@key@.wav": ""}, {"noises.xml": own}
    )  # fmt: skip
    rules = game.profile / "game.toml"
    rules.write_text(rules.read_text() + "\n[takes]\nseveral = false\n")
    for path in ("sluice/gate.wav", "wind.wav"):
        (tmp_path / "game" / path).parent.mkdir(exist_ok=True)
        clip(tmp_path / "game" / path, 3)
    game.start('\n[[sound]]\nkey = "pier/bell"\nnew = true\nvolume = 0.5\ntakes = ["c1.wav"]\n', keys=2)
    found = json.loads(game.run("keys", "--game", game.profile, "--json").out)
    assert {one["key"]: one["files"] for one in found} == {"sluice/gate": ["sluice/gate.wav"], "wind": ["wind.wav"]}
    pack = game.build()
    assert [one.attrib for one in ET.parse(pack / "noises.xml").getroot()] == [{"file": "pier/bell.wav", "loud": "0.5"}]
    assert (pack / "pier" / "bell.wav").is_file()
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path).code == 0
    (pack / "pier" / "bell.wav").rename(pack / "pier" / "bel.wav")
    checked = json.loads(game.run("check", pack, "--json", cwd=game.own).out)
    assert {one["id"] for one in checked["findings"]} == {"file-unused", "take-missing"}
    (pack / "pier" / "bel.wav").unlink()
    checked = json.loads(game.run("check", pack, "--json", cwd=game.own).out)
    assert [(one["id"], one["line"]) for one in checked["findings"]] == [("take-missing", 2)]
    stranger = json.loads(
        game.run("check", pack, "--game", game.profile, "--installation", tmp_path / "game", "--json", cwd=tmp_path).out
    )
    assert [one["reason"] for one in stranger["findings"]] == [
        '"pier/bell" is in the list, and there is no file of that name'
    ]


def test_parts_of_a_list_are_found_by_their_names_too(tmp_path: Path) -> None:
    tree = {
        "tree/songs.json": '{"songs": [\n  {"name": "@key@"}\n]}\n',
        "tree/@key@-@part.name@.wav": "", "tree/@key@.wav": "",
    }  # fmt: skip
    game = Made(tmp_path, "lock", '\n[takes]\nseveral = false\n\n[parts]\nnames = ["intro", "body"]\n', tree, {})
    (tmp_path / "game" / "songs.json").parent.mkdir(exist_ok=True)
    (tmp_path / "game" / "songs.json").write_text('{"songs": [\n  {"name": "weir"}\n]}\n')
    clip(tmp_path / "game" / "weir.wav", 4)
    game.start('\n[[sound]]\nkey = "pier"\nnew = true\nparts = {intro = "c1.wav", body = "c2.wav"}\n', keys=1)
    pack = game.build()
    assert game.run("compare", pack, pack, "--game", game.profile).code == 0
    (pack / "pier-intro.wav").unlink()
    (pack / "pier-body.wav").unlink()
    checked = json.loads(game.run("check", pack, "--json", cwd=game.own).out)
    assert [one["id"] for one in checked["findings"]] == ["take-missing"]


def test_a_take_has_a_number_where_there_are_several(tmp_path: Path) -> None:
    tree = {"tree/noises/@key@.@take.number@.wav": "", "tree/noises/@key@.wav": ""}
    game = Made(tmp_path, "lock", '---\n[modes]\nreplace = "by-path"\n', tree, {})
    for number, name in enumerate(("weir.1", "weir.2", "sluice")):
        (tmp_path / "game/noises").mkdir(exist_ok=True, parents=True)
        clip(tmp_path / f"game/noises/{name}.wav", 3 + number)
    sounds = '\n[[sound]]\nkey = "weir"\ntakes = ["c1.wav", {kept = true}]\n\n[[sound]]\nkey = "pier"\nnew = true\n'
    sounds += 'takes = ["c2.wav"]\n\n[[sound]]\nkey = "gull"\nnew = true\ntakes = ["c3.wav", "c4.wav"]\n'
    game.start(sounds, keys=2)
    pack = game.build()
    assert sorted(path.name for path in pack.rglob("*.wav")) == ["gull.1.wav", "gull.2.wav", "pier.wav", "weir.1.wav"]
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path).code == 0


def test_a_mark_behind_the_key_needs_no_sign_before_it(tmp_path: Path) -> None:
    tree = {"tree/noises/@key@@loop~yes-no(~,)=@.wav": "", "tree/list.txt": "@key@ = @file@\n"}
    rules = "takes = {several = false}\n---\n[audio.x]\n".replace("[audio.x]\n", "")
    game = Made(tmp_path, "lock", rules, tree, {})
    game.start(
        '\n[[sound]]\nkey = "weir"\nnew = true\nloop = true\ntakes = ["c1.wav"]\n\n[[sound]]\nkey = "pier"\nnew = true\ntakes = ["c2.wav"]\n'
    )
    pack = game.build()
    assert sorted(path.name for path in pack.rglob("*.wav")) == ["pier.wav", "weir~.wav"]
