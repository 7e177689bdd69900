"""JSON as a tree over its own text, against the standard library's eye."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ichnos.documents.json import Json
from ichnos.documents.text import from_bytes
from ichnos.documents.tree import KEYED, LISTED, Node
from ichnos.errors import IchnosError

TREES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False, allow_infinity=False) | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(), inner, max_size=4),
    max_leaves=20,
)


def _parse(content: str) -> Node:
    return Json().parse(from_bytes(content.encode(), "x.json"))


def _value(node: Node, content: str) -> Any:
    """A node's value, by the standard library's reading of its own span alone."""
    if node.kind == KEYED:
        return {child.label: _value(child, content) for child in node.children}
    if node.kind == LISTED:
        return [_value(child, content) for child in node.children]
    return json.loads(content[node.body_start : node.body_end])


@given(TREES, st.sampled_from([None, 2, "\t"]), st.booleans())
def test_every_span_holds_its_value(tree: Any, indent: Any, ascii_only: bool) -> None:
    content = json.dumps(tree, indent=indent, ensure_ascii=ascii_only)
    content = content.encode("utf-8", "replace").decode()  # lone surrogates cannot be in a file
    root = _parse(content)
    assert _value(root, content) == json.loads(content)
    for node in root.walk():
        if node.label is not None:
            assert json.loads(content[node.start : node.label_end]) == node.label
            assert json.loads("{" + content[node.start : node.end] + "}")


def test_comments_and_trailing_commas() -> None:
    content = '// first\n{"a": [1, /* two, ] */ 2,], // "b"\n "c": {"d": "//",},}\n/* end **/'
    assert _value(_parse(content), content) == {"a": [1, 2], "c": {"d": "//"}}


@pytest.mark.parametrize(
    ("content", "place", "message"),
    [
        ("", "1:1", "found the end of the file"),
        ('{"a": 1\n "b": 2}', "2:2", "found \"b\""),
        ('{"a": 1,\n "b" 2}', "2:6", "found 2"),
        ('{"a": [1, 2}', "1:12", "found '}'"),
        ('{"a": "one}\n', "1:7", "never closed"),
        ('{"a": "\\q"}', "1:7", "backslash"),
        ('{"a": tru}', "1:7", "cannot be read"),
        ('{"a": 01}', "1:7", "cannot be read"),
        ('{"a": 1} x', "1:10", "cannot be read"),
        ('{"a": 1} 2', "1:10", "found 2"),
        ('{"a": 1', "1:8", "found the end of the file"),
        ('{,}', "1:2", "found ','"),
        ('[1,,2]', "1:4", "found ','"),
        ('{"a": 1 /* }', "1:9", "comment is never closed"),
        ("[" * 300, "1:201", "200 levels"),
        ('{"a"', "1:5", "found the end of the file"),
    ],
)  # fmt: skip
def test_what_is_wrong_and_where(content: str, place: str, message: str) -> None:
    with pytest.raises(IchnosError) as caught:
        _parse(content)
    assert f"{caught.value.place}" == f"x.json:{place}"
    assert message in caught.value.what


def test_encodings_are_kept() -> None:
    for encoding, mark in (("utf-8", b"\xef\xbb\xbf"), ("utf-16-le", b"\xff\xfe"), ("utf-16-be", b"\xfe\xff")):
        data = mark + '{"é": "→"}\r\n'.encode(encoding)
        text = from_bytes(data, "x.json")
        assert (text.encoding, text.to_bytes(text.content)) == (encoding, data)
    with pytest.raises(IchnosError) as caught:
        from_bytes(b'{\n"a": "\xe9"}', "x.json")
    assert str(caught.value.place) == "x.json:2:7"


def test_a_hole_without_quotation_marks_is_told_as_one() -> None:
    with pytest.raises(IchnosError) as caught:
        Json().parse(from_bytes(b'{"volume": @volume@}', "x"))
    assert caught.value.cure.startswith("write it in quotation marks")


@pytest.mark.parametrize("sign", ["\x0b", "\x0c", "\x1c", "\x85", "\u2028"])
def test_a_sign_that_only_some_take_for_a_line_end_is_refused_in_its_place(sign: str) -> None:
    with pytest.raises(IchnosError, match=r"x:1:2: .*cannot be read as JSON"):
        Json().parse(from_bytes(f"[{sign}]".encode(), "x"))
