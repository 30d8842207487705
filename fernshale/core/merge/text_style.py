"""The formatting of a text, apart from its content: line ends, the final newline, tabs or spaces, the encoding.

The merge compares contents; its result is formatted like the local file.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import TextFile

_INDENT = lazy_pattern(r"[ \t]+")
_SURROGATE = lazy_pattern("[\udc80-\udcff]")


@dataclass(frozen=True, slots=True)
class StyledLines:
    """The lines of a text without their ends.

    `end` is the line end most lines have; `ends` has one for each line where they differ. `closed`: the last has one.
    """

    lines: tuple[str, ...]
    end: str
    ends: tuple[str, ...] | None
    closed: bool

    def joined(self) -> str:
        """The text as it was."""
        if self.ends is not None:
            return "".join(line + end for line, end in zip(self.lines, self.ends, strict=True))
        return self.end.join(self.lines) + (self.end if self.closed and self.lines else "")


def read_lines(text: str) -> StyledLines:
    """Only `\\n` and `\\r\\n` end a line, so odd separators stay text. `read_lines(text).joined() == text`."""
    crlf = text.count("\r\n") if "\r" in text else 0
    ends: tuple[str, ...] | None = None
    if crlf and crlf != text.count("\n"):
        raw = text.split("\n")
        last = raw.pop()
        ends = tuple("\r\n" if line.endswith("\r") else "\n" for line in raw) + (("",) if last else ())
    end = "\r\n" if crlf * 2 > text.count("\n") else "\n"
    lines = (text.replace("\r\n", "\n") if crlf else text).split("\n")
    closed = not lines[-1]
    if closed:
        lines.pop()
    return StyledLines(tuple(lines), end, ends, closed)


def one_encoding(*texts: TextFile) -> tuple[TextFile, ...]:
    """Return the texts so that equal characters are equal: next to a UTF-8 text, bytes that are not UTF-8 are read as Latin-1.

    Each text still encodes to its original bytes.
    """
    odd = [
        text.encoding == "utf-8" and not text.text.isascii() and bool(_SURROGATE.search(text.text)) for text in texts
    ]
    plain = [not is_odd and not text.text.isascii() for text, is_odd in zip(texts, odd, strict=True)]
    if not any(odd) or not any(plain):
        return texts
    return tuple(_latin(text) if is_odd else text for text, is_odd in zip(texts, odd, strict=True))


def _latin(text: TextFile) -> TextFile:
    return replace(text, text=text.text.encode("utf-8", "surrogateescape").decode("latin-1"), encoding="latin-1")


def can_encode(text: TextFile) -> bool:
    """Whether all letters of `text` exist in its encoding."""
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


@dataclass(frozen=True, slots=True)
class Indent:
    """One step of indentation: a tab, or `width` spaces."""

    tab: bool
    width: int


def indent_of(lines: Sequence[str]) -> Indent | None:
    """How a text is indented; None where hardly anything is, or tabs and spaces are mixed."""
    tabs = sum(line[:1] == "\t" for line in lines)
    spaces = sum(line[:2] == "  " for line in lines)
    if max(tabs, spaces) < 2 or min(tabs, spaces) * 5 > max(tabs, spaces):
        return None
    if tabs > spaces:
        return Indent(True, 4)
    leads = Counter(len(line) - len(line.lstrip(" ")) for line in lines if line[:2] == "  ")
    for width in (8, 4, 3, 2):
        if sum(number for lead, number in leads.items() if lead % width == 0) >= 0.8 * leads.total():
            return Indent(False, width)
    return None


def respelled(lines: tuple[str, ...], own: Indent | None, wanted: Indent | None) -> tuple[str, ...]:
    """Convert the indentation of lines; unchanged if both styles are equal or unknown."""
    if own is None or wanted is None or own.tab == wanted.tab:
        return lines
    return tuple(_respell(line, own, wanted) if line[:1] in ("\t", " ") else line for line in lines)


def _respell(line: str, own: Indent, wanted: Indent) -> str:
    lead = _INDENT.match(line)
    assert lead is not None
    if own.tab:
        return line[: lead.end()].replace("\t", " " * wanted.width) + line[lead.end() :]
    spaces = lead[0].replace("\t", " " * own.width)
    steps, rest = divmod(len(spaces), own.width)
    return "\t" * steps + " " * rest + line[lead.end() :]


def traits(text: TextFile) -> dict[str, str]:
    """Describe the formatting of a text, in words by name; empty if unknown."""
    read = read_lines(text.text)
    indent = indent_of(read.lines)
    crlf = text.text.count("\r\n")
    return {
        "line ends": "" if "\n" not in text.text else "CRLF" if crlf * 2 > text.text.count("\n") else "LF",
        "byte order mark": "with" if text.mark else "without",
        "indentation": "" if indent is None else "tabs" if indent.tab else "spaces",
        "final newline": "" if not read.lines or not read.lines[-1] else "with" if read.closed else "without",
    }
