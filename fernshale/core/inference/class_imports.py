"""The import that code needs to name a class of a release."""

from __future__ import annotations

from fernshale.core.base.languages import C_FAMILY, ENDINGS
from fernshale.core.drift.release_symbols import included


def import_of(class_: tuple[str, ...], file: str, known: str) -> tuple[str, str]:
    """Return the name of a class of a release's `file`, and the line that imports it: "" if that depends on the importing file,
    or if that file is `known`, whose names the code has already."""
    if file.endswith(C_FAMILY):
        return class_[-1], f"#include <{included(file)}>" if file != known else ""
    if file.endswith(ENDINGS["java"]):
        return class_[-1], f"import {'.'.join(class_)};" if len(class_) > 1 else ""
    if file.endswith(ENDINGS["c#"]):
        return class_[-1], f"using {'.'.join(class_[:-1])};" if len(class_) > 1 else ""
    return class_[-1], ""
