"""Find the places that a rule changes in one file, and change them.

An edit that was already made is not found again: a rule may be applied any number of times.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise

from fernshale.core.base.globs import matches
from fernshale.core.base.languages import C_FAMILY, SCRIPTS, endings_of
from fernshale.core.base.textfile import line_end, position
from fernshale.core.base.treepath import TreePath
from fernshale.core.data.formats import USUAL, Formats
from fernshale.core.fix.argument_order import reordered_calls
from fernshale.core.fix.calls import find_calls, is_import
from fernshale.core.fix.classes import PYTHON, class_bodies, derived_spans, python_classes
from fernshale.core.fix.code_patterns import ACCESS, META, Match, all_matches, find_matches, parse_pattern
from fernshale.core.fix.commenting_out import as_comments
from fernshale.core.fix.data_rewriter import data_edits, repeats
from fernshale.core.fix.holder_imports import holder_import, needs_import
from fernshale.core.fix.imports import with_import
from fernshale.core.fix.python_imports import bound_names, moved_imports, moved_uses, place_of
from fernshale.core.fix.receiver_types import Owners
from fernshale.core.fix.rules import Rule, Where
from fernshale.core.fix.tokens import Token, group_end, literal_text, name_indexes, name_starts, tokenize
from fernshale.core.fix.untyped_declarations import declarations

_STEP = "    "
_WITH_CRATES = endings_of("rust")
# Languages in which a name never begins with a part of its package.
_IMPORTING = (*endings_of("java"), *endings_of("c#"), *endings_of("rust"))
# Words that can precede a value; after any other name, it is a declaration.
_BEFORE_VALUES = frozenset(("return", "case", "throw", "yield", "await", "else", "in", "and", "or", "not", "new"))


@dataclass(frozen=True, slots=True)
class CodeEdit:
    """One place of a file: characters `start`..`end` become `new`. `line` is 1-based, of the start.

    `is_import`: the line imports the name, so the rest of the file refers to it by that name. `is_added_import`: it imports a
    name that the rule's other edits of the file need, and is applied with any of them.
    """

    path: TreePath
    line: int
    start: int
    end: int
    old: str
    new: str
    is_import: bool = False
    is_added_import: bool = False


def find_edits(rule: Rule, path: TreePath, text: str, formats: Formats = USUAL) -> tuple[CodeEdit, ...]:
    """The edits `rule` makes in a file, in order and without overlap. Rules of kind delete make none.

    `formats` are how data files are read. Raises FormatError for a data file that a rule cannot be followed in.
    """
    return edits_near(rule, path, text, formats) if has_needed(needed_words(rule), text) else ()


def edits_near(rule: Rule, path: TreePath, text: str, formats: Formats = USUAL) -> tuple[CodeEdit, ...]:
    """Like `find_edits`, for a text that is known to contain the rule's words."""
    finder = _FINDERS.get(rule.kind)
    if rule.kind == "data":
        finder = partial(data_edits, formats=formats)
    if finder is None or not _holds_here(rule.where, path, text):
        return ()
    edits = tuple(
        CodeEdit(path, position(text, start)[0], start, end, text[start:end], new, is_import(text, start))
        for start, end, new in finder(rule, path, text)
        if text[start:end] != new
    )
    if edits and rule.where.derives:
        spans = derived_spans(text, path, rule.where.derives)
        edits = tuple(edit for edit in edits if any(start <= edit.start < end for start, end in spans))
    if needs_import(rule, path, text, [edit.new for edit in edits]):
        added = (
            CodeEdit(path, position(text, start)[0], start, end, text[start:end], new, is_added_import=True)
            for start, end, new in holder_import(rule, path, text)
        )
        edits = tuple(sorted((*added, *edits), key=lambda edit: edit.start))
    return edits


