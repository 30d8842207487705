"""Rules that import names which a file uses and does not import, as other files of the project or the new release do.

A fix often uses a name that the file did not use before: the type of a new argument, a function that makes an object.
"""

from __future__ import annotations

import posixpath
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from fernshale.core.base.confidence import (
    IMPORTED_AS_IN_OTHER_FILES,
    IMPORTED_FROM_ONE_OF_SEVERAL,
    IMPORTED_FROM_ONLY_PLACE,
)
from fernshale.core.base.languages import C_FAMILY, ENDINGS, language_of
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import INCOMPLETE, NAME, TYPE, last_name
from fernshale.core.crossing.project.scan import ProjectScan, known_engine_folder
from fernshale.core.crossing.project.source_texts import texts_with
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.drift.names.includes import sees_header
from fernshale.core.drift.names.python_packages import packages_of
from fernshale.core.drift.release_symbols import included
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.imports import import_line, quoted_header, script_line
from fernshale.core.fix.rules import ImportRule, Rule, Where
from fernshale.core.inference.release_lookup import declared

_MAX_LINES = 3
# The maximum number of names that are looked up in one inspection; the rest follows once these are imported.
_MAX_NAMES = 12
_BY_NAMESPACE = (*ENDINGS["java"], *ENDINGS["c#"])
_HEADERS = tuple(ending for ending in C_FAMILY if ending.startswith(".h"))
# Languages that name a module by a relative path.
_BY_RELATIVE_PATH = ("typescript", "tsx", "javascript")


def with_imports(rules: LegRules, causes: Sequence[Cause], scan: ProjectScan, to: str, token: CancelToken) -> LegRules:
    """`rules`, and rules that import missing names. Raises Cancelled."""
    # A name that the new release lacks cannot be imported.
    gone = {change.symbol.name for change in rules.changes if change.kind in ("removed", "renamed")}
    missing = (cause for cause in causes if cause.kind in (NAME, TYPE, INCOMPLETE))
    wanted = [cause for cause in missing if cause.symbol.isidentifier() and cause.symbol not in gone][:_MAX_NAMES]
    if not wanted:
        return rules
    by_language: dict[str, dict[TreePath, str]] = {}
    for path, text in texts_with(scan, {cause.symbol for cause in wanted}, token).items():
        by_language.setdefault(language_of(path), {})[path] = text
    further = (rule for cause in wanted for rule in _rules_of(cause, by_language, scan, to, token))
    return rules.with_further("names that exist and are not imported", further)


def _rules_of(
    cause: Cause, texts: Mapping[str, Mapping[TreePath, str]], scan: ProjectScan, to: str, token: CancelToken
) -> Iterator[Rule]:
    """`texts` are those of the project by language and path."""
    language = language_of(cause.errors[0].place.file)
    if not language:
        return
    others = texts.get(language, {})
    folders: dict[str, dict[str, None]] = {}
    for error in cause.errors:
        folders.setdefault(posixpath.dirname(error.place.file), {})[error.place.file] = None
    for number, files in enumerate(folders.values()):
        file = next(iter(files))
        lines = {} if cause.scope else _as_others(cause.symbol, others, file)
        lines = lines or _as_released(cause, others.get(TreePath(file), ""), language, scan, to, token)
        for at, (line, (why, automatic)) in enumerate(list(lines.items())[:_MAX_LINES]):
            # Scripts name a module by a relative path, which differs from folder to folder.
            where = (
                Where(files=tuple(f"/{path}" for path in files))
                if language in _BY_RELATIVE_PATH
                else Where(languages=(language,))
            )
            yield ImportRule(
                "-".join(("import", cause.symbol, *(str(part) for part in (at, number) if part))), why, title=line,
                old=cause.symbol, text=line, where=where,
                confidence=automatic if len(lines) == 1 else IMPORTED_FROM_ONE_OF_SEVERAL, named=True,
            )  # fmt: skip
        if language not in _BY_RELATIVE_PATH:
            return


_Lines = dict[str, tuple[str, float]]


def _as_others(name: str, texts: Mapping[TreePath, str], into: str) -> _Lines:
    """Return the import lines of other project files for a name."""
    found: _Lines = {}
    for path, text in texts.items():
        if name in text and (line := import_line(name, text, path, into)):
            found.setdefault(line, (f"{path} imports {name} like this", IMPORTED_AS_IN_OTHER_FILES))
    return found


def _as_released(cause: Cause, text: str, language: str, scan: ProjectScan, to: str, token: CancelToken) -> _Lines:
    """Return the lines that import a name from its place in the new release."""
    folder = known_engine_folder(scan, to)
    if folder is None:
        return {}
    found: _Lines = {}
    for symbol in declared(folder, cause.symbol, language):
        if not cause.scope or symbol.scope[-1:] == (last_name(cause.scope),):
            line = _line_for(symbol, text, folder)
            if language in _BY_RELATIVE_PATH:
                module = included(symbol.file)
                line = script_line(symbol.name, module, texts_with(scan, {module}, token).values())
            found.setdefault(
                line, (f"{symbol.file} of {scan.profile.title} {to} has {symbol.full}", IMPORTED_FROM_ONLY_PLACE)
            )
    found.pop("", None)
    return found


def _line_for(symbol: Symbol, text: str, folder: Path) -> str:
    """Return the line that imports a symbol of a release; "" if there is none."""
    if symbol.file.endswith(_HEADERS):
        # A header that is seen already has the name under a condition that does not hold.
        if sees_header(text, symbol.file, folder):
            return ""
        return f"#include {quoted_header(text, included(symbol.file))}"
    if symbol.file.endswith(PYTHON):
        written = packages_of(folder).written(symbol.path)
        return f"from {'.'.join(written[:-1])} import {written[-1]}" if written and len(written) > 1 else ""
    if symbol.file.endswith(_BY_NAMESPACE) and symbol.scope:
        return f"import {symbol.full};" if symbol.file.endswith(ENDINGS["java"]) else f"using {'.'.join(symbol.scope)};"
    return ""
