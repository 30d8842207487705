"""Find the places that a rule changes in one file, and change them.

An edit that was already made is not found again: a rule may be applied any number of times.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from fernshale.core.base.globs import matches
from fernshale.core.base.languages import SCRIPTS, endings_of
from fernshale.core.base.textfile import position
from fernshale.core.base.treepath import TreePath
from fernshale.core.data.formats import USUAL, Formats
from fernshale.core.fix.calls import is_import
from fernshale.core.fix.classes import derived_spans
from fernshale.core.fix.holder_imports import holder_import, needs_import
from fernshale.core.fix.imports import without_import
from fernshale.core.fix.left_imports import left_imports
from fernshale.core.fix.rewriters import (
    add_argument,
    add_import,
    add_member,
    call,
    data,
    declare,
    getter,
    header,
    keyword,
    lines,
    literal,
    mark,
    move,
    reimport,
    remove_import,
    rename,
    rename_id,
    rename_member,
    reorder,
    rewrite,
    switch_off,
)
from fernshale.core.fix.rules import (
    AddArgumentRule,
    AddMemberRule,
    CallRule,
    DataRule,
    DeclareRule,
    GetterRule,
    HeaderRule,
    ImportRule,
    KeywordRule,
    LinesRule,
    LiteralRule,
    MarkRule,
    MoveRule,
    NewName,
    ReimportRule,
    RenameIdRule,
    RenameMemberRule,
    RenameRule,
    ReorderRule,
    RewriteRule,
    Rule,
    SwitchOffRule,
    UnimportRule,
    Where,
)

_Find = Callable[[Any, str, str], Iterator[tuple[int, int, str]]]
# Rules of kind delete change no text; those of kind data also need to know how the file is read.
_FINDERS: Mapping[type[Rule], _Find] = {
    RenameRule: rename.find,
    MoveRule: move.find,
    HeaderRule: header.find,
    ImportRule: add_import.find,
    ReimportRule: reimport.find,
    UnimportRule: remove_import.find,
    GetterRule: getter.find,
    AddArgumentRule: add_argument.find,
    KeywordRule: keyword.find,
    ReorderRule: reorder.find,
    CallRule: call.find,
    LiteralRule: literal.find,
    DeclareRule: declare.find,
    RenameMemberRule: rename_member.find,
    AddMemberRule: add_member.find,
    MarkRule: mark.find,
    RewriteRule: rewrite.find,
    SwitchOffRule: switch_off.find,
    LinesRule: lines.find,
    RenameIdRule: rename_id.find,
}


@dataclass(frozen=True, slots=True)
class CodeEdit:
    """One place of a file: characters `start`..`end` become `new`. `line` is 1-based, of the start.

    `is_import`: the line imports the name, so the rest of the file refers to it by that name. `is_added_import`: it imports a
    name that the rule's other edits of the file need, and is applied with any of them. `new_if_some`: it also takes out an
    import that is unused when all of them are made; if only some are, this text is written instead.
    """

    path: TreePath
    line: int
    start: int
    end: int
    old: str
    new: str
    is_import: bool = False
    is_added_import: bool = False
    new_if_some: str | None = None


def find_edits(rule: Rule, path: TreePath, text: str, formats: Formats = USUAL) -> tuple[CodeEdit, ...]:
    """The edits `rule` makes in a file, in order and without overlap. Rules of kind delete make none.

    `formats` are how data files are read. Raises FormatError for a data file that a rule cannot be followed in.
    """
    return edits_near(rule, path, text, formats) if has_needed(rule.needed_words, text) else ()


def edits_near(rule: Rule, path: TreePath, text: str, formats: Formats = USUAL) -> tuple[CodeEdit, ...]:
    """Like `find_edits`, for a text that is known to contain the rule's words."""
    finder = _FINDERS.get(type(rule))
    if isinstance(rule, DataRule):
        finder = partial(data.find, formats=formats)
    if finder is None or not _holds_here(rule.where, path, text):
        return ()
    edits = tuple(
        CodeEdit(
            path,
            position(text, start)[0],
            start,
            end,
            text[start:end],
            new,
            is_import(text, start),
            is_added_import=start == end and (isinstance(rule, ReimportRule) or is_import(text, start)),
        )
        for start, end, new in finder(rule, path, text)
        if text[start:end] != new
    )
    if edits and rule.where.derives:
        spans = derived_spans(text, path, rule.where.derives)
        edits = tuple(edit for edit in edits if any(start <= edit.start < end for start, end in spans))
    if isinstance(rule, NewName | CallRule) and needs_import(rule, path, text, [edit.new for edit in edits]):
        added = (
            CodeEdit(path, position(text, start)[0], start, end, text[start:end], new, is_added_import=True)
            for start, end, new in holder_import(rule, path, text)
        )
        edits = tuple(sorted((*added, *edits), key=lambda edit: edit.start))
    gone = ""
    if isinstance(rule, MoveRule) and rule.replaces_import and path.endswith(SCRIPTS):
        gone = rule.old
    return _without_left_imports(path, text, edits, gone) if edits else ()


def _without_left_imports(path: TreePath, text: str, edits: tuple[CodeEdit, ...], gone: str) -> tuple[CodeEdit, ...]:
    """The edits, and those that take out the imports they leave unused. Edits that add to such an import become part of them."""
    spans = [(edit.start, edit.end, edit.new) for edit in edits]
    for start, end, names in left_imports(path, text, spans, apply_edits(text, edits), gone):
        inner = [edit for edit in edits if edit.start < end and edit.end > start]
        if any(edit.start < start or edit.end > end or not edit.is_added_import for edit in inner):
            continue
        old = text[start:end]
        some = apply_edits(old, [replace(edit, start=edit.start - start, end=edit.end - start) for edit in inner])
        new = some
        for name in names:
            for first, last, kept in reversed(list(without_import(name, path, new))):
                new = new[:first] + kept + new[last:]
        whole = CodeEdit(path, position(text, start)[0], start, end, old, new, is_added_import=True, new_if_some=some)
        edits = (*(edit for edit in edits if edit not in inner), whole)
    return tuple(sorted(edits, key=lambda edit: edit.start))


def edits_by_file(edits: Iterable[CodeEdit]) -> dict[TreePath, list[CodeEdit]]:
    """Edits by the file that they change, in order."""
    found: dict[TreePath, list[CodeEdit]] = {}
    for edit in edits:
        found.setdefault(edit.path, []).append(edit)
    return found


def only_some(edits: Sequence[CodeEdit], is_chosen: Callable[[CodeEdit], bool]) -> tuple[CodeEdit, ...]:
    """Of a rule's edits those that are chosen, with the imports that they need in their files."""
    kept: list[CodeEdit] = []
    for group in edits_by_file(edits).values():
        own = [edit for edit in group if not edit.is_added_import]
        chosen = [edit for edit in own if is_chosen(edit)]
        for edit in group:
            if edit in chosen or (not own and is_chosen(edit)):
                kept.append(edit)
            elif chosen and edit.is_added_import:
                partly = edit.new_if_some if len(chosen) < len(own) else None
                kept.append(edit if partly is None else replace(edit, new=partly, new_if_some=None))
    return tuple(edit for edit in kept if edit.new != edit.old)


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
        elif again != result and rule.is_repeatable:
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
    # Of edits at one place, replace first and insert before it afterwards.
    for edit in sorted(edits, key=lambda edit: (-edit.start, -edit.end)):
        text = text[: edit.start] + edit.new + text[edit.end :]
    return text


def has_needed(words: Sequence[str], text: str) -> bool:
    """Whether a text has all words that a rule needs."""
    return all(map(text.__contains__, words))
