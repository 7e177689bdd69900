"""What used to be said wrongly, or not at all: the next step, false findings, cures, and slips that passed."""

from __future__ import annotations

import json
import shutil
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from conftest import LOCAL, PACKAGE, Made, clip, edit, run
from ichnos.games import made_up
from ichnos.games.profiles import profile
from test_place import lay_all

ONE = "[takes]\nseveral = false\n"


def status(workspace: Path) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(run("status", "--json", cwd=workspace).out)
    return found


def findings(*words: str | Path, cwd: Path) -> list[dict[str, Any]]:
    found = json.loads(run("check", *words, "--json", cwd=cwd).out)
    return [*found["findings"]] if "findings" in found else [*found["together"]]


def test_where_one_stands_after_a_release(workspace: Path) -> None:
    assert run("release", "--minor", "--note", "x", cwd=workspace).code == 0
    there = status(workspace)
    assert (there["version"], there["built"], there["findings"]) == ("0.2.0", "current", 0)
    assert run("install", cwd=workspace).code == 0
    assert status(workspace)["next"] == {"command": "", "why": "0.2.0 is released: give away what lies in release/"}
    edit(workspace, 'takes = ["clips/hatch-1.flac"', 'title = {fr = "Une trappe"}\ntakes = ["clips/hatch-1.flac"')
    assert run("build", cwd=workspace).code == 0
    run("check", cwd=workspace)
    following = status(workspace)["next"]
    assert (following["command"], "mend" in following["why"], "title-missing, " in following["why"]) == ("", True, True)


def test_the_pack_of_a_second_game_is_no_older_edition(workspace: Path, tmp_path: Path) -> None:
    sample = made_up.sample_of(profile.BUNDLED / "quillmarsh")
    assert sample
    made_up.lay_installation(sample, tmp_path / "marsh")
    edit(workspace, "[pack]", '[games.quillmarsh]\ngame-version = "0.9.4"\n\n[pack]')
    edit(
        workspace,
        'key = "shore-gull-calling"',
        'key = "shore-gull-calling"\ngames = {quillmarsh = {key = "snipe_calls_day"}}',
    )
    with (workspace / LOCAL).open("a") as file:
        file.write(f'[games.quillmarsh]\ninstallation = "{(tmp_path / "marsh").as_posix()}"\n')
    assert run("build", cwd=workspace).code == 0
    done = run("build", "--game", "quillmarsh", "--install", cwd=workspace)
    assert done.code == 0, done.err
    assert [one["latest"] for one in status(workspace)["installed"]] == [True]


def test_two_packs_that_merge_into_the_games_file_share_what_they_both_change(tmp_path: Path) -> None:
    lay_all(tmp_path)
    found = findings("ash", "birch", "--game", "profile", cwd=tmp_path)
    assert [one["reason"].split('"')[1] for one in found if one["id"] == "key-shared"] == ["bell"]  # not gull, not frog


def test_files_in_archives_of_their_own_hide_nothing(workspace: Path, tmp_path: Path) -> None:
    copy = tmp_path / "demo/copy"
    shutil.copytree(workspace, copy)
    edit(copy, 'name = "storm-watch"', 'name = "calm-watch"')
    edit(copy, "[pack]\n", '[[file]]\nfile = "clips/gull.ogg"\npath = "notes/here.txt"\n\n[pack]\n')
    edit(workspace, "[pack]\n", '[[file]]\nfile = "clips/draught.wav"\npath = "notes/here.txt"\n\n[pack]\n')
    packs = []
    for folder in (workspace, copy):
        assert run("build", cwd=folder).code == 0
        packs.append(next((folder / "build").glob("*0.1.0.lampbox")))
    assert "file-shadowed" not in run("check", *packs, "--game", "tarnlight", cwd=tmp_path).out


