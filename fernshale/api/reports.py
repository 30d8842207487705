"""The crossing as a document: data, Markdown, HTML, patches, playbook, JUnit."""

from __future__ import annotations

from fernshale.core.base.log import log_file
from fernshale.core.crossing.flow.diagnostic_bundle import write_bundle
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.document import REPORT_FORMS, report_document
from fernshale.core.crossing.reporting.html import report_html
from fernshale.core.crossing.reporting.markdown import report_markdown, report_message
from fernshale.core.crossing.reporting.patches import write_patches
from fernshale.core.crossing.reporting.pictures import report_pictures
from fernshale.core.crossing.reporting.playbook import export_playbook, read_playbook
from fernshale.core.crossing.reporting.since import difference_lines, read_report, report_difference
from fernshale.core.crossing.stages.trial.items import accepted_words, log_key
from fernshale.core.crossing.stages.trial.json_data import trial_json
from fernshale.core.crossing.stages.trial.log_origins import find_printers
from fernshale.core.trial.junit import to_junit

__all__ = [
    "REPORT_FORMS",
    "accepted_words",
    "difference_lines",
    "export_playbook",
    "find_printers",
    "log_file",
    "log_key",
    "read_playbook",
    "read_report",
    "report_data",
    "report_difference",
    "report_document",
    "report_html",
    "report_markdown",
    "report_message",
    "report_pictures",
    "to_junit",
    "trial_json",
    "write_bundle",
    "write_patches",
]
