"""The listening page, in a real browser: it plays, keeps verdicts, asks for nothing, and all texts stay texts."""

from __future__ import annotations

import csv
import json
import re
import shutil
import time
import wave
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from conftest import LOCAL, PACKAGE, Made, edit, run
from ichnos.page import listening
from ten_games import GAMES, lay

CHROMIUM = Path("/usr/bin/chromium")
HOSTILE = "</script><img src=x onerror=\"document.title='taken'\">"
ARGS = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]
STATE = "() => ({...listening.state, playing: listening.player.playing, time: listening.player.currentTime})"


@pytest.fixture(scope="module")
def browser() -> Iterator[Any]:
    if not CHROMIUM.exists():
        pytest.skip("there is no /usr/bin/chromium: install Debian's package chromium to try the page")
    from playwright.sync_api import sync_playwright

    with sync_playwright() as driver:
        started = driver.chromium.launch(executable_path=CHROMIUM, args=ARGS)
        yield started
        started.close()


@pytest.fixture
def visit(browser: Any, tmp_path: Path) -> Iterator[Callable[..., Any]]:
    """Opens pages in an empty profile; no page may complain, or ask for anything but itself."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    said: list[str] = []
    asked: list[str] = []
    context.route("**/*", lambda route: (asked.append(route.request.url), route.continue_()))

    def opened(page: Path, beside: int = 0) -> Any:
        asked.clear()
        tab = context.new_page()
        tab.on("console", lambda one: said.append(one.text))
        tab.on("pageerror", lambda error: said.append(str(error)))
        tab.goto(page.as_uri())
        tab.wait_for_function("() => globalThis.listening")
        return tab

    opened.asked, opened.said = asked, said  # type: ignore[attr-defined]
    yield opened
    context.close()
    assert not said


def state(tab: Any) -> dict[str, Any]:
    return dict(tab.evaluate(STATE))


def playing(tab: Any, after: float = 0.0) -> dict[str, Any]:
    tab.wait_for_function(f"() => listening.player.playing && listening.player.currentTime > {after}")
    return state(tab)


def gain(tab: Any) -> float:
    """How loud it plays, when its fade is over."""
    found = [-1.0, 0.0]
    while abs(found[-1] - found[-2]) > 1e-5:
        tab.wait_for_timeout(60)
        found.append(float(tab.evaluate("() => listening.player.gain.gain.value")))
    return found[-1]


def listened(workspace: Path) -> Path:
    """The demonstration's page, with a title that would like to be more."""
    edit(workspace, 'en = "The tower bell"', f"en = {json.dumps(HOSTILE)}")
    edit(workspace, 'key = "tower-bell-near"', 'key = "tower-bell-near"\nvolume = 0.5\npositional = true')
    assert run("build", cwd=workspace).code == 0
    done = run("listen", cwd=workspace)
    assert done.code == 0, done.err
    assert "old one, from Tarnlight's own" in done.out
    return workspace / "build" / "listen.html"


