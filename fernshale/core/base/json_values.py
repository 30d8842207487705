"""Frozen dataclasses to JSON and back, for files and processes of our own. Paths keep names that are not UTF-8."""

from __future__ import annotations

import json
from dataclasses import asdict
from enum import Enum
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, cast

if TYPE_CHECKING:
    import pydantic
    from _typeshed import DataclassInstance

T = TypeVar("T")


def to_json(value: DataclassInstance) -> bytes:
    """A dataclass of plain values, paths, enums, tuples, and dataclasses of these."""
    return json.dumps(asdict(value), default=_plain, indent=1).encode()


def from_json(kind: type[T], data: bytes) -> T:
    """What `to_json` wrote. Raises ValueError for anything else."""
    try:
        found: T = _reader(cast(Any, kind)).validate_python(json.loads(data))
    except (UnicodeDecodeError, RecursionError) as error:
        raise ValueError(str(error)) from error
    return found


def _plain(value: object) -> Any:
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, Path):
        return str(value)
    raise TypeError(f"{type(value).__name__} has no form in JSON")


@cache
def _reader(kind: Any) -> pydantic.TypeAdapter[Any]:
    import pydantic

    return pydantic.TypeAdapter(kind)
