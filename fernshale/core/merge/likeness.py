"""Which conflicts are alike, so that one decision can resolve all of them."""

from __future__ import annotations

import re
from collections import Counter

from fernshale.core.merge.text_merge import Conflict, TextMerge, fingerprint, part_of
from fernshale.core.merge.token_merge import split_tokens


def likeness(merge: object, why: str, conflict: Conflict) -> str:
    """A value that is equal for conflicts that are alike: both sides changed the same tokens, the same key in any entry, or the
    same happened to a file. `merge` is the merge of the file's content, `why` the reason for its outcome."""
    if conflict.kind == "key":
        return "key " + re.sub(r"/[^/]*=[^/]*", "/*", conflict.at)
    if conflict.kind == "file" or not isinstance(merge, TextMerge):
        return "file " + why.split(";")[0]
    olds, ours, theirs = (_tokens(part_of(merge, conflict, side)) for side in ("base", "mine", "incoming"))
    changes = [ours - olds, olds - ours, theirs - olds, olds - theirs]
    return "text " + fingerprint(*(" ".join(sorted(change.elements())) for change in changes))


def _tokens(lines: tuple[str, ...]) -> Counter[str]:
    return Counter(token for line in lines for token in split_tokens(line) if not token.isspace())
