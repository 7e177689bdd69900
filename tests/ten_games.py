"""Ten made-up games with two packs for each: those that ship, and others that span what games differ in."""

from __future__ import annotations

import wave
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from PIL import Image

from ichnos.games import made_up
from ichnos.games.profiles import profile as profiles

HEAD = """format = 1
game = "{game}"
minted-for = "{name}"

[pack]
title = "{title}"
name = "{name}"
version = "{version}"
game-version = "{game_version}"
summary = "{summary}"
author = "{author}"
licence = "CC0-1.0"

[ids]
{ids}
"""


# What a game needs besides what all of them do. ``separator``: of its keys; ``own``: the categories of its keys.
@dataclass(frozen=True)
class Game:
    name: str
    versions: tuple[str, str]
    separator: str = "."
    categories: tuple[str, str] = ("signals", "house")
    ids: tuple[str, ...] = ("pack",)
    takes: bool = True
    weights: bool = True
    says: tuple[str, ...] = ("volume",)
    titles: bool = False
    installed: bool = False
    replaces: tuple[str, ...] = ()  # the game's own keys, where none can be added
    more: tuple[Callable[[int, list[str]], str], ...] = ()
    rules: str = ""
    tree: dict[str, str | bytes] = field(default_factory=dict)
    game: dict[str, str] = field(default_factory=dict)


def triggers(pack: int, keys: list[str]) -> str:
    events = ("dusk falls", "door opens", "tide turns") if pack == 0 else ("fog comes", "bell rope", "door opens")
    text = ""
    for number, event in enumerate(events):
        once = "once = true\n" if number == 0 else ""
        at = f'from = "bench-{number}"\n' if number != 1 else ""
        text += (
            f'\n[[trigger]]\nname = "{event.split()[0]}-{number}"\nevent = "{event}"\nwhere = "pier-{number + 1}"\n'
            f'key = "{keys[number]}"\n{once}{at}delay = {number + 0.5}\nodds = {0.5 + number / 4}\n'
        )
    return text


def deeds(pack: int, keys: list[str]) -> str:
    return (
        f'\n[[trigger]]\nname = "hush"\nevent = "wind drops"\nwhere = "gallery"\nkey = "{keys[3]}"\ndoes = "stop"\nfade = 2\n'
        f'\n[[trigger]]\nname = "lit"\nevent = "lamp turns"\nwhere = "stair"\nkey = "{keys[1]}"\nvolume = 0.25\n'
        f'state = "lamp.lit"\nreaches = "{"yes" if pack else "no"}"\n'
    )


def props(pack: int, keys: list[str]) -> str:
    names = ("stove", "kettle") if pack == 0 else ("crate", "stool", "lantern")
    return "".join(
        f'\n[[prop]]\nname = "{name}"\nkey = "{keys[number]}"\npicture = "{number}.png"\n'
        f'title = {{en = "A {name}", de = "Ein {name}"}}\ntext = {{en = "An old {name}.", de = "Alt: {name}."}}\n'
        for number, name in enumerate(names)
    )


def schedules(pack: int, keys: list[str]) -> str:
    return (
        f'\n[[schedule]]\nname = "{"evening" if pack else "night"}"\nafter = {3 + pack}\napart = 4\nodds = 0.5\ntwice = false\n'
        f'piece-volume = 0.75\nentries = ["{keys[0]}", "{keys[1]}", {{key = "{keys[2]}", kind = "between"}}]\n'
    )


def music(pack: int, keys: list[str]) -> str:
    return (
        f'\n[[sound]]\nkey = "music/dawn{pack}"\nnew = true\ncategory = "music"\nvolume = 0.4\nloop = true\n'
        'parts = {intro = "s1.wav", body = "s2.wav"}\n'
    )


def tide(pack: int, keys: list[str]) -> str:
    return (
        f'\n[[sound]]\nkey = "tide.turns{pack}"\nnew = true\ncategory = "tide"\nvolume = 0.4\ntakes = ["s1.wav", "s2.wav"]\n'
        'title = {en = "The tide", de = "Die Flut"}\n'
    )


