"""Documents in no known format: an exemplar's own lines, with holes, are what entries are like."""

from __future__ import annotations

from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from conftest import Made
from ichnos.documents.text import Text
from ichnos.documents.tree import Unwritable
from ichnos.games.profiles.document_rules import DocumentRules
from ichnos.games.profiles.nesting import line_patterns

HEAD = "takes = {several = false}\n---\n"
MERGED = '[[document]]\npath = "noises.txt"\nmode = "merge"\nformat = "line-patterns"\n'
FERRY = """format 2
begin noises
  audio "@file@" oneshot @near@ @far@ /*@key@*/
end
"""
OWN = """# the ferry's noises
format   2
begin noises
  audio "bell.wav"   oneshot 30\t1800 /*bell.far*/   // rung at the pier
  audio 'horn.wav' oneshot 3 18 /* horn.low */
  /* an old one:
  audio "whistle.wav" oneshot 1 1 /*whistle*/
  */
  audio gull.wav oneshot 3 18 /*gull*/
  ;audio "" oneshot 5 50 /*winch*/
  ; the last one is for later
end
"""
SOUNDS = """
[[sound]]
key = "horn.low"
takes = ["c1.wav"]
far = 25

[[sound]]
key = "winch"
takes = ["c2.wav"]

[[sound]]
key = "buoy"
new = true
takes = ["c3.wav"]
near = 4
far = 9
"""


def _ferry(folder: Path, rules: str = "") -> Made:
    tree = {"tree/noises.txt": FERRY, "tree/mine/@key@.wav": ""}
    return Made(folder, "ferry", HEAD + MERGED + rules, tree, {"noises.txt": OWN})


def test_entries_are_lines_of_an_own_shape(tmp_path: Path) -> None:
    game = _ferry(tmp_path, 'disabled = ";"\n')
    game.start(SOUNDS, keys=4)
    text = (game.build() / "noises.txt").read_text()
    expected = OWN.replace("'horn.wav' oneshot 3 18", "'mine/horn.low.wav' oneshot 3 25")
    expected = expected.replace(';audio "" oneshot 5 50', 'audio "mine/winch.wav" oneshot 5 50')
    line = '  audio "mine/buoy.wav" oneshot 4 9 /*buoy*/\n'
    assert text == expected.replace("end\n", f"{line}end\n") or text == expected.replace(
        "  ; the last", f"{line}  ; the last"
    )


def test_a_line_that_is_not_like_the_others_is_found(tmp_path: Path) -> None:
    game = _ferry(tmp_path)
    game.start(SOUNDS.replace("winch", "gull"), keys=3)
    pack = game.build()
    path = pack / "noises.txt"
    path.write_text(path.read_text().replace('"mine/buoy.wav" oneshot 4 9', '"mine/buoy.wav" oneshot 4'))
    checked = game.run("check", pack, cwd=game.own)
    expected = (
        'entry-strange  build/my-own/noises.txt:10:3: a line like audio "@file@" oneshot @near@ @far@ /*@key@*/ is'
    )
    assert checked.code == 1
    assert expected in checked.out


BARGE = """[@category@]
call @key@ {
    title "@title@"
    loud @volume~percent@%
    plays '@file@' odds @weight=1@
}

on @trigger.event@ -> @trigger.key@ after @trigger.delay@ s
"""
WHOLE = '[[document]]\npath = "calls.def"\nformat = "line-patterns"\n'
CALLS = """
[[sound]]
key = "kettle"
new = true
category = "galley"
volume = 0.8
takes = ["c1.wav", {clip = "c2.wav", weight = 3}]
title = "Kettle's on"

[[sound]]
key = "rope"
new = true
category = "deck"
takes = ["c3.wav"]

[[trigger]]
name = "tea"
event = "at-four"
key = "kettle"
delay = 2
"""


