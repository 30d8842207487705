"""drift."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from fernshale.api.releases import (
    ReleasePlaces,
    compare_releases,
    languages_of,
    list_sources,
    names_in,
    used_changes,
    uses_of,
)
from fernshale.cli.output import print_json, print_lines
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.symbols import Symbol


def drift(options: argparse.Namespace, token: CancelToken) -> int:
    between = tuple((Path(name).name, Path(name)) for name in options.between)
    places = ReleasePlaces(Path(options.old), Path(options.new), between)
    changes = compare_releases(places, options.language or "", Work(token=token))
    used = names_in(Path(options.project), token) if options.project else {}
    if options.project:
        changes = tuple(item.change for item in used_changes(changes, used))
    empty = [
        name
        for name in (options.old, options.new)
        if not list_sources(Path(name), languages_of(options.language or ""))
    ]
    for name in empty:
        print(f"fernshale: no source files that can be compared were found in {name}", file=sys.stderr)
    if options.json:
        print_json({"changes": [_change(item, used) for item in changes]})
        return 0
    print_lines(
        _line(item, used, bool(options.project)) for item in changes if item.kind != "added" or not options.project
    )
    return 0


def _change(change: ApiChange, used: Mapping[str, int]) -> dict[str, Any]:
    return {
        "kind": change.kind,
        "old": change.old.full if change.old else None,
        "new": change.new.full if change.new else None,
        "what": change.what,
        "candidates": [
            {"new": item.symbol.full, "score": item.score, "evidence": list(item.evidence), "at": _at(item.symbol)}
            for item in change.candidates
        ],
        "old_at": _at(change.old),
        "new_at": _at(change.new),
        "uses": uses_of(change, used),
        "silent": change.is_silent,
    }


def _at(symbol: Symbol | None) -> str | None:
    return f"{symbol.file}:{symbol.line}" if symbol else None


def _line(change: ApiChange, used: Mapping[str, int], with_uses: bool) -> str:
    uses = f"{uses_of(change, used):5} uses  " if with_uses else ""
    others = [f"{item.symbol.full} {item.score:.2f}" for item in change.candidates[: 1 if change.new else 3]]
    return f"{uses}{change.kind:20} {change.what}" + (f"  ({', '.join(others)})" if others else "")
