"""Fix rules over a whole project: the places where each would change something, and all rules applied."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from fernshale.core.base.globs import FirstFit, matches
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import texts_with
from fernshale.core.fix.apply import (
    CodeEdit,
    apply_edits,
    edits_near,
    find_conflicts,
    find_edits,
    has_needed,
)
from fernshale.core.fix.rules import (
    AddArgumentRule,
    AddMemberRule,
    CallRule,
    DataRule,
    DeclareRule,
    DeleteRule,
    GetterRule,
    ImportRule,
    KeywordRule,
    NewName,
    PatternRule,
    ReimportRule,
    RenameIdRule,
    RenameMemberRule,
    ReorderRule,
    Rule,
    UnimportRule,
)
from fernshale.core.links.reference_reader import own_formats
from fernshale.core.profile.model import Role
from fernshale.core.survey.release_sites import read_project_text
from fernshale.core.survey.roles import CODE_ROLES, files_of, role_of

# With more rules than this, the names of all texts are listed once, for rules that are about whole names.
_MANY_RULES = 100
_OF_NAMES = (
    NewName,
    ImportRule,
    ReimportRule,
    UnimportRule,
    GetterRule,
    AddArgumentRule,
    KeywordRule,
    ReorderRule,
    CallRule,
    AddMemberRule,
    PatternRule,
    DeclareRule,
    RenameMemberRule,
)
# Rules for files other than code.
_NOT_OF_CODE = (DeleteRule, RenameIdRule, DataRule)
_NAME = lazy_pattern(r"\w+")
_ID_ROLES: tuple[Role, ...] = ("asset", "user content")


@dataclass(frozen=True, slots=True)
class Ruled:
    """The result of applying all rules: the draft, the number of places each changed, and places that two rules want."""

    draft: Draft
    counts: Mapping[str, int]
    conflicts: tuple[tuple[str, str, CodeEdit], ...]


def find_all_edits(
    scan: ProjectScan, rules: Sequence[Rule], token: CancelToken, within: Collection[str] | None = None
) -> dict[str, tuple[CodeEdit, ...]]:
    """The edits of each rule, by its id: rules for ids in assets and the user's own content, those for data in the files they
    name, the others in code; in all files or in those of `within`. Raises FormatError for a data file that a rule cannot be
    followed in."""
    formats = own_formats(scan.profile.data)
    found: dict[str, list[CodeEdit]] = {rule.id: [] for rule in rules if not isinstance(rule, DeleteRule)}
    code = [rule for rule in rules if not isinstance(rule, _NOT_OF_CODE)]
    ids = [rule for rule in rules if isinstance(rule, RenameIdRule)]
    # The longest word is in the fewest texts; a match that needs none may be in any.
    texts = texts_with(scan, {(*rule.needed_words, "")[0] for rule in (*code, *ids)}, token)
    if within is not None:
        texts = {path: text for path, text in texts.items() if path in within}
    for rules_here, roles in ((code, CODE_ROLES), (ids, _ID_ROLES)):
        near = _near(rules_here, texts, token, partial(_kept_names, scan))
        for path in files_of(scan.profile, (path for path in texts if path in near), *roles):
            token.check()
            for rule in near[path]:
                found[rule.id] += _edits_of(scan, rule, path, texts[path])
    for rule in rules:
        if isinstance(rule, DataRule):
            for path in FirstFit([rule.files]).those(scan.paths):
                token.check()
                found[rule.id] += find_edits(rule, path, scan.read(path) or "", formats)
    return {id: tuple(edits) for id, edits in found.items()}


def _edits_of(scan: ProjectScan, rule: Rule, path: TreePath, text: str) -> tuple[CodeEdit, ...]:
    """The edits of a rule in a text, kept for as long as neither changes."""
    entry = scan.manifest.files.get(path)
    if entry is None:
        return edits_near(rule, path, text)
    make = partial(edits_near, rule, path, text)
    return scan.cache.get("edits of rules", (rule, path, entry.content), make, lambda edits: 1 + len(edits))


def _near(
    rules: Sequence[Rule],
    texts: Mapping[TreePath, str],
    token: CancelToken,
    names_of: Callable[[TreePath, str], frozenset[str]] = lambda path, text: _names_of(text),
) -> Mapping[TreePath, Sequence[Rule]]:
    """The rules that may match in each text, by the words a match needs; most texts have none of them."""
    near: dict[TreePath, list[Rule]] = {}
    items = tuple(texts.items())
    names = _names_in(texts, names_of) if len(rules) > _MANY_RULES else None
    for rule in rules:
        token.check()
        needed = rule.needed_words
        first = needed[0] if needed else ""
        if names is not None and isinstance(rule, _OF_NAMES) and first.isidentifier():
            having: Sequence[TreePath] = names.get(first, ())
        else:
            having = [path for path, text in items if first in text]
        for path in having:
            if has_needed(needed, texts[path]):
                near.setdefault(path, []).append(rule)
    return near


def _names_in(
    texts: Mapping[TreePath, str], names_of: Callable[[TreePath, str], frozenset[str]]
) -> Mapping[str, Sequence[TreePath]]:
    """The texts that contain each name as a whole word."""
    found: dict[str, list[TreePath]] = defaultdict(list)
    for path, text in texts.items():
        for name in names_of(path, text):
            found[name].append(path)
    return found


def _kept_names(scan: ProjectScan, path: TreePath, text: str) -> frozenset[str]:
    """The names in a text, kept for as long as it does not change."""
    entry = scan.manifest.files.get(path)
    make = partial(_names_of, text)
    return make() if entry is None else scan.cache.get("names of a text", entry.content, make, len)


def _names_of(text: str) -> frozenset[str]:
    return frozenset(_NAME.findall(text))


def apply_rules(scan: ProjectScan, rules: Sequence[Rule], token: CancelToken) -> Ruled:
    """All of `rules` applied over the whole project; nothing is written. Raises as `find_all_edits`."""
    formats = own_formats(scan.profile.data)
    edits = find_all_edits(scan, rules, token)
    touched = {id: {edit.path for edit in listed} for id, listed in edits.items()}
    draft = Draft(scan.project)
    counts: dict[str, int] = {}
    for rule, path in _removed(scan, rules):
        draft.delete(path)
        counts[rule.id] = counts.get(rule.id, 0) + 1
    for path in sorted(set().union(*touched.values())):
        file = read_project_text(scan.project, path)
        text = file.text
        for rule in rules:
            # One rule may create a place for the next, so each sees the result of those before it.
            if path in touched.get(rule.id, ()) or _follows(rule, scan, path):
                here = find_edits(rule, path, text, formats)
                counts[rule.id] = counts.get(rule.id, 0) + len(here)
                text = apply_edits(text, here)
        draft.write(path, file.with_text(text).encode())
    return Ruled(draft, counts, find_conflicts(edits))


def _follows(rule: Rule, scan: ProjectScan, path: TreePath) -> bool:
    """Whether a rule may find a place in a file that other rules change first."""
    return not isinstance(rule, _NOT_OF_CODE) and role_of(scan.profile, path).role in CODE_ROLES


def _removed(scan: ProjectScan, rules: Sequence[Rule]) -> Iterator[tuple[Rule, TreePath]]:
    for rule in rules:
        if isinstance(rule, DeleteRule):
            yield from ((rule, path) for path in scan.paths if matches(rule.files, path))
