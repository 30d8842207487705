"""The pictures of a report: those of the run that differ from the baseline's, small enough to be part of the page."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.trial.image_diff import NoPicture, small_png

_LARGEST_SIDE = 440
# More pairs would make the page slow to open; their words are in it.
_MAX_PAIRS = 8


def report_pictures(overview: Overview) -> Mapping[str, tuple[str, str]]:
    """The baseline's picture and the run's as `data:` addresses, by the name of the picture."""
    found: dict[str, tuple[str, str]] = {}
    for pair in overview.trial.pictures:
        if pair.difference is not None and not pair.difference.is_same and len(found) < _MAX_PAIRS:
            with suppress(NoPicture):  # removed since; the words about it stay
                found[pair.name] = _address(pair.before), _address(pair.now)
    return found


def _address(file: str) -> str:
    return "data:image/png;base64," + base64.b64encode(small_png(Path(file), _LARGEST_SIDE)).decode("ascii")
