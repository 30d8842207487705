"""The import that code needs to name a class or another top-level name of a release."""

from __future__ import annotations

from pathlib import Path

from fernshale.core.base.languages import C_FAMILY, ENDINGS
from fernshale.core.drift.names.script_builds import module_of
from fernshale.core.drift.names.script_packages import is_internal, rank_of, script_packages_of
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


def script_import(name: str, file: str, release: Path) -> str:
    """Return the line that imports a name that a script of a release defines, from the module that users import it from; "" if
    it is in no package, so that the module's name depends on the importing file."""
    packages = script_packages_of(release)
    home = module_of(file)
    exporting = [
        (defined.module, specifier)
        for specifier, defined in packages.by_name.get(name, ())
        if packages.is_packaged(specifier)
    ]
    # The same code may be there in several builds, whose paths end alike; or as declarations in another folder of the package.
    builds = [at for module, at in exporting if module.split("/")[-2:] == home.split("/")[-2:]]
    declared = [at for module, at in exporting if packages.are_of_one(module, home) and not is_internal(at)]
    best = [at for at in builds if not is_internal(at)] or declared or builds
    return f'import {{ {name} }} from "{min(best, key=rank_of)}";' if best else ""
