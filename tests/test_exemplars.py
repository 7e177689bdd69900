"""One exemplar in every direction: what repeats is found, what is filled is read back."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Made
from ichnos.documents.formats import format_of, named, parse
from ichnos.errors import IchnosError
from ichnos.games.entries.arranged import arranged
from ichnos.games.entries.fill import Bindings, fill
from ichnos.games.entries.found import Found
from ichnos.games.entries.read import read
from ichnos.games.profiles import holes, loading, places
from ichnos.games.profiles.exemplar import Exemplar, ExemplarRules
from ichnos.games.profiles.hole import HoleError
from ichnos.games.profiles.units import understand
from ichnos.games.things import PackThing, Thing, sound_of

FORMAT = format_of("x.json")


def _exemplar(text: str, path: str = "x.json", one_take: bool = False) -> Exemplar:
    assert FORMAT
    return understand(
        holes.parse(path), parse(text.encode(), "profile/x.json", FORMAT), ExemplarRules(several_takes=not one_take)
    )


def _take(file: str, weight: float | None = None) -> Thing:
    return Thing("take", {"file": file, "weight": weight})


def _sound(key: str, *takes: Thing, **values: str | float | None) -> Thing:
    return Thing("sound", {"key": key, **values}, {"take": takes})


def _pack(*sounds: Thing) -> Bindings:
    categories: dict[str, list[Thing]] = {}
    for sound in sounds:
        categories.setdefault(str(sound.values.get("category")), []).append(sound)
    grouped = tuple(
        Thing("category", {"category": name}, {"sound": tuple(inner)}) for name, inner in categories.items()
    )
    return {"pack": Thing("pack", {"pack.title": "T"}, {"sound": sounds, "category": grouped})}


def _reread(exemplar: Exemplar, text: str) -> tuple[Found, list[str]]:
    assert FORMAT
    document = parse(text.encode(), "real.json", FORMAT)
    reading = read(exemplar, document)
    assert reading
    return reading.pack, [document.excerpt(node) for node in reading.strays]


SHAPES = [
    '{"v": [{"id": "@key@", "takes": [{"src": "@file@", "odds": "@weight=1@"}], "gain": "@volume=1@"}]}',
    '{"@key@": {"files": ["@file@"], "gain": "@volume~text=1@"}}',
    '[\n  {\n    "files": {"@file@": "@weight=1@"},\n    "gain": "@volume=1@", // how loud\n    "id": "@key@"\n  }\n]\n',
    '{"groups": [{"name": "@category@", "sounds": [{"id": "s/@key@", "gain": "@volume=1@", "f": [["@file@"]]}]}]}',
]
NAMES = st.text(min_size=1, max_size=12).filter(lambda text: text.encode("utf-8", "ignore").decode() == text)


@pytest.mark.parametrize("shape", SHAPES)
@given(
    st.dictionaries(
        NAMES, st.tuples(st.lists(NAMES, min_size=1, max_size=3, unique=True), st.integers(0, 9)), max_size=4
    )
)
def test_what_is_filled_is_read_back(shape: str, given_sounds: dict[str, tuple[list[str], int]]) -> None:
    exemplar = _exemplar(shape)
    sounds = [
        _sound(key, *(_take(file) for file in files), volume=volume / 4, category="one")
        for key, (files, volume) in given_sounds.items()
    ]
    text = fill(exemplar, _pack(*sounds))
    if "//" not in shape:
        json.loads(text)  # what is written is JSON to anybody
    pack, strays = _reread(exemplar, text)
    found = {
        str(sound.values["key"]): ([take.values["file"] for take in sound.all("take")], sound.values["volume"])
        for sound in pack.all("sound")
    }
    assert found == {key: (files, volume / 4) for key, (files, volume) in given_sounds.items()}
    assert strays == []


def test_the_first_alternative_that_can_carry_it_is_taken() -> None:
    exemplar = _exemplar('{"@key@": {"any of": ["@file@", {"w": "@weight@", "f": "@file@"}]}}')
    text = fill(exemplar, _pack(_sound("a", _take("x"), _take("y", 2.0))))
    assert json.loads(text) == {"a": {"any of": ["x", {"f": "y", "w": 2}]}}
    pack, strays = _reread(exemplar, '{"a": {"any of": [{"w": 3, "f": "z"}, "x", 7, {"w": 1}]}}')
    assert [take.values for take in pack.all("take")] == [{"weight": 3.0, "file": "z"}, {"file": "x"}, {"file": "7"}]
    assert strays == ['{"w": 1}']


def test_one_take_makes_a_tuple_of_a_list() -> None:
    shape = '[["@key@", "@file@", "@volume=1@"]]'
    exemplar = _exemplar(shape, one_take=True)
    around: Bindings = _pack(Thing("sound", {"key": "a", "file": "x", "volume": 0.5}))
    text = fill(exemplar, around)
    assert json.loads(text) == [["a", "x", 0.5]]
    pack, strays = _reread(exemplar, '[["a", "x", 0.5], []]')
    assert [sound.values for sound in pack.all("sound")] == [{"key": "a", "file": "x", "volume": 0.5}]
    assert strays == ["[]"]


def test_untidy_entries_do_not_hide_the_others() -> None:
    exemplar = _exemplar(SHAPES[0])
    text = """{"v": [
      {"id": "a", "takes": [{"src": "x"}], "gain": "loud"},
      {"takes": [{"src": "x", "odds": 2, "more": {}}], "extra": [1], "id": "b"},
      {"ID": "c", "takes": []}, "d",
      {"id": "e", "takes": {"src": "x"}}
    ], "made-with": "care"}"""
    pack, strays = _reread(exemplar, text)
    (only,) = pack.all("sound")
    assert only.values == {"key": "b"}
    assert [node.label for node in only.unknown] == ["extra"]
    assert [node.label for node in pack.unknown] == ["made-with"]
    assert len(strays) == 4


def test_a_member_without_a_value_is_left_out() -> None:
    shape = '{"title": "@pack.title@",\n "by": "@pack.author@",\n "sounds": [\n  {"id": "@key@"}\n ]}'
    assert fill(_exemplar(shape), _pack()) == '{"title": "T",\n "sounds": []}'
    with_two = fill(_exemplar(shape), _pack(_sound("a"), _sound("b")))
    assert with_two == '{"title": "T",\n "sounds": [\n  {"id": "a"},\n  {"id": "b"}\n ]}'


@pytest.mark.parametrize(
    ("text", "path", "place", "message"),
    [
        ('{"id": "@key@"}', "x.json", "1:2", "nothing around the holes of one sound"),
        ('{"a": [\n "@kee@"]}', "x.json", "2:2", "there is no hole named kee"),
        ('["@key~uper@"]', "x.json", "1:2", "there is no converter named uper"),
        ('["me@home", "@key@"]', "x.json", "1:2", "does not begin a hole"),
        ('{"@key@": "@file@"}', "x.json", "1:2", "nothing around the holes of one take"),
        ('{"a": [{"k": "@key@"}], "b": "@volume@"}', "x.json", "1:1", "nothing around the holes of one sound"),
        ('[{"k": "@key@"}, {"k": "@key@"}, "@volume@"]', "x.json", "1:34", "outside what is repeated for each sound"),
    ],
)
def test_a_profile_that_cannot_be_understood(text: str, path: str, place: str, message: str) -> None:
    with pytest.raises(IchnosError) as caught:
        _exemplar(text, path)
    assert str(caught.value.place) == f"profile/x.json:{place}"
    assert message in caught.value.what


BRACKETED = "[noise]\nid=@key@\nwav=@file@\n[/noise]\n"


@pytest.mark.parametrize(
    ("name", "text", "repeated"),
    [
        ("bracketed", BRACKETED, [BRACKETED]),
        ("bracketed", f"[names]\nid=@key@\n[/names]\n{BRACKETED}", ["id=@key@", BRACKETED]),
        ("xml", "<all><a><id>@key@</id><wav>@file@</wav></a></all>", ["<a><id>@key@</id><wav>@file@</wav></a>"]),
        ("indented", "noise\n  id @key@\n  wav @file@\n", ["noise\n  id @key@\n  wav @file@"]),
        ("json", '{"a": ["@key@"], "b": ["@file@"]}', None),
    ],
)
def test_a_sound_is_repeated_with_its_one_take(name: str, text: str, repeated: list[str] | None) -> None:
    document = parse(text.encode(), f"profile/x.{name}", named(name, None))
    if repeated is None:
        with pytest.raises(IchnosError, match="nothing around the holes of one sound"):
            understand(holes.parse("x"), document, ExemplarRules(several_takes=False))
    else:
        units = understand(holes.parse("x"), document, ExemplarRules(several_takes=False)).units
        assert [text[unit.start : unit.end] for unit in units] == [one.strip() for one in repeated]


def test_patterns_in_paths() -> None:
    pattern = holes.parse("a@@b/@pack.name@/@key@-@take.number@.ogg")
    values = {"pack.name": "p", "key": "x-2", "take.number": 3}
    path = pattern.fill(values.get)
    assert path == "a@b/p/x-2-3.ogg"
    assert pattern.match(path) == {"pack.name": "p", "key": "x-2", "take.number": 3.0}
    assert pattern.match("a@b/p/x-y.ogg") is None
    assert holes.parse("@key@/@key@").match("a/a/a/a") == {"key": "a/a"}


def test_takes_are_numbered_where_only_another_document_numbers_them() -> None:
    """What one document says is filled into another, as learning's proof does it."""
    exemplar = _exemplar('[{"id": "@key@", "files": [{"at": "@take.number@", "file": "@file@"}]}]')
    said = PackThing("pack", {}, {"sound": (sound_of("reed", files=("a", "b")),)})
    bound: Bindings = {"pack": arranged(said, loading.load(places.BUNDLED / "tarnlight"))}
    assert json.loads(fill(exemplar, bound)) == [
        {"id": "reed", "files": [{"at": 1, "file": "a"}, {"at": 2, "file": "b"}]}
    ]


