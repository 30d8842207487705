"""A release's own statements about removed names: tables of a name and a sentence, as modules keep them for error messages."""

from __future__ import annotations

import re
from functools import cached_property

from fernshale.core.drift.release_symbols import ReleaseSymbols, read_bytes

_STRING = r"""(?:"[^"\\\n]*+(?:\\.[^"\\\n]*+)*+"|'[^'\\\n]*+(?:\\.[^'\\\n]*+)*+')"""
_ENTRY = re.compile(rf"""["'](?P<name>[A-Za-z_]\w*)["']\s*:\s*\(?\s*(?P<text>{_STRING}(?:\s*\+?\s*{_STRING})*)""")
_INSTEAD = re.compile(r"\b(?:instead|replaced|renamed|moved|use|available as)\b", re.IGNORECASE)


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
        for path in sorted(self._release.files):
            data = read_bytes(f"{self._release.folder}/{path}")
            if b"nstead" not in data:
                continue
            for entry in _ENTRY.finditer(data.decode("utf-8", "replace")):
                text = "".join(part[1:-1] for part in re.findall(_STRING, entry["text"]))
                if " " in text and _INSTEAD.search(text) and text not in found.get(entry["name"], ()):
                    found[entry["name"]] = (*found.get(entry["name"], ()), text)
        return found
