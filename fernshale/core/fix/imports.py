"""The import lines of a file: existing ones, and where to add one."""

from __future__ import annotations

import posixpath
import re
from bisect import bisect
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from fernshale.core.base.languages import C_FAMILY, ENDINGS, SCRIPTS, language_of
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import line_end
from fernshale.core.fix.statements import whole_line
from fernshale.core.fix.tokens import name_starts

_PYTHON, _JAVA, _RUST, _C_SHARP = (ENDINGS[name] for name in ("python", "java", "rust", "c#"))
_SCRIPT_LINE = lazy_pattern(
    r"(?m)^import\b(?P<names>[^;'\"]*?)(?:\bfrom\s*)?(?P<quote>['\"])(?P<module>[^'\"\n]+)(?P=quote);?"
)
# `import Lamp from` and `import * as lamps from`.
_SCRIPT_SINGLE = lazy_pattern(r"^\s*(?:type\s+)?(?:\*\s*as\s+)?")
_PYTHON_LINE = lazy_pattern(
    r"(?m)^(?:from[ \t]+(?P<module>[\w.]+)[ \t]+import[ \t]+(?:\((?P<many>[^()]*)\)|(?P<names>[^\n(#\\]+))|import[ \t]+[\w., \t]+)"
)
_RUST_LINE = lazy_pattern(r"(?m)^use[ \t]+(?P<module>[\w:]+)::(?:\{(?P<many>[^{};]*)\}|(?P<name>\w+))[ \t]*;")
_JAVA_LINE = lazy_pattern(r"(?m)^import[ \t]+(?P<full>[\w.]+\.(?P<name>\w+))[ \t]*;")
_C_SHARP_LINE = lazy_pattern(r"(?m)^using[ \t]+[\w.]+[ \t]*;")
_INCLUDE = lazy_pattern(r"(?m)^[ \t]*#[ \t]*include[ \t]*(?P<quote>[<\"])[^>\"\n]+[>\"]")
_LINES: Mapping[tuple[str, ...], re.Pattern[str]] = {
    C_FAMILY: _INCLUDE, _PYTHON: _PYTHON_LINE, _JAVA: _JAVA_LINE, _RUST: _RUST_LINE, _C_SHARP: _C_SHARP_LINE, SCRIPTS: _SCRIPT_LINE,
}  # fmt: skip
# Text that precedes the first import: comments, package declarations, include guards.
_COMMENTS = r"(?:\s*(?://[^\n]*|/\*.*?\*/"
_HEADS: Mapping[tuple[str, ...], re.Pattern[str]] = {
    C_FAMILY: lazy_pattern(_COMMENTS + r"|\#pragma once|\#ifndef \w+\s*\#define \w+))*", re.DOTALL),
    _PYTHON: lazy_pattern(r"(?:\s*\#[^\n]*)*(?:\s*(?:\"\"\".*?\"\"\"|'''.*?'''))?", re.DOTALL),
    _JAVA: lazy_pattern(_COMMENTS + r"|package[ \t]+[\w.]+[ \t]*;))*", re.DOTALL),
    _RUST: lazy_pattern(_COMMENTS + r"|\#!\[[^\]]*\]))*", re.DOTALL),
}  # fmt: skip
_HEAD = lazy_pattern(_COMMENTS + "))*", re.DOTALL)
_CONDITIONS = lazy_pattern(r"(?m)^[ \t]*#[ \t]*(if|endif)")
# Imports that must precede all others.
_FIRST = "from __future__ "


def import_line(name: str, text: str, path: str, into: str) -> str:
    """Return the line that imports a single name into a file in `into`'s folder, as the file at `path` imports it; "" if that
    does not name its imports."""
    for found in import_lines(text, path):
        parts = found.groupdict()
        if path.endswith(_JAVA) and parts["name"] == name:
            return found[0]
        if path.endswith(_PYTHON) and parts["module"] and name in _names(parts["many"] or parts["names"]):
            return f"from {parts['module']} import {name}"
        if path.endswith(_RUST) and name in (parts["name"], *_names(parts["many"] or "")):
            return f"use {parts['module']}::{name};"
        if path.endswith(SCRIPTS) and name in re.split(r"[\s{},]+", parts["names"]):
            quote, end = parts["quote"], ";" if found[0].endswith(";") else ""
            named = f"{{ {name} }}" if re.search(rf"\{{[^{{}}]*\b{name}\b", parts["names"]) else name
            return f"import {named} from {quote}{_seen_from(parts['module'], path, into)}{quote}{end}"
    return ""


