"""The texts of a project that people edit, read once for an unchanged tree."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.ground import Ground
from fernshale.core.drift.release import languages_of, list_sources
from fernshale.core.route.names import count_names
from fernshale.core.survey.roles import source_files


@dataclass(frozen=True, slots=True)
class Texts:
    """Texts by path, and how often each name stands in them."""

    of: Mapping[TreePath, str]
    used: Mapping[str, int]


def read_texts(ground: Ground, token: CancelToken) -> Texts:
    """Raises Cancelled."""

    def read() -> Texts:
        texts = {}
        for path in source_files(ground.profile, ground.files):
            token.check()
            text = ground.read(path)
            if text is not None:
                texts[path] = text
        return Texts(texts, count_names(texts.values()))

    return ground.manifest.derived(("texts", ground.profile.role, ground.along), read)


def names_in(folder: Path, token: CancelToken) -> Mapping[str, int]:
    """How often each name stands in the source files of a folder that no profile describes. Raises MisuseError, Cancelled."""
    texts = []
    for path in list_sources(folder, languages_of("")):
        token.check()
        texts.append((folder / path).read_bytes().decode("utf-8", "replace"))
    return count_names(texts)
