"""Read the plain values of JSON with their data paths, fast, for searching very many files.

Files to be rewritten are read by `jsontext`, which keeps all text between the values.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.data.json_tree import read_json
from fernshale.core.data.paths import DataPath, walk
from fernshale.core.data.tree import Span

# A string, an opening or closing bracket, a comma, or a bare token; colons and blanks are redundant.
_TOKEN = lazy_pattern(r'("[^"\\]*+(?:\\.[^"\\]*+)*+")|([{\[])|([}\]])|(,)|([^\s{}\[\],:"]++)', re.DOTALL)
_STRING = 1
_OPEN = 2
_CLOSE = 3
_COMMA = 4


def json_values(text: str) -> Iterator[tuple[DataPath, Span]]:
    """Yield each plain value with its data path and its span, including quotes. Raises NotKeyed with the line."""
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        # Comments, trailing commas, or broken JSON: use the complete reader, which parses it or reports the line.
        yield from ((data_path, node.span) for data_path, node in walk(read_json(text)) if node.kind == "value")
        return
    yield from _values(text)


def _values(text: str) -> Iterator[tuple[DataPath, Span]]:
    """As `json_values`, of a text that is sound."""
    above: list[tuple[DataPath, bool, int]] = []  # the containers around the current one
    data_path: DataPath = ()
    is_map, number, key = False, -1, ""
    wants_key = False
    for hit in _TOKEN.finditer(text):
        kind = hit.lastindex
        if kind == _COMMA:
            number += 1
            wants_key = is_map
        elif kind == _STRING and wants_key:
            key = hit[0][1:-1] if "\\" not in hit[0] else json.loads(hit[0])
            wants_key = False
        elif kind == _OPEN:
            above.append((data_path, is_map, number))
            if len(above) > 1:
                data_path = (*data_path, key if is_map else str(number))
            is_map, number = hit[0] == "{", 0
            wants_key = is_map
        elif kind == _CLOSE:
            data_path, is_map, number = above.pop()
            wants_key = False
        else:
            yield (*data_path, key if is_map else str(number)) if above else (), hit.span()
