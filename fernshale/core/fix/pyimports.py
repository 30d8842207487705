"""Python's imports, for names that moved to another module: which local name means which module, and the import lines anew."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.textfile import line_end
from fernshale.core.fix.tokens import name_starts

_FROM = re.compile(
    r"(?m)^(?P<indent>[ \t]*)from[ \t]+(?P<module>[\w.]+)[ \t]+import[ \t]+(?:\((?P<many>[^()]*)\)|(?P<names>[^\n(#\\]+))"
)
_IMPORT = re.compile(r"(?m)^(?P<indent>[ \t]*)import[ \t]+(?P<names>[\w., \t]+)")
_COMMENT = re.compile(r"#[^\n]*")

Edit = tuple[int, int, str]


@dataclass(frozen=True, slots=True)
class Bound:
    """A name an import binds: what it means, by its parts, and where the import ends. `is_whole`: it is written out in full, and
    binds its first part alone."""

    meaning: tuple[str, ...]
    end: int
    indent: str
    is_whole: bool = False


def bound_names(text: str, path: str) -> dict[str, Bound]:
    """What the imports of a file bind, by the name that is bound (`a.b` for `import a.b`)."""
    found: dict[str, Bound] = {}
    for line in _in_code(_FROM, text, path, "from"):
        module = tuple(line["module"].split("."))
        for name, alias in _listed(line["many"] or line["names"] or ""):
            found[alias or name] = Bound((*module, name), line.end(), line["indent"])
    for line in _in_code(_IMPORT, text, path, "import"):
        for name, alias in _listed(line["names"]):
            found[alias or name] = Bound(tuple(name.split(".")), line.start() + len(line[0].rstrip()), line["indent"], not alias)
    return found


def moved_imports(old: Sequence[str], new: Sequence[str], text: str, path: str) -> Iterator[Edit]:
    """The lines that import `old` by its name from its module, with it imported from where it is now."""
    for line in _in_code(_FROM, text, path, "from"):
        # What goes on behind a backslash is left alone: it is not known whole.
        if line["module"] != ".".join(old[:-1]) or text.startswith("\\", line.end()):
            continue
        names = list(_listed(line["many"] or line["names"]))
        alias = next((alias for name, alias in names if name == old[-1]), None)
        if alias is None:
            continue
        alias = alias or (old[-1] if new[-1] != old[-1] else "")
        moved = f"{line['indent']}from {'.'.join(new[:-1])} import {new[-1]}{f' as {alias}' if alias else ''}"
        end = line.start() + len(line[0].rstrip())
        if len(names) == 1:
            yield line.start(), end, moved
            continue
        group = "many" if line["many"] else "names"
        start, stop = _piece(line[group], old[-1])
        yield line.start(group) + start, line.start(group) + stop, ""
        yield end, end, line_end(text) + moved


def moved_uses(
    names: Sequence[str], old: Sequence[str], new: Sequence[str], bound: dict[str, Bound]
) -> tuple[str, Bound | None, str] | None:
    """How a chain of names is written once `old` is `new`, as (text, the import it stands behind, the import it wants besides);
    None where no import says what the chain means."""
    whole = next((end for end in range(len(names) - 1, 0, -1) if (at := bound.get(".".join(names[:end]))) and at.is_whole), 0)
    if whole:
        known = bound[".".join(names[:whole])]
        module = ".".join(new[:-1])
        return (".".join(new), known, "" if module in bound else f"import {module}") if list(names) == list(old) else None
    known_as = bound.get(names[0])
    if known_as is None or [*known_as.meaning, *names[1:]] != list(old):
        return None
    meaning = known_as.meaning
    if tuple(new[: len(meaning)]) == meaning:
        return ".".join([names[0], *new[len(meaning) :]]), None, ""
    if new[-1] not in bound:
        return new[-1], known_as, f"from {'.'.join(new[:-1])} import {new[-1]}"
    is_same = bound[new[-1]].meaning == tuple(new)
    return (new[-1], None, "") if is_same else (".".join(new), known_as, f"import {'.'.join(new[:-1])}")


def _in_code(pattern: re.Pattern[str], text: str, path: str, word: str) -> Iterator[re.Match[str]]:
    """The lines that fit, and are no part of a comment or a string."""
    found = list(pattern.finditer(text))
    starts = frozenset(name_starts(text, path, word)) if found else ()
    return (line for line in found if line.end("indent") in starts)


def _listed(names: str) -> Iterator[tuple[str, str]]:
    """Each name of a list of imports with what it is called here, "" where that is the same."""
    for part in _COMMENT.sub("", names).split(","):
        words = part.split()
        if words:
            yield words[0], words[2] if len(words) == 3 and words[1] == "as" else ""


def _piece(names: str, name: str) -> tuple[int, int]:
    """Where a name stands in a list of several, with the comma and the line that go with it."""
    found = re.search(rf"(?<![\w.]){re.escape(name)}(?:[ \t]+as[ \t]+\w+)?(?!\w)(?P<tail>[ \t]*,[ \t]*(?:#[^\n]*)?)?", names)
    assert found is not None, f"{name} is among {names!r}"
    start, end = found.span()
    if found["tail"] is None:
        # The last one takes the comma before it along.
        before = names[:start].rstrip()
        return (len(before) - 1 if before.endswith(",") else start), end
    head = names.rfind("\n", 0, start) + 1
    if head and not names[head:start].strip() and names[end : end + 1] in ("\n", "\r"):
        return head, names.index("\n", end) + 1
    return start, end