def tunes(pack: int, keys: list[str]) -> str:
    return "".join(
        f'\n[[sound]]\nkey = "tune.{name}"\nnew = true\ntitle = "The {name}"\nparts = {{intro = "s1.wav", body = "s2.wav"}}\n'
        f"fields = {{beats = {90 + number + pack}, calm = {'true' if number else 'false'}}}\n"
        for number, name in enumerate(("dawn", "noon") if pack == 0 else ("rain", "frost", "thaw"))
    )


BELLS = {"en": "Bell", "de": "Glocke"}
CALM = 'title = "{name}"\n[[kind]]\n'

GAMES = (
    Game("tarnlight", ("2.3.0", "2.2.1"), "-", titles=True, more=(triggers, deeds)),
    Game("ombervale", ("1.8", "1.7"), "/", ids=("load",), says=("volume", "near", "far", "loop"), more=(music, triggers)),
    Game("open-pack", ("2", "2"), says=("volume", "loop", "positional"), titles=True, more=(triggers,)),
    Game(
        "quillmarsh", ("0.9.4", "0.9.4"), "_", ("bird", "frog"), takes=False, weights=False,
        says=("volume", "loop", "near", "far"), installed=True,
        replaces=(
            "heron_calls_dawn", "snipe_lands_day", "small_croaks_pool", "old_leaps_moss", "bittern_leaves_dusk",
            "chorus_rests_rain", "harrier_calls_day", "reedling_lands_dawn",
        ),
    ),
    Game(
        "vesper-yard", ("3.1.0", "3.0.2"), categories=("boats", "people"), ids=("yard",), titles=True,
        says=("volume", "near", "far", "positional", "fade"), more=(tide, triggers, props, schedules),
    ),
    # A dictionary of keys, one take each; titles in a file of lines.
    Game(
        "millrace", ("1.2", "1.1"), takes=False, weights=False, titles=True, says=("volume", "loop"),
        rules='[takes]\nseveral = false\n\n[[document]]\npath = "mill/label.conf"\nformat = "ini"\n',
        tree={
            "mill/noises.json": (
                '{\n  "noises": {\n    "@key@": {"file": "@file~relative(mill/snd)~no-extension@", "room": "@category@",'
                ' "loud": "@volume~percent=100@", "again": "@loop~yes-no(on,off)=off@"}\n  }\n}\n'
            ),
            "mill/label.conf": "[label]\nname = @pack.title@\nmark = @uuid.pack@\nissue = @pack.version@\nfor = @game.version@\n",
            "mill/words/@language@.txt": "# what players read\n@key@.name = @title@\n",
            "mill/snd/@pack.name@/@key@.wav": "",
        },
    ),
    # Brace blocks inside others, and takes of different volume, of the pack's own.
    Game(
        "kettleby", ("1.1", "1.0"), says=("near", "far"), weights=False,
        rules='[[document]]\npath = "data/hum.def"\nformat = "braces"\n',
        tree={
            "data/hum.def": (
                'hum @key@ {\n    far = @far=40.0@;\n    near = @near=0.0@;\n'
                '    spout { tune = @take.pitch=+0@; from = "data/@file~file-name@"; level = @take.volume=1.0@; }\n}\n'
            ),
            "data/@pack.name@_@key@_@take.number@.wav": "",
            "data/about.txt": "name = @pack.title@\nmade by = @pack.author@\nversion = @pack.version@\nid = @uuid.pack@\n",
        },
    ),
    # Songs in parts in XML, calls in a table, and a script.
    Game(
        "fenlow", ("1.1", "1.0"), takes=False, weights=False, more=(tunes,),
        rules=(
            '[takes]\nseveral = false\n\n[[kind]]\nname = "tune"\nkeys = ["tune.*"]\ncontainer = "Ogg"\ncodec = "Vorbis"\n'
            'channels = 2\nseveral = false\nparts = ["intro", "body"]\nfiles = "fen/tunes/@key@.ogg"\n'
            'part-files = "fen/tunes/@key@-@part.name@.ogg"\n\n[[document]]\npath = "fen/tunes.xml"\nkinds = ["tune"]\n\n'
            '[[document]]\npath = "fen/calls.csv"\nkinds = [""]\n\n[[script]]\npath = "fen/start.lua"\n'
        ),
        tree={
            "fen/tunes.xml": (
                '<?xml version="1.0"?>\n<tunes maker="@pack.author@">\n  <tune name="@key@" from="@part.intro.file~extension(hum)@"'
                ' then="@part.body.file~extension(hum)@" beats="@field.beats~number@" calm="@field.calm~true-false@">@title@'
                "</tune>\n</tunes>\n"
            ),
            "fen/calls.csv": "call,file,sort,loud\n@key@,@file~relative(fen)@,@category@,@volume~decibel~decimals(1)=0.0@\n",
            "fen/calls/@key@.wav": "",
            "scripts/fen/start.lua.j2": "-- what begins\n{% for sound in sounds %}\nload({{ sound.key | quoted }})\n{% endfor %}\n",
        },
    ),
    # A file in the place of the game's own, found in a table that is never shipped.
    Game(
        "mothwick", ("1.1", "1.0"), takes=False, weights=False, says=(), installed=True, ids=(),
        replaces=("moth.lands", "moth.leaves", "dusk.falls", "lamp.hums", "door.creaks", "wing.beats", "rain.begins", "owl.near"),
        rules=(
            '[modes]\nreplace = "by-path"\nnew = false\n\n[catalogue]\nfolder = "house"\n\n[[document]]\n'
            'path = "wings/table.tsv"\nmode = "known"\nentry-for = "take"\n'
        ),
        tree={
            "wings/table.tsv": "call\tsort\tlies\n@key@\t@category@\t@file~relative(wings)@\n",
            "wings/loud/@key@-@take.number@.wav": "",
        },
        game={
            "house/wings/table.tsv": "call\tsort\tlies\n" + "".join(
                f"{key}\t{'signals' if number % 2 else 'house'}\tloud/{key.replace('.', '-')}.lck\n"
                for number, key in enumerate(
                    ("moth.lands", "moth.leaves", "dusk.falls", "lamp.hums", "door.creaks", "wing.beats", "rain.begins", "owl.near")
                )
            ),
            **{f"house/wings/loud/{key}.lck": "?" for key in ("moth-lands", "owl-near")},
        },
    ),
    # Sounds below their categories, backslashes, and titles inside each entry.
    Game(
        "wickerby", ("1.1", "1.0"), "/", ("reeds", "air"), titles=True, says=("volume", "priority"),
        tree={
            "baskets.xml": (
                '<?xml version="1.0" encoding="UTF-8"?>\n<baskets owner="@pack.author@" id="@uuid.pack@" rev="@pack.version@">\n'
                '  <basket name="@category@">\n    <sound key="@key@" gain="@volume~decibel=0@" rank="@priority=5@">\n'
                '      <take weight="@weight=1@">@file~backslash@</take>\n      <title lang="@language@">@title@</title>\n'
                "    </sound>\n  </basket>\n</baskets>\n"
            ),
            "wicker/@pack.name@/@key@-@take.number@.wav": "",
        },
    ),
)  # fmt: skip