def test_an_entry_may_have_several_lines_under_a_heading(tmp_path: Path) -> None:
    tree = {"tree/calls.def": BARGE, "tree/mine/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "barge", "---\n" + WHOLE, tree, {})
    game.start(CALLS)
    text = (game.build() / "calls.def").read_text()
    assert text == (
        '[galley]\ncall kettle {\n    title "Kettle\'s on"\n    loud 80%\n'
        "    plays 'mine/kettle-1.wav' odds 1\n    plays 'mine/kettle-2.wav' odds 3\n}\n"
        "[deck]\ncall rope {\n    plays 'mine/rope-1.wav' odds 1\n}\n"
        "\non at-four -> kettle after 2 s\n"
    )


RAFT = "*[name] @key@ [file] @file@ [vol] @volume@\ncaption @key@: @title@\n"
RAFTS = '[[document]]\npath = "raft.snd"\nmode = "merge"\nformat = "line-patterns"\ncomments = ["!"]\n'
ONES = "*[name] mast  [file] a.wav [file] b.wav [vol] 0.5 ! creaks\ncaption mast: The mast\n*[name] sail [file] s.wav\n"


def test_takes_repeat_within_a_line(tmp_path: Path) -> None:
    tree = {"tree/raft.snd": RAFT, "tree/mine/@key@-@take.number@.wav": ""}
    game = Made(tmp_path, "raft", "---\n" + RAFTS, tree, {"raft.snd": ONES})
    sounds = '\n[[sound]]\nkey = "mast"\nvolume = 0.7\ntakes = ["c1.wav", "c2.wav", "c3.wav"]\n'
    sounds += '\n[[sound]]\nkey = "sail"\nvolume = 0.25\ntitle = "A sail"\n'
    sounds += '\n[[sound]]\nkey = "oar"\nnew = true\ntakes = ["c4.wav"]\ntitle = "Oar"\n'
    game.start(sounds, keys=2)
    pack = game.build()
    files = " ".join(f"[file] mine/mast-{number}.wav" for number in (1, 2, 3))
    assert (pack / "raft.snd").read_text().splitlines() == [
        f"*[name] mast  {files} [vol] 0.7 ! creaks",
        "caption mast: The mast",
        "*[name] sail [file] s.wav [vol] 0.25",
        "caption sail: A sail",
        "*[name] oar [file] mine/oar-1.wav",
        "caption oar: Oar",
    ]


INI = """[harbour]
;bell = ""
; whistle is for later
horn = "own/horn.wav" ; the low one
;horn = "old/horn.wav"
"""


def test_a_disabled_entry_is_a_key_and_its_place(tmp_path: Path) -> None:
    rules = (
        '---\n[[document]]\npath = "set.ini"\nmode = "merge"\ndisabled = ";"\n[install]\nfolder = ""\nlay = "over"\n'
    )
    tree = {"tree/set.ini": '[harbour]\n@key@ = "@file@"\n', "tree/mine/@key@.wav": ""}
    game = Made(tmp_path, "quay", "takes = {several = false}\n" + rules, tree, {"set.ini": INI})
    game.start('\n[[sound]]\nkey = "bell"\ntakes = ["c1.wav"]\n', keys=2)
    text = (game.build() / "set.ini").read_text()
    assert text == INI.replace(';bell = ""', 'bell = "mine/bell.wav"')
    assert game.run("install", cwd=game.own).code == 0
    assert (tmp_path / "game/set.ini").read_text() == text
    assert game.run("restore", cwd=game.own).code == 0
    assert (tmp_path / "game/set.ini").read_text() == INI
    assert "game.toml:" in game.run("games", "check", _braces(tmp_path)).err


def _braces(folder: Path) -> Path:
    tree = {"tree/set.x": 'a "@key@" { f "@file@"; }\n', "tree/mine/@key@.wav": ""}
    rules = '---\n[[document]]\npath = "set.x"\nformat = "braces"\ndisabled = ";"\n'
    return Made(folder / "other", "quay", "takes = {several = false}\n" + rules, tree, {}).profile


WILD = """; as players keep it
[harbour]
bell : "own/bell.wav"   ; first
words = "Two
lines" # kept

[other]
[harbour]
horn = 'own/horn.wav' // low
"""


def test_settings_as_they_are_in_the_wild(tmp_path: Path) -> None:
    rules = 'takes = {several = false}\n---\n[[document]]\npath = "set.ini"\nmode = "merge"\n[install]\nfolder = ""\nlay = "over"\n'
    tree = {"tree/set.ini": '[harbour]\n@key@ = "@file@"\n', "tree/mine/@key@.wav": ""}
    game = Made(
        tmp_path, "quay", rules, tree, {"set.ini": WILD.replace("words", "; words").replace('lines"', '; lines"')}
    )
    own = (tmp_path / "game/set.ini").read_text()
    new = '\n[[sound]]\nkey = "gull"\nnew = true\ntakes = ["c2.wav"]\n'
    game.start('\n[[sound]]\nkey = "bell"\ntakes = ["c1.wav"]\n' + new, keys=2)
    text = (game.build() / "set.ini").read_text()
    assert 'bell : "mine/bell.wav"   ; first\n' in text
    assert text.endswith("[harbour]\nhorn = 'own/horn.wav' // low\ngull = \"mine/gull.wav\"\n")
    assert game.run("install", cwd=game.own).code == 0
    played = text + "[harbour]\ndrum = 'theirs.wav'\n"
    (tmp_path / "game/set.ini").write_text(played)  # somebody goes on with it
    assert game.run("restore", "--keep-theirs", cwd=game.own).code == 0
    assert (tmp_path / "game/set.ini").read_text() == own + "[harbour]\ndrum = 'theirs.wav'\n"


LINE = 'say "@key@" as @title@ [plays] @file@ (@volume@)\n'


@given(st.lists(st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=12), min_size=3, max_size=3))
def test_what_a_line_can_hold_comes_back(values: list[str]) -> None:
    form = line_patterns(LINE, DocumentRules(path="x", escapes="backslash"))
    (pattern,) = form.parse(Text("x", LINE)).children
    slots = [node for node in pattern.walk() if node.holds_value]
    try:
        written = [form.write_value(value, node, LINE) for value, node in zip([*values, 0.5], slots, strict=True)]
    except Unwritable:
        return
    line = LINE
    for text, node in reversed([*zip(written, slots, strict=True)]):
        line = line[: node.body_start] + text + line[node.body_end :]
    (real,) = form.parse(Text("x", line)).children
    assert [node.value for node in real.walk() if node.holds_value] == [*values, "0.5"]


