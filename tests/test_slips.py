"""Every slip of a modder's that files can show, made by hand in three games, and the finding that names it."""

from __future__ import annotations

import json
import shutil
import stat
import zipfile
from collections.abc import Callable
from pathlib import Path
from urllib.parse import urljoin

import numpy as np
import pytest
import soundfile
from sarif_pydantic import Sarif

from conftest import PACKAGE, edit, run, shared
from ichnos.games import made_up
from ichnos.games.catalogues.catalogue import JOINT
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.profiles import loading, profile
from ichnos.review.findings import KINDS

GAMES = ("tarnlight", "ombervale", "vesper-yard", "open-pack", "quillmarsh")
OF_OGG, OF_WAV = ("tarnlight", "vesper-yard", "open-pack"), ("ombervale", "quillmarsh")
TRIGGER = '\n[[trigger]]\nname = "dusk"\nevent = "dusk"\nkey = "{}"\nwhere = "quay"\n'


@pytest.fixture(scope="session")
def packs(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """A good pack for each of the games, unpacked, beside the game."""

    def make(whole: Path) -> None:
        for game in GAMES:
            folder = whole / game
            sample = made_up.sample_of(profile.BUNDLED / game)
            clips = made_up.sample_of(profile.BUNDLED / "tarnlight")
            assert sample
            assert clips
            made_up.lay_installation(sample, folder / "game")
            keys = json.loads(run("keys", "harvest", folder / "game", "--game", game, "--json").out)
            assert keys
            words = ("--game", game, "--title", "Two", "--licence", "MIT", "--installation", folder / "game")
            run("start", folder / "own", *words)
            made_up.lay_clips(clips, folder / "own")
            known = json.loads(run("keys", "a", "--game", game, "--json", "--most", "40").out)
            names = sorted({one["key"] for one in (known["keys"] if isinstance(known, dict) else known)})[:2]
            for key, clip in zip(names, ("gull.ogg", "bell-take3.wav"), strict=True):
                titles = () if game in OF_WAV else ("--title", f"T {clip[:2]}", "--title", f"de=D {clip[:2]}")
                done = run("assign", key, f"clips/{clip}", *titles, cwd=folder / "own")
                assert done.code == 0, done.err
            if game not in ("tarnlight", "quillmarsh"):
                with (folder / "own/ichnos.toml").open("a") as file:
                    file.write(TRIGGER.format(names[0]))
            done = run("build", "--json", cwd=folder / "own")
            assert done.code == 0, done.err
            package = Path(json.loads(done.out)["to"])
            if package.is_file():
                with zipfile.ZipFile(package) as archive:
                    archive.extractall(folder / "pack")
            else:
                shutil.copytree(package, folder / "pack")
            own_files = harvest(loading.load(profile.BUNDLED / game), folder / "game").files
            (folder / "keys.json").write_text(json.dumps([*names, own_files[0].split(JOINT)[0]]))
            good = run("check", folder / "pack", "--game", game, "--installation", folder / "game", "--json")
            assert (good.code, json.loads(good.out)["findings"]) == (0, [])

    whole = shared(tmp_path_factory, "slips", make)
    return {game: whole / game for game in GAMES}


def _sound(pack: Path) -> Path:
    return sorted(path for path in pack.rglob("*") if path.suffix in (".ogg", ".wav"))[0]


def _write(path: Path, rate: int, channels: int, container: str, subtype: str) -> None:
    noise = np.random.default_rng(1).normal(scale=0.1, size=(rate, channels))
    soundfile.write(path, noise, rate, format=container, subtype=subtype)


def _texts(pack: Path) -> list[Path]:
    return sorted(
        path for path in pack.rglob("*") if path.suffix in (".json", ".xml", ".card", ".lua", ".tsv", ".txt", ".bog")
    )


def _swap(old: str, new: str, count: int = 1) -> Callable[[Path, list[str]], None]:
    """Change a text in the first document that has it; {0} and {1} are the keys."""

    def change(pack: Path, keys: list[str]) -> None:
        was, now = old.format(*keys), new.format(*keys)
        for path in _texts(pack):
            data = path.read_bytes()
            encoding = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8"
            text = data.decode(encoding)
            if was in text and path.name != "CREDITS.txt":
                path.write_bytes(text.replace(was, now, count).encode(encoding))
                return
        raise AssertionError(f"{was} is nowhere")

    return change


def _rename(pack: Path, keys: list[str]) -> None:
    path = _sound(pack)
    path.rename(path.with_stem("elsewhere"))


def _wrap(pack: Path, keys: list[str]) -> None:
    inner = pack.parent / "inner"
    pack.rename(inner)
    pack.mkdir()
    inner.rename(pack / "wrapped")


Slip = Callable[[Path, list[str]], None]
# id, what is done with the pack and two keys of it and the name of one of the game's files, in which games it can be done so
SLIPS: list[tuple[str, Slip, tuple[str, ...]]] = [
    ("take-disguised", lambda pack, keys: _write(_sound(pack), 44100, 1, "MP3", "MPEG_LAYER_III"), GAMES),
    ("take-format", lambda pack, keys: _write(_sound(pack), 44100, 2, *("WAV", "PCM_16") if _sound(pack).suffix == ".wav" else ("OGG", "VORBIS")), GAMES),
    ("take-format", lambda pack, keys: _write(_sound(pack), 44100, 1, "WAV", "PCM_24"), OF_WAV),
    ("take-format", lambda pack, keys: _write(_sound(pack), 44100, 1, "WAV", "FLOAT"), OF_WAV),
    ("take-format", lambda pack, keys: _write(_sound(pack), 22050, 1, "OGG", "VORBIS"), OF_OGG),
    ("take-damaged", lambda pack, keys: _sound(pack).write_bytes(_sound(pack).read_bytes()[:3000]), GAMES),
    ("take-missing", _rename, GAMES),
    ("document-broken", _swap('"{0}",', '"{0}"'), ("tarnlight",)),
    ("document-broken", _swap('"{0}",', '"{0}'), ("open-pack",)),
    ("document-broken", _swap("\n}}", "\n"), ("quillmarsh",)),
    ("document-broken", _swap("</tone>", "<tone>"), ("ombervale",)),
    ("document-broken", _swap("[signal]", "[signal"), ("vesper-yard",)),
    ("key-unknown", _swap("{0}", "{0}x"), ("tarnlight", "open-pack")),
    ("key-unknown", _swap("call {0}", "call {0}x"), ("quillmarsh",)),
    ("key-unknown", lambda pack, keys: _swap(keys[0], keys[0].title())(pack, keys), ("tarnlight", "open-pack")),
    ("key-twice", _swap('"voice": "{1}"', '"voice": "{0}"'), ("tarnlight",)),
    ("key-twice", _swap('code="{1}"', 'code="{0}"'), ("ombervale",)),
    ("key-twice", _swap('"key": "{1}"', '"key": "{0}"'), ("open-pack",)),
    ("key-twice", _swap("call {1}", "call {0}"), ("quillmarsh",)),
    ("name-differs", _swap("word = {0}", "word = {0}x"), ("vesper-yard",)),
    ("key-unknown", lambda pack, keys: (pack / f"desk/{keys[0]}.card").rename(pack / f"desk/{keys[0]}x.card"), ("vesper-yard",)),
    ("key-unknown", _swap('code="{0}"', 'code="{0}x"'), ("ombervale",)),
    ("script-key", _swap('ring("{0}', 'ring("{0}x'), ("ombervale",)),
    ("play-unknown", lambda pack, keys: (pack / "triggers.tsv").write_bytes((pack / "triggers.tsv").read_bytes().replace(keys[0].encode(), keys[0].encode() + b"x")), ("vesper-yard",)),
    ("play-unknown", lambda pack, keys: _last_key(pack, keys), ("open-pack",)),
    ("title-missing", lambda pack, keys: _one_title(pack), OF_OGG),
    ("version-other", _swap("2.3.0", "9.9.9"), ("tarnlight",)),
    ("version-other", _swap('gauge="1.8"', 'gauge="9.9"'), ("ombervale",)),
    ("version-other", _swap("timetable = 3.1.0", "timetable = 9.9"), ("vesper-yard",)),
    ("name-windows", lambda pack, keys: (pack / "nul.txt").write_text("x") and None, GAMES),
    ("name-case", lambda pack, keys: _twice(pack), GAMES),
    ("link-inside", lambda pack, keys: (pack / "up.txt").symlink_to("/etc/hostname"), GAMES),
    ("wrapped-folder", _wrap, GAMES),
    ("take-silent", lambda pack, keys: _cancelled(_sound(pack)), GAMES),
    ("file-clash", lambda pack, keys: _under_a_name_of_the_game(pack, keys), ("tarnlight", "ombervale", "vesper-yard")),
]  # fmt: skip


def _cancelled(path: Path) -> None:
    """Mono by the plain mean of two sides of which one is the other upside down."""
    left = np.random.default_rng(1).normal(scale=0.1, size=44100)
    how = {"subtype": "PCM_16"} if path.suffix == ".wav" else {"format": "OGG", "subtype": "VORBIS"}
    rate = soundfile.info(path).samplerate
    soundfile.write(path, np.mean([left, -left], axis=0), rate, **how)


def _under_a_name_of_the_game(pack: Path, keys: list[str]) -> None:
    sound = _sound(pack)
    path = pack / (keys[2] if keys[2].endswith(sound.suffix) else f"{keys[2]}{sound.suffix}")
    path.parent.mkdir(parents=True, exist_ok=True)
    shutil.copy(sound, path)


def _one_title(pack: Path) -> None:
    """The last title of one language goes."""
    if (pack / "open-pack.json").is_file():
        values = json.loads((pack / "open-pack.json").read_text("utf-8"))
        values["heard"][-1]["titles"].pop("de")
        (pack / "open-pack.json").write_text(json.dumps(values))
        return
    if (log := pack / "lore/log.json").is_file():
        values = json.loads(log.read_text("utf-8"))
        next(voice["words"] for page in values["log"] for voice in page["heard"] if "de" in voice.get("words", ())).pop(
            "de"
        )
        log.write_text(json.dumps(values))
        return
    path = next(path for path in _texts(pack) if path.stem == "de")
    text = path.read_bytes().decode("utf-16")
    lines = text.rstrip("\r\n").split("\r\n")
    path.write_bytes("\r\n".join([*lines[:-1], ""]).encode("utf-16"))


def _last_key(pack: Path, keys: list[str]) -> None:
    """The key that the trigger plays."""
    path = pack / "open-pack.json"
    before, found, after = path.read_text("utf-8").rpartition(f'"{keys[0]}"')
    assert found
    path.write_text(f'{before}"{keys[0]}x"{after}', "utf-8")


def _twice(pack: Path) -> None:
    path = _sound(pack)
    shutil.copy(path, path.with_name(path.name.upper()))


CASES = [(game, identity, slip) for identity, slip, games in SLIPS for game in games]


@pytest.mark.parametrize(("game", "identity", "slip"), CASES, ids=[f"{game}-{one}" for game, one, _ in CASES])
def test_the_slip_is_named(packs: dict[str, Path], tmp_path: Path, game: str, identity: str, slip: Slip) -> None:
    folder = packs[game]
    pack = tmp_path / "pack"
    shutil.copytree(folder / "pack", pack)
    words = ("check", pack, "--game", game, "--installation", folder / "game", "--json")
    slip(pack, json.loads((folder / "keys.json").read_text()))
    found = json.loads(run(*words).out)["findings"]
    named = [one for one in found if one["id"] == identity]
    assert named, found
    assert all(one["cure"] and one["effect"] for one in named)
    if identity == "document-broken":
        assert {one["id"] for one in found} == {identity}  # what is not read says nothing of the rest
    assert all(one["file"].startswith(str(pack)) for one in named)


def test_hostile_archives_are_findings_and_do_no_harm(workspace: Path, tmp_path: Path) -> None:
    members = zipfile.ZipFile(workspace / PACKAGE)
    bad = tmp_path / "bad.lampbox"
    with zipfile.ZipFile(bad, "w", zipfile.ZIP_DEFLATED) as out:
        for name in members.namelist():
            out.writestr(name, members.read(name))
        out.writestr("../../climbed.txt", "x")
        out.writestr("/guarded.txt", "x")
        out.writestr("con.ogg", "x")
        out.writestr("lore/audio/bomb.ogg", bytes(64 << 20))
        link = zipfile.ZipInfo("lore/link.json")
        link.create_system, link.external_attr = 3, (stat.S_IFLNK | 0o777) << 16
        out.writestr(link, "/etc/passwd")
    before = sorted(path for path in tmp_path.parent.rglob("*"))
    found = {one["id"] for one in json.loads(run("check", bad, "--game", "tarnlight", "--json").out)["findings"]}
    assert {"name-unsafe", "name-windows", "archive-bomb", "link-inside"} <= found
    assert sorted(path for path in tmp_path.parent.rglob("*")) == before


def test_sarif_and_explain(workspace: Path, tmp_path: Path) -> None:
    shutil.unpack_archive(workspace / PACKAGE, tmp_path / "pack", "zip")
    (tmp_path / "pack/nul.txt").write_text("x")
    voices = tmp_path / "pack/lore/log.json"
    voices.write_text(voices.read_text("utf-8").replace("tower-bell-near", "tower-bell-neer", 1), "utf-8")
    words = ("check", tmp_path / "pack", "--game", "tarnlight", "--installation", workspace.parent / "Tarnlight")
    log = json.loads(run(*words, "--sarif").out)
    found = json.loads(run(*words, "--json").out)["findings"]
    assert log["version"] == "2.1.0"
    assert len(Sarif.model_validate(log).runs[0].results or ()) == len(found)
    (one,) = log["runs"]
    rules = [rule["id"] for rule in one["tool"]["driver"]["rules"]]
    assert len(set(rules)) == len(rules)
    assert [result["ruleId"] for result in one["results"]] == [each["id"] for each in found]
    for result in one["results"]:
        assert rules[result["ruleIndex"]] == result["ruleId"]
        place = result["locations"][0]["physicalLocation"]
        assert place["artifactLocation"]["uri"].startswith("file:///")  # it lies elsewhere
    (of_pack,) = json.loads(run(*words, "--sarif", cwd=tmp_path).out)["runs"]
    base = of_pack["originalUriBaseIds"]["HERE"]["uri"]
    assert base == tmp_path.as_uri() + "/"
    for result in of_pack["results"]:
        location = result["locations"][0]["physicalLocation"]["artifactLocation"]
        assert location["uriBaseId"] == "HERE"
        assert urljoin(base, location["uri"]).startswith(f"{base}pack/")
    edit(workspace, 'clips = ["*"]', 'clips = ["none"]')
    inner = run("check", "--workspace", workspace, "--sarif", cwd=workspace.parent).out
    places = [one["locations"][0]["physicalLocation"] for one in json.loads(inner)["runs"][0]["results"]]
    assert {place["artifactLocation"]["uri"] for place in places} == {"storm-watch/ichnos.toml"}
    unknown = next(result for result in one["results"] if result["ruleId"] == "key-unknown")
    assert unknown["locations"][0]["physicalLocation"]["region"]["startLine"] > 1
    for identity in KINDS:
        assert KINDS[identity].cure in run("explain", identity).out
    assert "did you mean take-format" in run("explain", "take-fromat").err


def test_names_and_lengths_that_a_game_does_not_take(packs: dict[str, Path], tmp_path: Path) -> None:
    marsh = tmp_path / "marsh-pack"
    (marsh / "marsh/wav").mkdir(parents=True)
    soundfile.write(marsh / "marsh/wav/Héron call.wav", 0.1 * np.ones(22050 * 121), 22050, subtype="PCM_16")
    found = json.loads(run("check", marsh, "--game", "quillmarsh", "--json").out)["findings"]
    assert {"name-spelling", "take-long"} <= {one["id"] for one in found}


@pytest.mark.parametrize("game", ["tarnlight", "ombervale", "open-pack"])
def test_a_pack_that_is_too_large(packs: dict[str, Path], tmp_path: Path, game: str) -> None:
    rules = tmp_path / "small"
    shutil.copytree(profile.BUNDLED / game, rules)
    with (rules / "game.toml").open("a") as file:
        file.write("\n[limits]\nmegabytes = 0.01\n")
    assert "pack-large" in run("check", packs[game] / "pack", "--game", rules).out


def _archive(folder: Path, to: Path, *more: Path) -> Path:
    """A zip of a folder's contents, as people make them; some files twice."""
    with zipfile.ZipFile(to, "w") as archive:
        for path in [*sorted(folder.rglob("*")), *more]:
            archive.write(path, path.relative_to(folder))
    return to


@pytest.mark.filterwarnings("ignore:Duplicate name")
@pytest.mark.parametrize("game", GAMES)
def test_slips_of_archives(packs: dict[str, Path], tmp_path: Path, game: str) -> None:
    folder = packs[game]

    def found(archive: Path) -> set[str]:
        words = ("check", archive, "--game", game, "--installation", folder / "game", "--json")
        return {one["id"] for one in json.loads(run(*words).out)["findings"]}

    assert found(_archive(folder / "pack", tmp_path / "good.zip")) == set()
    assert "name-twice" in found(_archive(folder / "pack", tmp_path / "twice.zip", _sound(folder / "pack")))
    shutil.copytree(folder / "pack", tmp_path / "around" / "pack")
    if _is_folder(game):  # as it is sent: one folder, to be laid into the game
        assert found(_archive(tmp_path / "around", tmp_path / "sent.zip")) == set()
        (tmp_path / "around").rename(tmp_path / "inner")
        shutil.copytree(tmp_path / "inner", tmp_path / "around" / "inner")
    assert "wrapped-folder" in found(_archive(tmp_path / "around", tmp_path / "wrapped.zip"))


def _is_folder(game: str) -> bool:
    return loading.load(profile.BUNDLED / game).rules.packaging.kind == "folder"


@pytest.mark.parametrize("game", ["tarnlight", "vesper-yard", "open-pack"])
def test_the_ids_of_another_pack(packs: dict[str, Path], tmp_path: Path, game: str) -> None:
    """Copied from an older pack of one's own, ids and all."""
    shutil.copytree(packs[game] / "pack", tmp_path / "copied")
    result = json.loads(run("check", packs[game] / "pack", tmp_path / "copied", "--game", game, "--json").out)
    assert {"id-of-another", "key-shared"} <= {one["id"] for one in result["together"]}


def test_a_missing_title_wherever_the_languages_stand(packs: dict[str, Path], tmp_path: Path) -> None:
    """Languages around the sounds, in one file; those inside each sound are the open pack's own way."""
    rules, pack = tmp_path / "around", tmp_path / "pack"
    shutil.copytree(profile.BUNDLED / "open-pack", rules)
    (rules / "tree/words.json").write_text('{"@language@": {"@key@": "@title@"}}')
    shutil.copytree(packs["open-pack"] / "pack", pack)
    first, second, _ = json.loads((packs["open-pack"] / "keys.json").read_text())
    for german, missing in (({first: "A", second: "B"}, 0), ({first: "A"}, 1)):
        (pack / "words.json").write_text(json.dumps({"en": {first: "A", second: "B"}, "de": german}))
        found = json.loads(run("check", pack, "--game", rules, "--json").out)["findings"]
        found = [one for one in found if one["id"] != "said-otherwise"]  # the open pack's own titles are others
        assert [one["id"] for one in found] == ["title-missing"] * missing
        assert all(one["file"].endswith("words.json") and second in one["reason"] for one in found)