RULES = """format = 1

[game]
name = "{name}"
title = "{title}"
summary = "Made up."
versions = ["{new}", "{old}"]

[audio]
container = "WAV"
codec = "PCM 16"
rate = 22050
channels = 1

[packaging]
kind = "folder"
name = "@pack.name@"

{rules}"""


@dataclass(frozen=True)
class Laid:
    """A game on the disk: its profile (a name, where it ships), where it is installed, and two workspaces."""

    game: Game
    profile: str
    installation: Path | None
    workspaces: tuple[Path, Path]


def lay(game: Game, folder: Path) -> Laid:
    """Write a game's profile, its installation and two workspaces."""
    installation = folder / "game" if game.installed else None
    if game.tree:
        name = str(folder / game.name)
        title = game.name.title()
        rules = RULES.format(name=game.name, title=title, new=game.versions[0], old=game.versions[1], rules=game.rules)
        _write(folder / game.name / "game.toml", rules)
        for path, text in game.tree.items():
            _write(folder / game.name / (path if path.startswith("scripts/") else f"tree/{path}"), text)
        for path, text in game.game.items():
            _write(folder / "game" / path, text)
    else:
        name = game.name
        sample = made_up.sample_of(profiles.BUNDLED / name)
        if game.installed and sample:
            made_up.lay_installation(sample, folder / "game")
    workspaces = tuple(_workspace(game, name, folder, pack) for pack in (0, 1))
    return Laid(game, name, installation, workspaces)  # type: ignore[arg-type]


