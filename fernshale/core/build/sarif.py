"""Write diagnostics as SARIF 2.1.0 (OASIS), for tools that show them next to the code."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from fernshale.core.build.diagnostics import SourcePlace
from fernshale.core.build.owners import Owned

_SCHEMA = "https://json.schemastore.org/sarif-2.1.0.json"


def write_sarif(diagnostics: Sequence[Owned], version: str) -> bytes:
    """Write one run; owners are in the results' properties. Columns count code points."""
    codes = sorted({item.diagnostic.code for item in diagnostics if item.diagnostic.code})
    run = {
        "tool": {"driver": {"name": "Fernshale", "version": version, "rules": [{"id": code} for code in codes]}},
        "columnKind": "unicodeCodePoints",
        "results": [_result(item) for item in diagnostics],
    }
    return json.dumps({"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}, indent=1, ensure_ascii=False).encode()


def _result(item: Owned) -> dict[str, Any]:
    said = item.diagnostic
    result: dict[str, Any] = {
        "level": said.severity,
        "message": {"text": said.message},
        "locations": [_location(item.place)] if item.place.file else [],
        "occurrenceCount": said.count,
        "properties": {"owner": item.owner},
    }
    if said.code:
        result["ruleId"] = said.code
    if said.notes:
        result["relatedLocations"] = [
            {**(_location(note.place) if note.place.file else {}), "message": {"text": note.message}}
            for note in said.notes
        ]
    return result


def _location(place: SourcePlace) -> dict[str, Any]:
    physical: dict[str, Any] = {
        "artifactLocation": {"uri": quote(place.file.encode("utf-8", "surrogateescape"), safe="/:@+")}
    }
    region = {name: value for name, value in (("startLine", place.line), ("startColumn", place.column)) if value}
    if region.get("startLine"):
        physical["region"] = region
    return {"physicalLocation": physical}
