"""A unified diff as lines for a Document."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from fernshale.app.hunks import differing
from fernshale.app.widgets.text_document import LineRow
from fernshale.core.base.texts import tr

_RANGES = re.compile(r"@@ -(\d+)(?:,\d+)? \+(\d+)")


def diff_lines(text: str) -> tuple[LineRow, ...]:
    """Lines of a unified diff, with numbers, and with words in the margin, so that colour is never the only sign."""
    rows: list[LineRow] = []
    before = path = ""
    old = new = 0
    waiting: tuple[list[LineRow], list[LineRow]] = [], []  # lines before, and lines in their place
    for line in text.splitlines():
        if not line.startswith(("-", "+")) or line.startswith(("--- ", "+++ ")):
            rows += _paired(*waiting)
            waiting = [], []
        if line.startswith("--- "):
            before = line[4:].removeprefix("a/")
        elif line.startswith("+++ "):
            path = line[4:].removeprefix("b/") if line != "+++ /dev/null" else before
            name = path if line != "+++ /dev/null" else tr("{before}: removed", before=before)
            rows.append(LineRow("", "plain", "", name, "base"))
        elif ranges := _RANGES.match(line):
            old, new = int(ranges[1]), int(ranges[2])
            if rows and rows[-1].text != path:
                rows.append(LineRow("", "quiet", "", "…", faded=True))
        elif line.startswith("# "):
            rows.append(LineRow("", "plain", "", line[2:], "base"))
        elif line.startswith("-"):
            waiting[0].append(LineRow(tr("before"), "alarm", str(old), line[1:], "alarm", path=path))
            old += 1
        elif line.startswith("+"):
            waiting[1].append(LineRow(tr("after"), "mine", str(new), line[1:], "mine", path=path))
            new += 1
        elif not line.startswith("\\"):
            rows.append(LineRow("", "plain", str(new) if new else "", line[1:], path=path))
            old, new = old + 1, new + 1
    return (*rows, *_paired(*waiting))


def _paired(gone: Sequence[LineRow], come: Sequence[LineRow]) -> Iterator[LineRow]:
    """Lines before and after, each with the part that differs from its counterpart."""
    for rows, others in ((gone, come), (come, gone)):
        for at, row in enumerate(rows):
            yield row._replace(marks=differing(row.text, others[at].text) if at < len(others) else ())
