"""Errors about several names, as one for each: they have different causes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.diagnostics import Diagnostic

_BEGINNING = "unresolved imports "
_IMPORTS = lazy_pattern(_BEGINNING + r"(?P<names>`[^`]+`(?:, `[^`]+`)+)")
_NAME = lazy_pattern(r"`[^`]+`")


def each_alone(found: Iterable[Diagnostic]) -> Iterator[Diagnostic]:
    """The diagnostics of a log, those about several imports once for each of them. A change that was suggested for all of them is
    suggested for none."""
    for item in found:
        names = _IMPORTS.fullmatch(item.message) if item.message.startswith(_BEGINNING) else None
        if names is None:
            yield item
        else:
            for name in _NAME.findall(names["names"]):
                yield replace(item, message=f"unresolved import {name}", suggestions=())