def find_conflicts(edits: Mapping[str, Sequence[CodeEdit]]) -> tuple[tuple[str, str, CodeEdit], ...]:
    """Return pairs of rules that change the same place differently, with the place; `edits` by rule id."""
    placed = sorted(
        ((edit, id) for id, listed in edits.items() for edit in listed),
        key=lambda item: (item[0].path, item[0].start, item[0].end),
    )
    found: dict[tuple[str, str], CodeEdit] = {}
    open_: list[tuple[CodeEdit, str]] = []
    for edit, id in placed:
        open_ = [item for item in open_ if item[0].path == edit.path and item[0].end > edit.start]
        for other, theirs in open_:
            if theirs != id and (other.start, other.end, other.new) != (edit.start, edit.end, edit.new):
                found.setdefault((min(id, theirs), max(id, theirs)), edit)
        open_.append((edit, id))
    return tuple((one, other, edit) for (one, other), edit in found.items())


def try_rule(rule: Rule) -> tuple[str, ...]:
    """Return errors of a rule's own examples: a different result, or one that changes when the rule is applied again."""
    wrong = []
    for number, example in enumerate(rule.example, 1):
        path = TreePath(example.file)
        result = apply_edits(example.before, find_edits(rule, path, example.before))
        again = apply_edits(result, find_edits(rule, path, result))
        if result != example.after:
            wrong.append(f"example {number} gives {result!r}, not {example.after!r}")
        elif again != result and repeats(rule):
            wrong.append(f"example {number} changes again when the rule is applied twice: {again!r}")
    return tuple(wrong)


def _holds_here(where: Where, path: str, text: str) -> bool:
    if where.files and not matches(where.files, TreePath(path)):
        return False
    if where.languages and not path.endswith(tuple(ending for name in where.languages for ending in endings_of(name))):
        return False
    return not any(re.search(rf"\b{re.escape(word)}\b", text) for word in where.unless)


def apply_edits(text: str, edits: Sequence[CodeEdit]) -> str:
    """`text` with `edits` made; they must be of this very text."""
    for edit in sorted(edits, key=lambda edit: -edit.start):
        text = text[: edit.start] + edit.new + text[edit.end :]
    return text


def needed_words(rule: Rule) -> tuple[str, ...]:
    """The words that a text must have for the rule to match in it, the longest first."""
    if rule.kind == "literal":
        words = [rule.call or rule.old]
    elif rule.kind == "move":
        # The name with its qualifiers: in a chain of names, or as the module it is imported from.
        words = re.split(r"::|\.", rule.old)[-2:]
    elif rule.kind == "keyword":
        words = [rule.call, rule.old]
    elif rule.kind in ("rewrite", "switch-off"):
        words = re.findall(r"(?<![$\w])[A-Za-z_]\w+", rule.pattern)
    else:
        words = [rule.old or rule.call or rule.base]
    return tuple(sorted(dict.fromkeys(words), key=len, reverse=True))


def has_needed(words: Sequence[str], text: str) -> bool:
    """Whether a text has all of `needed_words`."""
    return all(map(text.__contains__, words))


