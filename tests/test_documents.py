"""Every format as a tree over its own text: spans, escaping, and what is said of broken files."""

from __future__ import annotations

import configparser
import csv
import io
import xml.etree.ElementTree as ElementTree

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from ichnos.documents.formats import named, parse
from ichnos.documents.tree import Document, Node, Unwritable
from ichnos.errors import IchnosError

AWKWARD: dict[str, list[str]] = {
    "json": ['// a\n{"a": [1, {"b": []}, /*]*/ "\\u00e9\\n"], "": {},}\r\n', "[]", '  "alone"  '],
    "xml": [
        '<?xml version="1.0"?>\r\n<!-- < -->\n<a b=\'1"\' c = "&lt;&#233;">\n  text &amp; <d/><d x=""></d>\n'
        "  <![CDATA[<raw> ]]]]><![CDATA[>]]>\n</a>\n<!-- end -->",
        "<a/>",
        "<é:ü.x-1>  \n</é:ü.x-1>",
    ],
    "ini": ["; top\nalone = 1\n[one]\r\na=b = c\r\n\r\n# c\n[ two ] ; remark\n  key  =  a value  \nno equals\n[one]\n", "", "[x]"],
    "braces": [
        '# top\ncall "peat drip" : base {\n a = 1; b 2 40\n c = {"x", "y", };\n d = [ q "r\\"s" ] // end\n}\n'
        'e { f { g "h" } } e {\n} /* { */ single\nlist { a, b }\n"quoted" = http://x.y/z#1;',
        "", "a{b{c{}}}", "x = { y = 1 }; z",
    ],
    "lines": ["a = b\r\n# c\r\n= d\r\nx=\r\njust words\r\n", "k=v", "\n\n"],
    "list": ["# head\none two\n\n  three  \r\n// no\nlast", ""],
    "csv": ['a,b,"c,d"\r\n1,"two\nlines","say ""x"""\n\n,,\nshort', "a\n"],
    "tsv": ['a\tb\n"1\tx,y"\n\t'],
    "yaml": [
        "# top\nnoises:  # all\n  - key: weir é\n    files: [a.ogg, 'b''s.ogg', \"c\\n\"]\n  # between\n  - {key: gull, loop: true}\n"
        "text: |\n  two\n  lines\nfolded: >-\n  a\n  b\nnone:\nlast: 0.5\n",
        "", "- a\n- - b\n  - c\n", "alone",
    ],
    "toml": [
        "# top\ntitle = \"é\\n\" # end\n[noises.'weir.low']\nfile = 'a.ogg'\nodds = [1, 2.5,\n]\n[noises.'weir.low'.more]\nx = {y = true}\n"
        "[[take]]\na.b = 1\n[[take.part]]\nc = 2\n[[take]]\n",
        "", "a = 1",
    ],
    "bracketed": [
        "# top\n[noise]\n  key=weir\r\n text = _ \"two\nlines, \"\"said\"\"\"\n [take]\nfile=a b.ogg\n [/take] [take][/take]\n[/noise]\n{MACRO x}\nlast=",
        "", "a=1", "[a][/a]",
    ],
    "indented": [
        "# top\nnoise \"weir low\"\n\tfile weir.wav # end\n\trange 2 40\n\n\t`say \"so\"` 'a b'\r\n\t\tdeep\nalone\n  odd\n one\n",
        "", "a", "a b\n  c d e\n",
    ],
    "lua": [
        "-- top\nlocal a = 1\nNoises = {\n  weir = { 'é', \"b\\n\", [[long]], odds = 0.5 }, -- end\n  [\"gull.low\"] = {},\n}\n"
        "add{ key = 'x' }\nadd(1, nil)\nif a then b() end\nreturn { a, -1 }\n",
        "", "return {}",
    ],
}  # fmt: skip
CASES = [(name, text) for name, texts in AWKWARD.items() for text in texts]


def _document(name: str, text: str, escapes: str | None = None) -> Document:
    return parse(text.encode(), "a/file", named(name, escapes))


