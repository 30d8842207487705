"""Put a mark at classes with a certain base."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.textfile import line_end
from fernshale.core.fix.class_marks import CLASS, marked_classes
from fernshale.core.fix.rules import MarkRule
from fernshale.core.fix.statements import indent_of

_STEP = "    "


def find(rule: MarkRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    seen: set[str] = set()
    for item in marked_classes(text, path):
        # A type that implements several traits gets the mark once.
        if rule.base not in item.bases or rule.text in item.marks or item.name in seen:
            continue
        seen.add(item.name)
        mark, end = rule.text.replace(CLASS, item.name), line_end(text)
        start = text.rfind("\n", 0, item.spot) + 1
        indent = indent_of(text[start : item.spot]) if path.endswith(C_FAMILY) else indent_of(text[item.spot :])
        yield item.spot, item.spot, f"{end}{indent}{_STEP}{mark}" if path.endswith(C_FAMILY) else f"{indent}{mark}{end}"
