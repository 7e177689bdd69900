"""Real systems that profiles ship for: how a pack is made for each, and what that system itself says of it.

Debian's packages have them; where one is not installed, its walk is left out, with the reason.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from PIL import Image

from conftest import clip, edit, run

GAMES = Path("/usr/share/games")
_MADE = ("reed", "tide", "marsh", "gull", "fog")


@dataclass(frozen=True)
class System:
    """One of them. ``package``: Debian's; ``at``: where that puts it; ``root``: the name of the folder packs go into.

    ``keys``: the sound keys that it has, found without Ichnos. ``replaced``: those that the walk replaces. ``more``:
    further commands of the walk. ``loaded``: asks the system itself; gives what is wrong, or why it cannot be asked.
    """

    name: str
    package: str
    at: Path
    root: str | None
    keys: Callable[[Path], set[str]]
    replaced: dict[str, int]
    added: tuple[str, ...]
    more: tuple[tuple[str, ...], ...]
    loaded: Callable[[Walk], str]
    own: tuple[str, ...] = ()  # what is copied of it, where packs go into it
    says: str = ""  # lines under [pack]
    is_asked: bool = True  # else its own files say how a pack must be


@dataclass
class Walk:
    """A pack made for a system, as far as it has come."""

    system: System
    folder: Path
    pack: Path = Path()
    keys: int = 0
    of_system: list[str] = field(default_factory=list)  # findings on its own sounds
    of_pack: list[str] = field(default_factory=list)
    files: int = 0
    loaded: str = ""
    left: list[str] = field(default_factory=list)  # what is not as it was, after all was taken out

    @property
    def into(self) -> Path:
        """Where packs go."""
        return self.folder / ("player" if self.system.root else "game")


def missing(system: System) -> str:
    """Why a system cannot be tried here; empty where it can."""
    return "" if system.at.exists() else f"Debian's {system.package} is not installed"


def _ichnos(walk: Walk, *words: str | Path) -> str:
    done = run(*words, cwd=walk.folder / "own")
    assert done.code == 0, f"{words}: {done.out}{done.err}"
    return done.out


def _findings(walk: Walk, *words: str | Path) -> list[str]:
    found = json.loads(run("check", *words, "--json", cwd=walk.folder / "own").out)
    return [f"{one['id']}: {one['reason']}" for one in found["findings"]]


def _state(folder: Path) -> dict[str, str]:
    files = (path for path in folder.rglob("*") if path.is_file())
    return {path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


def walk(system: System, folder: Path) -> Walk:
    """Harvest a system, check its own sounds, make a pack, install it, ask the system, and take all out again."""
    one = Walk(system, folder)
    game = system.at
    if system.own:
        game = folder / "game"
        for name in system.own:
            copy = shutil.copytree if (system.at / name).is_dir() else shutil.copy
            (game / name).parent.mkdir(parents=True, exist_ok=True)
            copy(system.at / name, game / name)
    (folder / "own").mkdir()
    one.into.mkdir(exist_ok=True)
    _ichnos(one, "start", ".", "--game", system.name, "--title", "Reed marsh", "--licence", "CC0-1.0",
            "--installation", game)  # fmt: skip
    one.keys = json.loads(_ichnos(one, "keys", "harvest", game, "--game", system.name, "--json"))["keys"]
    one.of_system = _findings(one, game, "--game", system.name)
    if system.root:
        with (folder / "own/ichnos.local.toml").open("a") as file:
            file.write(f'\n[roots]\n{system.root} = "../player"\n')
    for number, name in enumerate(_MADE):
        clip(folder / f"own/{name}.wav", number + 2)
    Image.new("RGB", (32, 32), (90, 140, 60)).save(folder / "own/reed.png")
    edit(folder / "own", "[pack]\n", f"[pack]\n{system.says}")
    for key, count in system.replaced.items():
        _ichnos(one, "assign", key, *(f"{name}.wav" for name in _MADE[:count]))
    for key in system.added:
        _ichnos(one, "assign", key, "fog.wav", "--new")
    for words in system.more:
        _ichnos(one, *words)
    before = _state(one.into)
    built = json.loads(_ichnos(one, "build", "--json"))
    one.pack = Path(built["to"])
    one.files = len(_state(one.pack))
    one.of_pack = _findings(one)
    _ichnos(one, "install")
    one.loaded = system.loaded(one)
    _ichnos(one, "restore")
    one.left = sorted(dict(_state(one.into).items() ^ before.items()))
    return one


def _theme_keys(at: Path) -> set[str]:
    return {path.stem for path in (at / "freedesktop/stereo").glob("*.oga")}


_ASK = """
import ctypes, sys
library = ctypes.CDLL("libcanberra.so.0")
pointer = ctypes.c_void_p
for event in sys.argv[2:]:
    said, theirs, sound, theme, path = pointer(), pointer(), pointer(), pointer(), ctypes.c_char_p()
    library.ca_proplist_create(ctypes.byref(said)), library.ca_proplist_create(ctypes.byref(theirs))
    for name, value in (("event.id", event), ("canberra.xdg-theme.name", sys.argv[1])):
        library.ca_proplist_sets(theirs, name.encode(), value.encode())
    library.ca_lookup_sound(ctypes.byref(sound), ctypes.byref(path), ctypes.byref(theme), said, theirs)
    print(path.value.decode() if path.value else "nothing")