HEADED = {
    "tree/noises.json": '{"about": "@pack.title@", "edition": 3, "sounds": [\n  {"id": "@key@", "files": ["@file@"]}\n]}\n',
    "tree/@key@-@take.number@.wav": "",
}
OTHERWISE = (
    '{"about": ["two", "lines"], "edition": {"of": 3}, "sounds": [\n  {"id": "sluice", "files": ["a.wav"]}\n]}\n'
)


def test_one_header_value_that_is_otherwise_leaves_the_entries_readable(tmp_path: Path) -> None:
    merged = '\n[[document]]\npath = "noises.json"\nmode = "merge"\n'
    game = Made(tmp_path, "lock", merged, HEADED, {"noises.json": OTHERWISE})
    game.start('\n[[sound]]\nkey = "pier"\nnew = true\ntakes = ["c1.wav"]\n', keys=1)
    text = (game.build() / "noises.json").read_text()
    assert [one["id"] for one in json.loads(text)["sounds"]] == ["sluice", "pier"]
    assert text.startswith(OTHERWISE[: OTHERWISE.index("]}\n]}")])
    # In a pack of somebody's it is a finding with its place, and so is a list of entries that is none.
    pack = tmp_path / "theirs"
    pack.mkdir()
    own = game.profile / "game.toml"
    own.write_text(own.read_text().replace(merged, ""))
    harvested = game.run("keys", "harvest", tmp_path / "game", "--game", game.profile)
    assert "has 1 sound key" in harvested.out
    assert 'the value of "about" is not as the profile has it' in harvested.out
    (pack / "a.wav").write_bytes((game.own / "c1.wav").read_bytes())
    for content, told in (
        (OTHERWISE, 'noises.json:1:2: the value of "about" is not as'),
        ('{"about": "x", "edition": 3, "sounds": "none"}', "the whole file has another structure"),
    ):
        (pack / "noises.json").write_text(content)
        checked = game.run("check", pack, "--game", game.profile, cwd=tmp_path)
        assert "entry-strange" in checked.out
        assert told in checked.out, checked.out


