"""Positions of a parser that counts bytes, as positions in the text."""

from __future__ import annotations

from bisect import bisect_right
from typing import TYPE_CHECKING

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.survey.value_access.found_value import FoundValue

if TYPE_CHECKING:
    from tree_sitter import Node

# About every so many bytes, the number of characters before is known.
_BLOCK = 1024
_ASCII = lazy_pattern(rb"[\x00-\x7f]")


class Spans:
    """Converts spans of bytes of one text to spans of characters."""

    def __init__(self, text: str, source: bytes) -> None:
        self._text, self._source = text, source
        self._starts, self._characters = ([0], [0]) if len(text) == len(source) else _blocks(source)

    def bytes_of(self, node: Node) -> bytes:
        return self._source[node.start_byte : node.end_byte]

    def value(self, node: Node, quotes: int = 0) -> FoundValue:
        """The text and span of a node, without so many characters at each end."""
        return self.between(node.start_byte + quotes, node.end_byte - quotes)

    def between(self, start: int, end: int) -> FoundValue:
        """The text and span of some bytes."""
        first, last = self._place(start), self._place(end)
        return FoundValue(self._text[first:last], first, last)

    def _place(self, at: int) -> int:
        if len(self._text) == len(self._source):
            return at
        block = bisect_right(self._starts, at) - 1
        return self._characters[block] + _count(self._source[self._starts[block] : at])


def _blocks(source: bytes) -> tuple[list[int], list[int]]:
    """The bytes at which blocks begin, and how many characters are before each."""
    starts, characters = [0], [0]
    while starts[-1] + _BLOCK < len(source):
        # An ASCII byte is never in the middle of a character.
        found = _ASCII.search(source, starts[-1] + _BLOCK)
        if found is None:
            break
        characters.append(characters[-1] + _count(source[starts[-1] : found.start()]))
        starts.append(found.start())
    return starts, characters


def _count(part: bytes) -> int:
    return len(part.decode("utf-8", "surrogateescape"))