def _pieces(node: Node, text: str) -> str:
    """The node's text put together from its children and what lies between them."""
    position, out = node.start, ""
    for child in node.children:
        assert position <= child.start <= child.body_start <= child.body_end <= child.end <= node.end
        out += text[position : child.start] + _pieces(child, text)
        position = child.end
    return out + text[position : node.end]


@pytest.mark.parametrize(("name", "text"), CASES)
def test_the_tree_covers_the_text_and_nothing_else(name: str, text: str) -> None:
    root = _document(name, text).root
    assert text[: root.start] + _pieces(root, text) + text[root.end :] == text


@given(st.sampled_from(sorted(AWKWARD)), st.text(alphabet="ab\"'{}[]<>/&;=,.\\\n\r\t #-!?@:é", max_size=40))
def test_any_text_is_a_tree_or_one_clear_message(name: str, text: str) -> None:
    try:
        root = _document(name, text).root
    except IchnosError as error:
        assert error.place is not None
        assert error.place.line
        return
    assert text[: root.start] + _pieces(root, text) + text[root.end :] == text


# A document of each format with one value in it, and where that value is.
HOLDERS = [
    ("json", None, '{"v": "x"}'),
    ("xml", None, '<a v="x"/>'),
    ("xml", None, "<a v='x'/>"),
    ("xml", None, "<a>x</a>"),
    ("xml", None, "<a><![CDATA[x]]></a>"),
    ("ini", "backslash", "[s]\nv = x\n"),
    ("lines", None, "v = x\n"),
    ("lines", "backslash", "v = x\n"),
    ("braces", None, 's { v = "x"; }'),
    ("braces", None, "s { v = x; }"),
    ("braces", "none", 's { v "x" }'),
    ("list", None, "x\n"),
    ("csv", None, "a,v\n1,x\n"),
    ("tsv", None, "a\tv\n1\tx\n"),
    ("yaml", None, 'a:\n  v: "x"\n  w: 1\n'),
    ("yaml", None, "a:\n  v: 'x'\n  w: 1\n"),
    ("yaml", None, "a:\n  - v: x\n    w: 1\n"),
    ("toml", None, 'v = "x"\nw = 1\n'),
    ("toml", None, "v = 'x'\nw = 1\n"),
    ("bracketed", None, '[a]\nv="x"\nw=1\n[/a]\n'),
    ("bracketed", None, "[a]\nv=x\nw=1\n[/a]\n"),
    ("indented", None, 'a b\n  v "x"\n  w 1\n'),
    ("indented", None, "a b\n  v x\n  w 1\n"),
    ("indented", None, "a b\n  v `x` 2\n  w 1\n"),
    ("lua", None, 'return { v = "x", w = 1 }\n'),
    ("lua", None, "return { v = 'x', w = 1 }\n"),
    ("lua", None, "return { v = [[x]], w = 1 }\n"),
]


@pytest.mark.parametrize(("name", "escapes", "text"), HOLDERS)
@given(
    value=st.text(alphabet=st.characters(codec="utf-8"), max_size=20)
    | st.sampled_from(['"', "\\n", "]]>", " é 🎐\n", "a&b<c>", "0 #", "a // b", "a /*"])
)
@example(value="\ufeff")  # at the beginning of a file it is a mark
def test_every_value_comes_back_the_same(name: str, escapes: str | None, text: str, value: str) -> None:
    document = _document(name, text, escapes)
    node = next(node for node in document.root.walk() if node.value == "x")
    try:
        literal = document.format.write_value(value, node, text)
    except Unwritable:
        # Only what the format truly cannot hold may be refused.
        assert (
            name in ("list", "tsv", "lines", "ini", "indented")
            or (name, escapes) == ("braces", "none")
            or "= x" in text
            or (name == "xml" and not value.isprintable())
        )
        return
    changed = text[: node.body_start] + literal + text[node.body_end :]
    values = [node.value for node in _document(name, changed, escapes).root.walk() if node.holds_value]
    if value == "" and name == "xml" and "v=" not in text and "CDATA" not in text:
        assert values == []  # an element without text holds no value
        return
    assert value in values or value.replace("\r\n", "\n") in values
    assert len(values) == len([node for node in document.root.walk() if node.holds_value])


