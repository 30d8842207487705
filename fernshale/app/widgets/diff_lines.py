"""A unified diff as lines for a Document."""

from __future__ import annotations

from fernshale.app.widgets.text_document import LineRow


def diff_lines(text: str) -> tuple[LineRow, ...]:
    """Lines of a unified diff with words in the margin, so that colour is never the only sign."""
    rows: list[LineRow] = []
    before = ""
    for line in text.splitlines():
        if line.startswith("--- "):
            before = line[4:].removeprefix("a/")
        elif line.startswith("+++ "):
            name = line[4:].removeprefix("b/") if line != "+++ /dev/null" else f"{before}: removed"
            rows.append(LineRow("", "plain", "", name, "base"))
        elif line.startswith("@@"):
            rows.append(LineRow("", "plain", "", "…"))
        elif line.startswith("# "):
            rows.append(LineRow("", "plain", "", line[2:], "base"))
        elif line.startswith("-"):
            rows.append(LineRow("before", "base", "", line[1:]))
        elif line.startswith("+"):
            rows.append(LineRow("after", "mine", "", line[1:], "mine"))
        elif not line.startswith("\\"):
            rows.append(LineRow("", "plain", "", line[1:]))
    return tuple(rows)
