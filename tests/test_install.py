"""install, restore, installed, swap and status, as they are typed, in every made-up game."""

from __future__ import annotations

import itertools
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

from conftest import clip, run
from ichnos.games import made_up
from ichnos.games.profiles import profile
from ichnos.install import transaction
from test_place import install as put_in
from test_place import lay_all, tree

KEYS = {
    "tarnlight": ("shore-foghorn-distant", "tower-bell-near"),
    "ombervale": ("block/bell/one", "gantry/lever/two"),
    "quillmarsh": ("heron_calls_dawn", "snipe_lands_day"),
    "vesper-yard": ("ferry.engine.arriving", "gate.opens"),
}


def lay_game(folder: Path, game: str) -> Path:
    sample = made_up.sample_of(profile.BUNDLED / game)
    assert sample
    made_up.lay_installation(sample, folder / "game")
    if game == "vesper-yard":
        (folder / "game/dry-dock/hulls.made").write_bytes(b"made by the game")
    return folder / "game"


def workspace(folder: Path, name: str, game: str, *keys: str) -> Path:
    made = run("start", folder / name, "--game", game, "--licence", "MIT", "--installation", folder / "game")
    assert made.code == 0, made.err
    for number, key in enumerate(keys):
        clip(folder / name / f"{number}.wav", 200 + 90 * number + len(name))
        assert run("assign", key, folder / name / f"{number}.wav", cwd=folder / name).code == 0
    built = run("build", cwd=folder / name)
    assert built.code == 0, built.err
    return folder / name


@pytest.mark.parametrize("game", KEYS)
def test_two_packs_in_every_order_in_and_out(tmp_path: Path, game: str) -> None:
    there = lay_game(tmp_path, game)
    before = tree(there)
    first, both = KEYS[game]
    packs = {"one": workspace(tmp_path, "one", game, first), "two": workspace(tmp_path, "two", game, first, both)}
    for ins, outs in itertools.product(itertools.permutations(packs), repeat=2):
        for name in ins:
            middle = tree(there)
            shown = run("install", "--dry-run", cwd=packs[name]) if ins == outs else None
            assert middle == tree(there)
            done = run("install", cwd=packs[name])
            assert done.code == 0, done.err
            assert ("- dry-dock/hulls.made  stale" in done.out) == (game == "vesper-yard" and name == ins[0])
            assert middle != tree(there)
            if shown is not None:
                assert set(shown.out.splitlines()) <= set(done.out.splitlines())
                assert run("check", cwd=packs[name]).code == 0  # what is in the game is no clash with itself
        said = json.loads(run("installed", "--json").out)
        assert [one["name"] for one in said[0]["packs"]] == [*ins]
        assert all(one["changed"] == [] for one in said[0]["packs"])
        for name in outs:
            assert run("restore", name).code == 0
        assert tree(there) == before
    assert run("installed").out == "No pack is in any game.\n"


def test_what_wins_and_what_is_merged_is_told(tmp_path: Path) -> None:
    there = lay_game(tmp_path, "quillmarsh")
    first, second = KEYS["quillmarsh"]
    one, two = workspace(tmp_path, "one", "quillmarsh", first), workspace(tmp_path, "two", "quillmarsh", first, second)
    assert run("install", cwd=one).code == 0
    plan = {
        file["path"]: file["state"] for file in json.loads(run("install", "--dry-run", "--json", cwd=two).out)["files"]
    }
    assert plan["data/marsh/calls.bog"] == "merged"
    assert plan["hut/shelf.txt"] == "line"
    assert plan["hut/notebooks/two/about.bog"] == "new"
    assert run("install", cwd=two).code == 0
    listed = run("installed").out
    assert f"wins over one: {first}" in listed
    assert "kB of the game's own are kept" in listed
    calls = (there / "data/marsh/calls.bog").read_text()
    assert calls.count('"two_heron') == calls.count('"two_snipe') == 1
    shelf = (there / "hut/shelf.txt").read_text().splitlines()
    assert shelf.index("one") < shelf.index("two") < shelf.index("(the bookend)")
    assert run("restore", "two").code == 0
    assert '"one_heron' in (there / "data/marsh/calls.bog").read_text()  # the first one works again


def test_a_new_edition_takes_the_place_of_the_old_one(tmp_path: Path) -> None:
    there = lay_game(tmp_path, "tarnlight")
    own = workspace(tmp_path, "own", "tarnlight", "tower-bell-near")
    run("install", cwd=own)
    text = (own / "ichnos.toml").read_text().replace('version = "0.1.0"', 'version = "0.2.0"', 1)
    (own / "ichnos.toml").write_text(text)
    assert run("build", "--install", cwd=own).code == 0
    assert [path.name for path in (there / "packs").iterdir()] == ["own-0.2.0.lampbox"]
    assert [one["version"] for one in json.loads(run("installed", "--json").out)[0]["packs"]] == ["0.2.0"]


