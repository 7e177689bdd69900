"""XML 1.0 (W3C, fifth edition), without document types: no entities but the five predefined ones.

An element's children are two nodes of their own, its attributes and its content, so that each can
be filled and spliced without minding the brackets between them.
"""

from __future__ import annotations

import re

from ichnos.documents.text import Text
from ichnos.documents.tree import ATTRIBUTE, KEYED, TEXT, Format, Node, Unwritable, Value, spelled
from ichnos.errors import IchnosError

MAX_DEPTH = 200
ATTRIBUTES, CONTENT = "(attributes)", "(content)"

_NAME = r"""[^\s<>/="'!?&]+"""
_VALUE = r"""(?:"[^"<]*"|'[^'<]*')"""
_OPENING = re.compile(rf"<({_NAME})((?:\s+{_NAME}\s*=\s*{_VALUE})*)\s*(/?)>")
_EACH_ATTRIBUTE = re.compile(rf"\s+({_NAME})\s*=\s*({_VALUE})")
_CLOSING = re.compile(rf"</({_NAME})\s*>")
_REFERENCE = re.compile(r"&(#x[0-9a-fA-F]+|#[0-9]+|\w+|);?")
_NAMED = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}
_FORBIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff\ud800-\udfff]")
_DECLARED = re.compile(rb"""<\?xml[^>]*encoding=["']([A-Za-z0-9._-]+)["']""")


def declared_encoding(data: bytes) -> str | None:
    """The encoding that the declaration names, where there is one."""
    match = _DECLARED.match(data[:200])
    return match[1].decode() if match else None


class Xml(Format):
    """The XML format; see :class:`ichnos.documents.tree.Format`."""

    name: str = "XML"
    names_are_fixed: bool = True
    suffixes: tuple[str, ...] = (".xml",)

    def parse(self, text: Text) -> Node:
        return _Parser(text).document()

    def reopened(self, element: Node, text: str) -> tuple[int, str] | None:
        """Where an element that closes itself ends but for that, and its closing tag; ``None`` of any other."""
        if element.label is None or not text.endswith("/>", element.start, element.end):
            return None
        end = element.end - 2
        return end - (len(text[:end]) - len(text[:end].rstrip())), f"</{element.label}>"

    def gap(self, node: Node) -> str:
        return " " if node.kind == ATTRIBUTE else ""

    def write_value(self, value: Value, node: Node, text: str) -> str:
        from xml.sax.saxutils import escape  # brings half of the web with it

        content = spelled(value)
        if _FORBIDDEN.search(content):
            raise Unwritable("XML has no way to write a control character")
        if node.kind == ATTRIBUTE:
            quote = text[node.body_start]
            marks = {"\n": "&#10;", "\r": "&#13;", "\t": "&#9;", quote: "&quot;" if quote == '"' else "&apos;"}
            return f"{quote}{escape(content, marks)}{quote}"
        if text.startswith("<![CDATA[", node.body_start):
            return f"<![CDATA[{content.replace(']]>', ']]]]><![CDATA[>')}]]>"
        inner = escape(content.strip(), {"\r": "&#13;"})
        before = content[: len(content) - len(content.lstrip())]
        after = content[len(content.rstrip()) :] if inner else ""
        # White space at the ends would be taken for the file's own layout.
        return "".join([*(f"&#{ord(c)};" for c in before), inner, *(f"&#{ord(c)};" for c in after)])

    def write_label(self, label: str, node: Node) -> str:
        raise Unwritable("a hole cannot be the name of an element or an attribute in XML")

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return node.kind == KEYED and node.label_start >= 0 and parent is not None

    def optional(self, node: Node, parent: Node | None) -> bool:
        return node.kind in (ATTRIBUTE, TEXT) or self.repeatable(node, parent)