def test_a_pack_by_path_and_by_definition(tmp_path: Path) -> None:
    """A file in the place of the game's own, that the pack's definition of the same key names; and one more."""
    tree = {"tree/all.json": '{"s": [{"k": "@key@", "f": "@file@", "v": "@volume@"}]}', "tree/fx/@key@.wav": ""}
    own = {"all.json": '{"s": [{"k": "creak", "f": "fx/creak.wav"}, {"k": "groan", "f": "fx/groan.wav"}]}'}
    game = Made(tmp_path, "siskin", f'{ONE}[install]\nfolder = ""\nlay = "over"\n', tree, own)
    for name in ("creak", "groan"):
        (tmp_path / "game/fx").mkdir(exist_ok=True)
        clip(tmp_path / f"game/fx/{name}.wav", 3)
    game.start('[[sound]]\nkey = "creak"\nvolume = 0.5\ntakes = ["c1.wav"]\n', keys=2)
    pack = game.build()
    assert findings(cwd=game.own) == []
    shutil.copy(pack / "fx/creak.wav", pack / "fx/groan.wav")
    assert findings(pack, "--game", game.profile, "--installation", tmp_path / "game", cwd=tmp_path) == []
    (pack / "all.json").write_text('{"s": [{"k": "groan", "f": "fx/creak.wav"}]}')
    clashes = findings(pack, "--game", game.profile, "--installation", tmp_path / "game", cwd=tmp_path)
    assert [one["id"] for one in clashes] == ["file-clash"]


def test_stereo_at_a_place_where_the_game_wants_it(tmp_path: Path) -> None:
    tree = {"tree/s.json": '{"s": [{"k": "@key@", "f": "@file@", "here": "@positional@"}]}', "tree/@key@.wav": ""}
    game = Made(tmp_path, "linnet", ONE, tree, {})
    rules = game.profile / "game.toml"
    rules.write_text(rules.read_text().replace("channels = 1", "channels = 2"))
    game.start('[[sound]]\nkey = "x"\nnew = true\npositional = true\ntakes = ["c1.wav"]\n')
    game.build()
    assert findings(cwd=game.own) == []


def test_the_games_own_channels_are_no_keys(tmp_path: Path) -> None:
    tree = {
        "tree/all.json": '{"s": [{"k": "@key@", "f": "@file@", "x": "@volume@"}]}',
        "tree/@pack.name@/@key@.wav": "",
    }
    own = '{"s": [{"k": "bus low", "x": 1}, {"k": "bell", "f": "o/bell.wav", "x": 1}]}'
    for name, rules in (("merge", '[[document]]\npath = "all.json"\nmode = "merge"\n'), ("whole", "")):
        folder = tmp_path / name
        folder.mkdir()
        game = Made(folder, "pipit", f"{ONE}{rules}", tree, {"all.json": own})
        game.start('[[sound]]\nkey = "bell"\ntakes = ["c1.wav"]\n', keys=1)
        pack = game.build()
        said = json.loads((pack / "all.json").read_text())
        (pack / "all.json").write_text(
            json.dumps({"s": [{"k": "bus low", "x": 0.5}, *(one for one in said["s"] if one["k"] == "bell")]})
        )
        assert [one["id"] for one in findings(pack, cwd=game.own)] == []


def test_cures_are_said_once_and_can_be_done(workspace: Path, tmp_path: Path) -> None:
    edit(workspace, "[pack]\n", '[[trigger]]\nname = "t"\nevent = "e"\nkey = "tower-bell-neer"\n\n[pack]\n')
    cure = run("build", cwd=workspace).err.partition("did you mean ")[2].partition("?")[0]
    assert len(set(cure.split(" or "))) == len(cure.split(" or ")) > 1
    game = Made(
        tmp_path,
        "serin",
        f'{ONE}[modes]\nreplace = "no"\n',
        {"tree/s.json": '{"s": [{"k": "@key@", "f": "@file@"}]}', "tree/@pack.name@/@key@.wav": ""},
        {"s.json": '{"s": [{"k": "bell", "f": "o.wav"}]}'},
    )
    game.start('[[sound]]\nkey = "bell"\nnew = true\ntakes = ["c1.wav"]\n', keys=1)
    assert "cure: choose another\n" in run("build", cwd=game.own).err
    replaced = Made(
        tmp_path,
        "twite",
        f"{ONE}[modes]\nnew = false\n",
        {"tree/s.json": '{"s": [{"k": "@key@", "f": "@file@"}]}', "tree/@pack.name@/@key@.wav": ""},
        {"s.json": '{"s": [{"k": "bell", "f": "o.wav"}]}'},
    )
    replaced.own = tmp_path / "own-2"
    replaced.start("", keys=1)
    assert "--new" not in run("assign", "bel", "c1.wav", cwd=replaced.own).err


