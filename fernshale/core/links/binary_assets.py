"""Binary assets as text: what a command of the engine prints about one, a JSON object a line, in a form that rules can read.

    {"declares": "b1a7", "kind": "mesh"}         an id that the asset declares
    {"uses": "6d0c", "kind": "mesh", "at": "parts/2"}    one that it uses, and where

The printed text takes the asset's place for everything that reads ids. New ids go back through another command.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.parse_errors import Malformed, load_json
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import BinaryFormat, IdPattern, LinkShape

_KEYS = ("declares", "uses")
# Any string of JSON.
_ANY = r'"(?:[^"\\]|\\.)*"'


def plain_text(output: bytes, path: TreePath) -> str:
    """What a command printed, each line with its keys in one order. Raises FormatError with the line for anything else."""
    lines = []
    for number, line in enumerate(output.decode("utf-8", "replace").splitlines(), 1):
        if line.strip():
            lines.append(_plain_line(line, path, number))
    return "".join(f"{line}\n" for line in lines)


def _plain_line(line: str, path: TreePath, number: int) -> str:
    try:
        data = load_json(line)
    except Malformed as error:
        raise FormatError(path, [(number, tr("its command printed no JSON: {what}", what=error.what))]) from error
    what = [key for key in _KEYS if isinstance(data, dict) and isinstance(data.get(key), str)]
    if len(what) != 1:
        raise FormatError(path, [(number, tr("its command printed neither one that declares nor one that uses an id"))])
    kind, at = str(data.get("kind", "")), str(data.get("at", ""))
    return json.dumps({"kind": kind, what[0]: data[what[0]], "at": at}, ensure_ascii=False)


def with_binary(shape: LinkShape, formats: Sequence[BinaryFormat]) -> LinkShape:
    """The rules of a profile with those that read the printed text of its binary formats."""
    declare = tuple(rule for item in formats for rule in _rules(item, "declares"))
    use = tuple(rule for item in formats for rule in _rules(item, "uses"))
    return LinkShape((*shape.declare, *declare), (*shape.use, *use), shape.include)


def _rules(item: BinaryFormat, key: str) -> Iterator[IdPattern]:
    """One rule for each kind; where a format names none, its ids are of any kind."""
    for kind in item.kinds or (None,):
        shown = re.escape(json.dumps(kind, ensure_ascii=False)) if kind is not None else _ANY
        yield IdPattern(item.files, rf'(?m)^\{{"kind": {shown}, "{key}": "(?P<id>(?:[^"\\]|\\.)*)"', kind=kind or "")


class BinaryFiles:
    """Which files are binary assets, and of which format."""

    def __init__(self, formats: Sequence[BinaryFormat]) -> None:
        self._formats = tuple(formats)
        self._fit = FirstFit([item.files for item in formats])

    @property
    def has_formats(self) -> bool:
        return bool(self._formats)

    def format_of(self, path: str) -> BinaryFormat | None:
        at = self._fit.find(path) if self._formats else None
        return None if at is None else self._formats[at]
