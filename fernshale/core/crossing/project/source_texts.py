"""The texts of a project that people edit, read once for an unchanged tree."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.textfile import text_of
from fernshale.core.base.treepath import TreePath, reader
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.drift.release_symbols import languages_of, list_sources
from fernshale.core.fix.calls import declares, find_calls
from fernshale.core.fix.tokens import tokenize
from fernshale.core.process.text_search import files_with
from fernshale.core.route.release_names import count_names
from fernshale.core.survey.roles import source_files


@dataclass(frozen=True)
class Texts:
    """Texts by path."""

    of: Mapping[TreePath, str]

    @cached_property
    def used(self) -> Mapping[str, int]:
        """How often each name occurs in the texts."""
        return count_names(self.of.values())

    def declared(self, name: str) -> int:
        """How often functions of a name are declared in the texts."""
        # Most uses are calls on an object; texts with nothing else need not be split into tokens.
        plain = re.escape(name)
        may_declare = re.compile(rf"(?<![.\w])(?<!->){plain}\s*\(|\bfunction\s+[\w.:]*{plain}\s*\(").search
        return sum(
            _declarations(name, path, text) for path, text in self.of.items() if name in text and may_declare(text)
        )


def _declarations(name: str, path: str, text: str) -> int:
    tokens = tokenize(text, path)
    return sum(declares(tokens, at, end, path, text) for at, end, _ in find_calls(text, path, name))


def read_texts(scan: ProjectScan, token: CancelToken) -> Texts:
    """Raises Cancelled."""
    return scan.manifest.derived(_key(scan), lambda: Texts(_read(scan, _paths(scan), token)))


def texts_with(scan: ProjectScan, words: Collection[str], token: CancelToken) -> Mapping[TreePath, str]:
    """Of the texts all that have one of `words`, and maybe others. Raises Cancelled."""
    key = _key(scan)
    if not scan.manifest.knows(key):
        some = scan.manifest.derived((*key, frozenset(words)), lambda: _read_some(scan, words, token))
        if some is not None:
            return some
    return read_texts(scan, token).of


def _key(scan: ProjectScan) -> tuple[object, ...]:
    return "texts", scan.profile.role, scan.along


def _paths(scan: ProjectScan) -> tuple[TreePath, ...]:
    return source_files(scan.profile, scan.paths)


def _read_some(scan: ProjectScan, words: Collection[str], token: CancelToken) -> Mapping[TreePath, str] | None:
    """The texts that may have one of the words; None where those are all."""
    paths = _paths(scan)
    found = files_with(scan.project, paths, sorted(words), token)
    return _read(scan, found, token) if len(found) < len(paths) else None


def _read(scan: ProjectScan, paths: Iterable[TreePath], token: CancelToken) -> Mapping[TreePath, str]:
    texts = {}
    read_file = reader(scan.project)
    for path in paths:
        token.check()
        try:
            text = text_of(read_file(path))
        except (OSError, ProjectError):
            continue  # removed or replaced by a link: there is nothing to change in it
        if text is not None:
            texts[path] = text
    return texts


def names_in(folder: Path, token: CancelToken) -> Mapping[str, int]:
    """How often each name occurs in the source files of a folder without a profile. Raises MisuseError, Cancelled."""
    texts = []
    for path in list_sources(folder, languages_of("")):
        token.check()
        texts.append((folder / path).read_bytes().decode("utf-8", "replace"))
    return count_names(texts)
