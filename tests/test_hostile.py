"""What comes from strangers, and what happens at the wrong moment: nothing leads out, nothing is lost, nothing hangs."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import struct
import subprocess
import sys
import wave
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from conftest import PACKAGE, Made, clip, edit, run
from ichnos.documents.formats import named, parse
from ichnos.errors import IchnosError
from ichnos.games.profiles import holes
from ichnos.games.profiles.hole import HoleError
from ichnos.games.scripts import render
from ichnos.review import budget

TREE = {"tree/all.json": '{"all": [{"id": "@key@", "f": ["@file@"]}]}', "tree/s/@key@-@take.number@.wav": ""}


# Workspaces from strangers.


@pytest.mark.parametrize("name", ["build", "release", "CHANGES.md"])
def test_nothing_is_written_through_a_link(name: str, workspace: Path, tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    (outside / "file").write_text("mine")
    shutil.rmtree(workspace / "build")
    (workspace / name).symlink_to(outside / "file" if "." in name else outside)
    done = run("release", "--patch", "--note", "x", cwd=workspace)
    assert [path.name for path in outside.iterdir()] == ["file"]
    said = f"{name}: this leads out of the workspace" if "." in name else f"{name}: a link stands here"
    if name != "build":  # which a release does not need
        assert (done.code, said in done.err) == (1, True), done.err
    assert (outside / "file").read_text() == "mine"


@pytest.mark.parametrize(
    ("table", "link"),
    [('[[file]]\nfile = "a.txt"\npath = "a.txt"\n', "a.txt"), ('[[prop]]\nname = "p"\ntitle = "P"\nkey = "shore-gull-calling"\npicture = "a.png"\n', "a.png")],
)  # fmt: skip
def test_no_file_from_elsewhere_gets_into_a_pack(table: str, link: str, workspace: Path, tmp_path: Path) -> None:
    (tmp_path / "secret").write_text("secret")
    (workspace / link).symlink_to(tmp_path / "secret")
    path = workspace / "ichnos.toml"
    path.write_text(path.read_text("utf-8") + table, "utf-8")
    done = run("build", cwd=workspace)
    with zipfile.ZipFile(workspace / PACKAGE) as pack:
        assert not [name for name in pack.namelist() if pack.read(name) == b"secret"]
    assert done.code == 0 or "this leads out of the workspace" in done.err
    shutil.copytree(workspace.parent, tmp_path / "copy", symlinks=True)


def test_a_profile_with_a_link_in_it_is_refused(tmp_path: Path) -> None:
    game = Made(tmp_path, "mothwick", "", TREE, {})
    (game.profile / "scripts").mkdir()
    (game.profile / "scripts" / "a.j2").symlink_to("/etc/passwd")
    assert "a profile cannot hold links" in run("games", "check", game.profile).err


def test_a_strangers_half_done_release_is_not_carried_out(workspace: Path) -> None:
    before = (workspace / "ichnos.toml").read_bytes()
    (workspace / "release").mkdir()
    (workspace / "release/x").write_text("x")
    note = {"version": "9.0.0", "heading": "## 9", "note": "x", "archive": "x", "beside": "y", "user": "somebody",
            "sha256": hashlib.sha256(b"x").hexdigest()}  # fmt: skip
    for change in ({}, {"archive": "../../x"}, {"user": None}, {"version": 3}):
        (workspace / ".ichnos/release.json").write_text(json.dumps({**note, **change}))
        assert run("build", cwd=workspace).code == 0
        assert not (workspace / ".ichnos/release.json").exists()
        assert (workspace / "ichnos.toml").read_bytes() == before


@pytest.mark.parametrize("name", ["../../evil", "a/b", "..", "con"])
def test_another_games_name_is_no_way_out(name: str, workspace: Path) -> None:
    path = workspace / "ichnos.toml"
    path.write_text(path.read_text("utf-8") + f'[games."{name}"]\ngame = "tarnlight"\n', "utf-8")
    done = run("build", "--game", name, cwd=workspace)
    assert (done.code, "cannot be a folder's name" in done.err) == (1, True)


# Updates are never lost.


def test_several_at_once_lose_nothing(workspace: Path) -> None:
    keys = ["boat-foghorn-near", "buoy-foghorn-near", "tower-foghorn-near"]
    calls = [["assign", key, "clips/draught.wav"] for key in keys] + [["release", "--patch", "--note", "x"]]
    with ThreadPoolExecutor(4) as pool:
        done = list(
            pool.map(
                lambda words: subprocess.run(
                    [sys.executable, "-m", "ichnos", *words], cwd=workspace, capture_output=True, check=False
                ),
                calls,
            )
        )
    text = (workspace / "ichnos.toml").read_text("utf-8")
    assert [one.returncode for one in done] == [0, 0, 0, 0], [one.stderr for one in done]
    assert all(f'key = "{key}"' in text for key in keys)
    assert 'version = "0.1.1"' in text


def test_what_an_editor_saves_meanwhile_stays(workspace: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from ichnos.pack.workspace import assignments

    real = assignments.checked

    def saved_meanwhile(*words: object) -> object:
        edit(workspace, 'title = "Storm watch"', 'title = "Saved meanwhile"')
        return real(*words)  # type: ignore[arg-type]

    monkeypatch.setattr(assignments, "checked", saved_meanwhile)
    done = run("assign", "boat-foghorn-near", "clips/draught.wav", cwd=workspace)
    assert (done.code, "saved while it was being changed" in done.err) == (1, True)
    assert "Saved meanwhile" in (workspace / "ichnos.toml").read_text("utf-8")


def test_a_linked_workspace_file_stays_a_link_with_its_mode(workspace: Path, tmp_path: Path) -> None:
    real = workspace / "real.toml"
    (workspace / "ichnos.toml").rename(real)
    real.chmod(0o640)
    (workspace / "ichnos.toml").symlink_to(real)
    assert run("assign", "boat-foghorn-near", "clips/draught.wav", cwd=workspace).code == 0
    assert (workspace / "ichnos.toml").is_symlink()
    assert "boat-foghorn-near" in real.read_text("utf-8")
    assert real.stat().st_mode & 0o777 == 0o640
    real.rename(tmp_path / "outside.toml")
    (workspace / "ichnos.toml").unlink()
    (workspace / "ichnos.toml").symlink_to(tmp_path / "outside.toml")
    refused = run("assign", "buoy-foghorn-near", "clips/draught.wav", cwd=workspace)
    assert (refused.code, "ichnos.toml: this leads out" in refused.err) == (1, True)


def test_a_release_that_fails_changes_nothing(workspace: Path) -> None:
    (workspace / "clips/gull.ogg").write_bytes(b"\0" * 10)
    before = (workspace / "ichnos.toml").read_bytes()
    assert run("release", "--patch", "--note", "x", cwd=workspace).code == 1
    assert (workspace / "ichnos.toml").read_bytes() == before
    assert not (workspace / "CHANGES.md").exists()
    assert not (workspace / "release").exists()


RELEASED = """
run(["keys", "foghorn", "-w", "storm-watch"])  # whoever opens the workspace next finishes it
done = 'version = "0.2.0"' in Path("storm-watch/ichnos.toml").read_text()
archive, changes = Path("storm-watch/release/storm-watch-0.2.0.lampbox"), Path("storm-watch/CHANGES.md")
assert done == archive.is_file() == changes.is_file() == archive.with_name(archive.name + ".sha256").is_file()
assert done or dead
assert run(["release", "--minor", "--note", "again", "-w", "storm-watch"]) == 0
assert f'version = "{"0.3.0" if done else "0.2.0"}"' in Path("storm-watch/ichnos.toml").read_text()
assert changes.read_text().count("## 0.2.0") == 1
assert not [path for path in Path("storm-watch").rglob("*") if path.name.endswith(("partial", "before", "release.json"))]
"""
BUILT = """
pack = Path("own/build/own")
assert pack.is_dir() or run(["check", "-w", "own"]) == 0  # which brings it back
assert run(["build", "-w", "own"]) == 0
assert "gate.shuts" in (pack / "open-pack.json").read_text() and len(list(pack.rglob("*.ogg"))) == 2
assert not [path for path in Path("own").rglob("*") if path.name.endswith(("partial", "before"))]
"""


def killed(folder: Path, check: str, *words: str, step: int = 1, first: str = "") -> int:
    done = subprocess.run(
        [sys.executable, Path(__file__).with_name("killing.py"), folder, *words], input=check, text=True,
        capture_output=True, check=False, env={**os.environ, "KILLING_STEP": str(step), "KILLING_FIRST": first},
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr
    return int(done.stdout)


def test_a_release_killed_at_any_moment_is_whole_or_was_never_begun(workspace: Path) -> None:
    assert killed(workspace.parent, RELEASED, "release", "--minor", "--note", "x", "-w", "storm-watch", step=19) > 3


ARCHIVED = """
import zipfile
pack = Path("storm-watch/build/storm-watch-0.1.0.lampbox")
assert zipfile.ZipFile(pack).testzip() is None  # the old one or the new
assert run(["build", "-w", "storm-watch"]) == 0
assert b"Otherwise" in zipfile.ZipFile(pack).read("lamp.json")
assert not [path for path in Path("storm-watch").rglob("*") if path.name.endswith("partial")]
"""


def test_an_archive_killed_at_any_moment_is_the_old_one_or_the_new(workspace: Path) -> None:
    edit(workspace, 'title = "Storm watch"', 'title = "Otherwise"')
    assert killed(workspace.parent, ARCHIVED, "build", "-w", "storm-watch", step=13) > 2


@pytest.mark.parametrize("swaps", [True, False])
def test_a_folder_killed_at_any_moment_is_the_old_one_or_the_new(tmp_path: Path, swaps: bool) -> None:
    base = tmp_path / "base"
    assert run("start", base / "own", "--game", "open-pack", "--title", "Own", "--licence", "MIT").code == 0
    for number in (1, 2):
        clip(base / f"own/c{number}.wav", number)
    run("assign", "gate.opens", base / "own/c1.wav", "--new", cwd=base / "own")
    assert run("build", cwd=base / "own").code == 0
    run("assign", "gate.shuts", base / "own/c2.wav", "--new", cwd=base / "own")
    first = "" if swaps else "import ichnos.files.writing as w; w._swapped = lambda *_: False"
    assert killed(base, BUILT, "build", "-w", "own", step=13, first=first) > 3


# Profiles from strangers.


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ('[[document]]\npath = "all.json"\nencoding = "rot13"', "no encoding named 'rot13'"),
        ('[[document]]\npath = "all.json"\nencoding = "unicode_escape"', "no encoding named"),
        ('[names]\nspaces = "../"', "letters, digits"),
        ('[[script]]\npath = "../../x.lua"', "a path below the pack"),
        ('[icon]\npath = "i.png"\nheight = 9\nwidth = 1000000', "at most 4096"),
    ],
)
def test_a_rule_that_cannot_be_meant_is_refused_when_the_profile_is_read(rule: str, said: str, tmp_path: Path) -> None:
    game = Made(tmp_path, "mothwick", rule, TREE, {})
    done = run("games", "check", game.profile)
    assert (done.code, said in done.err, "game.toml:" in done.err) == (1, True, True), done.err


def test_a_packages_name_has_no_folder(tmp_path: Path) -> None:
    game = Made(tmp_path, "mothwick", "", TREE, {})
    path = game.profile / "game.toml"
    path.write_text(path.read_text().replace('"@pack.name@"', '"../@pack.name@"'))
    assert "without a folder before it" in run("games", "check", game.profile).err


@given(st.text("a-1/", max_size=8), st.text("a-1/", max_size=8), st.integers(0, 99))
def test_what_was_filled_is_matched(key: str, title: str, number: int) -> None:
    for text in ("@key@-@take.number@.wav", "x/@key@/@title@", "@key@/@title@/@key@.ogg", "@title@1@key@"):
        pattern = holes.parse(text)
        said = {"key": f"k{key}", "title": f"t{title}", "take.number": number}
        found = pattern.match(pattern.fill(said.get))
        assert found is not None
        assert pattern.fill(found.get) == pattern.fill(said.get)


def test_matching_takes_no_power_of_the_length() -> None:
    many = holes.parse("-".join(f"@{name}@" for name in ("key", "category", "title", "language", "pack.name")) + "!")
    assert many.match("-" * 50_000) is None
    assert holes.parse("@key@/@title@/@key@/@title@.ogg").match("/" * 2_000) is None
    with pytest.raises(HoleError, match="one behind the other"):
        holes.parse("@key@@title@")
    with pytest.raises(HoleError, match="more than 100 holes"):
        holes.parse("@title@-" * 2000)


@pytest.mark.parametrize(
    ("template", "said"),
    [
        ("{% for a in range(99999) %}{% for b in range(99999) %}{% endfor %}{% endfor %}", "1,000,000 steps"),
        ("{% macro m(n) %}{% if n %}{{ m(n-1) }}{{ m(n-1) }}{% endif %}{% endmacro %}{{ m(99) }}", "1,000,000 steps"),
        ("{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}", "calls itself without end"),
        ("{{ 'a' * 1000000000 }}", "longer than"),
        ("{{ '%1000000000d' % 1 }}", "% is not offered"),
        ("{{ 9 ** 9 ** 9 }}", r"\*\* is not offered"),
        ("{{ '{:1000000000}'.format(1) }}", "unsafe"),
        ("{% set n = namespace(a='aaaa') %}{% for i in range(99) %}{% set n.a = n.a ~ n.a %}{% endfor %}", "longer than"),
        ("{% set n = namespace(a=[1]) %}{% for i in range(99) %}{% set n.a = [n.a, n.a] %}{% endfor %}{{ n.a|string }}", "steps"),
        ("{% set a = [1] * 999999 %}{% for i in range(99999) %}{% if a == [2] %}{% endif %}{% endfor %}", "steps"),
        ("{{ [('a' * 1000000)] * 9999 | join }}", "."), ("{{ [1, 2]|random }}", 'no filter named "random"'), ("{{ lipsum() }}", '"lipsum"'),
        ("{{ sounds }}", "cannot be printed"),
    ],
)  # fmt: skip
def test_templates_are_bounded_and_say_their_line(template: str, said: str, tmp_path: Path) -> None:
    (tmp_path / "t.j2").write_text(f"one\n{template}")
    with pytest.raises(IchnosError, match=said) as refused:
        render(tmp_path, "t.j2", {"sounds": []})
    assert refused.value.place
    assert refused.value.place.line == 2


# Packs and files from strangers.


def test_a_large_brace_file_is_read_in_a_bounded_number_of_looks() -> None:
    text = "".join(f"a{n} {{ l = {{ 1, 2, {{ 3, 4 }} }}; }}\n" for n in range(20_000))
    assert len(parse(text.encode(), "x", named("braces")).root.children) == 20_000
    with pytest.raises(IchnosError, match="more than 4,000,000 values"):
        parse(b"[" + b"1," * 4_000_001 + b"1]", "x", named("json"))


def test_many_names_for_one_sound_are_decoded_once(
    workspace: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with zipfile.ZipFile(workspace / PACKAGE) as built, zipfile.ZipFile(tmp_path / "many.zip", "w") as many:
        sound = next(name for name in built.namelist() if name.endswith(".ogg"))
        for number in range(300):
            many.writestr(f"lore/audio/x/{number}.ogg", built.read(sound))
        for name in built.namelist():
            many.writestr(name, built.read(name))
    decoded = []
    from ichnos.audio.files import clips

    real = clips.OpenSound.blocks
    monkeypatch.setattr(clips.OpenSound, "blocks", lambda sound: (decoded.append(1), real(sound))[1])
    done = run("check", tmp_path / "many.zip", "--game", "tarnlight", "--json", cwd=tmp_path)
    assert json.loads(done.out)["sounds"] == 306
    assert len(decoded) <= 8  # six, and one more for each thread that met it at once
    monkeypatch.setattr(budget, "MOST_FILES", 100)
    over = run("check", tmp_path / "many.zip", "--game", "tarnlight", "--json", cwd=tmp_path)
    found = [one for one in json.loads(over.out)["findings"] if one["id"] == "over-budget"]
    assert (over.code, found[0]["reason"].startswith("206 of 306 sounds")) == (1, True)
    more = run("check", tmp_path / "many.zip", "--game", "tarnlight", "--budget", "10", "--json", cwd=tmp_path)
    assert not [one for one in json.loads(more.out)["findings"] if one["id"] == "over-budget"]


@pytest.mark.parametrize("rate", [1, 999, 2**31 - 1])
def test_a_rate_that_no_sound_has_is_refused(rate: int, workspace: Path) -> None:
    path = workspace / "clips/odd.wav"
    with wave.open(str(path), "wb") as file:
        file.setparams((1, 2, 8000, 8, "NONE", ""))
        file.writeframes(bytes(16))
    data = bytearray(path.read_bytes())
    data[24:28] = struct.pack("<I", rate)
    path.write_bytes(data)
    for words in (("look",), ("convert", "--to", "o", "--container", "ogg"), ("loop",)):
        done = run(*words, path, cwd=workspace)
        assert (done.code, f"{rate:,} Hz" in done.err + done.out) == (1, True)


def test_pictures_that_are_traps_are_refused(workspace: Path) -> None:
    Image.new("1", (12_000, 12_000)).save(workspace / "large.png")
    Image.new("RGB", (8, 8)).save(workspace / "odd.tiff")
    Image.effect_noise((200, 200), 50).save(workspace / "cut.png")
    (workspace / "cut.png").write_bytes((workspace / "cut.png").read_bytes()[:2000])
    for name, said in (
        ("large.png", "12000 x 12000 pixels"),
        ("odd.tiff", "take a PNG"),
        ("cut.png", "cannot be read"),
    ):
        edit(workspace, "# icon =", f'icon = "{name}"\n# icon =')
        done = run("build", cwd=workspace)
        assert (done.code, said in done.err) == (1, True), done.err
        edit(workspace, f'icon = "{name}"\n', "")


def test_findings_without_end_are_counted(workspace: Path, tmp_path: Path) -> None:
    with zipfile.ZipFile(workspace / PACKAGE) as built, zipfile.ZipFile(tmp_path / "many.zip", "w") as many:
        for name in built.namelist():
            many.writestr(
                name,
                b'{"log": [{"page": "house", "heard": [' + b"1,\n" * 5000 + b"1]}]}"
                if name.endswith("log.json")
                else built.read(name),
            )
    found = json.loads(run("check", tmp_path / "many.zip", "--game", "tarnlight", "--json", cwd=tmp_path).out)[
        "findings"
    ]
    alike = [one for one in found if one["id"] == "entry-strange"]
    assert (len(alike), alike[0]["line"]) == (101, 1)
    assert alike[-1]["reason"] == "4,901 more of this kind in this file"
