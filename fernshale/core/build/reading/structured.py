"""Machine-readable diagnostics: GCC's JSON, SARIF 2.1, and the JSON of rustc, cargo, pyright, mypy and ESLint.

Each format is recognised by its keys, so a log may contain such lines among others. A document over several lines (such as a
SARIF file) is collected until it is complete.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from urllib.parse import unquote, urlparse

from fernshale.core.base.parse_errors import load_json
from fernshale.core.base.texts import tr
from fernshale.core.build.diagnostics import Diagnostic, Note, Severity, SourcePlace, SuggestedLine
from fernshale.core.build.reading.multiline import with_reason
from fernshale.core.build.reading.suggested_lines import has_gap

# A document that is not whole after so many characters is none.
_MAX_CHARACTERS = 256_000_000
_LEVELS: dict[str, Severity] = {
    "error": "error",
    "fatal error": "error",
    "error: internal compiler error": "error",
    "warning": "warning",
    "information": "note",
}


class Gathering:
    """A JSON document of several lines, while it is being fed."""

    def __init__(self) -> None:
        self._lines: list[str] = []
        self._size = 0
        self._depth = 0
        self._in_string = False

    def begins(self, line: str) -> bool:
        """Whether a document seems to begin with this line."""
        head = line.lstrip("\ufeff \t")
        return head in ("{", "[", "[{") or head.startswith(('{"', "[{", '{ "'))

    def feed(self, line: str) -> Any | None:
        """The document once it is whole. Raises ValueError when it is none."""
        self._lines.append(line)
        self._size += len(line)
        self._count(line)
        if self._depth > 0:
            if self._size > _MAX_CHARACTERS:
                raise ValueError(tr("too long"))
            return None
        return load_json("\n".join(self._lines))

    @property
    def lines(self) -> list[str]:
        return self._lines

    def _count(self, line: str) -> None:
        """Return the bracket depth at the line's end; JSON strings do not span lines."""
        if '"' not in line:
            self._depth += line.count("{") + line.count("[") - line.count("}") - line.count("]")
            return
        at = 0
        while at < len(line):
            character = line[at]
            if character == '"':
                at = _string_end(line, at + 1)
                continue
            if character in "{[":
                self._depth += 1
            elif character in "}]":
                self._depth -= 1
            at += 1


def _string_end(line: str, at: int) -> int:
    while True:
        end = line.find('"', at)
        if end < 0:
            return len(line)
        slashes = end - len(line[:end].rstrip("\\"))
        at = end + 1
        if slashes % 2 == 0:
            return at


def read_document(data: Any) -> Iterator[Diagnostic] | None:
    """Return the diagnostics of a document, None if its format is unknown."""
    if isinstance(data, dict):
        if "runs" in data:
            return _sarif(data)
        if data.get("reason") == "compiler-message":
            return _rust(data.get("message"))
        if "reason" in data and "package_id" in data:
            return iter(())
        if data.get("$message_type") == "diagnostic" or {"message", "level", "spans"} <= data.keys():
            return _rust(data)
        if "generalDiagnostics" in data:
            return (_ranged(item) for item in data["generalDiagnostics"])
        if {"file", "line", "severity", "message"} <= data.keys():
            return iter((_flat(data),))
    elif isinstance(data, list) and all(isinstance(item, dict) for item in data):
        if all({"kind", "locations"} <= item.keys() for item in data):
            return _gcc(data)
        if data and all({"filePath", "messages"} <= item.keys() for item in data):
            return (_linted(item["filePath"], said) for item in data for said in item["messages"])
    return None


def _gcc(items: list[dict[str, Any]]) -> Iterator[Diagnostic]:
    """-fdiagnostics-format=json: a list for each translation unit; notes are inside their diagnostic or after it."""
    open_: Diagnostic | None = None
    for item in items:
        places = [_gcc_place(location) for location in item["locations"]]
        place = places[0] if places else SourcePlace("", 0)
        if item["kind"] == "note":
            if open_ is not None:
                open_ = replace(open_, notes=(*open_.notes, Note(place, item["message"].strip())))
            continue
        if open_ is not None:
            yield open_
        notes = tuple(
            Note(
                _gcc_place(child["locations"][0]) if child["locations"] else SourcePlace("", 0),
                child["message"].strip(),
            )
            for child in item.get("children", ())
        )
        open_ = Diagnostic(place, _level(item["kind"]), item.get("option", ""), item["message"], "compiler", notes)
    if open_ is not None:
        yield open_


def _gcc_place(location: dict[str, Any]) -> SourcePlace:
    caret = location.get("caret") or location.get("start") or {}
    return SourcePlace(caret.get("file", ""), caret.get("line", 0), caret.get("column", 0))


