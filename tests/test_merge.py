"""Merging into a game's own files, and entries that are like existing ones: nothing else changes."""

from __future__ import annotations

import json
import re
import xml.etree.ElementTree as ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ichnos.documents.formats import named, parse
from ichnos.games.entries.contents import sound_entries
from ichnos.games.entries.edit import Editor, merge
from ichnos.games.entries.fill import Bindings
from ichnos.games.entries.read import read
from ichnos.games.profiles import holes
from ichnos.games.profiles.exemplar import Exemplar, ExemplarRules
from ichnos.games.profiles.units import understand
from ichnos.games.things import Thing

XML = """<voices>
  <voice id="@key@" level="@volume=1@">
    <take src="@file@" odds="@weight=1@"/>
    <note>@title@</note>
  </voice>
</voices>
"""
JSON = """{
  "voices": [
    {"id": "@key@", "takes": [{"src": "@file@", "odds": "@weight=1@"}], "gain": "@volume=1@"}
  ]
}
"""
BRACES = 'voice @key@ {\n  takes = { "@file@" };\n  gain = @volume=1@;\n}\n'
CSV = "id,file,gain\n@key@,@file@,@volume=1@\n"
GROUPED = '{"@key.group@": {"@key.own@": {"takes": ["@file@"], "gain": "@volume=1@"}}}'


def _exemplar(name: str, text: str, **how: object) -> Exemplar:
    return understand(holes.parse("x"), parse(text.encode(), "x", named(name)), ExemplarRules(**how))  # type: ignore[arg-type]


def _sound(key: str, *files: str, **values: str | float | None) -> Thing:
    takes = tuple(Thing("take", {"file": file, "take.number": n}) for n, file in enumerate(files, 1))
    group, _, own = key.rpartition(".")
    return Thing("sound", {"key": key, "key.group": group, "key.own": own, "file": files[0], **values}, {"take": takes})


def _pack(*sounds: Thing) -> Bindings:
    groups = dict.fromkeys(sound.values["key.group"] for sound in sounds)
    inside = tuple(
        Thing("group", {"key.group": name}, {"sound": tuple(s for s in sounds if s.values["key.group"] == name)})
        for name in groups
    )
    return {"pack": Thing("pack", {}, {"sound": sounds, "group": inside})}


def _merged(name: str, exemplar: str, text: str, *sounds: Thing, **how: object) -> str:
    return merge(_exemplar(name, exemplar, **how), parse(text.encode(), "own", named(name)), _pack(*sounds))[0]


def test_xml_entry_replaced_and_added() -> None:
    own = """<?xml version="1.0"?>
<!-- by hand -->
<voices made='yes'>
  <voice level='0.5' id='a.b' echo="3"><take src="old.wav"  odds="4"/></voice>

    <voice id="c.d"/> <!-- odd -->
  <other/>
</voices>"""
    merged = _merged("xml", XML, own, _sound("a.b", "new & own.wav"), _sound("x.y", "x.wav", volume=0.25))
    added = '\n\n    <voice id="x.y" level="0.25">\n    <take src="x.wav" odds="1"/>\n  </voice>'
    assert merged == own.replace("old.wav", "new &amp; own.wav").replace(
        '<voice id="c.d"/>', f'<voice id="c.d"/>{added}'
    )
    assert len(ElementTree.fromstring(merged.encode()).findall("voice")) == 3


def test_more_takes_and_fewer() -> None:
    own = '{"voices": [\n\t{"takes": [{"src": "1", "odds": 9, "x": []}, {"src": "2"}], "id": "a"},\n\t{"id": "b", "takes": []}, ]}'
    three = _merged("json", JSON, own, _sound("a", "n1", "n2", "n3"))
    assert json.loads(three.replace(", ]}", "]}"))["voices"][0]["takes"] == [
        {"src": "n1", "odds": 9, "x": []}, {"src": "n2"}, {"src": "n3"},
    ]  # fmt: skip
    one = _merged("json", JSON, own, _sound("a", "n1"), _sound("b", "m", volume=0.5))
    voices = json.loads(one.replace(", ]}", "]}"))["voices"]
    assert voices[0]["takes"] == [{"src": "n1", "odds": 9, "x": []}]
    assert voices[1] == {"id": "b", "takes": [{"src": "m", "odds": 1}], "gain": 0.5}
    assert one.count("\t{") == 2


def test_groups_are_gone_into() -> None:
    own = '{\n  "shore": {\n    "gull": {"takes": ["g"], "gain": 1},\n    "bell": {"takes": ["b"]}\n  }\n}'
    merged = _merged(
        "json", GROUPED, own, _sound("shore.bell", "B"), _sound("shore.horn", "H"), _sound("mill.wheel", "W")
    )
    assert merged.startswith(
        '{\n  "shore": {\n    "gull": {"takes": ["g"], "gain": 1},\n    "bell": {"takes": ["B"]},\n    "horn": '
    )
    assert json.loads(merged) == {
        "shore": {"gull": {"takes": ["g"], "gain": 1}, "bell": {"takes": ["B"]}, "horn": {"takes": ["H"], "gain": 1}},
        "mill": {"wheel": {"takes": ["W"], "gain": 1}},
    }


def test_a_table_row() -> None:
    own = "id,file,gain\r\na,1.wav,1\r\nb,2.wav,0.5\r\n"
    merged = _merged("csv", CSV, own, _sound("b", "new, own.wav"), _sound("c", "c.wav"), several_takes=False)
    assert merged == 'id,file,gain\r\na,1.wav,1\r\nb,"new, own.wav",0.5\r\nc,c.wav,1\r\n'


ENTRIES = st.dictionaries(
    st.from_regex(r"[a-z]{1,4}", fullmatch=True), st.lists(st.integers(0, 99), min_size=1, max_size=3), max_size=6
)


