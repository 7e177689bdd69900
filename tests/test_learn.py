"""Packs that somebody else made: a profile learned from them, a workspace made of them, two of them side by side."""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import sys
import tomllib
import zipfile
from pathlib import Path

import pytest
from PIL import Image

import ten_games
from conftest import PACKAGE, clip, edit, run
from ichnos.games.profiles import places
from ten_games import GAMES, Game, Laid, lay

BY_NAME = {game.name: game for game in GAMES}
_SOUNDS = (".ogg", ".wav", ".flac")


def built(folder: Path) -> Path:
    done = run("build", "--json", cwd=folder)
    assert done.code == 0, done.err
    return Path(json.loads(done.out)["to"])


def contents(pack: Path) -> dict[str, bytes]:
    if pack.is_file():
        with zipfile.ZipFile(pack) as archive:
            return {name: archive.read(name) for name in archive.namelist()}
    return {path.relative_to(pack).as_posix(): path.read_bytes() for path in pack.rglob("*") if path.is_file()}


def through(laid: Laid, draft: Path, own: Path, number: int = 0) -> Path:
    """A workspace built again, for the same game as a draft has it."""
    shutil.copytree(laid.workspaces[number], own, ignore=shutil.ignore_patterns(".ichnos", "build"))
    text = (own / "ichnos.toml").read_text()
    text = re.sub(r'^game = ".*"', f'game = "{draft}"', text, count=1, flags=re.M)
    if laid.installation is not None:
        (own / "ichnos.local.toml").write_text(f'installation = "{laid.installation}"\n')
    versions = tomllib.loads((draft / "game.toml").read_text())["game"]["versions"]
    if laid.game.versions[number] not in versions:
        text = re.sub(r'^game-version = ".*"', f'game-version = "{versions[0]}"', text, flags=re.M)
    if len(laid.game.ids) == 1:  # where there is one, a draft calls it the pack's
        text = text.replace(f"[ids]\n{laid.game.ids[0]} =", "[ids]\npack =")
    (own / "ichnos.toml").write_text(text)
    return built(own)


# Games in which the draft cannot know a word of Ichnos' own for one of the game's: of those documents most comes back.
_NEARLY = {"tarnlight": ["lore/stirrings.json"], "vesper-yard": ["desk/"]}


@pytest.mark.parametrize("game", GAMES, ids=lambda game: game.name)
def test_a_pack_is_learned_adopted_and_built_again(tmp_path: Path, game: Game) -> None:
    laid = lay(game, tmp_path)
    pack = built(laid.workspaces[0])
    before = contents(pack)
    installed = ["--installation", laid.installation] if laid.installation else []

    learned = run("learn", pack, "--to", tmp_path / "draft", "--json", *installed)
    said = json.loads(learned.out)
    assert learned.code == 0, learned.out
    assert said["proof"]["lost"] == said["proof"]["added"] == said["proof"]["faults"] == []
    assert said["proof"]["sounds"] == sum(name.endswith(_SOUNDS) for name in before)
    assert not any("draft of it is not understood" in note for note in said["notes"])
    again = contents(through(laid, tmp_path / "draft", tmp_path / "again"))
    assert {name for name in again if name.endswith(_SOUNDS)} == {name for name in before if name.endswith(_SOUNDS)}
    odd = [name for name in before if not name.endswith((*_SOUNDS, ".png")) and before[name] != again.get(name)]
    texts = [name for name in odd if not any(name.startswith(known) for known in _NEARLY.get(game.name, ()))]
    assert all(_alike(before[name], again[name]) for name in texts), texts

    adopted = run("adopt", pack, "--game", laid.profile, *installed, "--to", tmp_path / "own", "--json")
    said = json.loads(adopted.out)
    assert adopted.code == 0, adopted.out + adopted.err
    assert said["lost"] == said["again"]["changes"] == []
    assert said["again"]["identical"] == said["again"]["sounds"] > 0
    third = contents(built(tmp_path / "own"))
    for name in before:
        if name.endswith(_SOUNDS):
            assert hashlib.sha256(third[name]).digest() == hashlib.sha256(before[name]).digest(), name


def _alike(one: bytes, other: bytes) -> bool:
    """The same but for order: members of an entry may stand otherwise."""
    return sorted(re.findall(rb"[\w.-]+", one)) == sorted(re.findall(rb"[\w.-]+", other))