def script_line(name: str, module: str, texts: Iterable[str]) -> str:
    """Return the line that imports a name from a module of a release, with the module path that other scripts use; "" if none
    does."""
    lines = [
        line for text in texts for line in _SCRIPT_LINE.finditer(text) if f"/{line['module']}".endswith(f"/{module}")
    ]
    if not lines:
        return ""
    named = Counter(line["module"] for line in lines if not line["module"].startswith("."))
    quote, end = lines[0]["quote"], ";" if lines[0][0].endswith(";") else ""
    return f"import {{ {name} }} from {quote}{named.most_common(1)[0][0]}{quote}{end}" if named else ""


def in_style_of(line: str, text: str, path: str) -> str:
    """Return a script's import line with the quotes and the ending that the imports of a file have."""
    found = next((item for item in import_lines(text, path)), None)
    if found is None:
        return line
    line = re.sub(r"[\"']", found["quote"], line)
    return line if found[0].endswith(";") else line.rstrip(";")


def quoted_header(text: str, header: str) -> str:
    """Return a header of a release as a file includes it: like a sibling header, else like the last include."""
    folder = header.rpartition("/")[0]
    found = [line[0] for line in _INCLUDE.finditer(text)]
    found_there = [line for line in found if folder and f"{folder}/" in line]
    return f"<{header}>" if (found_there or found or [""])[-1].endswith(">") else f'"{header}"'


def with_import(line: str, name: str, path: str, text: str, *, is_used: bool = False) -> Iterator[tuple[int, int, str]]:
    """Return the edit that adds an import line to a file that uses the name without importing it: among similar imports, sorted
    if they are.

    With `is_used`, the file will use the name, whether or not it does now. None for a language without import support.
    """
    uses_it = is_used or next(name_starts(text, path, name), None) is not None
    if _pattern(path) is None or not uses_it or import_line(name, text, path, path):
        return
    end = line_end(text)
    lines = list(import_lines(text, path))
    if (found_there := _extend_import(line, name, path, lines)) is not None:
        yield found_there
        return
    if line in (found[0].strip() for found in lines):
        return
    if path.endswith(C_FAMILY) and re.search(rf"(?m)^[ \t]*#[ \t]*define[ \t]+{re.escape(name)}\b", text):
        return
    lines = [found for found in _unconditional(text, path, lines) if not found[0].startswith(_FIRST)] or lines
    written = [found[0].strip() for found in lines]
    is_sorted = bool(written) and written == sorted(written)
    # Quotes and brackets would decide over the order of headers: behind the others one is right.
    at = (
        bisect(written, line)
        if is_sorted and (line[-1:] == written[0][-1:] or not path.endswith(C_FAMILY))
        else len(lines)
    )
    if lines and at == 0 and not written[0].startswith(_FIRST):
        yield lines[0].start(), lines[0].start(), f"{line}{end}"
    elif lines:
        after = lines[max(at, 1) - 1]
        spot = text.find("\n", after.end())
        spot = len(text) if spot < 0 else spot - text[:spot].endswith("\r")
        yield spot, spot, f"{end}{line}"
    else:
        head = next((head for endings, head in _HEADS.items() if path.endswith(endings)), _HEAD).match(text)
        spot = head.end() if head is not None and head[0].strip() else 0
        yield spot, spot, f"{end}{end}{line}" if spot else f"{line}{end}{end}"


def _unconditional(text: str, path: str, lines: Sequence[re.Match[str]]) -> list[re.Match[str]]:
    """Of the include lines of C, return those inside the fewest conditions; an include guard is a condition that all of them
    share."""
    if not path.endswith(C_FAMILY) or not lines:
        return list(lines)
    marks = [(found.start(), 1 if found[1] == "if" else -1) for found in _CONDITIONS.finditer(text)]
    depths = [sum(step for at, step in marks if at < line.start()) for line in lines]
    return [line for line, depth in zip(lines, depths, strict=True) if depth == min(depths)]


