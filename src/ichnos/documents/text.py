"""Bytes to text and back, keeping the encoding, the byte-order mark and the line ends as found."""

from __future__ import annotations

import bisect
import codecs
from dataclasses import dataclass
from functools import cached_property

from ichnos.errors import IchnosError, Place

_MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)


class CannotSpell(IchnosError):
    """A letter that a file's encoding does not have."""

    def __init__(self, letter: str, encoding: str, place: Place) -> None:
        super().__init__(
            f'this file is {encoding} text, and that has no "{letter}" (U+{ord(letter):04X})',
            place=place,
            cure="write it with other letters",
        )
        self.letter = letter


@dataclass(frozen=True)
class Text:
    """The text of a file, and how it is spelled in bytes.

    ``content`` never holds the byte-order mark and always holds the file's own line ends.
    """

    path: str
    content: str
    encoding: str = "utf-8"
    mark: bytes = b""

    @cached_property
    def _line_starts(self) -> list[int]:
        starts = [0]
        position = self.content.find("\n")
        while position >= 0:
            starts.append(position + 1)
            position = self.content.find("\n", position + 1)
        return starts

    def place(self, offset: int) -> Place:
        """Line and column (both from 1) of a character offset into ``content``."""
        line = bisect.bisect_right(self._line_starts, offset)
        return Place(self.path, line, offset - self._line_starts[line - 1] + 1)

    def to_bytes(self, content: str) -> bytes:
        """Spell other content the way this file is spelled.

        Raises:
            CannotSpell: a letter is not in this encoding; the place is in the content.
        """
        try:
            return self.mark + content.encode(self.encoding)
        except UnicodeEncodeError as error:
            other = Text(self.path, content)
            raise CannotSpell(content[error.start], self.encoding, other.place(error.start)) from None


def from_bytes(data: bytes, path: str, encoding: str = "utf-8") -> Text:
    """Decode a file. A byte-order mark wins over ``encoding``, which is what the profile says.

    Raises:
        IchnosError: the bytes are not text in that encoding; the place is the offending line.
    """
    mark = b""
    for candidate, name in _MARKS:
        if data.startswith(candidate):
            mark, encoding = candidate, name
            break
    body = data[len(mark) :]
    try:
        return Text(path, body.decode(encoding), encoding, mark)
    except LookupError:
        raise IchnosError(
            f"there is no encoding named {encoding!r}", place=Place(path, 1, 1), cure="name one such as UTF-8"
        ) from None
    except UnicodeDecodeError as error:
        line = body.count(b"\n", 0, error.start) + 1
        column = error.start - (body.rfind(b"\n", 0, error.start) + 1) + 1
        raise IchnosError(
            f"this is not {encoding} text: the byte 0x{body[error.start]:02X} cannot stand here",
            place=Place(path, line, column),
            cure=f"save the file as {encoding.upper()} in your editor",
        ) from None