def _write(path: Path, text: str | bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(text if isinstance(text, bytes) else text.encode())


_WORDS = (
    (("shore", "gull", "near"), ("tower", "bell", "far"), ("hatch", "closed"), ("lamp", "hums"), ("stair", "creaks"), ("rope", "falls")),
    (("shore", "gull", "far"), ("tower", "bell", "near"), ("oar", "dips", "slow"), ("lamp", "sings"), ("hatch", "closed")),
)  # fmt: skip


def keys_of(game: Game, pack: int) -> list[str]:
    """The keys of one of the two packs."""
    if game.replaces:
        return list(game.replaces[:6] if pack == 0 else game.replaces[3:])
    return [game.separator.join(words) for words in _WORDS[pack]]


def _workspace(game: Game, profile: str, folder: Path, pack: int) -> Path:
    own = folder / f"pack-{pack}"
    own.mkdir(parents=True, exist_ok=True)
    if game.installed:
        (own / "ichnos.local.toml").write_text('installation = "../game"\n')
    keys = keys_of(game, pack)
    identity = "{}d58e09{}-ca36-46b9-b505-5bc24396{}"
    text = HEAD.format(
        game=profile if not game.tree else f"../{game.name}",
        name=("storm-watch", "quiet-coast")[pack],
        title=("Storm watch", "A quiet coast")[pack],
        version=("0.3.1", "1.4.0")[pack],
        game_version=game.versions[pack],
        summary=("Bells and gulls for long nights.", "Softer sounds for the morning hours.")[pack],
        author=("Ada Fenn", "Tobias Marl")[pack],
        ids="\n".join(
            f'{name} = "{identity.format(pack + 1, number, f"{pack}{number}f2")}"'
            for number, name in enumerate(game.ids)
        ),
    )
    for number, key in enumerate(keys):
        text += f'\n[[sound]]\nkey = "{key}"\n' + ("" if game.replaces else "new = true\n")
        takes = [f'"c{number + at + 1}.wav"' for at in range(1 + number % 3 if game.takes else 1)]
        if game.weights and len(takes) > 1:
            takes[1] = f"{{clip = {takes[1]}, weight = {2 + number % 2}}}"
        text += f"takes = [{', '.join(takes)}]\n"
        if not game.replaces or game.name == "quillmarsh":
            text += f'category = "{game.categories[number // 3]}"\n'
        text += _settings(game, number, pack)
        if game.titles:
            name = key.replace(game.separator, " ").capitalize()
            text += f'title = {{en = "{name}", de = "{name}, leise"}}\n' if number != 4 else ""
    for more in game.more:
        text += more(pack, keys)
    _write(own / "ichnos.toml", text)
    for number in range(1, 10):
        _clip(own / f"c{number}.wav", number + pack, 1)
    for number in (1, 2):
        _clip(own / f"s{number}.wav", number + pack, 2)
    for number in range(3):
        Image.new("RGBA", (96, 64), (40 * number, 90, 60 + 50 * pack, 255)).save(own / f"{number}.png")
    return own


def _settings(game: Game, number: int, pack: int) -> str:
    values: dict[str, str] = {
        "volume": str((1, 0.8, 0.5, 0.6, 0.25, 0.9)[number]) if number else "",
        "near": str(2 + number + pack) if number % 2 else "",
        "far": str(25 + 5 * number) if number % 2 else "",
        "loop": "true" if number in (1, 4) else "",
        "positional": "false" if number == 2 else "",
        "fade": "1.5" if number == 3 else "",
        "priority": str(number + 6) if number % 2 == 0 else "",
    }
    return "".join(f"{name} = {values[name]}\n" for name in game.says if values[name])


def _clip(path: Path, pitch: float, channels: int) -> None:
    tone = np.sin(np.arange(6615) * pitch / 9) * 12000
    sound = np.repeat(tone[:, None], channels, axis=1)
    if channels == 2:
        sound[:, 1] *= 0.5
    with wave.open(str(path), "wb") as file:
        file.setnchannels(channels)
        file.setsampwidth(2)
        file.setframerate(22050)
        file.writeframes(sound.astype("<i2").tobytes())
