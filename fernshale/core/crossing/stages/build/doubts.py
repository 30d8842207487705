"""Why a person has to look at a fix before it is applied, however high its confidence is."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import partial
from pathlib import PurePosixPath

from blake3 import blake3

from fernshale.core.base.confidence import AUTOMATIC_FROM
from fernshale.core.base.languages import ENDINGS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.work import CancelToken
from fernshale.core.build.message_patterns import last_name
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import texts_with
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.drift.parsing import count_faults
from fernshale.core.fix.apply import CodeEdit, apply_edits, edits_by_file
from fernshale.core.fix.call_acceptance import arguments_after, is_accepted
from fernshale.core.fix.dropped_text import dropped_by, words_of_loss
from fernshale.core.fix.holder_imports import needs_import
from fernshale.core.fix.python_ast import compiles
from fernshale.core.fix.result_use import uses_result
from fernshale.core.fix.rules import CallRule, DeleteRule, NewName, Rule
from fernshale.core.survey.roles import role_of

_PYTHON = ENDINGS["python"]
_WORD = lazy_pattern(r"[^\W\d]\w*")


def find_doubt(
    rule: Rule, edits: Sequence[CodeEdit], rules: LegRules, scan: ProjectScan, automatic_from: float = AUTOMATIC_FROM
) -> str:
    """The reason to look before a rule is applied at these places; "" where there is none. What takes time is only asked of rules
    that would be applied automatically otherwise."""
    if dropped := dropped_by(rule, edits, is_declared=rules.is_declared(rule)):
        return words_of_loss(dropped)
    if rule.confidence >= automatic_from and (broken := _broken_by(edits, scan)):
        return tr("{broken} would not compile with it", broken=broken)
    if unimported := _without_import(rule, edits, scan):
        return tr(
            "{name} has to be imported, and how is not known: {module}",
            name=unimported[0],
            module=unimported[1],
        )
    if importer := _imported_through(edits, scan):
        return importer
    if used := _other_result(rule, edits, scan):
        return used
    if not isinstance(rule, NewName) or not rule.signatures:
        return ""
    refused = [edit for edit in edits if not _accepts_call(rule, edit, scan)]
    if not refused:
        return ""
    takes = rule.signatures[0].replace("!", "").replace("~", "")
    calls = tr("the call as it is") if len(refused) == 1 else tr("{number} calls as they are", number=len(refused))
    return tr(
        "{last_name}({takes}) does not accept {calls}: {path}:{line}",
        last_name=last_name(rule.new_name),
        takes=takes,
        calls=calls,
        path=refused[0].path,
        line=refused[0].line,
    )


def _without_import(rule: Rule, edits: Sequence[CodeEdit], scan: ProjectScan) -> tuple[str, TreePath] | None:
    """The class that a file would use without the import it needs, and the first such file; None where there is none."""
    if not isinstance(rule, NewName | CallRule) or not rule.imports:
        return None
    for path, group in edits_by_file(edits).items():
        text = scan.read(path)
        is_added = any(edit.is_added_import for edit in group)
        if text is not None and not is_added and needs_import(rule, path, text, [edit.new for edit in group]):
            return rule.imports, path
    return None


def _broken_by(edits: Sequence[CodeEdit], scan: ProjectScan) -> str:
    """The first file whose syntax has more faults with the edits than without; "" where there is none."""
    for path, group in edits_by_file(edits).items():
        text = scan.read(path)
        if text is None:
            continue
        change = blake3(text.encode("utf-8", "surrogatepass")).digest(), tuple(group)
        if scan.cache.get("faults with edits", change, partial(_has_more_faults, path, text, group)):
            return printable(path)
    return ""


def _has_more_faults(path: TreePath, text: str, edits: Sequence[CodeEdit]) -> bool:
    after = apply_edits(text, edits)
    if path.endswith(_PYTHON):
        return compiles(text) and not compiles(after)
    before, now = (count_faults(each.encode("utf-8", "replace"), path) for each in (text, after))
    return now > before


def _imported_through(edits: Sequence[CodeEdit], scan: ProjectScan) -> str:
    """The reason to keep an import that edits leave unused: in Python another file may import the name from there."""
    for edit in edits:
        if edit.new_if_some is None or not edit.path.endswith(_PYTHON):
            continue
        module = re.escape(PurePosixPath(edit.path).stem)
        for name in sorted(set(_WORD.findall(edit.old)) - set(_WORD.findall(edit.new))):
            passed_on = re.compile(rf"\bfrom[ \t]+[\w.]*\b{module}[ \t]+import\b[^\n(]*(?:\([^)]*)?\b{name}\b")
            for path, text in sorted(texts_with(scan, {name}, CancelToken()).items()):
                if path != edit.path and path.endswith(_PYTHON) and passed_on.search(text):
                    return tr(
                        "{path} imports {name} from {other}, which would not import it any more",
                        path=path,
                        name=name,
                        other=edit.path,
                    )
    return ""


def _other_result(rule: Rule, edits: Sequence[CodeEdit], scan: ProjectScan) -> str:
    """The reason to look at results that compile and may mean something else; "" where none is used."""
    if not isinstance(rule, NewName) or not rule.result:
        return ""
    for edit in edits:
        text = scan.read(edit.path)
        if text is not None and uses_result(text, edit.path, edit.end):
            return tr(
                "it gives a {result} now, and its result is used: {path}:{line}",
                result=rule.result,
                path=edit.path,
                line=edit.line,
            )
    return ""


def _accepts_call(rule: NewName, edit: CodeEdit, scan: ProjectScan) -> bool:
    """Whether the new function accepts the call at an edit; True where the edit is no call."""
    text = scan.read(edit.path)
    given = arguments_after(text, edit.path, edit.end) if text is not None else None
    return given is None or is_accepted(rule.signatures, given)


def find_removal_doubt(scan: ProjectScan, rules: LegRules, rule: DeleteRule, paths: Sequence[TreePath]) -> str:
    """The reason to look before files are removed; none where the release declares it and all are generated."""
    edited = [path for path in paths if role_of(scan.profile, path).role != "generated"]
    if edited:
        return tr("removes a file that is not generated: {edited}", edited=edited[0])
    return (
        ""
        if rules.is_declared(rule)
        else tr("removes files that no rule of the release names: {paths}", paths=paths[0])
    )
