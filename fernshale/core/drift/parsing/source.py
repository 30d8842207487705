"""One source file while it is read: its text, and the symbols found so far."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Hashable, Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.parsing.short_bodies import calls_in
from fernshale.core.drift.symbols import CALLABLE, Parameter, Symbol, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_SPACE = lazy_pattern(r"\s+")
_NAME = lazy_pattern(rb"[A-Za-z_]\w+")
_MAX_WORDS = 120
_MAX_DOC = 600
_DOC_MARKS = lazy_pattern(r"(?m)^[ \t]*(?:/\*+|\*+/|\*|//[/!]*|--+|#)[ \t]?|\*+/[ \t]*$")
# Deprecation markers, with the replacement. The first one with a text counts.
_DEPRECATED_CALL = lazy_pattern(
    r"""(?i)(?:deprecated|obsolete)\w*\s*\(((?:[^()"']|"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|\([^()]*\))*+)\)"""
)
_OF_ARGUMENT = lazy_pattern(r"(?i)\b(?:argument|parameter|keyword|kwarg|option|passing|passed|positional|usage)s?\b")
_STRING = lazy_pattern(r'"([^"\\]*+(?:\\.[^"\\]*+)*+)"|\'([^\'\\]*+(?:\\.[^\'\\]*+)*+)\'')
_DEPRECATED_DOC = lazy_pattern(
    r"(?is)(?:@deprecated|\\deprecated|\.\. deprecated::|^\W*deprecated\b[^\w\n]*|\bdeprecated[:.,]|\bis deprecated\b)\s*(.*)"
)
_WARNING = lazy_pattern(
    rb"(?is)warn\w*\s*\((?:[^()]|\([^()]*\)){0,400}?(?:Pending)?Deprecat\w*|deprecat\w*\s*\(\s*f?[\"']|DeprecationWarning\s*\("
)

# A sentence that a function prints when it is called, and the wordings for a name that was replaced.
_PRINTED = lazy_pattern(
    rb"\b(?:warn\w*|error\w*|log)\s*\(\s*[fr]?(?P<text>\"(?:[^\"\\\n]|\\.)*\"|'(?:[^'\\\n]|\\.)*'|`(?:[^`\\\n]|\\.)*`)",
    re.IGNORECASE,
)
_HAS_CHANGED = (
    r"(?:(?:has|have|was|were|is|are) (?:been |now )?(?:renamed|replaced|moved|removed|obsolete)\b"
    r"|is now (?:called |named |[`'\"._]))"
)
_USE_INSTEAD = lazy_pattern(r"\buse \S+ instead\b", re.IGNORECASE)

Known = dict[Hashable, tuple[int, tuple[Symbol, ...]]]
"""The symbols of declarations by their text and what they stand in, each with the row it was found at."""


# Named tuples, since releases have very many symbols and a frozen dataclass takes three times as long to make.
class SymbolSite(NamedTuple):
    """Where a symbol is declared: the node, the names around it, its documentation, its text with attributes and decorators, and
    its modifiers."""

    node: Node
    scope: tuple[str, ...]
    doc: str = ""
    head: str = ""
    marks: Collection[str] = ()


class SymbolShape(NamedTuple):
    """The parameters of a function, the type of a result or a value, the bases of a class."""

    parameters: tuple[Parameter, ...] = ()
    returns: str = ""
    bases: tuple[str, ...] = ()


_NO_SHAPE = SymbolShape()


class SourceFile:
    """The bytes of a file and a collector of its symbols."""

    def __init__(self, data: bytes, path: str, written: bytes | None = None, known: Known | None = None) -> None:
        """`written` is the original file if parts of it were blanked in `data`. `known` are the declarations of the other
        release's version of the file, extended by this one's."""
        self.data = data
        self.path = path
        self._written = data if written is None else written
        self._known = known
        self.symbols: list[Symbol] = []
        # Whether the reader is at declarations that are only kept for old code, and whether the conditional around them is.
        self.for_old_code = False, False

    def text(self, node: Node | None) -> str:
        """The node's source, white space made single."""
        if node is None:
            return ""
        text = self.data[node.start_byte : node.end_byte].decode("utf-8", "replace")
        return _SPACE.sub(" ", text).strip() if "\n" in text or "  " in text else text

    def raw(self, start: int, end: int) -> str:
        return self.data[start:end].decode("utf-8", "replace")

    def written(self, start: int, end: int) -> str:
        """As `raw`, with the macros that were blanked."""
        return self._written[start:end].decode("utf-8", "replace")

    def is_blank(self, start: int, end: int) -> bool:
        return not self.data[start:end].strip()

    def blanked(self, node: Node) -> str:
        """Return text blanked directly before a node, with a space after it."""
        if self._written is self.data:
            return ""
        start = end = node.start_byte
        while start and self.data[start - 1] in b" \t\r\n":
            start -= 1
        return self._written[start:end].decode("utf-8", "replace").strip() + " "

    def once(self, node: Node, context: Hashable, read: Callable[[], None]) -> None:
        """Return the result of `read` for a declaration, cached by its text and context."""
        if self._known is None:
            read()
            return
        row, first = node.start_point[0], len(self.symbols)
        written = self._written[node.start_byte : node.end_byte]
        key = node.type, written, self.blanked(node), self.for_old_code[0], context
        if (before := self._known.get(key)) is None:
            read()
            self._known[key] = row, tuple(self.symbols[first:])
        else:
            down = row - before[0]
            self.symbols += [item.lower(down) for item in before[1]] if down else before[1]

    def words(self, node: Node | None) -> tuple[str, ...]:
        """The names in a body."""
        if node is None:
            return ()
        found = _NAME.findall(self.data, node.start_byte, min(node.end_byte, node.start_byte + 6000))
        return tuple(b" ".join(found[:_MAX_WORDS]).decode("ascii").split())

    def add(
        self,
        kind: SymbolKind,
        name: str,
        site: SymbolSite,
        shape: SymbolShape | None = None,
        value: str = "",
        body: Node | None = None,
    ) -> None:
        """Add a symbol, unless its name is empty."""
        if not name:
            return
        shape = shape or _NO_SHAPE
        if body is not None and kind in CALLABLE:
            value = calls_in(body, self.text)
        gone = deprecation(site.head, site.doc) or self._warns(body, name)
        marks = {*site.marks, "obsolete"} if self.for_old_code[0] else site.marks
        self.symbols.append(
            Symbol(
                kind, name, site.scope, self.path, site.node.start_point[0] + 1, shape.parameters, shape.returns, shape.bases,
                frozenset(marks), gone, site.doc, value[:200], self.words(body),
            )
        )  # fmt: skip

    def _warns(self, body: Node | None, name: str) -> str:
        """Return the warning in a body about the function's own deprecation, as opposed to one of its arguments."""
        if body is None:
            return ""
        data = self.data[body.start_byte : min(body.end_byte, body.start_byte + 3000)]
        if b"eprecat" not in data and b"EPRECAT" not in data:
            return _printed_rename(data, name)
        found = _WARNING.search(data)
        if found is None:
            return ""
        near = data[max(0, found.start() - 300) : found.end() + 300].decode("utf-8", "replace")
        said = " ".join(first or second for first, second in _STRING.findall(near))
        said = str(_SPACE.sub(" ", said)).strip()
        return said if re.search(rf"\b{re.escape(name)}\b", said) and not _OF_ARGUMENT.search(said) else ""


def _printed_rename(body: bytes, name: str) -> str:
    """The sentence that a body prints about its function having another name, without the word deprecated; "" if none."""
    own = rf"\b{re.escape(name)}\b"
    for found in _PRINTED.finditer(body):
        said = found["text"][1:-1].decode("utf-8", "replace")
        is_gone = re.search(rf"{own}(?:\([^()]*\))?[`'\"]*\s+{_HAS_CHANGED}", said, re.IGNORECASE) is not None
        is_gone = is_gone or (_USE_INSTEAD.search(said) is not None and re.search(own, said) is not None)
        if is_gone and not _OF_ARGUMENT.search(said):
            return str(_SPACE.sub(" ", said)).strip()
    return ""


def deprecation(head: str, doc: str) -> str:
    """Return the deprecation text in a symbol's attributes and documentation, "" if there is none."""
    if "eprecat" in head or "DEPRECAT" in head or "bsolete" in head:
        for found in _DEPRECATED_CALL.finditer(head):
            said: list[str] = [first or second for first, second in _STRING.findall(found[1])]
            if said:
                return max(said, key=len)
            if found[1].strip().isidentifier():
                return f"Use {found[1].strip()} instead."  # a macro that has the following name as its argument
        from_doc = _DEPRECATED_DOC.search(plain_doc(doc))
        return _SPACE.sub(" ", from_doc[1]).strip()[:300] if from_doc and from_doc[1].strip() else "deprecated"
    if "eprecated" in doc:
        found_doc = _DEPRECATED_DOC.search(plain_doc(doc))
        if found_doc:
            return _SPACE.sub(" ", found_doc[1]).strip()[:300] or "deprecated"
    return ""


def documented(
    source: SourceFile, children: Iterable[Node], comments: frozenset[str], attributes: frozenset[str]
) -> Iterator[tuple[Node, str, str]]:
    """Each declaration with the comments right above it or after it on its line, and the attributes right above it."""
    doc: list[str] = []
    head: list[str] = []
    data = source.data
    end = -1  # where the last comment or attribute ends
    held: _Held | None = None
    for child in children:
        kind = child.type
        if kind in comments:
            start = child.start_byte
            if held is not None and not doc and held.is_followed_by(child, data):
                held.take(child, source)
                continue
            if doc and not _is_near(data, end, start):
                doc.clear()
            end = child.end_byte
            doc.append(source.raw(start, end))
        elif kind in attributes:
            head.append(source.text(child))
            end = child.end_byte
        elif child.is_named:
            if held is not None:
                yield held.node, held.text, held.head
            near = bool(doc) and _is_near(data, end, child.start_byte)
            held = _Held(child, doc[:] if near else [], " ".join(head))
            doc.clear()
            head.clear()
    if held is not None:
        yield held.node, held.text, held.head


@dataclass
class _Held:
    """A declaration that comments may still follow on its line. `after` is the last of these."""

    node: Node
    doc: list[str]
    head: str
    after: Node | None = None

    @property
    def text(self) -> str:
        return "\n".join(self.doc)[:_MAX_DOC]

    def is_followed_by(self, comment: Node, data: bytes) -> bool:
        """Whether a comment is about this declaration: after it on its line, or in the column of such a comment a line below."""
        start, end = comment.start_byte, comment.end_byte
        if self.after is not None:
            row, column = self.after.end_point[0] + 1, self.after.start_point[1]
            return (comment.start_point[0], comment.start_point[1]) == (row, column)
        before = self.node.end_byte - data.endswith(b"\n", 0, self.node.end_byte)
        rest = data[end : _line_end(data, end)].strip()
        return b"\n" not in data[before:start] and (not rest or rest.startswith(b"}"))

    def take(self, comment: Node, source: SourceFile) -> None:
        self.doc.append(source.raw(comment.start_byte, comment.end_byte))
        self.after = comment


def _line_end(data: bytes, at: int) -> int:
    found = data.find(b"\n", at)
    return len(data) if found < 0 else found


def _is_near(data: bytes, end: int, start: int) -> bool:
    """Return whether no empty line is between the end of one node and the start of another."""
    return data.count(b"\n", end - data.endswith(b"\n", 0, end), start) <= 1


def plain_doc(comment: str) -> str:
    """A comment without its marks."""
    return _DOC_MARKS.sub("", comment).strip()