def test_a_folder_that_was_sent_as_an_archive_is_the_pack_that_was_built(tmp_path: Path) -> None:
    lay_game(tmp_path, "ombervale")
    folder = workspace(tmp_path, "one", "ombervale", KEYS["ombervale"][0])
    (built,) = (folder / "build").iterdir()
    sent = shutil.make_archive(str(tmp_path / "sent"), "zip", built.parent, built.name)
    assert run("install", sent, cwd=folder).code == 0
    assert [one["latest"] for one in json.loads(run("status", "--json", cwd=folder).out)["installed"]] == [True]


def test_the_catalogue_is_that_of_the_untouched_game(tmp_path: Path) -> None:
    there = lay_game(tmp_path, "quillmarsh")
    before = run("keys", "harvest", there, "--game", "quillmarsh").out
    own = workspace(tmp_path, "own", "quillmarsh", KEYS["quillmarsh"][0])
    run("install", cwd=own)
    assert run("keys", "harvest", there, "--game", "quillmarsh").out == before
    with (there / "data/marsh/calls.bog").open("a") as out:  # an update
        out.write('call newt_sings_dusk in frog {\n    sound = "frogs/newt.wav";\n    loudness = 1;\n}\n')
    assert (
        "newt_sings_dusk"
        in run("keys", "harvest", there, "--game", "quillmarsh").out + run("keys", "newt", "--game", "quillmarsh").out
    )
    assert "own_heron" not in run("keys", "heron", "--game", "quillmarsh", "--json").out
    assert run("restore", "own").code == 0
    assert "newt_sings_dusk" in (there / "data/marsh/calls.bog").read_text()
    assert "own_heron" not in (there / "data/marsh/calls.bog").read_text()


def pack_of(folder: Path, **files: str) -> Path:
    """A pack for the game of test_place, with some more files."""
    lay_all(folder)
    for name, text in files.items():
        (folder / "ash" / name).write_text(text)
    return folder


WORDS = ("install", "ash", "--game", "profile", "--to", "game")


def test_nothing_leads_out_of_the_game(tmp_path: Path) -> None:
    folder = pack_of(tmp_path / "a")
    secret = tmp_path / "secret.txt"
    secret.write_text("mine")
    (folder / "game/base/new").symlink_to(tmp_path)
    before = tree(folder / "game/base")
    refused = run(*WORDS, cwd=folder)
    assert refused.code == 1
    assert "a link stands here" in refused.err
    assert tree(folder / "game/base") == before
    (folder / "game/base/new").unlink()
    (folder / "game/base/scene.txt").unlink()
    (folder / "game/base/scene.txt").symlink_to(secret)
    assert "a link stands here" in run(*WORDS, cwd=folder).err
    assert secret.read_text() == "mine"
    with zipfile.ZipFile(tmp_path / "evil.zip", "w") as archive:
        archive.writestr("cues.json", (folder / "ash/cues.json").read_text())
        archive.writestr("../out.txt", "out")
    refused = run("install", tmp_path / "evil.zip", "--game", "profile", "--to", "game", cwd=folder)
    assert "ask its maker" in refused.err
    assert not (folder / "out.txt").exists()