def _rename(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    # If a tool reported the place, it knows the type better than the text shows.
    if rule.named or not rule.of:
        for start in name_starts(text, path, rule.old):
            yield start, start + len(rule.old), rule.new
        return
    tokens = tokenize(text, path)
    owner = Owners(tokens, rule.of, path)
    for index in name_indexes(text, path, rule.old):
        if not owner.is_another(index):
            yield tokens[index].start, tokens[index].end, rule.new


def _move(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """Rewrite chains of names that end like the old one; names omitted in the chain are omitted in the new one, too."""
    old, new = re.split(r"::|\.", rule.old), re.split(r"::|\.", rule.new)
    tokens = tokenize(text, path)
    bound = bound_names(text, path) if path.endswith(PYTHON) else {}
    place = place_of(new, rule.holder)
    if bound:
        yield from moved_imports(old, place, text, path)
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


def _chain_before(tokens: Sequence[Token], index: int) -> tuple[int, list[str]]:
    """The first token of the qualified name that ends at `index`, and its names."""
    names, first = [tokens[index].text], index
    while first >= 2 and tokens[first - 1].text in ("::", ".") and tokens[first - 2].kind == "name":
        first -= 2
        names.insert(0, tokens[first].text)
    return first, names


def _header(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    if path.endswith(SCRIPTS):
        wanted = rf"""\b(?P<word>from|import|require)\s*\(?\s*(["'])(?:[^"'\n]*/)?(?P<module>{re.escape(rule.old)})\2"""
        found = list(re.finditer(wanted, text))
        starts = {start for word in {item["word"] for item in found} for start in name_starts(text, path, word)}
        yield from ((*item.span("module"), rule.new) for item in found if item.start() in starts)
        return
    pattern = rf'^[ \t]*#[ \t]*(?:include|import)[ \t]*[<"]({re.escape(rule.old)})[>"]'
    for line in re.finditer(pattern, text, re.MULTILINE):
        yield line.start(1), line.end(1), rule.new


def _import(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    yield from with_import(rule.text, rule.old, path, text)


def _getter(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    # Inherited names are used without their class.
    inside = derived_spans(text, path, [rule.of]) if rule.of and not path.endswith(PYTHON) else []
    # If a tool reported the place, it knows the type better than the text shows.
    owner = Owners(tokens, rule.of, path) if rule.of and not rule.named else None
    for index in name_indexes(text, path, rule.old):
        token = tokens[index]
        before = tokens[index - 1] if index else None
        is_bare = any(start <= token.start < end for start, end in inside) and (
            before is None or before.kind != "name" or before.text in _BEFORE_VALUES
        )
        is_of = before is not None and before.text in (".", "->")
        if not (is_bare or is_of) or (is_of and owner is not None and owner.is_another(index)):
            continue
        after = tokens[index + 1].text if index + 1 < len(tokens) else ""
        if after == "(":
            continue
        if after != "=":
            yield token.start, token.end, f"{rule.new}()"
        elif rule.setter:
            end = _statement_end(tokens, index + 2)
            if end > index + 2:
                value = text[tokens[index + 2].start : tokens[end - 1].end]
                yield token.start, tokens[end - 1].end, f"{rule.setter}({value})"


def _statement_end(tokens: Sequence[Token], at: int) -> int:
    while at < len(tokens) and tokens[at].text not in (";", ",", ")", "]", "}"):
        at = group_end(tokens, at) if tokens[at].text in ("(", "[", "{") else at + 1
    return at


def _add_argument(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    for _, end, arguments in find_calls(text, path, rule.call):
        if len(arguments) != (rule.arguments or rule.position - 1) or rule.position > len(arguments) + 1:
            continue
        if not arguments:
            yield tokens[end - 1].start, tokens[end - 1].start, rule.text
        elif rule.position > len(arguments):
            spot = tokens[arguments[-1][1] - 1].end
            yield spot, spot, f", {rule.text}"
        else:
            spot = tokens[arguments[rule.position - 1][0]].start
            yield spot, spot, f"{rule.text}, "


def _keyword(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    for _, _, arguments in find_calls(text, path, rule.call):
        for first, last in arguments:
            if last - first > 2 and tokens[first].text == rule.old and tokens[first + 1].text in ("=", ":"):
                yield tokens[first].start, tokens[first].end, rule.new


def _literal(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    spans = [(0, len(tokens))]
    if rule.call:
        spans = [
            arguments[rule.position - 1]
            for _, _, arguments in find_calls(text, path, rule.call)
            if len(arguments) >= rule.position
        ]
    for token in (token for first, last in spans for token in tokens[first:last]):
        if token.kind in ("number", "string") and token.text == rule.old:
            yield token.start, token.end, rule.new
        elif token.kind == "string" and (inside := literal_text(token.text)) == rule.old:
            at = token.text.rindex(inside) if inside else 0
            yield token.start + at, token.start + at + len(inside), literal_text(rule.new)


def _declare(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    for item in declarations(text, rule.old) if path.endswith(PYTHON) else ():
        if item.type == rule.new:
            yield item.start, item.end, item.new


def _switch_off(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    for match in find_matches(parse_pattern(rule.pattern, path.endswith(C_FAMILY)), tokens):
        is_ended = match.last < len(tokens) and tokens[match.last].text == ";" and tokens[match.last - 1].text != ";"
        statement = Match(match.first, match.last + is_ended, match.bound)
        start, end = tokens[statement.first].start, tokens[statement.last - 1].end
        first, last = text.rfind("\n", 0, start) + 1, text.find("\n", end)
        last = len(text) if last < 0 else last
        # A branch, or code on the same line, would be left without a statement.
        if (
            _is_statement(tokens, statement, text)
            and not text[first:start].strip()
            and not tokenize(text[end:last], path)
        ):
            yield first, last, "\n".join(as_comments(text[first:last].split("\n"), path, f"switched off, {rule.why}: "))


def _add_member(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    if path.endswith(PYTHON):
        yield from _add_python_member(rule, text)
        return
    tokens = tokenize(text, path)
    end_of_line = line_end(text)
    for _, bases, opening, end in class_bodies(tokens):
        if rule.base not in bases:
            continue
        body = tokens[opening + 1 : end - 1]
        if any(item.text == rule.member and item.kind == "name" for item in body):
            continue
        outer = _indent_of(text[text.rfind("\n", 0, tokens[opening].start) + 1 :])
        if "\n" not in text[tokens[opening].end : tokens[end - 1].start]:
            # All on one line: the member gets lines of its own.
            spot = tokens[opening].end
            yield spot, spot, f"{end_of_line}{_indented(rule.text, outer + _STEP, end_of_line)}{outer}"
        elif rule.after or path.endswith(C_FAMILY):
            spot, indent = _member_spot(rule, text, tokens[opening], body)
            yield spot, spot, _indented(rule.text, indent, end_of_line)
        else:
            # Behind the others.
            spot = text.rfind("\n", 0, tokens[end - 1].start) + 1
            indent = _indent_of(text[text.rfind("\n", 0, body[0].start) + 1 :]) if body else outer + _STEP
            yield spot, spot, f"{end_of_line if body else ''}{_indented(rule.text, indent, end_of_line)}"


def _add_python_member(rule: Rule, text: str) -> Iterator[tuple[int, int, str]]:
    """At the end of the class."""
    for item in python_classes(text):
        if rule.base in item.bases and rule.member not in item.members and item.indent is not None:
            end_of_line = line_end(text)
            closed = "" if text[: item.end].endswith("\n") else end_of_line
            yield item.end, item.end, f"{closed}{end_of_line}{_indented(rule.text, item.indent, end_of_line)}"


def _indented(text: str, indent: str, end_of_line: str) -> str:
    return "".join(f"{indent}{line}{end_of_line}" if line.strip() else end_of_line for line in text.splitlines())


def _member_spot(rule: Rule, text: str, opening: Token, body: Sequence[Token]) -> tuple[int, str]:
    """Return the start of the line before which the member is inserted, and its neighbours' indentation."""
    last = body[-1].end if body else opening.end
    anchor = text.find(rule.after, opening.end, last) if rule.after else -1
    if anchor < 0:
        ahead = pairwise(body)
        public = next((item for item, mark in ahead if item.text == "public" and mark.text == ":"), None)
        anchor = public.start if public else opening.start
    spot = text.find("\n", anchor) + 1 or len(text)
    start = text.rfind("\n", 0, anchor) + 1
    line = text[start:spot]
    indent = _indent_of(line)
    return spot, indent if rule.after and rule.after in line else indent + _STEP


def _rewrite(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    has_pointers = path.endswith(C_FAMILY)
    found = tuple(find_matches(parse_pattern(rule.pattern, has_pointers), tokens))
    done = _already_rewritten(rule, tokens, has_pointers) if found else []
    for match in found:
        if any(first <= match.first and match.last <= last for first, last in done):
            continue
        start, end = tokens[match.first].start, tokens[match.last - 1].end
        new = _filled(rule.replacement, match, tokens, text, has_pointers)
        if not new:
            if not _is_statement(tokens, match, text):
                continue  # a value or a branch would be left with nothing
            start, end = _whole_line(text, start, end)
            new = _in_its_place(text, path, start, end)
        yield start, end, new


def _already_rewritten(rule: Rule, tokens: Sequence[Token], has_pointers: bool) -> list[tuple[int, int]]:
    """Return token spans that look like the replacement: matches inside them were already rewritten."""
    if not META.sub("", rule.replacement).strip():
        return []  # it could not be distinguished from other code
    return [(match.first, match.last) for match in all_matches(parse_pattern(rule.replacement, has_pointers), tokens)]


def _filled(template: str, match: Match, tokens: Sequence[Token], text: str, has_pointers: bool) -> str:
    """Return the replacement with its metavariables filled in. Access to a metavariable's members keeps its operator: of an
    object, or through a pointer."""

    def value(found: re.Match[str]) -> str:
        span = match.bound.get(found["meta"])
        if span is None:
            return found[0]
        asked = tokens[span[1]].text if has_pointers and span[1] < match.last else ""
        access = asked if found["access"] and asked in ACCESS else found["access"] or ""
        return (text[tokens[span[0]].start : tokens[span[1] - 1].end] if span[1] > span[0] else "") + access

    return re.sub(r"\$\$?(?P<meta>\w+)(?P<access>\.|->)?", value, template)


def _is_statement(tokens: Sequence[Token], match: Match, text: str) -> bool:
    """Return whether the match is a complete statement, so that it can be removed."""
    first, last = tokens[match.first], tokens[match.last - 1]
    before = tokens[match.first - 1] if match.first else None
    after = tokens[match.last] if match.last < len(tokens) else None
    if last.text == ";":
        return before is None or before.text in (";", "{", "}", ":")
    # Where lines end statements, it has lines of its own.
    is_first = before is None or "\n" in text[before.end : first.start]
    return is_first and (after is None or "\n" in text[last.end : after.start])


def _whole_line(text: str, start: int, end: int) -> tuple[int, int]:
    """Return the line with its end if nothing else is on it, so that removing a statement leaves no blank line."""
    first = text.rfind("\n", 0, start) + 1
    last = text.find("\n", end) + 1 or len(text)
    alone = not text[first:start].strip() and not text[end:last].strip()
    return (first, last) if alone else (start, end)


def _in_its_place(text: str, path: str, start: int, end: int) -> str:
    """Return the text that has to replace a removed line: a Python block may not be empty."""
    if not path.endswith(PYTHON) or text[start - 1 : start] not in ("", "\n"):
        return ""
    indent = _indent_of(text[start:end])
    before = next((line for line in reversed(text[:start].split("\n")) if line.strip()), "")
    after = next((line for line in text[end:].split("\n") if line.strip()), "")
    is_alone = len(_indent_of(before)) < len(indent) > len(_indent_of(after))
    return f"{indent}pass{line_end(text)}" if is_alone else ""


def _indent_of(line: str) -> str:
    return line[: len(line) - len(line.lstrip(" \t"))]


def _rename_id(rule: Rule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    # Ids are words of data, with hyphens and dots; they are usually in strings.
    for found in re.finditer(rf"(?<![\w.-]){re.escape(rule.old)}(?![\w-]|\.\w)", text):
        yield found.start(), found.end(), rule.new


_Finder = Callable[[Rule, str, str], Iterator[tuple[int, int, str]]]
_FINDERS: dict[str, _Finder] = {
    "rename": _rename,
    "move": _move,
    "header": _header,
    "import": _import,
    "getter": _getter,
    "add-argument": _add_argument,
    "add-member": _add_member,
    "rewrite": _rewrite,
    "keyword": _keyword,
    "reorder": reordered_calls,
    "literal": _literal,
    "declare": _declare,
    "switch-off": _switch_off,
    "rename-id": _rename_id,
}