class _Parser:
    def __init__(self, text: Text) -> None:
        self.text = text
        self.content = text.content

    def error(self, what: str, offset: int, cure: str = "") -> IchnosError:
        return IchnosError(what, place=self.text.place(offset), cure=cure)

    def document(self) -> Node:
        content = self.content
        root: Node | None = None
        open_elements: list[Node] = []
        position = 0
        while True:
            at = content.find("<", position)
            end = len(content) if at < 0 else at
            self.take_text(position, end, open_elements[-1] if open_elements else None)
            if at < 0:
                break
            if content.startswith("<!--", at):
                position = self.after("-->", at, "comment")
            elif content.startswith("<![CDATA[", at) and open_elements:
                position = self.after("]]>", at, "CDATA section")
                self.add_text(open_elements[-1], content[at + 9 : position - 3], at, position)
            elif content.startswith("<?", at):
                position = self.after("?>", at, "declaration")
            elif content.startswith("<!DOCTYPE", at):
                position = self.after(">", at, "document type")
                if "[" in content[at:position]:
                    raise self.error(
                        "document types that declare entities are not read", at, "delete the document type"
                    )
            elif content.startswith("</", at):
                position = self.close(at, open_elements)
            else:
                if root is not None and not open_elements:
                    raise self.error("a second root element", at, "a document has one element around all others")
                element, position = self.open(at, open_elements)
                root = root or element
        if open_elements:
            missing = open_elements[-1]
            raise self.error(f"<{missing.label}> is never closed", missing.start, f"put </{missing.label}> at its end")
        if root is None:
            raise self.error("there is no element in this file", 0)
        return root

    def after(self, mark: str, at: int, what: str) -> int:
        end = self.content.find(mark, at)
        if end < 0:
            raise self.error(f"this {what} is never closed", at, f"put {mark} at its end")
        return end + len(mark)

    def open(self, at: int, open_elements: list[Node]) -> tuple[Node, int]:
        match = _OPENING.match(self.content, at)
        if match is None:
            raise self.unreadable_tag(at)
        end = match.end()
        name_end = match.end(1)
        element = Node(KEYED, at, end, name_end, end, label=match[1], label_start=at + 1, label_end=name_end)
        head = Node(KEYED, name_end, match.end(2), name_end, match.end(2), label=ATTRIBUTES)
        element.children.append(head)
        seen = set()
        for attribute in _EACH_ATTRIBUTE.finditer(self.content, name_end, match.end(2)):
            if attribute[1] in seen:
                raise self.error(
                    f"the attribute {attribute[1]} is there twice", attribute.start(1), "delete one of the two"
                )
            seen.add(attribute[1])
            value = self.decoded(re.sub(r"[\t\r\n]", " ", attribute[2][1:-1]), attribute.start(2) + 1)
            start = attribute.start(1)
            head.children.append(
                Node(
                    ATTRIBUTE,
                    start,
                    attribute.end(),
                    attribute.start(2),
                    attribute.end(2),
                    value,
                    attribute[1],
                    start,
                    attribute.end(1),
                )
            )
        if open_elements:
            open_elements[-1].children[1].children.append(element)
        if match[3]:
            return element, end
        element.children.append(Node(KEYED, end, end, end, end, label=CONTENT))
        if len(open_elements) >= MAX_DEPTH:
            raise self.error(f"nested more than {MAX_DEPTH} levels deep", at)
        open_elements.append(element)
        return element, end

    def close(self, at: int, open_elements: list[Node]) -> int:
        match = _CLOSING.match(self.content, at)
        if match is None:
            raise self.error("this closing tag cannot be read", at, "write </name>")
        if not open_elements:
            raise self.error(f"</{match[1]}> closes nothing", at, "delete it, or open the element before it")
        element = open_elements.pop()
        if element.label != match[1]:
            line = self.text.place(element.start).line
            raise self.error(
                f"</{match[1]}> stands where <{element.label}> of line {line} is to be closed",
                at,
                f"close it first: </{element.label}>",
            )
        element.children[1].end = element.children[1].body_end = at
        element.end = element.body_end = match.end()
        return match.end()

    def take_text(self, start: int, end: int, element: Node | None) -> None:
        raw = self.content[start:end]
        stripped = raw.strip()
        if not stripped:
            return
        start += len(raw) - len(raw.lstrip())
        if element is None:
            raise self.error(f"text outside the root element: {stripped[:20]!r}", start, "put it into an element")
        if "]]>" in stripped:
            raise self.error("]]> cannot stand in text", start + stripped.index("]]>"), "write ]]&gt;")
        value = self.decoded(stripped.replace("\r\n", "\n"), start)
        self.add_text(element, value, start, start + len(stripped))

    def add_text(self, element: Node, value: str, start: int, end: int) -> None:
        """Text beside text is one: a CDATA section may be split to hold its own end."""
        siblings = element.children[1].children
        if siblings and siblings[-1].kind == TEXT and siblings[-1].end == start:
            siblings[-1].value = f"{siblings[-1].value}{value}"
            siblings[-1].end = siblings[-1].body_end = end
        else:
            siblings.append(Node(TEXT, start, end, start, end, value))

    def decoded(self, raw: str, start: int) -> str:
        if "&" not in raw:
            return raw

        def one(match: re.Match[str]) -> str:
            name = match[1]
            try:
                if not match[0].endswith(";"):
                    raise ValueError
                if name.startswith("#"):
                    return chr(int(name[2:], 16) if name[1] == "x" else int(name[1:]))
                return _NAMED[name]
            except (KeyError, ValueError, OverflowError):
                what = f"{match[0]} is no character" if name else "a lone & cannot stand here"
                raise self.error(what, start + match.start(), "write &amp; for the character itself") from None

        return _REFERENCE.sub(one, raw)

    def unreadable_tag(self, at: int) -> IchnosError:
        line = self.content[at : self.content.find("\n", at) if "\n" in self.content[at:] else None]
        if line.count('"') % 2 or line.count("'") % 2:
            return self.error("a quotation mark in this tag is never closed", at, "close the attribute's value")
        if ">" not in self.content[at + 1 :] or "<" in line[1 : line.find(">")]:
            return self.error("this tag is never closed", at, "put > at its end")
        return self.error(f"this tag cannot be read: {line[:40]}", at, 'write <name attribute="value">, and &lt; for <')