def test_a_clip_that_the_build_converts_has_nothing_wrong_with_it(tmp_path: Path) -> None:
    tone = 0.3 * np.sin(np.arange(44100) / 9)
    soundfile.write(tmp_path / "a.wav", np.stack([tone, 0.5 * tone], axis=1), 44100)
    soundfile.write(tmp_path / "b.ogg", tone, 44100, format="OGG", subtype="VORBIS")
    for name, told in (
        ("a.wav", "the build converts it: WAV PCM 16 becomes Ogg Vorbis, stereo becomes mono"),
        ("b.ogg", "the build encodes it again"),
    ):
        seen = run("look", name, "--game", "tarnlight", cwd=tmp_path)
        assert (seen.code, told in seen.out, "as it is" in seen.out) == (0, True, False), seen.out
        assert not {"format", "channels", "rate"} & {
            one["id"]
            for one in json.loads(run("look", name, "--game", "tarnlight", "--json", cwd=tmp_path).out)["clips"][0][
                "findings"
            ]
        }


def changed(workspace: Path, tmp_path: Path, name: str, change: Callable[[str], str | None]) -> Path:
    """The demonstration's pack with one of its texts changed, or without it."""
    with zipfile.ZipFile(workspace / PACKAGE) as old, zipfile.ZipFile(tmp_path / "theirs.lampbox", "w") as new:
        for one in old.namelist():
            data: bytes | None = old.read(one)
            if one == name and data is not None:
                text = change(data.decode("utf-8", "replace"))
                data = None if text is None else text.encode()
            if data is not None:
                new.writestr(one, data)
    return tmp_path / "theirs.lampbox"


@pytest.mark.parametrize(("kind", "name", "change", "reason"), [
    ("category-unknown", "lore/log.json", lambda text: text.replace('"page": "signals"', '"page": "signels"', 1), 'no category "signels"'),
    ("weight-zero", "lore/log.json", lambda text: text.replace('hatch-closed-1.ogg": 1', 'hatch-closed-1.ogg": 0'), "the weight 0"),
    ("icon-missing", "lore/lamp.png", lambda _: None, "there is no lore/lamp.png"),
])  # fmt: skip
def test_slips_that_passed(
    workspace: Path, tmp_path: Path, kind: str, name: str, change: Callable[[str], str | None], reason: str
) -> None:
    pack = changed(workspace, tmp_path, name, change)
    found = [one for one in findings(pack, cwd=workspace) if one["id"] == kind]
    assert found, run("check", pack, cwd=workspace).out
    assert reason in found[0]["reason"]


@pytest.mark.parametrize(
    ("text", "kind"), [("x = First\n", "title-missing"), ("x = First\nSecond is broken\n", "entry-strange")]
)
def test_a_words_file_cut_or_broken(tmp_path: Path, text: str, kind: str) -> None:
    tree = {
        "tree/s.json": '{"s": [{"k": "@key@", "f": "@file@"}]}',
        "tree/w/@language@.txt": "@key@ = @title@\n",
        "tree/@key@.wav": "",
    }
    game = Made(tmp_path, "brambling", ONE, tree, {})
    sound = '[[sound]]\nkey = "{0}"\nnew = true\ntakes = ["c1.wav"]\ntitle = "{0} title"\n'
    game.start(sound.format("x") + sound.format("y"))
    pack = game.build()
    (pack / "w/en.txt").write_text(text)
    assert kind in [one["id"] for one in findings(cwd=game.own)]


SCRIPTED = '[[script]]\npath = "a.lua"\n'