def test_what_cannot_be_done_is_said_before_anything_is_touched(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = pack_of(tmp_path)
    before = tree(folder / "game")
    monkeypatch.setattr("shutil.disk_usage", lambda path: shutil._ntuple_diskusage(10**9, 10**9, 1000))  # type: ignore[attr-defined]
    assert "too little room here" in run(*WORDS, cwd=folder).err
    monkeypatch.undo()
    monkeypatch.setenv("ICHNOS_DATA", str(tmp_path / "data"))
    monkeypatch.setattr("os.access", lambda path, mode: not mode & os.W_OK)
    assert "may not be written to" in run(*WORDS, cwd=folder).err
    monkeypatch.undo()
    monkeypatch.setenv("ICHNOS_DATA", str(tmp_path / "data"))
    (folder / "game/base/order.txt").write_text("no end\n")
    refused = run(*WORDS, cwd=folder)
    assert 'the line "reads ash" must stand above "(end)"' in refused.err
    assert run("install", "ash", "--game", "profile", "--to", "ash", cwd=folder).code == 1  # no game at all
    (folder / "game/base/order.txt").write_text("first\r\n(end)\r\nlast", newline="")
    os.utime(folder / "game/base/order.txt", ns=(before["base/order.txt"][0],) * 2)
    assert tree(folder / "game") == before


def test_full_in_the_middle_is_taken_back(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = pack_of(tmp_path)
    before = tree(folder / "game")
    put_in(folder, "birch")
    fsync, left = os.fsync, 0

    def full(handle: int) -> None:
        nonlocal left
        left -= 1
        if left == 0:
            raise OSError(28, "No space left on device")
        fsync(handle)

    for moment in range(1, 60):
        left = moment
        monkeypatch.setattr("os.fsync", full)
        done = run(*WORDS, cwd=folder)
        monkeypatch.setattr("os.fsync", fsync)
        assert done.code in (0, 1)
        if done.code:
            assert "the disk is full" in done.err
            assert "ash" not in json.loads(run("installed", "--json").out)[0]["packs"]
        else:
            assert run("restore", "ash", cwd=folder).code == 0
            break
    assert run("restore", "birch", cwd=folder).code == 0
    assert tree(folder / "game") == before


def test_two_at_once_one_waits(tmp_path: Path) -> None:
    folder = pack_of(tmp_path)
    words = [["install", name, "--game", "profile", "--to", "game", "--force"] for name in ("ash", "birch", "cedar")]
    running = [
        subprocess.Popen([sys.executable, "-m", "ichnos", *one], cwd=folder, stdout=-1, stderr=-1) for one in words
    ]
    assert [one.wait() for one in running] == [0, 0, 0]
    assert len(json.loads(run("installed", "--json").out)[0]["packs"]) == 3


def test_a_damaged_original_is_never_put_back(tmp_path: Path) -> None:
    folder = pack_of(tmp_path)
    run(*WORDS, cwd=folder)
    kept = [path for path in (tmp_path / "data/originals").rglob("*") if path.is_file() and path.read_bytes() == b"own"]
    kept[0].write_bytes(b"bad")
    done = run("restore", "ash", cwd=folder)
    assert done.code == 1
    assert (folder / "game/base/scene.txt").read_text() == "ash"
    kept[0].write_bytes(b"own")
    assert run("restore", "ash", cwd=folder).code == 0
    assert (folder / "game/base/scene.txt").read_text() == "own"


def test_a_journal_that_is_lost_or_damaged_costs_no_original(tmp_path: Path) -> None:
    folder = pack_of(tmp_path)
    before = tree(folder / "game")
    run(*WORDS, cwd=folder)
    journal, originals = tmp_path / "data/installed.sqlite", tmp_path / "data/originals"
    good, kept = journal.read_bytes(), tree(originals)
    for bad in (b"", b"no database" * 200, good[:100] + bytes(2000) + good[2100:]):
        journal.write_bytes(bad)
        for words in (["installed"], ["restore"], ["install", "birch", *WORDS[2:]]):
            done = run(*words, cwd=folder)
            assert (done.code, "installed.sqlite" in done.err) == (1, True), done.err
    for said, instead in (("scene", "scenX"), ('"packs"', '"pacXs"'), ("base/", "basX/")):  # no page is damaged
        journal.write_bytes(good.replace(said.encode(), instead.encode()))
        done = run("restore", "ash", cwd=folder)
        assert (done.code, "installed.sqlite: this is damaged" in done.err) == (1, True), done.err
    journal.write_bytes(good)
    with closing(sqlite3.connect(journal)) as notes, notes:
        notes.execute("DELETE FROM games")  # rows that are gone without a word
    assert (run("restore", "ash", cwd=folder).code, run("installed").code) == (1, 1)
    assert tree(originals) == kept
    journal.unlink()
    assert "are kept in" in run("restore").err
    journal.write_bytes(good)
    assert run("restore").code == 0
    assert tree(folder / "game") == before


def test_install_in_a_profile_is_checked(tmp_path: Path) -> None:
    lay_all(tmp_path)
    path = tmp_path / "profile/game.toml"
    text = path.read_text()
    for wrong in ('caches = [""]', 'caches = ["../x"]', 'caches = ["base/pressed", "base/index.bin"]\nlay = "x"'):
        path.write_text(text.replace('caches = ["base/pressed", "base/index.bin"]', wrong))
        assert "game.toml" in run("games", "check", tmp_path / "profile").err
    for wrong in ('line = "@pack.nam@"', 'line = "@key@"', 'line = "a\\nb"', 'line = ""', 'line = "x"\nafter = "y"'):
        path.write_text(text.replace('line = "reads @pack.name@"', wrong))
        assert run("games", "check", tmp_path / "profile").code == 1
    path.write_text(text.replace('folder = "base"\nlay', "lay"))
    assert "does not say where a pack goes" in run(*WORDS, cwd=tmp_path).err


def test_one_sound_one_command(tmp_path: Path) -> None:
    there = lay_game(tmp_path, "tarnlight")
    before = tree(there)
    clip(tmp_path / "a.wav", 300)
    words = ("--game", "tarnlight", "--installation", there, "--install")
    assert run("swap", "tower-bell-near", "a.wav", *words, "--dry-run", cwd=tmp_path).code == 0
    wrong = run("swap", "tower-bel-near", "a.wav", *words, "--dry-run", cwd=tmp_path)
    assert (wrong.code, "did you mean tower-bell-near" in wrong.err) == (1, True)
    assert (tree(there), (tmp_path / "my-tarnlight-sounds").exists()) == (before, False)
    done = run("swap", "tower-bell-near", tmp_path / "a.wav", *words, cwd=tmp_path)
    assert done.code == 0, done.err
    own = tmp_path / "my-tarnlight-sounds"
    assert run("swap", "shore-foghorn-distant", "a.wav", "--install", cwd=tmp_path).code == 0
    assert run("swap", "tower-bel-near", "a.wav", cwd=tmp_path).code == 1
    told = json.loads(run("swap", "tower-bell-near", "a.wav", "--json", cwd=tmp_path).out)
    assert (told["passed"], told["keys"]) == (True, 2)
    with zipfile.ZipFile(there / "packs/my-tarnlight-sounds-0.1.0.lampbox") as archive:
        log = json.loads(archive.read("lore/log.json"))["log"]
    assert sorted(one["voice"] for page in log for one in page["heard"]) == ["shore-foghorn-distant", "tower-bell-near"]
    clip(own / "unused.wav", 400)
    said = json.loads(run("status", "--json", cwd=own).out)
    assert (said["sounds"], said["built"], said["unused-clips"]) == (2, "current", ["unused.wav"])
    assert said["installed"][0]["latest"]
    text = run(cwd=own)  # no word at all
    assert "Next: mend, or waive under [[waive]], what the last check found: licence-missing, ichnos.toml:" in text.out
    (own / "ichnos.toml").write_text((own / "ichnos.toml").read_text().replace("0.1.0", "0.1.1"))
    assert json.loads(run("status", "--json", cwd=own).out)["next"]["command"] == "ichnos build"
    (own / "clips/a.wav").unlink()
    assert json.loads(run("status", "--json", cwd=own).out)["missing-clips"]
    assert run("restore", cwd=own).code == 0
    assert tree(there) == before


def test_the_games_own_spelling_of_a_name_is_taken(tmp_path: Path) -> None:
    folder = pack_of(tmp_path)
    (folder / "game/base/cues.json").rename(folder / "game/base/Cues.JSON")
    (folder / "game/base/scene.txt").rename(folder / "game/base/SCENE.txt")
    for path in (folder / "game/base", folder / "game"):
        os.utime(path, ns=(10**18, 10**18))
    before = tree(folder / "game")
    assert run(*WORDS, cwd=folder).code == 0
    assert (folder / "game/base/SCENE.txt").read_text() == "ash"
    assert "ash-bell" in (folder / "game/base/Cues.JSON").read_text()
    assert not (folder / "game/base/scene.txt").exists()
    assert run("restore", cwd=folder).code == 0
    assert tree(folder / "game") == before


def interrupted(folder: Path) -> None:
    """A restore of the first pack, killed before its first step."""
    with transaction.opened(folder / "game") as game:
        planned = game.to_restore(game.record.packs[0])
        for sha256, data in planned.contents.made.items():
            game.journal.keep(sha256, data)
        game.journal.begin(game.root.folder, game.record, planned.what)


def test_going_on_with_one_pack_leaves_the_others_in(tmp_path: Path) -> None:
    folder = pack_of(tmp_path)
    put_in(folder, "ash")
    put_in(folder, "birch")
    interrupted(folder)
    done = run("restore", cwd=folder)
    assert (done.code, "gone on with" in done.err) == (0, True), done.err
    assert [one["name"] for one in json.loads(run("installed", "--json").out)[0]["packs"]] == ["birch"]
    put_in(folder, "ash")
    interrupted(folder)  # of birch
    assert run("restore", "birch", cwd=folder).code == 0
    interrupted(folder)  # of ash
    assert run("restore", "ash", cwd=folder).code == 0
    assert run("installed").out == "No pack is in any game.\n"


def test_a_changed_file_stops_no_other_command_and_force_keeps_what_was_there(tmp_path: Path) -> None:
    folder = pack_of(tmp_path)
    put_in(folder, "ash")
    (folder / "game/base/scene.txt").write_text("update")
    assert run("keys", "harvest", "game", "--game", "profile", cwd=folder).code == 0
    refused = run("install", "birch", *WORDS[2:], cwd=folder)
    assert (refused.code, "changed by somebody else since" in refused.err) == (1, True), refused.err
    assert run("install", "birch", "--force", *WORDS[2:], cwd=folder).code == 0
    assert (folder / "game/base/scene.txt").read_text() == "birch"
    for name in ("birch", "ash"):
        assert run("restore", name, cwd=folder).code == 0
        assert (folder / "game/base/scene.txt").read_text() == "update"
