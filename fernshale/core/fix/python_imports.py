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

TextEdit = tuple[int, int, str]


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
            found[alias or name] = Bound(
                tuple(name.split(".")), line.start() + len(line[0].rstrip()), line["indent"], not alias
            )
    return found


@dataclass(frozen=True, slots=True)
class ImportPlace:
    """Where a name stands now: its module, and the names from there on; of two the first is that of a class."""

    module: tuple[str, ...]
    names: tuple[str, ...]

    @property
    def imported(self) -> str:
        return self.names[0]

    @property
    def written(self) -> str:
        """How it is written where the module is imported by what it shows."""
        return ".".join(self.names)

    @property
    def full(self) -> tuple[str, ...]:
        return (*self.module, *self.names)

    @property
    def line(self) -> str:
        return f"from {'.'.join(self.module)} import {self.imported}"


def place_of(path: Sequence[str], class_: str) -> ImportPlace:
    """The place of a path; what stands in a class (`class_` is its full name, "" for none) is brought in with that."""
    end = -2 if class_ and ".".join(path[:-1]) == class_ else -1
    return ImportPlace(tuple(path[:end]), tuple(path[end:]))


def moved_imports(old: Sequence[str], new: ImportPlace, text: str, path: str) -> Iterator[TextEdit]:
    """The lines that import `old` by its name from its module, with it imported from where it is now. Where a class is imported
    for it, its uses are written anew as well."""
    for line in _in_code(_FROM, text, path, "from"):
        # What goes on behind a backslash is left alone: it is not known whole.
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
    """Whether a name is that of a member of something."""
    return text[:at].rstrip(" \t").endswith(".")


def moved_uses(
    names: Sequence[str], old: Sequence[str], new: ImportPlace, bound: dict[str, Bound]
) -> tuple[str, Bound | None, str] | None:
    """How a chain of names is written once `old` is `new`, as (text, the import it stands behind, the import it wants besides);
    None where no import says what the chain means."""
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
    """Each name of a list of imports with what it is called here, "" where that is the same."""
    for part in _COMMENT.sub("", names).split(","):
        words = part.split()
        if words:
            yield words[0], words[2] if len(words) == 3 and words[1] == "as" else ""


def _piece(names: str, name: str) -> tuple[int, int]:
    """Where a name stands in a list of several, with the comma and the line that go with it."""
    found = re.search(
        rf"(?<![\w.]){re.escape(name)}(?:[ \t]+as[ \t]+\w+)?(?!\w)(?P<tail>[ \t]*,[ \t]*(?:#[^\n]*)?)?", names
    )
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
