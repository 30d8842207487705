"""Whether two files differ only in leading comments: a new year changes the licence header of every file."""

from __future__ import annotations

import re

from fernshale.core.base.languages import C_FAMILY, DASH_COMMENTS, HASH_COMMENTS
from fernshale.core.base.lazy_pattern import lazy_pattern

# In C and C++ a backslash at the end of a line continues a comment on the next one.
_SPLICED = lazy_pattern(rb"(?:\s+|//[^\\\n]*(?:\\.[^\\\n]*)*\\?|/\*.*?\*/)*+", re.DOTALL)
_SLASHES = lazy_pattern(rb"(?:\s+|//[^\n]*|/\*.*?\*/)*+", re.DOTALL)
_HASHES = lazy_pattern(rb"(?:\s+|#[^\n]*)*+")
_DASHES = lazy_pattern(rb"(?:\s+|--(?!\[)[^\n]*)*+")
# A comment may announce a deprecation.
_TELLING = (b"eprecat", b"EPRECAT", b"bsolete")


def differ_in_remarks(old: bytes, new: bytes, path: str) -> bool:
    """Return whether the only difference is comments above the first line of code that declare nothing."""
    kinds = ((HASH_COMMENTS, _HASHES), (DASH_COMMENTS, _DASHES), (C_FAMILY, _SPLICED))
    above = next((pattern for endings, pattern in kinds if path.endswith(endings)), _SLASHES)
    ends = [found.end() if (found := above.match(data)) is not None else 0 for data in (old, new)]
    heads = old[: ends[0]], new[: ends[1]]
    return old[ends[0] :] == new[ends[1] :] and not any(word in head for word in _TELLING for head in heads)
