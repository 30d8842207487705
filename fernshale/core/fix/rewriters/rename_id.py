"""Rename ids in assets."""

from __future__ import annotations

import re
from collections.abc import Iterator

from fernshale.core.fix.rules import RenameIdRule


def find(rule: RenameIdRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    # Ids are words of data, with hyphens and dots; they are usually in strings.
    for found in re.finditer(rf"(?<![\w.-]){re.escape(rule.old)}(?![\w-]|\.\w)", text):
        yield found.start(), found.end(), rule.new