@pytest.mark.parametrize("name", ["open-pack", "quillmarsh", "ombervale", "wickerby"])
def test_two_packs_say_what_differs(tmp_path: Path, name: str) -> None:
    """A draft of both builds the second, too; in what is the same in both, nothing is asked."""
    laid = lay(BY_NAME[name], tmp_path)
    packs = [built(folder) for folder in laid.workspaces]
    installed = ["--installation", laid.installation] if laid.installation else []
    learned = run("learn", *packs, "--to", tmp_path / "draft", "--json", *installed)
    assert learned.code == 0, learned.out
    before, after = contents(packs[1]), contents(through(laid, tmp_path / "draft", tmp_path / "again", 1))
    assert {one for one in after if one.endswith(_SOUNDS)} == {one for one in before if one.endswith(_SOUNDS)}
    for one in before:
        if not one.endswith((*_SOUNDS, ".png")):
            assert _alike(before[one], after[one]), one


def test_packs_of_two_games_are_not_one(tmp_path: Path) -> None:
    packs = [built(lay(BY_NAME[name], tmp_path / name).workspaces[0]) for name in ("fenlow", "millrace")]
    learned = run("learn", *packs, "--to", "both", cwd=tmp_path)
    assert learned.code == 1
    assert "as if they were for different games" in learned.out
    assert "its name needs the pack.name" in learned.out
    assert not re.search(r"/ichnos-\w+/", learned.out)  # where it was tried


def test_a_folder_sent_as_a_zip_and_one_that_is_the_games(tmp_path: Path) -> None:
    text = (
        '{"s": [{"is": "gull", "on": "gull.wav", "sort": "bird"}, {"is": "bell", "on": "bell.wav", "sort": "cliff"}]}'
    )
    for name in ("tern", "auk"):
        lay_pack(tmp_path / name / name, {"all.json": text}, ["gull.wav", "bell.wav"])
        shutil.make_archive(str(tmp_path / name), "zip", tmp_path / name)
        (tmp_path / "same" / name).mkdir(parents=True)
        shutil.copytree(tmp_path / name / name, tmp_path / "same" / name / "data")
        shutil.make_archive(str(tmp_path / "same" / name), "zip", tmp_path / "same" / name)
    shutil.copy(tmp_path / "tern.zip", tmp_path / "tern.reed")
    for packs, kind, tree in (
        (["tern.zip"], "folder", "tree/all.json"),
        (["tern.zip", "auk.zip"], "folder", "tree/all.json"),
        (["same/tern.zip", "same/auk.zip"], "archive", "tree/data/all.json"),
        (["tern.reed"], "archive", "tree/@pack.name@/all.json"),
    ):
        learned = run("learn", *packs, "--to", "draft", "--json", cwd=tmp_path)
        draft = tmp_path / "draft"
        assert tomllib.loads((draft / "game.toml").read_text())["packaging"]["kind"] == kind, packs
        assert (draft / tree).is_file(), (packs, [*draft.rglob("*")])
        assert ("sent as a zip" in learned.out) == (kind == "folder")
        shutil.rmtree(draft)


def lay_pack(folder: Path, files: dict[str, str], clips: list[str]) -> Path:
    for name, text in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(text.encode())
    for number, name in enumerate(clips):
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        clip(folder / name, number + 1)
    return folder


