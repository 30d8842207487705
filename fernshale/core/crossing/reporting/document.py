"""The report in the form of a file's ending."""

from __future__ import annotations

import json

from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.html import report_html
from fernshale.core.crossing.reporting.markdown import report_markdown
from fernshale.core.crossing.reporting.pictures import report_pictures
from fernshale.core.crossing.stages.overview import Overview

REPORT_FORMS = (".md", ".html", ".json")


def report_document(overview: Overview, crossing: Crossing, form: str) -> str:
    """The report as one of REPORT_FORMS. Raises KeyError for another form."""
    data = report_data(overview, crossing)
    return {
        ".md": lambda: report_markdown(data),
        ".html": lambda: report_html(data, pictures=report_pictures(overview)),
        ".json": lambda: json.dumps(data, indent=2) + "\n",
    }[form]()
