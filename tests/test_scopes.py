"""Every format and every scope in every direction: what is filled is read back, and merged once."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import LOCAL, PACKAGE, run, voices_in
from ichnos.documents.formats import named, parse
from ichnos.errors import IchnosError
from ichnos.games.entries.contents import sound_entries
from ichnos.games.entries.edit import merge
from ichnos.games.entries.fill import Bindings, fill
from ichnos.games.entries.read import read
from ichnos.games.profiles import holes, profile
from ichnos.games.profiles.exemplar import ExemplarRules
from ichnos.games.profiles.units import understand
from ichnos.games.things import Thing

# An exemplar of each format that names a sound, its takes and its volume.
SHAPES = {
    "xml": '<a>\n  <s k="@key@" v="@volume=1@"><t f="@file@"/></s>\n</a>\n',
    "ini": "[@key@]\nvolume = @volume=1@\nfile@take.number@ = @file@\n",
    "braces": '\nheard "@key@" {\n  takes = [ "@file@" ]; loud = @volume=1@\n}\n',
    "csv": "key,volume,file\n@key@,@volume=1@,@file@\n",
    "tsv": "file\tvolume\tkey\n@file@\t@volume=1@\t@key@\n",
    "lines": "# one line each\n@key@ = @volume=1@ @file@\n",
    "list": "@volume=1@ @key@|@file@\n",
}
ONE_TAKE = ("csv", "tsv", "lines", "list")
NAMES = st.text(st.characters(codec="utf-8", categories=["L", "N"]), min_size=1, max_size=8)
SOUNDS = st.dictionaries(
    NAMES, st.tuples(st.integers(0, 40), st.lists(NAMES, min_size=1, max_size=3, unique=True)), min_size=1, max_size=5
)


def _pack(sounds: dict[str, tuple[int, list[str]]], one_take: bool) -> Bindings:
    inside = []
    for key, (volume, files) in sounds.items():
        kept = files[:1] if one_take else files
        takes = tuple(Thing("take", {"file": file, "take.number": number}) for number, file in enumerate(kept, 1))
        inside.append(Thing("sound", {"key": key, "volume": volume / 8, "file": files[0]}, {"take": takes}))
    return {"pack": Thing("pack", {}, {"sound": tuple(inside)})}


@pytest.mark.parametrize("name", sorted(SHAPES))
@given(sounds=SOUNDS)
def test_filled_read_and_merged(name: str, sounds: dict[str, tuple[int, list[str]]]) -> None:
    one_take = name in ONE_TAKE
    shape = SHAPES[name]
    exemplar = understand(holes.parse("x"), parse(shape.encode(), "x", named(name)), ExemplarRules(not one_take))
    around = _pack(sounds, one_take)
    text = fill(exemplar, around)
    document = parse(text.encode(), "filled", named(name))
    reading = read(exemplar, document)
    assert reading
    assert reading.strays == []
    found = {
        key: (one.values["volume"], [take.values["file"] for take in (*one.all("take"), *([one] if one_take else []))])
        for key, one in sound_entries(reading.pack, ".")
    }
    assert found == {key: (volume / 8, files[:1] if one_take else files) for key, (volume, files) in sounds.items()}
    assert merge(exemplar, document, around) == (text, [])


def test_a_merge_keeps_encoding_mark_and_line_ends() -> None:
    exemplar = understand(holes.parse("x"), parse(b"@key@ = @title@\n", "x", named("lines")), ExemplarRules())
    around: Bindings = {
        "pack": Thing("pack", {}, {"sound": (
            Thing("sound", {"key": "b"}, texts={"title": {None: "Ü"}}), Thing("sound", {"key": "c"}, texts={"title": {None: "ñ"}}),
        )})
    }  # fmt: skip
    for mark, encoding in ((b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"), (b"", "latin-1")):
        data = mark + "# é\r\na = ä\r\nb = ö\r\n".encode(encoding)
        document = parse(data, "own", named("lines"), encoding)
        merged, changes = merge(exemplar, document, around)
        assert document.text.to_bytes(merged) == mark + "# é\r\na = ä\r\nb = Ü\r\nc = ñ\r\n".encode(encoding)
        assert [change.line for change in changes] == [3, 3]


def test_what_repeats_can_be_said_outright() -> None:
    shape = '{\n "rows": [\n  ["@key@", "@volume=1@",\n   ["@file@"]]\n ]\n}'
    found = understand(holes.parse("x"), parse(shape.encode(), "x", named("json")), ExemplarRules(repeat={"take": 4}))
    take = next(node for node, scope in found.units.items() if scope == "take")
    assert found.document.excerpt(take) == '["@file@"]'
    with pytest.raises(IchnosError, match="line 9"):
        understand(holes.parse("x"), parse(shape.encode(), "x", named("json")), ExemplarRules(repeat={"take": 9}))


def test_a_profile_that_loses_something_is_found_out(tmp_path: Path) -> None:
    """`games check` can fail: a hole that is read as another value than was written."""
    folder = tmp_path / "quill"
    shutil.copytree(profile.BUNDLED / "quillmarsh", folder)
    path = folder / "tree/marsh/calls.bog"
    path.write_text(path.read_text().replace("@near@ @far@", "@key@e@near@ @far@"))
    result = run("games", "check", folder)
    assert result.code == 1
    assert "fault: " in result.out
    assert "1 document of 2 do not come back the same" in result.out


def test_a_loop_without_its_marker_is_found(workspace: Path, tmp_path: Path) -> None:
    run("start", tmp_path / "bog", "--game", "quillmarsh")
    pack = tmp_path / "pack"
    (pack / "marsh/wav").mkdir(parents=True)
    (pack / "about.bog").write_text(
        'notebook { labelled = "x"; tag = "0f6d1d0e-6f0b-4f0e-9a55-5a3c1f3f7a10"; leaf = "1.0.0"; }'
    )
    (pack / "marsh/calls.bog").write_text(
        'call a in bird { sound = "a.wav"; endless = yes; }\ncall b in bird { sound = "b.wav"; endless = no; }\n'
    )
    import numpy as np
    import soundfile

    for name in "ab":
        soundfile.write(pack / f"marsh/wav/{name}.wav", 0.1 * np.ones(2205), 22050, subtype="PCM_16")
    result = run("check", pack, "--game", "quillmarsh")
    assert result.out.count("loop-missing") == 1
    assert "marsh/wav/a.wav" in result.out
    assert result.out.endswith("1 finding\n")


def test_a_folder_set_aside_by_a_killed_build_comes_back(tmp_path: Path, workspace: Path) -> None:
    own = tmp_path / "own"
    run("start", own, "--game", "open-pack", "--title", "Own")
    run("assign", "gate.opens", workspace / "clips/gull.ogg", cwd=own)
    run("build", cwd=own)
    pack = own / "build/own"
    before = {path.name: path.read_bytes() for path in pack.rglob("*") if path.is_file()}
    pack.rename(own / "build/.own.before")  # killed between the two renames
    (own / "build/.own.0123abcd.partial").mkdir()
    assert run("build", cwd=own).code == 0
    assert {path.name: path.read_bytes() for path in pack.rglob("*") if path.is_file()} == before
    assert sorted(path.name for path in (own / "build").iterdir()) == ["own"]


def test_like_needs_the_games_own_files(workspace: Path) -> None:
    """A kept catalogue knows the key, but the text to start from lies in the installation."""
    run("keys", "harvest", workspace.parent / "Tarnlight", "--game", "tarnlight")
    path = workspace / "ichnos.toml"
    text = path.read_text("utf-8").replace("new = true", 'new = true\nlike = "boat-bell-near"')
    path.write_text(text, "utf-8")
    assert run("build", cwd=workspace).code == 0
    voice = voices_in(workspace / PACKAGE)["lamp-draught-storm"]
    assert not voice.get("words")  # nor is it called like that one
    (workspace / LOCAL).unlink()
    refused = run("build", cwd=workspace)
    assert refused.code == 1
    assert "say in ichnos.local.toml where" in refused.err


def test_takes_for_a_sound_that_has_parts(tmp_path: Path, workspace: Path) -> None:
    own = tmp_path / "own"
    run("start", own, "--game", "ombervale")
    shutil.copytree(workspace / "clips", own / "clips")
    text = (
        own / "ichnos.toml"
    ).read_text() + '\n[[sound]]\nkey = "a/b"\ncategory = "music"\nparts = {body = "clips/gull.ogg"}\n'
    (own / "ichnos.toml").write_text(text)
    for more in ([], ["--add"]):
        (own / "ichnos.toml").write_text(text)
        assert run("assign", "a/b", "clips/draught.wav", *more, cwd=own).code == 0
        assert 'takes = ["clips/draught.wav"]' in (own / "ichnos.toml").read_text()
        assert run("build", cwd=own).code == 0


def test_a_profile_of_ones_own_moves_with_the_workspace(tmp_path: Path) -> None:
    shutil.copytree(profile.BUNDLED / "open-pack", tmp_path / "here/mine")
    run("start", "here/pack", "--game", "here/mine", cwd=tmp_path)
    assert 'game = "../mine"' in (tmp_path / "here/pack/ichnos.toml").read_text()
    (tmp_path / "here").rename(tmp_path / "there")
    assert "no sound is assigned yet" in run("build", cwd=tmp_path / "there/pack").err