@pytest.mark.parametrize(
    ("hole", "volume", "written"),
    [
        ("@volume~times(255)~decimals(0)@", 0.5, 128), ("@volume~times(10)~plus(-10)@", 0.3, -7.0),
        ("@volume~times(-1)~plus(1)@", 0.25, 0.75), ("@volume~plus(0.1)@", 0.2, 0.3),
    ],
)  # fmt: skip
def test_numbers_in_a_scale_of_the_game_s_own(hole: str, volume: float, written: float, tmp_path: Path) -> None:
    tree = {
        "tree/noises.json": f'{{"sounds": [\n  {{"id": "@key@", "level": "{hole}", "files": ["@file@"]}}\n]}}\n',
        "tree/@key@-@take.number@.wav": "",
    }
    game = Made(tmp_path, "lock", "", tree, {})
    game.start(f'\n[[sound]]\nkey = "pier"\nnew = true\nvolume = {volume}\ntakes = ["c1.wav"]\n')
    pack = game.build()
    assert json.loads((pack / "noises.json").read_text())["sounds"][0]["level"] == written
    assert game.run("adopt", pack, "--game", game.profile, "--to", tmp_path / "theirs", cwd=tmp_path).code == 0
    again = tomllib.loads((tmp_path / "theirs" / "ichnos.toml").read_text())["sound"][0]["volume"]
    assert again == pytest.approx(volume, abs=0.002)


@pytest.mark.parametrize("argument", ["", "(0)", "(much)", "(1e400)"])
def test_a_scale_that_cannot_be(argument: str) -> None:
    with pytest.raises(HoleError, match="times"):
        holes.parse(f"@volume~times{argument}@")
