"""Import names of scripts from another module."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from fernshale.core.base.languages import SCRIPTS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import line_end
from fernshale.core.fix.rules import ReimportRule
from fernshale.core.fix.tokens import name_starts

# `import { a, b as c } from "m";`, `export { a } from "m"` and `const { a } = require("m");`
_STATEMENT = lazy_pattern(
    r"(?P<head>\b(?P<word>import|export|const|let|var)\b(?:\s+type\b)?\s*(?P<front>[\w$]+\s*,\s*)?)\{(?P<names>[^{}]*)\}"
    r"(?P<middle>\s*(?:from\s*|=\s*require\(\s*))(?P<quote>['\"])(?P<module>[^'\"\n]+)(?P=quote)(?P<tail>\s*\)?;?)"
)


def find(rule: ReimportRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    if not path.endswith(SCRIPTS):
        return
    found = list(_STATEMENT.finditer(text))
    starts = {start for word in {item["word"] for item in found} for start in name_starts(text, path, word)}
    statements = [item for item in found if item.start() in starts]
    for item in statements:
        if item["module"] == rule.old or item["module"].endswith(f"/{rule.old}"):
            yield from _moved(rule, item, statements, text)


def _moved(
    rule: ReimportRule, item: re.Match[str], statements: Sequence[re.Match[str]], text: str
) -> Iterator[tuple[int, int, str]]:
    parts = [part.strip() for part in item["names"].split(",") if part.strip()]
    moved = [part for part in parts if re.sub(r"^type\s+", "", part).split()[0].rstrip(":") in rule.names]
    if not moved:
        return
    module = item["module"][: len(item["module"]) - len(rule.old)] + rule.new
    others = [other for other in statements if other["module"] == module and other["head"] == item["head"]]
    if len(moved) == len(parts) and not item["front"] and not others:
        yield *item.span("module"), module
        return
    left = [part for part in parts if part not in moved]
    if left:
        inner = ", ".join(left)
        yield (
            *item.span("names"),
            f"{item['names'][: len(item['names']) - len(item['names'].lstrip())]}{inner}{_tail(item['names'])}",
        )
    elif item["front"]:
        # The default import before the list stays.
        comma = item.start("front") + len(item["front"].rstrip(", \t\n"))
        yield comma, item.end("names") + 1, ""
    else:
        end = text.find("\n", item.end())
        is_alone = not text[item.end() : end if end >= 0 else len(text)].strip()
        yield item.start(), end + 1 if is_alone and end >= 0 else item.end(), ""
    if others:
        listed = others[0]
        at = listed.start("names") + len(listed["names"].rstrip().rstrip(","))
        yield at, at, "".join(f", {part}" for part in moved)
    else:
        head = item["head"][: len(item["head"]) - len(item["front"] or "")]
        statement = (
            f"{head}{{ {', '.join(moved)} }}{item['middle']}{item['quote']}{module}{item['quote']}{item['tail']}"
        )
        yield item.end(), item.end(), f"{line_end(text)}{statement}"


def _tail(names: str) -> str:
    """The space at the end of a list, with its last comma if it has one."""
    kept = names.rstrip()
    return ("," if kept.endswith(",") else "") + names[len(kept) :]