def test_credits_never_stand_in_the_place_of_the_game_s_own(tmp_path: Path) -> None:
    rules = "takes = {several = false}\n---\n" + MERGED + '[install]\nfolder = ""\nlay = "over"\n'
    tree = {"tree/noises.txt": FERRY, "tree/mine/@key@.wav": ""}
    game = Made(tmp_path, "ferry", rules, tree, {"noises.txt": OWN, "CREDITS.txt": "the game's own\n"})
    game.start(SOUNDS.replace("winch", "gull"), keys=3)
    assert (game.build() / "CREDITS.txt").is_file()
    assert game.run("install", cwd=game.own).code == 0
    assert (tmp_path / "game/CREDITS.txt").read_text() == "the game's own\n"
    assert "My own" in (tmp_path / "game/CREDITS-my-own.txt").read_text()


def test_new_entries_have_the_line_ends_of_the_file_that_they_go_into(tmp_path: Path) -> None:
    tree = {"tree/noises.txt": BARGE[: BARGE.index("\non @")], "tree/mine/@key@-@take.number@.wav": ""}
    own = "[deck]\r\ncall bell {\r\n    plays 'own/bell.wav' odds 1\r\n}\r\n"
    game = Made(tmp_path, "barge", "---\n" + MERGED, tree, {"noises.txt": own})
    game.start(CALLS[: CALLS.index("\n[[trigger]]")].replace("galley", "deck"), keys=1)
    data = (game.build() / "noises.txt").read_bytes()
    assert data.startswith(own.encode().removesuffix(b"\r\n"))
    assert data.count(b"\n") == data.count(b"\r\n") == 13


def test_a_doubled_sign_in_fixed_text_is_refused(tmp_path: Path) -> None:
    tree = {"tree/noises.txt": "call me@@home @key@ @file@\n", "tree/mine/@key@.wav": ""}
    game = Made(tmp_path, "barge", HEAD + MERGED, tree, {})
    assert "write a plain @ alone here" in game.run("games", "check", game.profile).err


def test_entries_for_each_take_are_added_and_not_replaced(tmp_path: Path) -> None:
    tree = {"tree/noises.txt": "sound @key@ @file@ weight @weight=1@\n", "tree/mine/@key@-@take.number@.wav": ""}
    own = "sound bell own/b1.wav weight 1\nsound bell own/b2.wav weight 3 # loud\n"
    game = Made(tmp_path, "barge", "---\n" + MERGED + 'entry-for = "take"\n', tree, {"noises.txt": own})
    game.start('\n[[sound]]\nkey = "oar"\nnew = true\ntakes = ["c1.wav", {clip = "c2.wav", weight = 2}]\n', keys=1)
    more = "sound oar mine/oar-1.wav weight 1\nsound oar mine/oar-2.wav weight 2\n"
    assert (game.build() / "noises.txt").read_text() == own + more
    assert "its own cannot be replaced" in game.refused('key = "oar"\nnew = true', 'key = "bell"')


def test_a_line_that_begins_nearly_like_an_entry_is_told(tmp_path: Path) -> None:
    tree = {"tree/noises.txt": 'noise @key@ "@file@" loud @volume=1.0@\n', "tree/mine/@key@.wav": ""}
    rules = HEAD + MERGED.replace('mode = "merge"\n', "")
    game = Made(tmp_path, "barge", rules, tree, {})
    game.start(
        '\n[[sound]]\nkey = "oar"\nnew = true\ntakes = ["c1.wav"]\n\n[[sound]]\nkey = "rope"\nnew = true\ntakes = ["c2.wav"]\n'
    )
    pack = game.build()
    path = pack / "noises.txt"
    path.write_text("noises 2\n" + path.read_text().replace("noise rope", "niose rope"))
    told = game.run("check", pack, cwd=game.own).out
    assert 'noises.txt:3:1: a line like noise @key@ "@file@" loud @volume=1.0@ is expected' in told
    assert "noises.txt:1" not in told