def without_import(name: str, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """Return the edits that take a name out of a file's imports, with the whole line where it imports nothing else; in C, the
    lines that include the header `name`. None for a name that is imported under another one."""
    for found in import_lines(text, path):
        start, end = whole_line(text, found.start(), found.end())
        if path.endswith(C_FAMILY):
            if found[0].rstrip()[:-1].endswith((f'"{name}', f"<{name}")):
                yield start, end, ""
            continue
        parts = found.groupdict()
        if path.endswith(_C_SHARP):
            continue  # it names a namespace, of which other names may be used
        listed = parts.get("many") or parts.get("names") or ""
        if path.endswith(SCRIPTS):
            if _SCRIPT_SINGLE.sub("", listed).strip() == name:
                yield start, end, ""
                continue
            listed = (re.findall(r"\{([^{}]*)\}", listed) or [""])[0]
        elif path.endswith(_PYTHON) and not listed:
            listed = found[0].removeprefix("import").strip()
        items = [part.strip() for part in listed.split(",") if part.strip()]
        is_alone = (parts.get("name") == name and not items) or items == [name]
        if path.endswith(SCRIPTS) and is_alone and not re.match(r"import\s*(?:type\s*)?\{", found[0]):
            is_alone = False  # the line has another name before the list
        if is_alone:
            yield start, end, ""
        elif name in items and len(items) > 1:
            at = found.start() + found[0].index(listed)
            entry = re.search(
                rf"(?:,\s*{re.escape(name)}\b(?!\s+as\b))|(?<![\w,])\s*\b{re.escape(name)}\s*,[ \t]*", listed
            )
            if entry is not None:
                # Spaces and line ends before the first name stay.
                kept = entry[0][: len(entry[0]) - len(entry[0].lstrip())] if entry.start() == 0 else ""
                yield at + entry.start(), at + entry.end(), kept


def _extend_import(line: str, name: str, path: str, lines: Sequence[re.Match[str]]) -> tuple[int, int, str] | None:
    """Return the edit that adds a name to an existing import of its module; None if there is none."""
    mine = next(import_lines(line, path), None)
    if mine is None or not path.endswith((*_PYTHON, *SCRIPTS)):
        return None
    for found in lines:
        if (
            found["module"] != mine["module"]
            or not found["module"]
            or (found["names"] or "").lstrip().startswith("type ")
        ):
            continue
        listed = (
            (found["many"] or found["names"])
            if path.endswith(_PYTHON)
            else "".join(re.findall(r"\{[^{}]*", found["names"]))
        )
        if listed.strip("{ \n"):
            last = found.start() + found[0].index(listed) + len(listed.rstrip())
            return last, last, f" {name}," if listed.rstrip().endswith(",") else f", {name}"
    return None


def _pattern(path: str) -> re.Pattern[str] | None:
    return (
        next((pattern for endings, pattern in _LINES.items() if path.endswith(endings)), None)
        if language_of(path)
        else None
    )


def import_lines(text: str, path: str) -> Iterator[re.Match[str]]:
    """Yield the import lines of a file, without those in comments or strings."""
    pattern = _pattern(path)
    found = list(pattern.finditer(text)) if pattern is not None else []
    starts = {start for word in {_first_word(line) for line in found} for start in name_starts(text, path, word)}
    return (line for line in found if line.start() + line[0].index(_first_word(line)) in starts)


def uses_beside_imports(name: str, path: str, text: str) -> tuple[int, ...]:
    """Return the positions of a name outside the imports of a file."""
    spans = [found.span() for found in import_lines(text, path)]
    return tuple(at for at in name_starts(text, path, name) if not any(start <= at < end for start, end in spans))


def _first_word(line: re.Match[str]) -> str:
    return str(re.findall(r"\w+", line[0])[0])


def _names(listed: str) -> list[str]:
    """The names of a list that keep their names."""
    return [part.strip() for part in listed.split(",")]


def _seen_from(module: str, path: str, into: str) -> str:
    """Return a module's relative path from another file."""
    if not module.startswith("."):
        return module
    there = posixpath.normpath(posixpath.join(posixpath.dirname(path), module))
    path = posixpath.relpath(there, posixpath.dirname(into) or ".")
    return path if path.startswith(".") else f"./{path}"