@given(ENTRIES, ENTRIES, st.sampled_from(["json", "xml", "braces"]))
def test_every_byte_outside_the_edited_entries_stays(
    own: dict[str, list[int]], pack: dict[str, list[int]], name: str
) -> None:
    shape = {"json": JSON, "xml": XML, "braces": BRACES}[name]
    write = {
        "json": lambda k, t: json.dumps({"id": k, "odd": [None], "takes": [{"src": f"o{n}"} for n in t]}),
        "xml": lambda k, t: f"<voice odd='&lt;' id='{k}'>" + "".join(f'<take src="o{n}"/>' for n in t) + "</voice>",
        "braces": lambda k, t: f"voice {k} {{ odd 1 2; takes = {{ " + ", ".join(f'"o{n}"' for n in t) + " } }",
    }[name]
    parts = [write(key, takes) for key, takes in own.items()]
    before, between, after = {
        "json": ('/* 1 */{ "x" : 1,\n"voices":[', " ,\t", "]\n}  "),
        "xml": ("<?xml version='1.0'?><voices>\r\n", "<!-- - -->\n", "<odd/></voices>\n"),
        "braces": ("# top\n", "\n/* x */ ", "\nodd { a 1 } // end"),
    }[name]
    text = before + between.join(parts) + after
    sounds = [_sound(key, *(f"n{n}" for n in takes)) for key, takes in pack.items()]
    merged = _merged(name, shape, text, *sounds)
    untouched = [write(key, takes) for key, takes in own.items() if key not in pack]
    position = 0
    for piece in [before.strip(), *untouched]:
        position = merged.index(piece, position) + len(piece)
    assert merged.rstrip().endswith(after.strip()) or not own
    reading = read(_exemplar(name, shape), parse(merged.encode(), "m", named(name)))
    assert reading
    found = {key: [take.values["file"] for take in one.all("take")] for key, one in sound_entries(reading.pack, ".")}
    assert found == {
        **{key: [f"o{n}" for n in takes] for key, takes in own.items()},
        **{key: [f"n{n}" for n in takes] for key, takes in pack.items()},
    }
    assert list(found)[: len(own)] == list(own)  # nothing has moved
    assert _merged(name, shape, merged, *sounds) == merged  # and again is once


def test_like_takes_along_what_nobody_understands() -> None:
    own = '{"voices": [{"id": "old", "hush": {"floor": 0.2}, /* why? */ "takes": ["x"], "gain": 0.30}]}'
    shape = '{"voices": [{"id": "@key@", "takes": ["@file@"], "gain": "@volume=1@", "far": "@far@"}]}'
    exemplar = _exemplar("json", shape)
    document = parse(own.encode(), "own", named("json"))
    reading = read(exemplar, document)
    assert reading
    (found,) = reading.pack.all("sound")

    def like(sound: Thing) -> str:
        return Editor(exemplar, document).refill(found, {**_pack(sound), "sound": sound})

    assert like(_sound("new", "n")) == '{"id": "new", "hush": {"floor": 0.2}, /* why? */ "takes": ["n"], "gain": 0.30}'
    assert like(_sound("new", "n", "m", volume=0.3, far=9.0)) == (
        '{"id": "new", "hush": {"floor": 0.2}, /* why? */ "takes": ["n", "m"], "gain": 0.30, "far": 9}'
    )


def test_a_file_of_another_structure_is_refused() -> None:
    from ichnos.errors import IchnosError

    with pytest.raises(IchnosError, match="another structure"):
        _merged("json", JSON, "[1, 2]", _sound("a", "b"))


def test_nine_hundred_entries_in_three_styles_with_twenty_broken() -> None:
    """The untidy file of real life: 880 are read, the twenty are named with their line."""
    broken = [
        '"text"', "17", "null", "[]", "{}", "true", '{"id": 7.5, "takes": 3}', '{"id": [], "takes": ["x"]}', '{"ID": "k"}',
        '{"id": {"a": 1}}', '{"key": "k", "takes": ["x"]}', '{"takes": ["x"]}', '{"id": "k", "takes": "x"}', '{"id": "k", "gain": "loud"}',
        '{"id": "k", "takes": 4}', '{"id": "k", "gain": []}', '{"id": "k", "gain": {"a": 1}}', '{"id": "k", "gain": true}',
        '{"i d": "k"}', '{"id": "k", "takes": {"src": "x"}}',
    ]  # fmt: skip
    shape = '{"v": [{"id": "@key@", "takes": ["@file@", {"src": "@file@", "odds": "@weight@"}], "gain": "@volume=1@"}]}'
    lines, bad = [], []
    for number in range(900):
        if number % 45 == 7:
            bad.append(len(lines) + 2)
            lines.append(broken[number // 45])
        elif number % 3 == 0:
            lines.append(f'{{"id": "k{number}", "takes": ["a", "b"]}}')
        elif number % 3 == 1:
            lines.append(
                f'{{"gain": 0.5, "id": "k{number}", "takes": [{{"src": "a", "odds": 2}}, "b",], "more": {{}},}}'
            )
        else:
            lines.append(f'/* {number} */ {{ "takes" : [ {{ "odds" : 1 , "src" : "a" }} ] , "id" : "k{number}" }}')
    document = parse(('{"v": [\n' + ",\n".join(lines) + "\n]}").encode(), "own", named("json"))
    reading = read(_exemplar("json", shape), document)
    assert reading
    assert len(list(reading.pack.all("sound"))) == 880
    assert [document.text.place(node.start).line for node in reading.strays] == bad
    assert all(re.search(r"\S", document.excerpt(node)) for node in reading.strays)
