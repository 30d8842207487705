"""The report as one HTML file: nothing is fetched, it prints, and it is readable without colours."""

from __future__ import annotations

import time
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import tr, tr_marked
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.reporting.data import figure_name
from fernshale.core.merge.ledger import FATE_WORDS

if TYPE_CHECKING:
    from jinja2 import Template


# The colours of paper; browsers treat dark themes differently.
NO_PICTURES: Mapping[str, tuple[str, str]] = MappingProxyType({})
PAPER: Mapping[str, str] = {
    "text": "#1f2923", "ground": "#fdfdfb", "edge": "#cdd3ca", "line": "#e2e4de", "quiet": "#626e66",
    "good": "#24683f", "bad": "#a63a22", "new": "#8f5f0c",
}  # fmt: skip


def report_html(
    data: Mapping[str, Any], ink: Mapping[str, str] | None = None, pictures: Mapping[str, tuple[str, str]] = NO_PICTURES
) -> str:
    """The report; with `ink` (the keys of PAPER) in these colours alone, for a viewer that follows no others.

    `pictures` are the addresses of a picture before and now, by its name.
    """
    return _template().render(
        data,
        pictures=pictures,
        from_=data["from"],
        figure_name=figure_name,
        ink=ink or PAPER,
        for_screen=ink is not None,
    )


@cache
def _template() -> Template:
    from jinja2 import Environment, StrictUndefined

    # Text from logs, file names and reasons is text, never markup.
    made = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    made.globals.update(tr=tr, tr_marked=tr_marked)
    made.filters["shown"] = lambda value: printable(str(value))
    made.filters["seconds"] = seconds
    made.filters["fate"] = FATE_WORDS.__getitem__
    made.filters["when"] = lambda value: time.strftime("%Y-%m-%d %H:%M", time.localtime(value))
    return made.from_string((Path(__file__).parent / "report.html.j2").read_text("utf-8"))
