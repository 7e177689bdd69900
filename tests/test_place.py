"""Packs put into a game and taken out again: every order, every change by others, every moment of being killed."""

from __future__ import annotations

import io
import json
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import IO, Any

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from ichnos.errors import IchnosError
from ichnos.files.guarded import GuardedFolder, Incoming
from ichnos.games.profiles import loading
from ichnos.install import transaction
from ichnos.install.states import OnChange
from test_hostile import killed

RULES = """
format = 1
[game]
name = "reedholm"
title = "Reedholm"
summary = "A thatcher's summer."
versions = ["1"]
[audio]
container = "WAV"
codec = "PCM 16"
rate = 22050
channels = 1
[takes]
several = false
[catalogue]
folder = "base"
[packaging]
kind = "folder"
name = "@pack.name@"
[[document]]
path = "cues.json"
mode = "merge"
[install]
folder = "base"
lay = "over"
caches = ["base/pressed", "base/index.bin"]
[[install.lists]]
path = "base/order.txt"
line = "reads @pack.name@"
before = "(end)"
"""
KILL_STEP = int(os.environ.get("KILL_STEP", "9"))  # each moment, or every so-manyth
OWN = {"bell": "own/bell.wav", "gull": "own/gull.wav", "frog": "own/frog.wav"}
# What each pack gives: keys with their files, and other files by their path.
PACKS: dict[str, tuple[dict[str, str], dict[str, str]]] = {
    "ash": ({"bell": "wav/ash-bell.wav", "ash": "wav/ash-ash.wav"}, {"scene.txt": "ash", "new/deep/a.txt": "ash"}),
    "birch": (
        {"bell": "wav/birch-bell.wav", "both": "wav/birch-both.wav"},
        {"scene.txt": "birch", "new/b.txt": "birch"},
    ),
    "cedar": (
        {"gull": "wav/cedar-gull.wav", "both": "wav/cedar-both.wav"},
        {"new/b.txt": "cedar", "wav/x.txt": "same"},
    ),
}


def cues(entries: dict[str, str]) -> str:
    lines = ",\n".join(f'    {{ "id": "{key}", "src": "{file}" }}' for key, file in entries.items())
    return f'{{\n  "season": 3, // of the year\n  "cues": [\n{lines}\n  ]\n}}\n'


def lay(folder: Path, files: dict[str, str]) -> None:
    for name, text in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text)


def lay_all(folder: Path) -> None:
    """A profile, a game, and three packs made by hand."""
    lay(
        folder / "profile",
        {"game.toml": RULES, "tree/cues.json": cues({"@key@": "@file@"}), "tree/wav/@pack.name@-@key@.wav": ""},
    )
    lay(
        folder / "game/base",
        {"cues.json": cues(OWN), "scene.txt": "own", "order.txt": "first\r\n(end)\r\nlast", "pressed/a.bin": "made"},
    )
    for name, (entries, files) in PACKS.items():
        sounds = dict.fromkeys(entries.values(), f"sound of {name}")
        lay(folder / name, {"cues.json": cues({**OWN, **entries}), **files, **sounds})
    for number, path in enumerate([*sorted((folder / "game").rglob("*"), reverse=True), folder / "game"]):
        os.utime(path, ns=(10**18 + number, 10**18 + number))


def tree(folder: Path) -> dict[str, tuple[Any, ...]]:
    """All files and folders: names, bytes, times, modes."""
    found = {}
    for path in [folder, *folder.rglob("*")]:
        how = path.stat()
        found[path.relative_to(folder).as_posix()] = (
            how.st_mtime_ns,
            how.st_mode,
            path.read_bytes() if path.is_file() else None,
        )
    return found


def install(folder: Path, name: str, on_change: OnChange = "stop") -> None:
    with transaction.opened(folder / "game") as game:
        game.carry_out(game.to_install(loading.load(folder / "profile"), folder / name, on_change))


def restore(folder: Path, name: str, on_change: OnChange = "stop") -> None:
    with transaction.opened(folder / "game") as game:
        pack = next(one for one in game.record.packs if one.name == name)
        game.carry_out(game.to_restore(pack, on_change))


def entries(text: str) -> dict[str, str]:
    plain = text.replace("// of the year", "")
    return {one["id"]: one["src"] for one in json.loads(plain)["cues"]}


