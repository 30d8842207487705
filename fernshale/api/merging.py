"""Merging folders, presenting conflicts, and finding the release that a folder came from."""

from __future__ import annotations

from fernshale.core.crossing.stages.plugins.choices import below
from fernshale.core.crossing.stages.plugins.items import decision_key
from fernshale.core.crossing.stages.plugins.json_data import ledger_json
from fernshale.core.crossing.stages.plugins.merged_lines import file_lines
from fernshale.core.crossing.stages.plugins.questions import ask
from fernshale.core.crossing.stages.plugins.three_way import plain_format
from fernshale.core.crossing.stages.plugins.updates import preview_plugin
from fernshale.core.merge.folder_merge import merge_folders
from fernshale.core.merge.folder_reader import disk_sides
from fernshale.core.merge.ledger import build_ledger
from fernshale.core.merge.merge_result import build_result, write_result
from fernshale.core.merge.text_merge import Undecided
from fernshale.core.merge.token_merge import changed_spans
from fernshale.core.survey.release_index import index_folders, read_column
from fernshale.core.survey.release_origin import find_origin
from fernshale.core.survey.text_evidence import folder_texts

__all__ = [
    "Undecided",
    "ask",
    "below",
    "build_ledger",
    "build_result",
    "changed_spans",
    "decision_key",
    "disk_sides",
    "file_lines",
    "find_origin",
    "folder_texts",
    "index_folders",
    "ledger_json",
    "merge_folders",
    "plain_format",
    "preview_plugin",
    "read_column",
    "write_result",
]
