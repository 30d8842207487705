"""Update Python imports of names that moved to another module: find the local names of modules, and rewrite the import lines."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import line_end
from fernshale.core.fix.tokens import name_starts

_FROM = lazy_pattern(
    r"(?m)^(?P<indent>[ \t]*)from[ \t]+(?P<module>[\w.]+)[ \t]+import[ \t]+(?:\((?P<many>[^()]*)\)|(?P<names>[^\n(#\\]+))"
)
_IMPORT = lazy_pattern(r"(?m)^(?P<indent>[ \t]*)import[ \t]+(?P<names>[\w., \t]+)")
_COMMENT = lazy_pattern(r"#[^\n]*")

TextEdit = tuple[int, int, str]


@dataclass(frozen=True, slots=True)
class Bound:
    """A name bound by an import: the parts of its full path, and the end of the import. `is_whole`: it is written in full, and
    binds its first part only."""

    meaning: tuple[str, ...]
    end: int
    indent: str
    is_whole: bool = False


def bound_names(text: str, path: str) -> dict[str, Bound]:
    """Return the names that a file's imports bind, by bound name (`a.b` for `import a.b`)."""
    found: dict[str, Bound] = {}
    for line in _in_code(_FROM, text, path, "from"):
        module = tuple(line["module"].split("."))
        for name, alias in _listed(line["many"] or line["names"] or ""):
            found[alias or name] = Bound((*module, name), line.end(), line["indent"])
    for line in _in_code(_IMPORT, text, path, "import"):
        for name, alias in _listed(line["names"]):
            found[alias or name] = Bound(
                tuple(name.split(".")), line.start() + len(line[0].rstrip()), line["indent"], not alias
            )
    return found


@dataclass(frozen=True, slots=True)
class ImportPlace:
    """The new place of a name: its module, and the names after it; of two, the first is a class."""

    module: tuple[str, ...]
    names: tuple[str, ...]

    @property
    def imported(self) -> str:
        return self.names[0]

    @property
    def written(self) -> str:
        """Its path if the module is imported by the name that re-exports it."""
        return ".".join(self.names)

    @property
    def full(self) -> tuple[str, ...]:
        return (*self.module, *self.names)

    @property
    def line(self) -> str:
        return f"from {'.'.join(self.module)} import {self.imported}"


def place_of(path: Sequence[str], class_: str) -> ImportPlace:
    """Return the place of a path; a member of a class (`class_` is its full name, "" for none) is imported with the class."""
    end = -2 if class_ and ".".join(path[:-1]) == class_ else -1
    return ImportPlace(tuple(path[:end]), tuple(path[end:]))


def moved_imports(old: Sequence[str], new: ImportPlace, text: str, path: str) -> Iterator[TextEdit]:
    """Return the edits of lines that import `old` by name from its module, to import it from its new place. If a class is
    imported instead, uses are rewritten, too."""
    for line in _in_code(_FROM, text, path, "from"):
        # Skip lines with a backslash continuation, which may be incomplete.
        if line["module"] != ".".join(old[:-1]) or text.startswith("\\", line.end()):
            continue
        names = list(_listed(line["many"] or line["names"]))
        alias = next((alias for name, alias in names if name == old[-1]), None)
        if alias is None:
            continue
        moved = f"{line['indent']}{new.line}"
        if len(new.names) > 1:
            uses = name_starts(text, path, alias or old[-1])
            here = (at for at in uses if not line.start() <= at < line.end() and not _hangs_on(text, at))
            yield from ((at, at + len(alias or old[-1]), new.written) for at in here)
        elif alias := alias or (old[-1] if new.imported != old[-1] else ""):
            moved += f" as {alias}"
        end = line.start() + len(line[0].rstrip())
        if len(names) == 1:
            yield line.start(), end, moved
            continue
        group = "many" if line["many"] else "names"
        start, stop = _piece(line[group], old[-1])
        yield line.start(group) + start, line.start(group) + stop, ""
        yield end, end, line_end(text) + moved


def _hangs_on(text: str, at: int) -> bool:
    """Return whether a name is a member of an object."""
    return text[:at].rstrip(" \t").endswith(".")


def moved_uses(
    names: Sequence[str], old: Sequence[str], new: ImportPlace, bound: dict[str, Bound]
) -> tuple[str, Bound | None, str] | None:
    """Return how to write a chain of names after `old` became `new`: (text, the import it follows, the additional import); None
    if no import defines the chain."""
    whole = next(
        (end for end in range(len(names) - 1, 0, -1) if (at := bound.get(".".join(names[:end]))) and at.is_whole), 0
    )
    module, full = ".".join(new.module), ".".join(new.full)
    if whole:
        known = bound[".".join(names[:whole])]
        return (full, known, "" if module in bound else f"import {module}") if list(names) == list(old) else None
    known_as = bound.get(names[0])
    if known_as is None or [*known_as.meaning, *names[1:]] != list(old):
        return None
    meaning = known_as.meaning
    if new.full[: len(meaning)] == meaning:
        return ".".join([names[0], *new.full[len(meaning) :]]), None, ""
    if new.imported not in bound:
        return new.written, known_as, new.line
    is_same = bound[new.imported].meaning == (*new.module, new.imported)
    return (new.written, None, "") if is_same else (full, known_as, f"import {module}")


def _in_code(pattern: re.Pattern[str], text: str, path: str, word: str) -> Iterator[re.Match[str]]:
    """The lines that fit, and are no part of a comment or a string."""
    found = list(pattern.finditer(text))
    starts = frozenset(name_starts(text, path, word)) if found else ()
    return (line for line in found if line.end("indent") in starts)


def _listed(names: str) -> Iterator[tuple[str, str]]:
    """Yield each name of an import list with its local name, "" if equal."""
    for part in _COMMENT.sub("", names).split(","):
        words = part.split()
        if words:
            yield words[0], words[2] if len(words) == 3 and words[1] == "as" else ""


def _piece(names: str, name: str) -> tuple[int, int]:
    """Return the span of a name in a list of several, with its comma and line."""
    found = re.search(
        rf"(?<![\w.]){re.escape(name)}(?:[ \t]+as[ \t]+\w+)?(?!\w)(?P<tail>[ \t]*,[ \t]*(?:#[^\n]*)?)?", names
    )
    assert found is not None, f"{name} is among {names!r}"
    start, end = found.span()
    if found["tail"] is None:
        # The last one includes the comma before it.
        before = names[:start].rstrip()
        return (len(before) - 1 if before.endswith(",") else start), end
    head = names.rfind("\n", 0, start) + 1
    if head and not names[head:start].strip() and names[end : end + 1] in ("\n", "\r"):
        return head, names.index("\n", end) + 1
    return start, end