# Packs made by hand, and what of their documents a draft must have.
BY_HAND = {
    "names of files that say nothing, categories as names": (
        {
            "conf/sfx.json": (
                '// ours\r\n{\r\n  "bank": {\r\n    "harbour": [\r\n      {"meta": {"ident": "crane_lifts"}, "wav": "a17.wav",'
                ' "db": -3.0, "reach": 20},\r\n      {"meta": {"ident": "rope_snaps"}, "wav": "b02.wav", "db": 0.0, "reach": 35},'
                '\r\n    ],\r\n    "inn": [\r\n      {"meta": {"ident": "mug_clinks"}, "wav": "zz.wav", "db": -6.0, "reach": 10}'
                "\r\n    ]\r\n  }\r\n}\r\n"
            ),
            "info.json": '{"title":"Old harbour","creator":"Bo","v":[1,4,0]}',
        },
        ["snd/a17.wav", "snd/b02.wav", "snd/zz.wav"],
        [
            '    "@category@": [\r\n      {"meta": {"ident": "@key@"}, "wav": "@file~relative(snd)@",'
            ' "db": "@volume~decibel~decimals(1)=0.0@", "reach": "@far@"}',
            '"v":"@pack.version~numbers@"',
        ],
    ),
    "a document for each category, the key like the file": (
        {
            "defs/bells.xml": '<set><s n="bell_big" f="bell_big" loop="1"/><s n="bell_low" f="bell_low" loop="0"/></set>',
            "defs/gulls.xml": '<set><s n="gull_one" f="gull_one" loop="0"/></set>',
        },
        ["wav/bell_big.wav", "wav/bell_low.wav", "wav/gull_one.wav"],
        [
            "defs/@category@.xml",
            '<s n="@key@" f="@file~relative(wav)~no-extension@" loop="@loop~yes-no(1,0)=0@"/>',
        ],
    ),
    "names below names": (
        {
            "defs.json": json.dumps(
                {
                    "shore": {"gull": {"file": "shore/gull.wav", "vol": 80}, "surf": {"file": "shore/surf.wav", "vol": 100}},
                    "tower": {"bell": {"file": "tower/bell.wav", "vol": 60}},
                },
                indent=1,
            )
        },
        ["shore/gull.wav", "shore/surf.wav", "tower/bell.wav"],
        ["@category@/@key@.wav", '"@category@": {\n  "@key@": {\n   "file": "@file@",\n   "vol": "@volume~percent=100@"'],
    ),
    "a row for each take": (
        {
            "list.csv": (
                "id,clip,chance,text\ngull,s/gull_1.wav,1,The gull\ngull,s/gull_2.wav,3,The gull\nbell,s/bell_1.wav,1,A bell\n"
            )
        },
        ["s/gull_1.wav", "s/gull_2.wav", "s/bell_1.wav"],
        ['entry-for = "take"', "@key@,@file@,@weight=1@,@title@", "s/@key@_@take.number@.wav"],
    ),
    "sections, and a language in the middle of a name": (
        {
            "list.ini": "[gull]\nwave=gull.wav\nlevel=80\n\n[bell]\nwave=bell.wav\nlevel=100\nechoes=2\n",
            "lang_en.ini": "[names]\ngull=A gull\nbell=The bell\n",
            "lang_de.ini": "[names]\ngull=Eine Möwe\nbell=Die Glocke\n",
        },
        ["gull.wav", "bell.wav"],
        ["lang_@language@.ini", "[names]\n@key@=@title@", "wave=@file@\nlevel=@volume~percent=100@\nechoes=@field.echoes~number@"],
    ),
    "files behind their owners": (
        {
            "noises.json": (
                '{"noises": [{"name": "wheel.turns", "loud": 0.5, "at": "mill:wheel/turns"},\n'
                ' {"name": "gull.calls", "loud": 0.7, "at": "shore:gull/calls"}]}\n'
            )
        },
        ["stock/mill/noises/wheel/turns.wav", "stock/shore/noises/gull/calls.wav"],
        ['"@owner@:@path@" = "stock/@owner@/noises/@path@.wav"', '"loud": "@volume@", "at": "@file@"'],
    ),
    "what a file stands under": (
        {"list.txt": "glöckchen = s/b.wav\nänders = s/c.wav\n"}, ["s/b.wav", "s/c.wav"], ["@key@ = @file@"]
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", BY_HAND)
def test_a_pack_made_by_hand_is_learned(tmp_path: Path, what: str) -> None:
    files, clips, wanted = BY_HAND[what]
    lay_pack(tmp_path / "pack", files, clips)
    learned = run("learn", "pack", "--to", "draft", cwd=tmp_path)
    assert learned.code == 0, learned.out + learned.err
    assert "all come back" in learned.out
    draft = "\n".join(
        f"{path.relative_to(tmp_path / 'draft/tree')}\n{path.read_bytes().decode()}"
        for path in sorted((tmp_path / "draft/tree").rglob("*"))
        if path.is_file()
    )
    draft += (tmp_path / "draft/game.toml").read_text()
    for text in wanted:
        assert text in draft, draft
    assert run("games", "check", "draft", cwd=tmp_path).code == 0
    adopted = run("adopt", "pack", "--game", "draft", "--to", "own", "--json", cwd=tmp_path)
    assert json.loads(adopted.out)["again"]["changes"] == [], adopted.out


def test_what_is_not_sure_is_said_and_what_is_the_same_too(tmp_path: Path) -> None:
    pack = lay_pack(
        tmp_path / "pack",
        {
            "about.json": '{"hand": "ada", "crossing": "0.3.1", "clock": "2.1.0"}',
            "all.json": '{"s": [{"is": "gull", "on": "gull.wav", "sort": "bird"}, {"is": "bell", "on": "bell.wav", "sort": "bird"}]}',
        },
        ["gull.wav", "bell.wav"],
    )
    learned = run("learn", pack, "--to", tmp_path / "draft")
    assert "crossing: 0.3.1  is taken for  pack.version  (a guess: it stands first)" in learned.out
    assert "about.json:1: hand = ada  would be the same in every pack" in learned.out
    rules = (tmp_path / "draft/game.toml").read_text()
    assert (
        "# - about.json:1: crossing: 0.3.1 is taken for pack.version (a guess: it stands first). Or: game.version."
        in rules
    )
    assert run("learn", pack, "--to", tmp_path / "draft").code == 2  # it is there
    asked = run("learn", pack, "--to", tmp_path / "other", "--ask")
    assert "Nobody is there to answer" in asked.err
    assert run("learn", pack, "--ask", "--json").code == 2
    (pack / "README.md").write_text("gull.wav is loud")
    (pack / "credits.md").write_text("gull.wav: Ada")
    (pack / "notes.json").write_text('[{"note": "gull.wav", "aloud": 3}]')  # no matter what it is called: it is data
    dry = run("learn", pack, "--to", tmp_path / "third", "--dry-run")
    assert "README.md is for people" in dry.out
    assert "credits.md is" not in dry.out
    assert "notes.json" in dry.out
    assert dry.out.startswith("This would write")
    assert not (tmp_path / "third").exists()


@pytest.mark.skipif(sys.platform == "win32", reason="there is no pseudo-terminal there")
def test_questions_are_asked_and_the_answers_count(tmp_path: Path) -> None:
    import pty

    pack = lay_pack(
        tmp_path / "pack",
        {
            "about.json": '{"crossing": "0.3.1", "clock": "2.1.0"}',
            "all.json": '{"s": [{"id": "gull", "on": "gull.wav"}]}',
        },
        ["gull.wav"],
    )
    child, terminal = pty.fork()
    if child == 0:
        os.execve(
            sys.executable,
            [
                sys.executable,
                "-c",
                "from ichnos.cli.main import program; program()",
                "learn",
                str(pack),
                "--to",
                str(tmp_path / "d"),
                "--ask",
            ],
            {**os.environ, "NO_COLOR": "1", "TERM": "dumb", "COLUMNS": "200"},
        )
    os.write(terminal, b"2\n1\n1\n1\n1\n")
    out = b""
    while True:
        try:
            piece = os.read(terminal, 4096)
        except OSError:
            break
        if not piece:
            break
        out += piece
    os.waitpid(child, 0)
    assert b"crossing: 0.3.1" in out
    about = (tmp_path / "d/tree/about.json").read_text()
    assert about == '{"crossing": "@game.version@", "clock": "@pack.version@"}'


@pytest.mark.parametrize(
    ("files", "clips", "code", "said"),
    [
        ({"a.json": '{"s": [ {"id": "x", "f": "x.wav", } '}, ["x.wav"], 1, "found the end of the file"),
        ({"src/a.py": "print(1)"}, [], 1, "there is no sound in this, so it is no pack that can be learned from"),
        ({}, [], 1, "this is empty"),
        (
            {"b.json": '{"s": [{"id": "x", "f": "x.wav"}, {"id": "y", "f": "y.wav"}]}'}, ["x.wav"], 0,
            "entries that name no file of the pack, such as y",
        ),
        (
            {"m.json": json.dumps({"s": {"x": "x.wav"}, "all": {f"n{number}": number for number in range(2500)}})},
            ["x.wav"], 1, "2,500 different names stand in one place there; it is left out",
        ),
        ({"x.def": 'sound "x" { file "x.wav" gain 0.8 }\n'}, ["x.wav"], 1, "names sound files in a way that is not understood"),
    ],
)  # fmt: skip
def test_a_half_or_a_broken_pack_is_told(
    tmp_path: Path, files: dict[str, str], clips: list[str], code: int, said: str
) -> None:
    (tmp_path / "pack").mkdir()
    lay_pack(tmp_path / "pack", files, clips)
    learned = run("learn", "pack", "--to", "draft", cwd=tmp_path)
    assert learned.code == code, learned.out + learned.err
    assert said in learned.out + learned.err


def test_names_that_lead_out_and_templates_in_a_strangers_pack(tmp_path: Path) -> None:
    lay_pack(tmp_path / "pack", {"a@b.json": '{"n@me": "a", "s": [{"id": "x@y", "f": "x@y.wav"}]}'}, ["x@y.wav"])
    (tmp_path / "pack/go.lua").write_text('load("x@y") -- {{ 7 * 7 }}\n')
    with zipfile.ZipFile(tmp_path / "pack.zip", "w") as archive:
        for path in (tmp_path / "pack").iterdir():
            archive.writestr(path.name, path.read_bytes())
        archive.writestr("../../out.json", '{"s": []}')
    learned = run("learn", "pack.zip", "--to", "draft", cwd=tmp_path)
    assert learned.code == 1
    assert "no system takes such a name for a file" in learned.out
    assert not list(tmp_path.parent.glob("out.json"))
    assert not list((tmp_path / "draft").rglob("*.j2"))
    assert run("games", "check", "draft", cwd=tmp_path).code == 0


def test_many_files_are_learned(tmp_path: Path) -> None:
    pack = lay_pack(tmp_path / "pack", {}, ["one.wav"])
    data = (pack / "one.wav").read_bytes()
    (pack / "one.wav").unlink()
    entries = []
    for number in range(400):
        for take in (1, 2):
            (pack / f"call{number}-{take}.wav").write_bytes(data)
        files = [{"at": f"call{number}-{take}.wav", "odds": take} for take in (1, 2)]
        entries.append({"id": f"call{number}", "group": ("reed", "pond")[number % 2], "files": files})
    (pack / "all.json").write_text(json.dumps({"sounds": entries}))
    said = json.loads(run("learn", pack, "--to", tmp_path / "draft", "--json").out)
    assert (said["proof"]["back"], said["proof"]["values"], said["doubts"]) == (2400, 2400, [])


def test_comparing_says_values_sounds_and_files(workspace: Path, tmp_path: Path) -> None:
    first = tmp_path / "first.lampbox"
    shutil.copy(workspace / PACKAGE, first)
    same = run("compare", first, workspace / PACKAGE)
    assert (
        same.code,
        "Nothing differs: 5 are alike. Of 6 sound files all are the same byte for byte." in same.out,
    ) == (0, True)
    edit(
        workspace,
        'takes = ["clips/gull.ogg"]',
        'takes = ["clips/bell-take3.wav", {clip = "clips/gull.ogg", weight = 3}]\nvolume = 0.5',
    )
    edit(workspace, 'key = "hatch-closed"', 'key = "hatch-opened"')
    (workspace / "ichnos.toml").write_text(
        (workspace / "ichnos.toml").read_text()
        + '\n[[trigger]]\nname = "dusk"\nevent = "dusk"\nkey = "shore-gull-calling"\n'
    )
    second = built(workspace)
    found = run("compare", first, second)
    assert found.code == 1
    for line in (
        "- sound hatch-closed", "+ sound hatch-opened", "~ sound shore-gull-calling", "    volume: 1  becomes  0.5",
        "    take 2's weight: nothing  becomes  3", "+ trigger dusk",
        "    take 1's sound: Ogg Vorbis, mono, 44.1 kHz, 2.10 s, -17.2 LUFS  becomes  Ogg Vorbis, mono, 44.1 kHz, 3.00 s",
    ):  # fmt: skip
        assert line in found.out, found.out
    said = json.loads(run("compare", first, second, "--json").out)
    assert {one["what"] for one in said["changes"]} == {"added", "removed", "changed"}
    game = json.loads(run("compare", second, workspace.parent / "Tarnlight", "--json").out)
    assert game["left-out"] > 200
    assert ("pack", "") not in {(one["of"], one["name"]) for one in game["changes"]}


def test_what_is_not_understood_is_compared_too(workspace: Path, tmp_path: Path) -> None:
    sides = []
    for name, echo in (("without", ""), ("three", '"echo": 3, '), ("four", '"echo": 4, ')):
        with zipfile.ZipFile(workspace / PACKAGE) as archive:
            archive.extractall(tmp_path / name)
        voices = tmp_path / name / "lore/log.json"
        voices.write_text(voices.read_text().replace('"words"', f'{echo}"words"', 1))
        sides.append(tmp_path / name)
    without, three, four = sides
    assert "/echo, which is not understood: nothing  becomes  3" in run("compare", without, three).out
    changed = run("compare", three, four)
    assert (changed.code, "/echo, which is not understood: 3  becomes  4" in changed.out) == (1, True), changed.out
    assert run("compare", three, three).code == 0


def test_what_is_said_twice_is_compared_too(tmp_path: Path) -> None:
    laid = lay(BY_NAME["fenlow"], tmp_path)
    pack = built(laid.workspaces[0])
    calls = pack / "fen/calls.csv"
    rows = calls.read_text().splitlines(keepends=True)
    other = shutil.copytree(pack, tmp_path / "other")
    (other / "fen/calls.csv").write_text("".join([*rows, rows[1]]))  # the same once more, then otherwise
    (tmp_path / "third").mkdir()
    third = shutil.copytree(pack, tmp_path / "third/pack")
    (third / "fen/calls.csv").write_text("".join([*rows, rows[1].replace("signals", "house")]))
    key = rows[1].split(",")[0]
    for one in (other, third):
        found = run("compare", pack, one, "--game", laid.profile)
        assert found.code == 1, found.out
        assert f"+ sound {key} (2)" in found.out
    found = run("compare", other, third, "--game", laid.profile)
    assert f"~ sound {key} (2)" in found.out
    assert "category: signals  becomes  house" in found.out
    assert run("compare", other, other, "--game", laid.profile).code == 0


def test_the_same_sound_coded_again_and_a_loop_that_moved(tmp_path: Path) -> None:
    laid = lay(BY_NAME["millrace"], tmp_path)
    pack = built(laid.workspaces[0])
    other = tmp_path / "other"
    shutil.copytree(pack, other)
    sound = next(other.rglob("*.wav"))
    sound.write_bytes(sound.read_bytes() + b"LIST\x04\0\0\0INFO")  # a tag: the samples are the same
    assert run("compare", pack, other, "--game", laid.profile).code == 0
    data = bytearray(sound.read_bytes())
    for at in range(2000, 4000, 2):
        data[at] ^= 1  # the lowest bit
    sound.write_bytes(data)
    found = run("compare", pack, other, "--game", laid.profile)
    assert found.code == 1
    assert re.search(r"coded again, \d\d dB below it is other", found.out), found.out


def test_an_adopted_clip_is_taken_over_until_something_is_done_to_it(workspace: Path, tmp_path: Path) -> None:
    own = tmp_path / "own"
    assert run("adopt", workspace / PACKAGE, "--to", own).code == 0
    assert "game = " in (own / "ichnos.toml").read_text()
    assert "icon.png, as it is" in run("build", "--dry-run", cwd=own).out
    before = contents(built(own))
    edit(own, 'key = "tower-bell-near"', 'key = "tower-bell-near"\ntreatment = "louder"')
    (own / "ichnos.toml").write_text(
        (own / "ichnos.toml").read_text() + '\n[treatment]\nlouder = [{step = "gain", db = 3}]\n'
    )
    done = run("build", cwd=own)
    assert "it was Vorbis already, and coded again it loses a second time" in done.out + done.err
    after = contents(own / PACKAGE)
    changed = [name for name in before if name.endswith(".ogg") and before[name] != after[name]]
    assert [name.rpartition("/")[2] for name in changed] == ["tower-bell-near-1.ogg"]
    damaged = own / "clips/hatch-closed-1.ogg"
    damaged.write_bytes(damaged.read_bytes()[:2000])
    assert "hatch-closed-1.ogg" in run("build", cwd=own).err  # it is not taken over unheard


def test_what_cannot_be_adopted_is_named(tmp_path: Path) -> None:
    laid = lay(BY_NAME["wickerby"], tmp_path)
    pack = built(laid.workspaces[0])
    text = (pack / "baskets.xml").read_text()
    text = text.replace('rank="6"', 'rank="6" tint="blue"').replace('rev="0.3.1"', 'rev="0.3"')
    text = text.replace(
        "</baskets>",
        '  <basket name="air"><sound key="lost/one"><take weight="1">none.wav</take></sound></basket>\n</baskets>',
    )
    (pack / "baskets.xml").write_text(text)
    (pack / "read me.txt").write_text("Hello.")
    done = run("adopt", pack, "--game", laid.profile, "--to", tmp_path / "own")
    assert done.code == 1
    for said in (
        'its version "0.3" is written as 0.3.0',
        "take 1 of lost/one leads to no sound of this pack",
        "tint = blue does not come back",
    ):
        assert said in done.out, done.out
    assert contents(built(tmp_path / "own"))["read me.txt"] == b"Hello."
    assert run("adopt", pack, "--game", laid.profile, "--to", tmp_path / "own").code == 2
    assert run("adopt", pack, "--game", "tarnlight", "--to", tmp_path / "no").code == 1
    assert "no game that is known has such packs" in run("adopt", pack, "--to", tmp_path / "no").err


def test_a_pack_of_another_edition_is_no_empty_workspace(tmp_path: Path) -> None:
    laid = lay(BY_NAME["tarnlight"], tmp_path)
    other = shutil.copytree(places.BUNDLED / "tarnlight", tmp_path / "edition")
    (other / "tree/lore/log.json").rename(other / "tree/lore/ledger.json")
    (other / "game.toml").write_text((other / "game.toml").read_text().replace("lore/log.json", "lore/ledger.json"))
    refused = run("adopt", built(laid.workspaces[0]), "--game", other, "--to", tmp_path / "no")
    assert refused.code == 1
    assert "no key plays one of them; Tarnlight reads lore/ledger.json, and that is not there" in refused.err
    assert not (tmp_path / "no").exists()


def test_a_pack_is_brought_to_another_edition_of_its_game(tmp_path: Path) -> None:
    """Another folder, another name for a key's place, another rate, another version; then one that has no titles."""
    pack = built(lay(BY_NAME["tarnlight"], tmp_path).workspaces[0])
    other = shutil.copytree(places.BUNDLED / "tarnlight", tmp_path / "edition")
    (other / "tree/lore/audio").rename(other / "tree/lore/sounds")
    log = (other / "tree/lore/log.json").read_text().replace("lore/audio", "lore/sounds").replace('"voice"', '"caller"')
    (other / "tree/lore/log.json").unlink()
    (other / "tree/lore/ledger.json").write_text(log)
    rules = (other / "game.toml").read_text().replace("lore/log.json", "lore/ledger.json").replace("2.3.0", "3.0.0")
    (other / "game.toml").write_text(rules.replace("rate = 44100", "rate = 48000"))
    moved = run("migrate", pack, "--to", other, "--folder", tmp_path / "own")
    assert moved.code == 0, moved.out + moved.err
    assert "game.version: 2.3.0  becomes  3.0.0" in moved.out
    assert "44.1 kHz" in moved.out
    before, after = contents(pack), contents(built(tmp_path / "own"))
    of_log, of_ledger = (json.loads(text) for text in (before["lore/log.json"], after["lore/ledger.json"]))
    called = [one["voice"] for page in of_log["log"] for one in page["heard"]]
    assert [one["caller"] for page in of_ledger["log"] for one in page["heard"]] == called
    names = {name.replace("lore/audio", "lore/sounds") for name in before if name.endswith(".ogg")}
    assert {name for name in after if name.endswith(".ogg")} == names
    text = (tmp_path / "own/ichnos.toml").read_text()
    assert re.search(r'\[ids\]\npack = "[0-9a-f-]{36}"', text)
    (other / "tree/lore/ledger.json").write_text(re.sub(r'\n *"words": .*', "", log))
    lossy = run("migrate", pack, "--to", other, "--folder", tmp_path / "less")
    assert lossy.code == 1
    assert "becomes  nothing" in lossy.out
    assert run("migrate", pack, "--to", other, "--folder", tmp_path / "less").code == 2  # it is there
    assert run("migrate", pack, "--to", "tarnlite").code == 2


def test_profiles_are_begun_packed_kept_and_forgotten(tmp_path: Path) -> None:
    def said(*words: str | Path, code: int = 0) -> str:
        done = run(*words, cwd=tmp_path)
        assert done.code == code, done.out + done.err
        return done.out + done.err

    said("games", "draft", "my-bog", "--from", "quillmarsh")
    said("games", "check", "my-bog")
    assert "wants to know its version and author and licence" in said("games", "pack", "my-bog", code=2)
    rules = tmp_path / "my-bog/game.toml"
    rules.write_text(
        rules.read_text().replace(
            "[audio]", '[profile]\nversion = "1.0.0"\nauthor = "Ada"\nlicence = "MIT"\n\n[audio]', 1
        )
    )
    said("games", "pack", "my-bog")
    first = (tmp_path / "my-bog-1.0.0.zip").read_bytes()
    os.utime(rules)
    said("games", "pack", "my-bog", "--overwrite")
    assert (tmp_path / "my-bog-1.0.0.zip").read_bytes() == first
    assert "Kept: My Bog 1.0.0, by Ada" in said("games", "add", "my-bog-1.0.0.zip")
    assert "Kept by you:" in said("games")
    shutil.rmtree(tmp_path / "my-bog")
    assert "My Bog" in said("games", "show", "my-bog")
    said("games", "draft", "newer", "--from", "my-bog")
    newer = tmp_path / "newer/game.toml"
    newer.write_text(newer.read_text().replace('"newer"', '"my-bog"').replace("rate = 22050", "rate = 44100"))
    assert "kept already: my-bog 1.0.0" in said("games", "add", "newer", code=2)
    laid = lay(BY_NAME["quillmarsh"], tmp_path / "q")
    own = laid.workspaces[0]
    edit(own, 'game = "quillmarsh"', 'game = "my-bog"')
    built(own)
    out = said("games", "add", "newer", "--replace", "--dry-run", "-w", own)
    assert "mono, 22.05 kHz  becomes  WAV PCM 16, mono, 44.1 kHz" in out
    assert "6 sounds are converted anew" in out
    said("games", "add", "newer", "--replace")
    (tmp_path / "newer/tree/about.bog").write_text("notebook { labelled = @pack.titel@; }\n")
    assert "newer/tree/about.bog" in said("games", "add", "newer", "--replace", code=1)
    assert "kept are: my-bog" in said("games", "remove", "my-bg", code=2)
    said("games", "remove", "my-bog")
    assert "there is no game profile" in said("games", "show", "my-bog", code=2)
    assert "ships with Ichnos" in said("games", "remove", "tarnlight", code=2)


def test_a_folder_comes_before_a_kept_profile(tmp_path: Path) -> None:
    """A workspace means the same whatever is kept."""
    laid = lay(BY_NAME["millrace"], tmp_path)
    assert run("games", "add", laid.profile).code == 0
    own = laid.workspaces[0]
    edit(own, 'game = "../millrace"', 'game = "millrace"')
    assert built(own).is_dir()  # the kept one
    shutil.copytree(laid.profile, own / "millrace")
    rules = own / "millrace/game.toml"
    rules.write_text(rules.read_text().replace("rate = 22050", "rate = 8000"))
    assert "8 kHz" in run("build", "--dry-run", cwd=own).out
    with zipfile.ZipFile(tmp_path / "bad.zip", "w") as archive:
        archive.writestr("game.toml", "format = 1")
        archive.writestr("../evil", "x")
    assert "no system takes such a name" in run("games", "add", tmp_path / "bad.zip").err


def test_how_much_of_a_pack_a_profile_understands(tmp_path: Path) -> None:
    laid = lay(BY_NAME["fenlow"], tmp_path)
    pack = built(laid.workspaces[0])
    whole = run("games", "check", laid.profile, "--against", pack, "--json")
    assert (whole.code, json.loads(whole.out)[str(pack)]["understood"]) == (0, 1.0), whole.out
    calls = pack / "fen/calls.csv"
    calls.write_text(calls.read_text().replace("call,file,sort,loud", "call,file,sort,loudness"))
    (pack / "notes.json").write_text('{"a": 1, "b": 2}')
    Image.new("RGB", (4, 4)).save(pack / "map.png")
    found = run("games", "check", laid.profile, "--against", pack)
    assert found.code == 1
    assert re.search(r"\d\d(\.\d)? % is understood", found.out)
    for line in ("fen/calls.csv: 18 of 24 values", "not spoken of:", "notes.json"):
        assert line in found.out, found.out
    game = lay_game(tmp_path)
    elsewhere = run("games", "check", laid.profile, "--harvest", game)
    assert "None of the profile's documents is there." in elsewhere.out
    harvested = run("games", "check", "tarnlight", "--harvest", game)
    assert harvested.code == 1
    assert re.search(r"lore/log\.json: [\d,]+ of [\d,]+ values", harvested.out)


def lay_game(folder: Path) -> Path:
    sample = ten_games.made_up.sample_of(ten_games.profiles.BUNDLED / "tarnlight")
    assert sample
    ten_games.made_up.lay_installation(sample, folder / "Tarnlight")
    return folder / "Tarnlight"