def _sarif(data: dict[str, Any]) -> Iterator[Diagnostic]:
    """SARIF 2.1.0 (OASIS): a result's first location is its place, related locations are notes."""
    for run in data["runs"]:
        driver = run.get("tool", {}).get("driver", {})
        defaults = {
            rule.get("id"): rule.get("defaultConfiguration", {}).get("level") for rule in driver.get("rules", ())
        }
        bases = {name: base.get("uri", "") for name, base in run.get("originalUriBaseIds", {}).items()}
        for result in run.get("results", ()):
            if result.get("kind", "fail") not in ("fail", "open", "review"):
                continue
            code = result.get("ruleId", "")
            level = result.get("level") or defaults.get(code) or "warning"
            places = [_sarif_place(location, bases) for location in result.get("locations", ())]
            notes = tuple(
                Note(_sarif_place(location, bases), location.get("message", {}).get("text", ""))
                for location in result.get("relatedLocations", ())
            )
            message = result.get("message", {}).get("text", "")
            place = places[0] if places else SourcePlace("", 0)
            # GCC calls the level of an error its rule.
            code = "" if code in ("error", "warning") else code
            yield Diagnostic(place, _level(level), code, message, "compiler", notes)


def _sarif_place(location: dict[str, Any], bases: dict[str, str]) -> SourcePlace:
    physical = location.get("physicalLocation", {})
    artifact, region = physical.get("artifactLocation", {}), physical.get("region", {})
    uri = artifact.get("uri", "")
    base = bases.get(artifact.get("uriBaseId", ""), "")
    # A base that the run declares as its working directory leaves the path relative, like the other parsers.
    parsed = urlparse(uri)
    file = unquote(parsed.path) if parsed.scheme == "file" else unquote(uri)
    folder = unquote(urlparse(base).path).rstrip("/") if base.startswith("file:") else ""
    return SourcePlace(file, region.get("startLine", 0), region.get("startColumn", 0), folder)


def _rust(message: Any) -> Iterator[Diagnostic]:
    """Parse a compiler message of rustc; summaries have neither a code nor a place."""
    if not isinstance(message, dict):
        return
    spans = message.get("spans", ())
    primary = next((span for span in spans if span.get("is_primary")), None)
    if primary is None and message.get("code") is None and message.get("level") != "error":
        return
    text = with_reason(message["message"], (primary or {}).get("label") or "")
    if primary is None and text.startswith(("aborting due to", "could not compile")):
        return
    notes = [
        Note(_span_place(span), span["label"])
        for span in spans
        if span is not primary and span.get("label") is not None
    ]
    for child in message.get("children", ()):
        where = next((_span_place(span) for span in child.get("spans", ())), SourcePlace("", 0))
        notes.append(Note(where, child["message"]))
    code = (message.get("code") or {}).get("code", "")
    place = _span_place(primary) if primary else SourcePlace("", 0)
    suggestions = tuple(filter(None, map(_suggested_lines, message.get("children", ()))))
    yield Diagnostic(
        place, _level(message.get("level", "")), code, text, "compiler", tuple(notes), suggestions=suggestions
    )


def _suggested_lines(child: dict[str, Any]) -> tuple[SuggestedLine, ...]:
    """The lines that a help suggests, none where a change is not of one line."""
    spans = [span for span in child.get("spans", ()) if span.get("suggested_replacement") is not None]
    found = []
    for span in spans:
        shown = span.get("text") or []
        if len(shown) != 1 or span["line_start"] != span["line_end"] or "\n" in span["suggested_replacement"]:
            return ()
        old = shown[0]["text"]
        first, last = span["column_start"] - 1, span["column_end"] - 1
        found.append(SuggestedLine(_span_place(span), old, old[:first] + span["suggested_replacement"] + old[last:]))
    return () if any(map(has_gap, found)) else tuple(found)


def _span_place(span: dict[str, Any]) -> SourcePlace:
    return SourcePlace(span["file_name"], span["line_start"], span["column_start"])


def _ranged(item: dict[str, Any]) -> Diagnostic:
    """A language server's diagnostic: lines and characters from 0."""
    start = item.get("range", {}).get("start", {"line": -1, "character": -1})
    place = SourcePlace(item.get("file", ""), start["line"] + 1, start["character"] + 1)
    message, *more = item["message"].split("\n")
    notes = tuple(Note(place, line.strip()) for line in more)
    return Diagnostic(place, _level(item["severity"]), item.get("rule", ""), message, "checker", notes)


def _flat(item: dict[str, Any]) -> Diagnostic:
    """One object a line with file, line and column; columns from 0 where the tool counts so."""
    column = item.get("column", -1)
    place = SourcePlace(item["file"], max(0, item["line"]), column + 1 if column >= 0 else 0)
    hint = item.get("hint")
    notes = (Note(place, hint),) if hint else ()
    return Diagnostic(place, _level(item["severity"]), item.get("code") or "", item["message"], "checker", notes)


def _linted(file: str, item: dict[str, Any]) -> Diagnostic:
    place = SourcePlace(file, item.get("line") or 0, item.get("column") or 0)
    severity: Severity = "error" if item.get("severity") == 2 or item.get("fatal") else "warning"
    return Diagnostic(place, severity, item.get("ruleId") or "", item["message"], "checker")


def _level(word: str) -> Severity:
    return _LEVELS.get(word, "note")