@pytest.fixture(scope="module")
def page(_demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Such a page, for those who only look at it."""
    folder = tmp_path_factory.mktemp("page") / "demo"
    shutil.copytree(_demo, folder, copy_function=shutil.copy2)
    return listened(folder / "storm-watch")


def test_plays_old_and_new_at_the_same_position(page: Path, visit: Callable[..., Any]) -> None:
    tab = visit(page)
    tab.get_by_role("button", name="tower-bell-near").click()
    tab.keyboard.press("Space")
    assert playing(tab, 0.3)["side"] == "new"
    assert gain(tab) == pytest.approx(0.5, rel=1e-3)
    begun = time.monotonic()
    before = state(tab)["time"]
    tab.keyboard.press("o")
    tab.wait_for_function("() => listening.state.side === 'old' && listening.player.playing")
    after = playing(tab, before + 0.001)
    assert before < after["time"] <= before + time.monotonic() - begun + 0.1  # it is told in steps
    voices = (page.parents[2] / "Tarnlight" / "base" / "lore" / "log.json").read_text("utf-8")
    theirs = re.search(r'"tower-bell-near".*?"gain": ([\d.]+)', voices, re.DOTALL)
    assert theirs
    assert gain(tab) == pytest.approx(float(theirs[1]), rel=1e-3)
    tab.keyboard.press("m")  # the louder one is brought down to the quieter
    figures = re.findall(r"(-[\d.]+) LUFS", tab.inner_text("#pieces").replace("−", "-"))
    new, old = map(float, figures)
    assert gain(tab) == pytest.approx(10 ** ((min(new, old) - old) / 20), rel=0.02)
    if state(tab)["playing"]:  # it lasts two seconds
        tab.keyboard.press("Space")
    assert not state(tab)["playing"]
    assert len(visit.asked) == 1  # type: ignore[attr-defined]


def test_finds_sorts_and_marks(page: Path, visit: Callable[..., Any]) -> None:
    tab = visit(page)
    shown = "() => [...document.querySelectorAll('#lines li:not([hidden]) .key')].map((one) => one.textContent)"
    everything = tab.evaluate(shown)
    assert len(everything) == 5
    tab.fill("#word", "GLOCKE")  # a title in another language
    assert tab.evaluate(shown) == ["tower-bell-near"]
    assert tab.inner_text("#count") == "1 of 5 sounds"
    tab.fill("#word", "")
    tab.select_option("#category", "=house")
    assert tab.evaluate(shown) == [key for key in everything if key in ("hatch-closed", "lamp-draught-storm")]
    tab.select_option("#category", "")
    for order, last in (("length", "hatch-closed"), ("key", "tower-bell-near")):
        tab.select_option("#order", order)
        assert tab.evaluate(shown)[-1] == last
    assert sorted(tab.evaluate(shown)) == sorted(everything)
    tab.keyboard.press("Escape")
    tab.keyboard.press("ArrowUp")
    assert tab.inner_text("#key") == "lamp-draught-storm"
    tab.focus("#next")
    tab.keyboard.press("Enter")
    tab.keyboard.press("Enter")  # the button is still under the finger
    assert tab.inner_text("#key") == "shore-gull-calling"
    tab.click("#play")
    playing(tab)
    tab.keyboard.press("ArrowUp")  # who listens goes on listening
    tab.wait_for_function("() => document.getElementById('key').textContent === 'shore-foghorn-distant'")
    playing(tab)


OPEN = """
[[sound]]
key = "tower-bell"
takes = ["bell.wav"]
loop = true
positional = true

[[sound]]
key = "hatch"
takes = [{clip = "hatch.wav", weight = 1}, {clip = "bell.wav", weight = 3}]
"""


def tone(path: Path, seconds: float, level: float) -> None:
    with wave.open(str(path), "wb") as file:
        file.setparams((1, 2, 44100, 0, "NONE", ""))
        file.writeframes((np.sin(np.arange(round(seconds * 44100)) / 9) * level * 32767).astype("<i2").tobytes())


def test_goes_round_near_far_and_by_weight(tmp_path: Path, visit: Callable[..., Any]) -> None:
    own = tmp_path / "own"
    assert run("start", own, "--game", "open-pack", "--title", "Ours", "--licence", "MIT").code == 0
    tone(own / "bell.wav", 3, 0.3)
    tone(own / "hatch.wav", 1, 0.3)
    tone(own / "bed.wav", 90, 0.1)
    (own / "ichnos.toml").write_text((own / "ichnos.toml").read_text("utf-8") + OPEN, "utf-8")
    built = run("build", cwd=own)
    assert built.code == 0, built.err
    made = run("listen", "--bed", own / "bed.wav", cwd=own)
    assert made.code == 0, made.err
    tab = visit(own / "build" / "listen.html")
    tab.get_by_role("button", name="tower-bell").click()
    tab.keyboard.press("l")
    tab.keyboard.press("Space")
    playing(tab)
    assert tab.evaluate("() => listening.player.offset") == 1.5  # before the end of its 3 s
    tab.wait_for_function("() => listening.player.currentTime < 1")
    assert state(tab)["playing"]
    as_it_is = gain(tab)
    tab.keyboard.press("n")
    assert state(tab)["away"] == 16
    assert gain(tab) == pytest.approx(as_it_is * 0.5, rel=1e-2)  # half of the way from 2 m to 30 m, straight
    assert "−6.0 dB" in tab.inner_text("#reached")
    tab.keyboard.press("b")
    tab.wait_for_function("() => listening.player.bed && listening.player.bed.buffer.duration === 60")
    for draw, take in ((0.2, 0), (0.3, 1), (0.99, 1)):
        tab.get_by_role("button", name="hatch", exact=False).first.click()
        tab.evaluate(f"() => {{ Math.random = () => {draw}; }}")
        if not state(tab)["chance"]:
            tab.keyboard.press("w")
        tab.keyboard.press("Space")
        assert playing(tab)["row"] == take
        tab.keyboard.press("Space")
    # In the pause between two takes one turns to a sound that has one alone: it plays at once, and once.
    tab.keyboard.press("Space")
    tab.wait_for_function("() => listening.state.waiting")
    tab.get_by_role("button", name="tower-bell").click()
    tab.keyboard.press("l")
    tab.keyboard.press("Space")
    playing(tab)
    tab.wait_for_function("() => !listening.player.playing")
    tab.wait_for_timeout(700)
    assert not state(tab)["playing"]


def test_verdicts_come_and_go(workspace: Path, visit: Callable[..., Any], tmp_path: Path) -> None:
    page = listened(workspace)
    tab = visit(page)
    tab.get_by_role("button", name="hatch-closed").click()
    tab.keyboard.press("r")
    tab.keyboard.press("t")
    tab.keyboard.type('too "shrill", isn\'t it?\n=1+1')
    tab.get_by_role("button", name="tower-bell-near").click()
    tab.keyboard.press("k")
    assert tab.inner_text("#stored") == "2 verdicts, 1 to redo."
    tab.reload()
    tab.wait_for_function("() => globalThis.listening")
    assert tab.inner_text("#stored") == "2 verdicts, 1 to redo."
    tab.select_option("#verdict", "redo")
    assert tab.inner_text("#count") == "1 of 5 sounds"
    with tab.expect_download() as download:
        tab.click("#export")
    table = tmp_path / download.value.suggested_filename
    download.value.save_as(table)
    with table.open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    assert [(row["key"], row["verdict"]) for row in rows] == [("hatch-closed", "redo"), ("tower-bell-near", "keep")]
    assert rows[0]["note"] == 'too "shrill", isn\'t it?\n=1+1'

    taken = run("assign", "--verdicts", table, cwd=workspace)
    assert taken.code == 0, taken.err
    checked = json.loads(run("check", "--json", cwd=workspace).out)
    assert [one["id"] for one in checked["findings"]] == ["verdict-redo"]
    assert "shrill" in checked["findings"][0]["reason"]
    assert checked["passed"]
    # Made again, the verdict is over; of another pack it is asked for by name.
    edit(workspace, '"clips/hatch-1.flac", ', "")
    assert run("build", cwd=workspace).code == 0
    done = run("check", "--json", cwd=workspace)
    assert json.loads(done.out)["findings"] == []
    assert "1 verdict of a sound that has changed since: hatch-closed" in done.err
    theirs = ("check", PACKAGE, "--game", "tarnlight", "--verdicts", table, "--json")
    assert json.loads(run(*theirs, cwd=workspace).out)["findings"] == []
    table.write_text(table.read_text("utf-8").replace("tower-bell-near", "tower-bell-nea"), "utf-8")
    assert "did you mean tower-bell-near" in run(*theirs, cwd=workspace).err
    table.write_text(table.read_text("utf-8").replace("tower-bell-nea", "tower-bell-near"), "utf-8")

    tab.evaluate("() => localStorage.clear()")
    tab.reload()
    tab.wait_for_function("() => globalThis.listening")
    assert tab.inner_text("#stored") == "No verdicts yet."
    table.write_text(
        table.read_text("utf-8") + "no.such.key,keep,,\r\nshore-gull-calling,perhaps,,\r\nhatch-closed,keep,,\r\n",
        "utf-8",
    )
    tab.set_input_files("#import", table)
    tab.wait_for_function("() => document.getElementById('stored').textContent.includes('imported')")
    assert "3 verdicts imported. 1 of them are of keys" in tab.inner_text("#stored")
    assert "left out: row 5, 6." in tab.inner_text("#stored")
    tab.get_by_role("button", name="hatch-closed").click()
    assert tab.input_value("#note") == rows[0]["note"]
    # The page made anew knows what the workspace knows, and that it was of another sound.
    assert run("listen", cwd=workspace).code == 0
    tab.evaluate("() => localStorage.clear()")
    tab.goto(page.as_uri())
    tab.get_by_role("button", name="hatch-closed").click()
    assert tab.inner_text("#over") == "It was given before this sound changed."
    assert tab.get_attribute("#redo", "aria-pressed") == "true"
    tab.keyboard.press("t")
    tab.keyboard.type("better. ")  # a note of this sound does not make the old verdict one of it
    assert tab.get_attribute("#redo", "aria-pressed") == "false"
    assert (
        tab.evaluate("() => JSON.parse(localStorage.getItem('ichnos verdicts tarnlight/storm-watch'))[0].verdict") == ""
    )
    tab.keyboard.press("Escape")
    for letter, kept in (("k", "true"), ("e", "false")):
        tab.keyboard.press(letter)
        assert tab.get_attribute("#keep", "aria-pressed") == kept


def test_a_table_that_is_not_as_it_must_be(workspace: Path) -> None:
    table = workspace / "said.csv"
    for text, told in (
        ("key,verdict\nhatch.closed,maybe\n", 'said.csv:2:14: column "verdict": there is no verdict "maybe"'),
        ("key,verdict\nhatch.closd,keep\n", "did you mean hatch-closed"),
        ("key,verdict\nhatch.closed,keep\nhatch.closed,redo\n", "said.csv:3:1"),
        ("sound,says\nhatch.closed,keep\n", 'no column "sound"'),
        ("key;verdict\nhatch.closed;often\n", "said.csv:2:14"),
        ("nonsense\n", "said.csv:1:1: there is no column"),
        ("key,verdict,colour\n", 'no column "colour"'),
        ("key,verdict\n,keep\n", "said.csv:2:1: this row says nothing"),
        ("key,verdict,heard\nhatch.closed,keep,zz\n", "said.csv:2:19"),
    ):
        table.write_text(text, "utf-8")
        done = run("assign", "--verdicts", table, cwd=workspace)
        assert done.code == 1
        assert told in done.err
    assert not (workspace / "verdicts.csv").exists()


def test_the_scripts_modules_share_no_name() -> None:
    """They are joined into one scope, where the second of two functions would take the first one's place."""
    folder = Path(listening.__file__).parent / "script"
    texts = [path.read_text("utf-8") for path in sorted(folder.glob("*.js"))]
    names = re.findall(r"^(?:export )?(?:async )?(?:let|const|function|class) (\w+)", "".join(texts), re.MULTILINE)
    assert len(names) > 80
    assert len(set(names)) == len(names)
    assert {path.stem for path in folder.glob("*.js")} == set(listening._MODULES)


def test_strangers_texts_stay_texts(page: Path, visit: Callable[..., Any]) -> None:
    html = page.read_text("utf-8")
    assert HOSTILE not in html
    tab = visit(page)
    tab.get_by_role("button", name="tower-bell-near").click()
    assert HOSTILE in tab.inner_text(".titles")
    assert tab.title() == "Storm watch: listening page"
    assert tab.evaluate("() => document.querySelectorAll('img, iframe, object, embed').length") == 0
    refused = "() => { try { document.body.innerHTML = '<i></i>'; return false; } catch (error) { return true; } }"
    assert tab.evaluate(refused)  # the policy forbids what nobody should ever do here
    assert "TrustedHTML" in visit.said.pop()  # type: ignore[attr-defined]
    assert not visit.said  # type: ignore[attr-defined]
    assert len(visit.asked) == 1  # type: ignore[attr-defined]


@pytest.mark.parametrize(("scheme", "wide", "high"), [("light", 1280, 800), ("dark", 640, 400), ("light", 390, 844)])
def test_everybody_can_use_it(page: Path, browser: Any, scheme: str, wide: int, high: int) -> None:
    from axe_playwright_python.sync_playwright import Axe

    context = browser.new_context(
        viewport={"width": wide, "height": high}, color_scheme=scheme, reduced_motion="reduce", bypass_csp=True
    )
    tab = context.new_page()
    tab.goto(page.as_uri())
    for view in ("index", "leaf"):
        found = Axe().run(tab)
        assert found.violations_count == 0, found.generate_report()
        assert tab.evaluate("() => document.documentElement.scrollWidth <= innerWidth")
        if view == "index":
            tab.get_by_role("button", name="shore-gull-calling").click()
    context.close()


def test_sounds_beside_the_page(workspace: Path, visit: Callable[..., Any], tmp_path: Path) -> None:
    to = tmp_path / "näher #1.html"
    done = run("listen", PACKAGE, "--audio", "beside", "--to", to, cwd=workspace)
    assert done.code == 0, done.err
    beside = tmp_path / "näher #1-sounds"
    assert len(list(beside.iterdir())) == 8  # six of the pack, two that the game has where they can be read
    tab = visit(to)
    tab.get_by_role("button", name="shore-gull-calling").click()
    tab.keyboard.press("Space")
    playing(tab, 0.1)
    assert len(visit.asked) == 2  # type: ignore[attr-defined]
    (beside / "mine.txt").write_text("mine", "utf-8")
    assert run("listen", PACKAGE, "--against", PACKAGE, "--audio", "beside", "--to", to, cwd=workspace).code == 0
    assert len(list(beside.glob("*.js"))) == 6  # those of the page before are gone
    assert (beside / "mine.txt").exists()
    shutil.rmtree(beside)
    beside.symlink_to(workspace)
    assert "a link stands here" in run("listen", PACKAGE, "--audio", "beside", "--to", to, cwd=workspace).err


def test_a_sound_in_the_place_of_the_games_own(tmp_path: Path) -> None:
    """By path alone: the old one is what the game has there."""
    laid = lay(next(game for game in GAMES if game.name == "mothwick"), tmp_path)
    own = laid.workspaces[0]
    assert run("build", cwd=own).code == 0
    theirs = next(own.glob("build/*/wings/loud/moth-leaves.wav"))
    tone(tmp_path / "game/house/wings/loud" / theirs.name, 0.7, 0.3)
    said = json.loads(run("listen", "--json", cwd=own).out)
    assert [one["key"] for one in said["sounds"] if one["old"]] == ["moth.leaves"]
    assert len(said["sounds"]) == 6


@pytest.mark.parametrize("told_by", ["its place", "its document"])
def test_the_page_and_the_check_see_the_same_kind(tmp_path: Path, told_by: str) -> None:
    """In a stranger's pack nothing tells a sound's kind but where its file is, or in which document it stands."""
    sounds = '{"sounds": [\n  {"id": "@key@", "files": ["@file@"]}\n]}\n'
    tree = {"tree/noises.json": sounds, "tree/sounds/@key@-@take.number@.wav": ""}
    kind = '[[kind]]\nname = "speech"\nfiles = "speech/@key@-@take.number@.wav"\n'
    if told_by == "its document":
        tree |= {"tree/a.txt": "@key@ = @title@\n", "tree/talk.json": sounds}
        kind = (
            '[[document]]\npath = "noises.json"\nkinds = [""]\n\n[[document]]\npath = "talk.json"\nkinds = ["speech"]\n\n'
            + kind.replace("speech/", "")
        )
        tree["tree/@key@-@take.number@.wav"] = ""
        del tree["tree/sounds/@key@-@take.number@.wav"]
    game = Made(tmp_path, "mill", kind, tree, {})
    game.start('\n[[sound]]\nkey = "reed"\nnew = true\nkind = "speech"\ntakes = ["c1.wav"]\ntitle = "Reed"\n')
    done = run("build", "--json", cwd=game.own)
    assert done.code == 0, done.err
    pack, rules = json.loads(done.out)["to"], game.profile / "game.toml"
    rules.write_text(f"{rules.read_text('utf-8')}seconds = 0.05\n", "utf-8")
    found = json.loads(run("check", pack, "--game", game.profile, "--json", cwd=tmp_path).out)["findings"]
    assert [one["reason"] for one in found] == ["it lasts 0.1 s, 0.05 s are allowed"]
    page = tmp_path / "page.html"
    assert run("listen", pack, "--game", game.profile, "--to", page, cwd=tmp_path).code == 0
    assert '"kind":"speech"' in page.read_text("utf-8").replace(": ", ":")


def test_writes_over_nothing_else(workspace: Path, tmp_path: Path) -> None:
    mine = tmp_path / "mine.html"
    mine.write_text("<p>mine</p>", "utf-8")
    done = run("listen", "--to", mine, cwd=workspace)
    assert done.code == 2
    assert "is no listening page" in done.err
    assert mine.read_text("utf-8") == "<p>mine</p>"
    assert run("listen", "--to", mine, "--overwrite", "--dry-run", cwd=workspace).code == 0
    assert mine.read_text("utf-8") == "<p>mine</p>"
    first = run("listen", "--to", mine, "--overwrite", cwd=workspace)
    assert first.code == 0, first.err
    once = mine.read_bytes()
    assert run("listen", "--to", mine, cwd=workspace).code == 0
    assert mine.read_bytes() == once  # the same inputs, the same bytes


def test_a_sound_far_from_its_like_is_told(workspace: Path) -> None:
    for number, level in enumerate((0.1, 0.1, 0.1, 1.0)):
        path = workspace / "clips" / f"near-{number}.wav"
        tone(path, 1, level)
        said = ("assign", f"own.level.{number}", path, "--new", "--category", "levels")
        assert run(*said, cwd=workspace).code == 0
    assert run("build", cwd=workspace).code == 0
    done = json.loads(run("listen", "--json", cwd=workspace).out)
    jumps = {one["key"]: one["jump"] for one in done["sounds"] if one["jump"]}
    assert list(jumps) == ["own.level.3"]
    assert jumps["own.level.3"] == pytest.approx(20, abs=0.3)


def test_a_pack_that_nobody_should_have_made(tmp_path: Path, visit: Callable[..., Any]) -> None:
    pack = tmp_path / "odd"
    (pack / "audio").mkdir(parents=True)
    tone(pack / "audio/a.wav", 5, 0.2)
    tone(pack / "audio/none.wav", 0, 0.2)
    title = "@sounds@ {{ 7*7 }} </title><script>document.title='taken'</script>\u202e\u0000"
    odd = {
        "key": "k\u202e\u0007",
        "sort": "c\u0000",
        "takes": [{"clip": "audio/a.wav"}, {"clip": "audio/gone.wav"}],
    }
    twice = {"key": "__proto__", "titles": {"en": title}, "takes": [{"clip": "audio/none.wav", "share": 1e308}]}
    sounds = [odd, twice, {"key": "", "takes": []}, {**odd, "key": "same"}, {**twice, "key": "same"}]
    document = {"openPack": 2, "title": title, "version": "<b>", "author": "$x_1$ \\frac", "heard": sounds}
    (pack / "open-pack.json").write_text(json.dumps(document), "utf-8")
    words = (pack, "--game", "open-pack", "--against", pack, "--to", tmp_path / "odd.html")
    done = run("listen", *words)
    assert done.code == 0, done.err
    assert "none.wav: this WAV file holds no sound" in done.err
    tab = visit(tmp_path / "odd.html")
    assert tab.title().startswith("@sounds@ {{ 7*7 }} </title><script>")
    lines = tab.evaluate("() => [...document.querySelectorAll('#lines .key')].map((one) => one.textContent)")
    assert lines == ["k\\u202e\\u0007", "__proto__", "(no key)", "same", "same (2)"]
    tab.keyboard.press("Space")
    playing(tab)
    assert len(visit.asked) == 1  # type: ignore[attr-defined]
    assert run("sheet", pack, "--game", "open-pack", "--to", tmp_path / "odd.png").code == 0


def test_old_is_the_last_release_where_there_is_no_game(workspace: Path) -> None:
    for name in (LOCAL, "ichnos.lock"):
        (workspace / name).unlink()
    assert run("keys", "harvest", workspace.parent / "Tarnlight", "--game", "tarnlight").code == 0
    edit(workspace, '# author = "Your name"', 'author = "Ours"')
    edit(
        workspace,
        'takes = ["clips/draught.wav"]\nnew = true',
        'takes = ["clips/draught.wav"]\nnew = true\nvolume = 0.9',
    )
    assert run("build", cwd=workspace).code == 0
    released = run("release", "--minor", "--note", "louder", cwd=workspace)
    assert released.code == 0, released.err
    edit(workspace, "volume = 0.9", "volume = 0.4")
    assert run("build", cwd=workspace).code == 0
    done = run("listen", cwd=workspace)
    assert done.code == 0, done.err
    assert "5 with an old one, from storm-watch-0.2.0.lampbox" in done.out
    nothing = run("listen", "--against", "clips", cwd=workspace)  # is no pack, and nothing of the game's is its own
    assert "0 with an old one, from clips" in nothing.out
    assert "Nothing in clips" in nothing.err
