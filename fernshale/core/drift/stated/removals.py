"""A release's own statements about missing names: tables of a name and a sentence, as modules keep them for error messages;
comments and change logs that say what a name was renamed to."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cached_property

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import english
from fernshale.core.drift.release_symbols import ReleaseSymbols, read_bytes

_STRING = r"""(?:"[^"\\\n]*+(?:\\.[^"\\\n]*+)*+"|'[^'\\\n]*+(?:\\.[^'\\\n]*+)*+')"""
_ENTRY = lazy_pattern(rf"""["'](?P<name>[A-Za-z_]\w*)["']\s*:\s*\(?\s*(?P<text>{_STRING}(?:\s*\+?\s*{_STRING})*)""")
_INSTEAD = lazy_pattern(r"\b(?:instead|replaced|renamed|moved|use|available as)\b", re.IGNORECASE)
_CODE = r"[`'\"]*(?P<{0}>[A-Za-z_$][\w$]*(?:(?:\.|::|#)[A-Za-z_$][\w$]*)*)(?:\(\))?[`'\"]*"
_RENAMED = lazy_pattern(
    _CODE.format("name") + r"[ \t]+(?:has been|have been|was|is|were|are|got)?[ \t]*(?:now )?(?:renamed|moved|changed)"
    r"[ \t]+(?:to|into|as)[ \t]+" + _CODE.format("new")
)
# A line of a change log: `old_name` -> `new_name`, maybe with a mark of a list before it.
_ARROW = lazy_pattern(
    r"(?m)^[ \t]*(?:[-*+|][ \t]*)?"
    + _CODE.format("name")
    + r"[ \t]*(?:->|=>|\u2192)[ \t]*"
    + _CODE.format("new")
    + r"[ \t|.]*$"
)
_LOGS = lazy_pattern(
    r"(?i)(?:change|migrat|upgrad|history|news|release|port|deprecat|breaking)[^/]*\.(?:md|txt|rst)$|^(?:changes|news)$"
)
_MAX_LOG_BYTES = 4_000_000


class Removals:
    """The sentences of a release about names; each is searched for when it is first needed."""

    def __init__(self, release: ReleaseSymbols) -> None:
        self._release = release

    def of(self, name: str) -> str:
        """Return the statement about a name, "" if there is none or several."""
        said = self._texts.get(name, ())
        return said[0] if len(said) == 1 else ""

    @cached_property
    def _texts(self) -> dict[str, tuple[str, ...]]:
        found: dict[str, tuple[str, ...]] = {}
        for name, text in self._statements():
            if text not in found.get(name, ()):
                found[name] = (*found.get(name, ()), text)
        return found

    def _statements(self) -> Iterator[tuple[str, str]]:
        for path in sorted(self._release.files):
            data = read_bytes(f"{self._release.folder}/{path}")
            if b"nstead" in data:
                for entry in _ENTRY.finditer(data.decode("utf-8", "replace")):
                    text = "".join(part[1:-1] for part in re.findall(_STRING, entry["text"]))
                    if " " in text and _INSTEAD.search(text):
                        yield entry["name"], text
            if b"renamed" in data or b"moved to" in data:
                yield from _renames(data.decode("utf-8", "replace"))
        for log in sorted(self._release.folder.glob("*")) + sorted(self._release.folder.glob("docs/*")):
            if _LOGS.search(log.name) and log.is_file() and log.stat().st_size <= _MAX_LOG_BYTES:
                text = read_bytes(str(log)).decode("utf-8", "replace")
                yield from _renames(text)
                for found in _ARROW.finditer(text):
                    yield (
                        _last(found["name"]),
                        english(
                            "{log}: {words}, renamed to {new}.",
                            log=log.name,
                            words=found[0].strip(),
                            new=found["new"],
                        ),
                    )


def _renames(text: str) -> Iterator[tuple[str, str]]:
    for found in _RENAMED.finditer(text):
        if _last(found["name"]) != _last(found["new"]):
            yield _last(found["name"]), " ".join(found[0].split())


def _last(name: str) -> str:
    return re.split(r"\.|::|#", name)[-1]
