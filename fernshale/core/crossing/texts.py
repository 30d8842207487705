"""The texts of a project that people edit, read once for an unchanged tree."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.textfile import text_of
from fernshale.core.base.treepath import TreePath, reader
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.ground import Ground
from fernshale.core.drift.release import languages_of, list_sources
from fernshale.core.route.names import count_names
from fernshale.core.survey.roles import source_files


@dataclass(frozen=True)
class Texts:
    """Texts by path."""

    of: Mapping[TreePath, str]

    @cached_property
    def used(self) -> Mapping[str, int]:
        """How often each name stands in them."""
        return count_names(self.of.values())


def read_texts(ground: Ground, token: CancelToken) -> Texts:
    """Raises Cancelled."""

    def read() -> Texts:
        texts = {}
        read_file = reader(ground.project)
        for path in source_files(ground.profile, ground.paths):
            token.check()
            try:
                text = text_of(read_file(path))
            except (OSError, ProjectError):
                continue  # gone or a link by now: there is nothing to change in it
            if text is not None:
                texts[path] = text
        return Texts(texts)

    return ground.manifest.derived(("texts", ground.profile.role, ground.along), read)


def names_in(folder: Path, token: CancelToken) -> Mapping[str, int]:
    """How often each name stands in the source files of a folder that no profile describes. Raises MisuseError, Cancelled."""
    texts = []
    for path in list_sources(folder, languages_of("")):
        token.check()
        texts.append((folder / path).read_bytes().decode("utf-8", "replace"))
    return count_names(texts)
