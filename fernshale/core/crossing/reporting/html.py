"""The report as one HTML file: nothing is fetched, it prints, and it is readable without colours."""

from __future__ import annotations

import time
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fernshale.core.base.treepath import printable

if TYPE_CHECKING:
    from jinja2 import Template


def report_html(data: Mapping[str, Any], *, for_screen: bool = False) -> str:
    """The report; `for_screen` leaves out what a simple viewer cannot show."""
    return _template().render(data, for_screen=for_screen)


@cache
def _template() -> Template:
    from jinja2 import Environment, StrictUndefined

    # Whatever a log, a file name or a reason says is text, never markup.
    made = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    made.filters["shown"] = lambda value: printable(str(value))
    made.filters["when"] = lambda value: time.strftime("%Y-%m-%d %H:%M", time.localtime(value))
    return made.from_string((Path(__file__).parent / "report.html.j2").read_text("utf-8"))
