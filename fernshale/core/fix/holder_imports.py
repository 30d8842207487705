"""The import that a renamed name needs where its new name belongs to another class: `A.X` becomes `B.X`, and `B` is imported.

Python's imports are followed by `pyimports`. Here are the languages in which a line above the code imports a class or header.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from fernshale.core.base.languages import C_FAMILY, ENDINGS, SCRIPTS
from fernshale.core.fix.imports import import_line, import_lines, in_style_of, quoted_header, with_import
from fernshale.core.fix.rules import CallRule, NewName

_JAVA, _C_SHARP, _RUST = ENDINGS["java"], ENDINGS["c#"], ENDINGS["rust"]
LANGUAGES = (*C_FAMILY, *_JAVA, *_C_SHARP, *_RUST, *SCRIPTS)
_DEFINES = r"(?:class|struct|enum|interface|trait|type|record|union)"


def needs_import(rule: NewName | CallRule, path: str, text: str, written: Sequence[str]) -> bool:
    """Return whether the text that a rule writes (`written`) starts with a class that the file does not import."""
    name = rule.imports
    if not name or not path.endswith(LANGUAGES):
        return False
    # In C++ the namespaces that a header opens may precede it.
    begins = re.compile(
        rf"(?:::)?{r'(?:[A-Za-z_][A-Za-z0-9_]*::)*' if path.endswith(C_FAMILY) else ''}{re.escape(name)}\b"
    )
    finds = begins.search if isinstance(rule, CallRule) else begins.match
    if not any(finds(new) for new in written):
        return False
    is_defined = re.search(rf"\b{_DEFINES}\s+(?:class\s+)?{re.escape(name)}\b", text) is not None
    return not is_defined and not import_line(name, text, path, path) and not _is_visible(rule.text, path, text)


def holder_import(rule: NewName | CallRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """Return the edit that adds the import; none if its syntax is unknown."""
    line = _line(rule, path, text)
    if line:
        yield from with_import(line, rule.imports, path, text, is_used=True)


def _is_visible(line: str, path: str, text: str) -> bool:
    """Return whether a file sees the import of `line` already: it has the line, or is in that package."""
    if path.endswith(C_FAMILY):
        header = line.partition("<")[2].rstrip(">")
        return not header or re.search(rf'#[ \t]*include[ \t]*[<"]{re.escape(header)}[>"]', text) is not None
    if path.endswith(_JAVA):
        package = line.removeprefix("import ").rpartition(".")[0]
        words = re.escape(package)
        return (
            not package or re.search(rf"(?m)^(?:package[ \t]+{words}|import[ \t]+{words}\.\*)[ \t]*;", text) is not None
        )
    if path.endswith(_C_SHARP):
        namespace = re.escape(line.removeprefix("using ").rstrip(";"))
        return (
            not namespace
            or re.search(rf"\bnamespace[ \t]+{namespace}\b|\busing[ \t]+{namespace}[ \t]*;", text) is not None
        )
    return False


def _line(rule: NewName | CallRule, path: str, text: str) -> str:
    """The import as the release has it, or as the file imports the class that had the name before."""
    if path.endswith(C_FAMILY):
        header = rule.text.partition("<")[2].rstrip(">")
        return f"#include {quoted_header(text, header)}" if header else ""
    if rule.text and path.endswith(SCRIPTS):
        return in_style_of(rule.text, text, path)
    if rule.text or isinstance(rule, CallRule):
        return rule.text
    old, new = (re.split(r"::|\.", name) for name in (rule.old, rule.new))
    if len(old) < 2 or rule.imports not in new:
        return ""
    for found in import_lines(text, path):
        parts = found.groupdict()
        if (
            path.endswith(SCRIPTS)
            and old[-2] in re.split(r"[\s{},]+", parts["names"])
            and not parts["module"].startswith(".")
        ):
            quote, end = parts["quote"], ";" if found[0].endswith(";") else ""
            return f"import {{ {rule.imports} }} from {quote}{parts['module']}{quote}{end}"
        listed = [item.strip() for item in (parts.get("many") or "").split(",")]
        if path.endswith(_RUST) and old[-2] in (parts["name"], *listed):
            module, inner = parts["module"].split("::"), old[:-2]
            crate = module[: len(module) - len(inner)] if inner and module[-len(inner) :] == inner else module[:1]
            return f"use {'::'.join((*crate, *new[: new.index(rule.imports) + 1]))};"
    return ""