class Modder(RuleBasedStateMachine):
    """Packs in and out, updates of the game, and other people's changes; the model knows what must be there."""

    def __init__(self) -> None:
        super().__init__()
        self.folder = Path(tempfile.mkdtemp())
        os.environ["ICHNOS_DATA"] = str(self.folder / "data")
        lay_all(self.folder)
        self.base = self.folder / "game/base"
        self.before = tree(self.folder / "game")
        self.keys = dict(OWN)
        self.lines = ["first", "(end)", "last"]
        self.own = {"scene.txt": "own"}
        self.packs: list[str] = []
        self.given_up: set[str] = set()  # files that somebody has changed, and that we have let go
        self.untouched = True
        self.count = 0

    def teardown(self) -> None:
        shutil.rmtree(self.folder)

    def files(self) -> dict[str, str]:
        said = dict(self.own)
        for name in self.packs:
            keys, files = PACKS[name]
            more = {**files, **dict.fromkeys(keys.values(), f"sound of {name}")}
            said |= {path: text for path, text in more.items() if (name, path) not in self.given_up}
        return said

    @rule(name=st.sampled_from(sorted(PACKS)))
    def put_in(self, name: str) -> None:
        if (
            name != "ash" and name not in self.packs and {"birch", "cedar"} - {name} <= {*self.packs}
        ):  # both bring the key "both"
            with pytest.raises(IchnosError, match='has "both" already'):
                install(self.folder, name)
        install(self.folder, name, "force")
        self.packs += [] if name in self.packs else [name]
        self.given_up = {(pack, path) for pack, path in self.given_up if pack != name}

    @precondition(lambda self: self.packs)
    @rule(data=st.data())
    def take_out(self, data: st.DataObject) -> None:
        name = data.draw(st.sampled_from(self.packs))
        restore(self.folder, name)
        self.packs.remove(name)

    @rule(key=st.sampled_from(["frog", "otter", "reed"]))
    def update_of_the_game(self, key: str) -> None:
        """The game's own file as an update has it: one entry more, or another."""
        self.count += 1
        self.untouched = False
        text = (self.base / "cues.json").read_text()
        file = f"own/update-{self.count}.wav"
        old = self.keys.get(key)
        new = (
            text.replace(f'"{old}"', f'"{file}"')
            if old
            else text.replace('"cues": [\n', f'"cues": [\n    {{ "id": "{key}", "src": "{file}" }},\n')
        )
        (self.base / "cues.json").write_text(new)
        self.keys[key] = file

    @rule()
    def another_tool_adds_a_line(self) -> None:
        self.count += 1
        self.untouched = False
        with (self.base / "order.txt").open("a", newline="") as out:
            out.write(f"\r\nline {self.count}")
        self.lines.append(f"line {self.count}")

    @rule()
    def the_game_makes_its_caches(self) -> None:
        lay(self.base, {"pressed/a.bin": "made again", "pressed/b.bin": "and more", "index.bin": "index"})
        self.untouched &= bool(self.packs)

    @precondition(lambda self: any((self.base / path).exists() for path in ("scene.txt", "new/b.txt")) and self.packs)
    @rule(data=st.data(), path=st.sampled_from(["scene.txt", "new/b.txt"]))
    def a_file_is_changed_by_others(self, data: st.DataObject, path: str) -> None:
        """Taken out then: refused without a word of what is to be done; kept, or brought back."""
        claiming = [name for name in self.packs if path in PACKS[name][1] and (name, path) not in self.given_up]
        if not claiming:
            return
        self.count += 1
        (self.base / path).write_text(f"theirs {self.count}")
        name = claiming[-1]  # whose file it is that stands there
        before = tree(self.folder / "game")
        with pytest.raises(IchnosError, match="changed by somebody else"):
            restore(self.folder, name)
        assert tree(self.folder / "game") == before
        how: OnChange = data.draw(st.sampled_from(["theirs", "force"]))
        restore(self.folder, name, how)
        self.packs.remove(name)
        if how == "theirs":
            self.untouched = False
            self.own[path] = f"theirs {self.count}"
            self.given_up |= {(one, path) for one in claiming}

    @invariant()
    def all_is_as_it_must_be(self) -> None:
        files = self.files()
        there = {path.relative_to(self.base).as_posix() for path in self.base.rglob("*") if path.is_file()}
        assert there - {"pressed/a.bin", "pressed/b.bin", "index.bin"} == {*files, "cues.json", "order.txt"}
        assert {name: (self.base / name).read_text() for name in files} == files
        keys = dict(self.keys)
        for name in self.packs:
            keys |= PACKS[name][0]
        assert entries((self.base / "cues.json").read_text()) == keys
        lines = (self.base / "order.txt").read_text().splitlines()
        ours = [f"reads {name}" for name in self.packs]
        assert sorted(lines) == sorted([*self.lines, *ours])
        assert all(lines.index(line) < lines.index("(end)") for line in ours)
        if not self.packs and self.untouched:
            assert tree(self.folder / "game") == self.before


