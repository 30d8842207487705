"""Text files that survive an edit byte for byte: encoding, byte order mark, line ends, missing final newline."""

from __future__ import annotations

import codecs
from dataclasses import dataclass, replace

from fernshale.core.base.lazy_pattern import lazy_pattern

_LINE = lazy_pattern(r"[^\n]*\n|[^\n]+")
_MARKS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))
_FIRST = frozenset(mark[:1] for mark, _ in _MARKS)


@dataclass(frozen=True, slots=True)
class TextFile:
    """A text with the properties needed to write it back unchanged."""

    text: str
    encoding: str = "utf-8"
    mark: bytes = b""

    def encode(self) -> bytes:
        return self.mark + self.text.encode(self.encoding, "surrogateescape")

    def with_text(self, text: str) -> TextFile:
        return replace(self, text=text)


def read_text(data: bytes) -> TextFile | None:
    """`data` as text, or None when it is binary. `read_text(data).encode() == data` always holds.

    Bytes that are not valid UTF-8 become surrogate escapes, so an unknown 8-bit encoding survives untouched.
    """
    for mark, encoding in _MARKS if data[:1] in _FIRST else ():
        if data.startswith(mark):
            body = data[len(mark) :]
            try:
                text = body.decode(encoding, "surrogateescape" if encoding == "utf-8" else "strict")
            except UnicodeDecodeError:
                return None
            return TextFile(text, encoding, mark)
    plain = _unmarked(data)
    return None if plain is None else TextFile(plain)


def text_of(data: bytes) -> str | None:
    """Return only the text of `read_text`, for callers that do not write it back."""
    if data[:1] in _FIRST:
        file = read_text(data)
        return None if file is None else file.text
    return _unmarked(data)


def _unmarked(data: bytes) -> str | None:
    return None if b"\0" in data else data.decode("utf-8", "surrogateescape")


def split_lines(text: str) -> list[str]:
    """Lines with their ends. Only `\\n` ends a line, so `\\r\\n` stays together and odd separators stay text."""
    return _LINE.findall(text)


def line_end(text: str) -> str:
    """The line end most lines of `text` have."""
    crlf = text.count("\r\n")
    return "\r\n" if crlf * 2 > text.count("\n") else "\n"


def position(text: str, offset: int) -> tuple[int, int]:
    """1-based line and column of `offset`."""
    start = text.rfind("\n", 0, offset) + 1
    return text.count("\n", 0, offset) + 1, offset - start + 1