@given(st.text(alphabet=st.characters(codec="utf-8"), max_size=20))
def test_the_standard_library_reads_the_same(value: str) -> None:
    def written(name: str, text: str, escapes: str | None = None) -> str:
        document = _document(name, text, escapes)
        node = next(node for node in document.root.walk() if node.value == "x")
        return text[: node.body_start] + document.format.write_value(value, node, text) + text[node.body_end :]

    assert list(csv.reader(io.StringIO(written("csv", "a,v\n1,x\n"), newline="")))[1] == ["1", value]
    try:
        root = ElementTree.fromstring(written("xml", '<a v="x"/>').encode())
        assert root.get("v") == value
    except Unwritable:
        pass
    try:
        reader = configparser.RawConfigParser(delimiters="=", comment_prefixes=(), strict=False)
        reader.read_string(written("ini", "[s]\nv = x\n"))
        assert reader["s"]["v"] == value
    except Unwritable:
        pass


@pytest.mark.parametrize(
    ("name", "text", "place", "message"),
    [
        ("bracketed", "[a]\n[b]\n[/a]", "3:1", "[/a] stands where [b] of line 2 is open"),
        ("bracketed", "[a]\nb=1", "1:1", "[a] is never closed"),
        ("bracketed", '[a]\nb="1', "2:3", "quotation mark is never closed"),
        ("indented", 'a "b', "1:3", "quotation mark is never closed"),
        ("xml", "<a>\n <b>\n</a>", "3:1", "</a> stands where <b> of line 2 is to be closed"),
        ("xml", "<a>", "1:1", "<a> is never closed"),
        ("xml", "<a/><b/>", "1:5", "a second root element"),
        ("xml", "<a b='1' b='2'/>", "1:10", "there twice"),
        ("xml", '<a b="1>', "1:1", "quotation mark in this tag"),
        ("xml", "<a b=1/>", "1:1", "cannot be read"),
        ("xml", "<a>fish & chips</a>", "1:9", "a lone &"),
        ("xml", "<a>&unknown;</a>", "1:4", "&unknown; is no character"),
        ("xml", '<!DOCTYPE a [<!ENTITY b "bb">]><a>&b;</a>', "1:1", "declare entities are not read"),
        ("xml", '<!DOCTYPE a SYSTEM "file:///etc/passwd"><a>&b;</a>', "1:44", "is no character"),
        ("xml", "<a><!-- </a>", "1:4", "comment is never closed"),
        ("xml", "", "1:1", "no element"),
        ("xml", "<a>" * 300, "1:601", "200 levels"),
        ("lines", "a = b\n[c]\n", "2:1", "a [heading]"),
        ("braces", "a {\n b = 1;\n", "3:1", "the block of line 1 is not closed"),
        ("braces", "a { b = }", "1:7", "no value after this ="),
        ("braces", "a }\n", "1:3", "closes nothing"),
        ("braces", "a { b ] }", "1:7", "found ]"),
        ("braces", 'a { b "c\n }', "1:7", "quotation mark is never closed"),
        ("braces", "a { = 1 }", "1:5", "no name before this ="),
        ("braces", "a {" * 120, "1:303", "100 levels"),
        ("csv", "a,b\n1,2,3\n", "2:5", "3 cells under 2 columns"),
        ("csv", 'a,b\n1,"2\n', "2:3", "never closed"),
        ("csv", "a,a\n", "1:3", "'a' is there twice"),
        ("csv", "", "1:1", "needs a header"),
    ],
)
def test_what_is_wrong_and_where(name: str, text: str, place: str, message: str) -> None:
    with pytest.raises(IchnosError) as caught:
        _document(name, text)
    assert f"{caught.value.place}" == f"a/file:{place}"
    assert message in caught.value.what
    assert caught.value.cure or "levels" in message or "no element" in message


def test_an_encoding_that_the_file_declares() -> None:
    data = '<?xml version="1.0" encoding="ISO-8859-1"?><a b="é"/>'.encode("latin-1")
    document = parse(data, "x", named("xml"))
    assert document.root.children[0].children[0].value == "é"
    assert document.text.to_bytes(document.text.content) == data
    assert parse("é = ü".encode("latin-1"), "x", named("lines"), "latin-1").root.children[0].value == "ü"