"""


def _theme_is_found(walk: Walk) -> str:
    """Ask libcanberra which file it opens for each event: ours for five, and the inherited ones as before."""
    ours = [*walk.system.replaced, *walk.system.added]
    events = [*ours, "dialog-warning", "phone-incoming-call"]
    around = {"XDG_DATA_HOME": str(walk.into), "XDG_CACHE_HOME": str(walk.folder / "cache")}
    asked = subprocess.run(
        [sys.executable, "-c", _ASK, "reed-marsh", *events], env={**os.environ, **around}, capture_output=True, text=True,
        check=False,
    )  # fmt: skip
    if "libcanberra" in asked.stderr:
        return "left out: Debian's libcanberra0 is not installed"
    wanted = [f"{walk.into}/sounds/reed-marsh/stereo/{event}.oga" for event in ours]
    wanted += [f"{walk.system.at}/freedesktop/stereo/{event}.oga" for event in events[len(ours) :]]
    wrong = [
        f"{event}: {path}"
        for event, path, want in zip(events, asked.stdout.split(), wanted, strict=True)
        if path != want
    ]
    return "; ".join(wrong)


def _freeciv_keys(at: Path) -> set[str]:
    text = (at / "stdsounds.soundspec").read_text().partition("[files]")[2]
    return set(re.findall(r'^;?(\w+) = "', text, re.M))


def _freeciv_loads(walk: Walk) -> str:
    """Start the client on a screen of no size that matters, and read in its log which list of sounds it took."""
    client, screen = shutil.which("freeciv-gtk3.22", path="/usr/games"), shutil.which("xvfb-run")
    if client is None or screen is None:
        return "left out: Debian's freeciv-client-gtk3 and xvfb are not installed"
    home = Path("/tmp") / f"ichnos-freeciv-{os.getpid()}"  # the client refuses to be run by root
    shutil.copytree(walk.into, home / "data")
    user: list[str] = []
    if os.getuid() == 0:
        user = ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups"]
        subprocess.run(["chown", "-R", "65534", str(home)], check=True)
    around = {"HOME": str(home), "FREECIV_DATA_PATH": f"{home}/data:{walk.system.at}", "SDL_AUDIODRIVER": "dummy"}
    with subprocess.Popen(
        [*user, screen, "-a", client, "-P", "sdl", "-S", "stdsounds", "-d", "v", "-l", f"{home}/log"],
        env={**os.environ, **around}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
    ) as process:  # fmt: skip
        log = _log_with(home / "log", "Plugin 'sdl' is now selected")
        os.killpg(process.pid, 15)
    shutil.rmtree(home, ignore_errors=True)
    if f'Reading registry from "{home}/data/stdsounds.soundspec"' not in log:
        return f"the client did not read our list of sounds: {log[-300:]}"
    return "; ".join(line for line in log.splitlines() if "soundspec" in line and ("rror" in line or "issing" in line))


def _log_with(path: Path, text: str, seconds: float = 40) -> str:
    """A log, as soon as it has a text."""
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        said = path.read_text(errors="replace") if path.exists() else ""
        if text in said:
            return said
        time.sleep(0.2)
    return path.read_text(errors="replace") if path.exists() else ""


def _minetest_keys(at: Path) -> set[str]:
    files = (at / "games/minetest_game/mods").glob("*/sounds/*.ogg")
    return {re.sub(r"\.\d+$", "", path.stem) for path in files}


def _minetest_loads(walk: Walk) -> str:
    """Start the server on a new world with the pack: no error, and the files that it offers are ours."""
    server = shutil.which("minetestserver", path="/usr/games")
    if server is None:
        return "left out: Debian's minetest-server is not installed"
    home, world = walk.folder / "home", walk.folder / "world"
    home.mkdir()
    (home / ".minetest").symlink_to(walk.into)
    world.mkdir()
    (world / "world.mt").write_text(
        "gameid = minetest_game\nbackend = sqlite3\nauth_backend = sqlite3\nplayer_backend = sqlite3\n"
        "mod_storage_backend = sqlite3\nload_mod_reed_marsh = true\n"
    )
    log = walk.folder / "log"
    port = str(30_000 + os.getpid() % 9_000)
    with log.open("w") as out, subprocess.Popen(
        [server, "--world", str(world), "--verbose", "--port", port, "--logfile", ""],
        env={**os.environ, "HOME": str(home)}, stdout=out, stderr=out,
    ) as process:  # fmt: skip
        said = _log_with(log, "media files collected")
        process.terminate()
    (home / ".minetest").unlink()
    mod = walk.into / "mods/reed_marsh"
    sounds = [*mod.glob("sounds/*.ogg"), *mod.glob("textures/*.png")]
    wrong = [
        f"{path.name} is not ours" for path in sounds
        if f"{hashlib.sha1(path.read_bytes()).hexdigest()} is {path.name}" not in said
    ]  # fmt: skip
    return "; ".join([*wrong, *(line for line in said.splitlines() if "ERROR" in line)])


def _endless_sky_keys(at: Path) -> set[str]:
    files = (path.relative_to(at / "sounds") for path in (at / "sounds").rglob("*.wav"))
    return {path.with_suffix("").as_posix().removesuffix("~") for path in files}


def _endless_sky_is_like_its_own(walk: Walk) -> str:
    """The game has no server that could be asked: its plugin is held against how its own files are."""
    plugin = walk.into / "plugins/reed-marsh"
    wanted = {"sounds/atomic huge~.wav", "sounds/explosion large.wav", "sounds/ambient/marsh.wav", "data/effects.txt"}
    text = (plugin / "data/effects.txt").read_text()
    wrong = sorted(wanted - {path.relative_to(plugin).as_posix() for path in plugin.rglob("*")})
    return "; ".join([*wrong, *([] if text == 'effect "jump drive"\n\tsound "ambient/marsh"\n' else [text])])


SYSTEMS = (
    System(
        "sound-theme", "sound-theme-freedesktop", Path("/usr/share/sounds"), "data", _theme_keys,
        {"bell": 1, "complete": 1, "camera-shutter": 1, "message-new-instant": 1}, ("tide-turns",), (), _theme_is_found,
    ),
    System(
        "freeciv", "freeciv-data", GAMES / "freeciv", None, _freeciv_keys,
        {"e_hut_gold": 1, "b_harbour": 1, "m_generic": 1}, (), (), _freeciv_loads,
        own=("stdsounds.soundspec", "stdsounds"),
    ),
    System(
        "minetest", "minetest-server", GAMES / "minetest", "player", _minetest_keys,
        {"env_sounds_water": 4, "doors_door_open": 1, "tnt_ignite": 1, "fire_fire": 3}, ("reed_rustle", "bittern_booms"),
        (("prop", "reed-pipe", "bittern_booms", "--title", "Reed pipe", "--picture", "reed.png"),), _minetest_loads,
        says='id = "reed_marsh"\n',
    ),
    System(
        "endless-sky", "endless-sky-data", GAMES / "endless-sky", "player", _endless_sky_keys,
        {"atomic huge": 1, "explosion large": 1}, ("ambient/marsh",),
        (("trigger", "ambient/marsh", "--event", "jump drive"),), _endless_sky_is_like_its_own, is_asked=False,
    ),
)  # fmt: skip