TestModder = Modder.TestCase
TestModder.settings = settings(
    max_examples=18, stateful_step_count=14, deadline=None, suppress_health_check=list(HealthCheck)
)


@pytest.fixture
def modder() -> Iterator[Modder]:
    one = Modder()
    yield one
    one.teardown()


def test_a_file_that_goes_in_below_anothers_is_kept_for_when_it_comes_up(modder: Modder) -> None:
    for name in ("cedar", "birch"):
        install(modder.folder, name, "force")
    (modder.base / "new/b.txt").write_text("theirs")
    restore(modder.folder, "birch", "theirs")
    for name in ("birch", "cedar"):
        install(modder.folder, name, "force")
    restore(modder.folder, "birch")
    assert (modder.base / "new/b.txt").read_text() == "cedar"


def test_a_cache_that_the_game_has_made_with_packs_in_it_does_not_come_back(modder: Modder) -> None:
    for name in ("ash", "cedar"):
        install(modder.folder, name)
    for _ in range(2):
        lay(modder.base, {"pressed/a.bin": "made again", "pressed/b.bin": "and more", "index.bin": "index"})
        install(modder.folder, "ash")
    for name in ("ash", "cedar"):
        restore(modder.folder, name)
    assert tree(modder.folder / "game") == modder.before


KILLED = """
from test_place import tree
assert run(["installed"]) == 0
game = Path("game")
assert not [path for path in game.rglob("*") if path.name.endswith("partial")], "parts are left"
lines = (game / "base/order.txt").read_text()
left = [name for name in ("ash", "birch") if f"reads {name}" in lines]
assert dead or left == AFTER
for name in left:
    assert run(["restore", name]) == 0
assert tree(game) == tree(Path("../virgin/game")), left
assert not [path for path in Path("data/originals").rglob("*") if path.is_file()], "originals are left"
"""


@pytest.mark.skipif(not hasattr(os, "fork"), reason="it is killed in a process of its own")
@pytest.mark.parametrize(
    ("there", "after", "words"),
    [
        (["birch"], ["ash", "birch"], ["install", "ash", "--game", "profile", "--to", "game"]),
        (["birch", "ash"], ["ash"], ["restore", "birch"]),
    ],
)
def test_killed_at_any_moment_one_command_leads_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, there: list[str], after: list[str], words: list[str]
) -> None:
    copy = tmp_path / "base-killed"  # which is where each run of it will be
    lay_all(tmp_path / "virgin")
    lay_all(copy)
    monkeypatch.setenv("ICHNOS_DATA", str(copy / "data"))
    for name in there:
        install(copy, name)
    copy.rename(tmp_path / "base")
    first = f"import test_place; os.environ['ICHNOS_DATA'] = {str(copy / 'data')!r}"
    check = f"AFTER = {after}\n{KILLED}"
    assert killed(tmp_path / "base", check, *words, step=KILL_STEP, first=first) > 3


@pytest.mark.parametrize("what", ["a file", "another folder"])
def test_what_comes_between_the_writing_and_the_naming(tmp_path: Path, what: str) -> None:
    """New files get their names together, at the end: by then somebody may have put a file or a folder there."""
    audio = tmp_path / "game/audio"
    audio.mkdir(parents=True)

    @contextmanager
    def opened(name: str) -> Iterator[tuple[IO[bytes], str]]:
        yield io.BytesIO(name.encode()), ""
        if name == "b.ogg" and what == "a file":
            (audio / "b.ogg").write_bytes(b"theirs")
        elif name == "b.ogg":
            audio.rename(tmp_path / "elsewhere")
            audio.symlink_to(tmp_path / "elsewhere")

    new = [Incoming(f"audio/{name}", partial(opened, name), None, None) for name in ("a.ogg", "b.ogg", "c.ogg")]
    with pytest.raises(IchnosError, match=r"has changed since the plan|another folder stands here"):
        GuardedFolder(tmp_path / "game").put_new(new, lambda _: None)
    left = {path.name: path.read_bytes() for path in audio.iterdir()}
    assert left == ({"a.ogg": b"a.ogg", "b.ogg": b"theirs"} if what == "a file" else {})
