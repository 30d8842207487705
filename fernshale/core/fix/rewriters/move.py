"""Rewrite qualified names, Python imports of them, and names that a script imports."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from fernshale.core.base.languages import SCRIPTS, endings_of
from fernshale.core.base.textfile import line_end
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.imports import import_lines
from fernshale.core.fix.python_imports import bound_names, moved_imports, moved_uses, place_of
from fernshale.core.fix.rules import MoveRule
from fernshale.core.fix.rust_imports import moved_leaves
from fernshale.core.fix.tokens import Token, name_indexes, tokenize

_WITH_CRATES = endings_of("rust")
# Languages in which a name never begins with a part of its package.
_IMPORTING = (*endings_of("java"), *endings_of("c#"), *endings_of("rust"))


def find(rule: MoveRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """Rewrite chains of names that end like the old one; names omitted in the chain are omitted in the new one, too."""
    old, new = re.split(r"::|\.", rule.old), re.split(r"::|\.", rule.new)
    if rule.replaces_import and path.endswith(SCRIPTS):
        yield from _uses_of_imported(rule, path, text)
        return
    tokens = tokenize(text, path)
    bound = bound_names(text, path) if path.endswith(PYTHON) else {}
    place = place_of(new, rule.holder)
    if bound:
        yield from moved_imports(old, place, text, path)
    if path.endswith(_WITH_CRATES):
        yield from moved_leaves(old, new, text, path)
    imported: set[str] = set()
    for index in name_indexes(text, path, old[-1]):
        first, names = _chain_before(tokens, index)
        if len(names) < 2 or (first and tokens[first - 1].text in (".", "->")):
            continue
        if (use := moved_uses(names, old, place, bound)) is not None:
            chain, behind, line = use
            yield tokens[first].start, tokens[index].end, chain
            if behind is not None and line and line not in imported:
                imported.add(line)
                yield behind.end, behind.end, f"{line_end(text)}{behind.indent}{line}"
            continue
        if path.endswith(_WITH_CRATES) and names[1:] == old and names != new:
            # The release's own name precedes all of its names.
            yield tokens[first + 2].start, tokens[index].end, tokens[index - 1].text.join(new)
            continue
        if names[0] in bound or len(names) > len(old) or names != old[-len(names) :]:
            continue
        left_out = old[: -len(names)]
        mark = tokens[index - 1].text
        written = new[len(left_out) :] if new[: len(left_out)] == left_out else new
        if left_out and rule.imports in new and path.endswith(_IMPORTING):
            written = new[new.index(rule.imports) :]  # a class is referred to by its own name here, without its package
        yield tokens[first].start, tokens[index].end, mark.join(written)


def _uses_of_imported(rule: MoveRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """The uses of a name that a script imports from the module that has the new name, without its imports."""
    lines = list(import_lines(text, path))
    words = rf"[{{,]\s*(?:type\s+)?{re.escape(rule.old)}\s*[,}}]"
    if not any(re.search(words, line["names"]) and line["module"] in _modules_of(rule.text) for line in lines):
        return
    tokens = tokenize(text, path)
    for index in name_indexes(text, path, rule.old):
        at = tokens[index].start
        before, after = (tokens[i].text if 0 <= i < len(tokens) else "" for i in (index - 1, index + 1))
        # `{ Warmth: 1 }` is a key, and `{ Warmth }` a key as well.
        is_key = (before == "{" and after in (":", ",", "}")) or (before == "," and after in (":", "}"))
        if before not in (".", "?.") and not is_key and not any(line.start() <= at < line.end() for line in lines):
            yield at, tokens[index].end, rule.new


def _modules_of(line: str) -> list[str]:
    """The modules that an import line of a script names."""
    return re.findall(r"[\"']([^\"'\n]+)[\"']", line)


def _chain_before(tokens: Sequence[Token], index: int) -> tuple[int, list[str]]:
    """The first token of the qualified name that ends at `index`, and its names."""
    names, first = [tokens[index].text], index
    while first >= 2 and tokens[first - 1].text in ("::", ".") and tokens[first - 2].kind == "name":
        first -= 2
        names.insert(0, tokens[first].text)
    return first, names
