"""Whether a class of a script can derive from a class of the release: its head says which one of that name is meant."""

from __future__ import annotations

import re
from collections.abc import Callable

from fernshale.core.base.languages import SCRIPTS
from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.imports import import_lines

_HEAD = r"\b(?P<kind>class|interface)\s+{name}\b(?P<rest>[^;{{}}]*)"


def may_derive(
    path: TreePath, text: str, name: str, base: str, scope: tuple[str, ...], is_of_release: Callable[[str], bool]
) -> bool:
    """Return whether the class `name` of a file can have the release's class `base` of a scope as base. True for other languages.

    An interface has no code that the release could reach. `is_of_release` says whether a module may be one of the release.
    """
    if not path.endswith(SCRIPTS):
        return True
    heads = [found for found in re.finditer(_HEAD.format(name=re.escape(name)), text) if found["kind"] == "class"]
    return any(
        _is_meant(path, text, written[0].split("."), scope, is_of_release)
        for head in heads
        for written in re.finditer(rf"[\w$.]*(?<![\w$]){re.escape(base)}\b", head["rest"])
    )


def _is_meant(
    path: TreePath, text: str, written: list[str], scope: tuple[str, ...], is_of_release: Callable[[str], bool]
) -> bool:
    if scope and written[-2:-1] != [scope[-1]]:
        return False
    modules = (
        found["module"]
        for found in import_lines(text, path)
        if re.search(rf"(?<![\w$]){re.escape(written[0])}(?![\w$])", found["names"])
    )
    return all(module.startswith(".") or is_of_release(module) for module in modules)