@pytest.mark.parametrize(("template", "kind", "line"), [
    ('{% for s in sounds %}\nlocal {{ s.own }} = "{{ s.key }}"\n{% endfor %}\n', "script-broken", 1),
    ('local BELL = "a.far-off"\nlocal BELL = "b.near"\n', "script-twice", 2),
])  # fmt: skip
def test_constants_of_scripts(tmp_path: Path, template: str, kind: str, line: int) -> None:
    game = Made(tmp_path, "crossbill", f"{ONE}{SCRIPTED}", {"tree/@key@.wav": "", "scripts/a.lua.j2": template}, {})
    game.start(
        '[[sound]]\nkey = "a.far-off"\nnew = true\ntakes = ["c1.wav"]\n[[sound]]\nkey = "b.near"\nnew = true\ntakes = ["c2.wav"]\n'
    )
    assert run("build", cwd=game.own).code == 0
    assert [(one["id"], one["line"]) for one in findings(cwd=game.own)] == [(kind, line)]


def test_a_trigger_that_vanishes_from_the_script(tmp_path: Path) -> None:
    template = (
        "{% for t in triggers %}{% for s in sounds if s.key == t.key %}play('{{ s.key }}')\n{% endfor %}{% endfor %}"
    )
    game = Made(tmp_path, "bunting", f"{ONE}{SCRIPTED}", {"tree/@key@.wav": "", "scripts/a.lua.j2": template}, {})
    game.start(
        '[[sound]]\nkey = "bell"\nnew = true\ntakes = ["c1.wav"]\n[[trigger]]\nname = "t"\nevent = "e"\nkey = "bell"\n'
    )
    game.build()
    said = game.refused('event = "e"\nkey = "bell"', 'event = "e"\nkey = "bel"')
    assert 'nothing of the trigger for "bel" stands in the scripts' in said
    game.profile.joinpath("scripts/a.lua.j2").write_text("{% for t in triggers %}play('{{ t.key }}')\n{% endfor %}")
    edit(game.own, 'event = "e"\nkey = "bell"', 'event = "e"\nkey = "bel"')
    assert '"bel" is no sound of this pack (did you mean bell?)' in run("build", cwd=game.own).err


def test_two_ids_and_versions_with_other_signs_between_their_numbers(tmp_path: Path) -> None:
    about = "[pack]\nfirst = @uuid.first@\nsecond = @uuid.second@\nedition = @pack.version~separated( )@\n"
    tree = {"tree/about.ini": about, "tree/s.csv": "k,f\n@key@,@file@\n", "tree/@key@.wav": ""}
    game = Made(tmp_path, "dotterel", ONE, tree, {})
    game.start('[[sound]]\nkey = "x"\nnew = true\ntakes = ["c1.wav"]\n')
    written = (game.build() / "about.ini").read_text()
    ids = [line.partition(" = ")[2] for line in written.splitlines()[1:3]]
    assert (len({*ids}), written.splitlines()[3]) == (2, "edition = 0 1 0")
    (game.own / "build/my-own/about.ini").write_text(written.replace(ids[1], ids[0]))
    assert [one["id"] for one in findings(cwd=game.own)] == ["id-shared"]


def test_one_thing_that_is_said_otherwise_in_two_places(tmp_path: Path) -> None:
    tree = {
        "tree/a.json": '{"by": "@pack.author@", "s": [{"k": "@key@", "f": "@file@", "v": "@volume@"}]}',
        "tree/b.ini": "[about]\nmaker = @pack.author@\n",
        "tree/c.csv": "k,v\n@key@,@volume@\n",
        "tree/@key@.wav": "",
    }
    game = Made(tmp_path, "hawfinch", ONE, tree, {})
    game.start('[[sound]]\nkey = "x"\nnew = true\nvolume = 0.5\ntakes = ["c1.wav"]\n')
    edit(game.own, '# author = "Your name"', 'author = "Ada"')
    pack = game.build()
    (pack / "b.ini").write_text("[about]\nmaker = Bea\n")
    (pack / "c.csv").write_text("k,v\nx,0.7\n")
    found = [one["reason"] for one in findings(cwd=game.own) if one["id"] == "said-otherwise"]
    assert len(found) == 2
    assert "the pack.author is Bea here, and Ada in" in found[0]
    assert 'the volume of "x" is 0.7 here, and 0.5 in' in found[1]
    shutil.copytree(pack, tmp_path / "copy")
    assert "the pack.author is Bea here" in run("compare", pack, tmp_path / "copy", "--game", game.profile).out
    checked = run("games", "check", game.profile, "--against", pack)
    assert (checked.code, "pack.author is Bea here" in checked.out) == (1, True), checked.out
