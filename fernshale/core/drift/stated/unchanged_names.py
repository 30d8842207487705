"""Successors that a release states may be in files that did not change, which comparing two releases does not read."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.work import CancelToken
from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.release_symbols import Pair, read_bytes
from fernshale.core.drift.stated.removals import Removals
from fernshale.core.drift.stated.replacements import ReleaseNames, named_replacements, named_value
from fernshale.core.drift.symbols import Symbol

# A name in more files than this is too common to help.
_MAX_FILES = 8
# The keyword before a declared name, and in C the bracket after it.
_DECLARED = lazy_pattern(
    rb"\b(?:class|struct|union|interface|enum|trait|record|type|def|fn|func|function)\s+(?:class\s+|struct\s+)?(\w+)"
)
_CALLABLE = lazy_pattern(rb"\b(\w+)[ \t]*\(")
_HEADERS = (".h", ".hpp", ".hh", ".hxx")
_IDENTIFIER = lazy_pattern(r"[^\W\d]\w*")
_SEPARATOR = lazy_pattern(r"\.|::|#|->")


def names_in_unchanged_files(
    pair: Pair, symbols: Iterable[Symbol], names: ReleaseNames, removals: Removals, token: CancelToken
) -> tuple[Symbol, ...]:
    """Return the public symbols of unchanged files that statements about `symbols` may name, with the members of named types.

    `names` are those of changed files. Raises Cancelled.
    """
    wanted = {word for symbol in symbols for word in _named(symbol, removals) if not names.named(word)}
    if not wanted:
        return ()
    changed = {item.file for item in (*pair.old.symbols, *pair.new.symbols)}
    declaring: dict[str, list[str]] = {}
    for path in sorted(pair.new.files & pair.old.files - changed):
        token.check()
        data = read_bytes(f"{pair.new.folder}/{path}")
        found = set(_DECLARED.findall(data))
        found.update(_CALLABLE.findall(data) if path.endswith(_HEADERS) else ())
        for name in wanted & {item.decode("utf-8", "replace") for item in found}:
            declaring.setdefault(name, []).append(path)
    files = dict.fromkeys(path for paths in declaring.values() if len(paths) <= _MAX_FILES for path in paths)
    read = (item for path in files for item in read_source(read_bytes(f"{pair.new.folder}/{path}"), path))
    return tuple(item for item in read if not item.is_hidden and not wanted.isdisjoint(item.path))


def _named(symbol: Symbol, removals: Removals) -> Iterator[str]:
    """The names in statements about a symbol, in the calls that its body consists of, and what it is another name for."""
    for text in (symbol.deprecated, removals.of(symbol.name)):
        for name, _ in named_replacements(text) if text else ():
            yield from filter(str.isidentifier, _SEPARATOR.split(name.strip("~#.")))
    if named := named_value(symbol):
        yield from filter(str.isidentifier, _SEPARATOR.split(named[0]))
    if symbol.is_callable:
        yield from _IDENTIFIER.findall(symbol.value)
