"""Decisions as a person or a file states them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

from fernshale.core.base.toml_schema import STRICT, read_toml
from fernshale.core.crossing.record.stage import Stage

FORMAT = "fernshale-decisions/1"


@dataclass(frozen=True, slots=True)
class Recorded:
    """A decision from a file, which is taken again wherever the same item appears."""

    __pydantic_config__: ClassVar = STRICT
    key: str
    take: str
    why: str
    text: str = ""


@dataclass(frozen=True, slots=True)
class _DecisionFile:
    __pydantic_config__: ClassVar = STRICT
    decision: tuple[Recorded, ...] = ()
    title: str = ""


def read_decisions(path: Path) -> dict[str, Recorded]:
    """Recorded decisions by the key of their item. Raises MisuseError, FormatError."""
    return {item.key: item for item in read_toml(path, _DecisionFile, FORMAT).decision}


@dataclass(frozen=True, slots=True)
class Decision:
    """An option that was chosen or refused: by whom and why, and the logbook entry that carried it out (0: none)."""

    key: str
    stage: Stage
    choice: str
    text: str
    who: str
    why: str
    time: float
    entry: int = 0
