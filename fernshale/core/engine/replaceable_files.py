"""Which generated files a generator may replace: not lock files, and not the compiled output of plugins.

The role "generated" means that nobody edits a file. It does not mean that a tool creates it again.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from fernshale.core.base.globs import FirstFit
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import Profile
from fernshale.core.survey.plugins import Plugin
from fernshale.core.survey.roles import files_of

# Where package tools write which versions they chose. Only the tool itself may change them, on a person's command.
_LOCK_NAME = lazy_pattern(r"(?i)(?:^|[-._])lock(?:file|b)?(?:\.[a-z0-9]+)?$")
_LOCK_NAMES = frozenset({"go.sum", "npm-shrinkwrap.json", "package.resolved"})


def replaceable_files(profile: Profile, paths: Iterable[TreePath], plugins: Sequence[Plugin]) -> tuple[TreePath, ...]:
    """Return the generated files among `paths` that a generator could create again, in order."""
    shape = profile.plugins.compiled
    outputs: list[str] = []
    if shape is not None:
        pattern = shape.output.replace("{release}", "*").strip("/")
        outputs = [f"{_literal(plugin.folder)}/{pattern}/**" for plugin in plugins]
    generated = [path for path in files_of(profile, paths, "generated") if not is_lock_file(path)]
    compiled = set(FirstFit([outputs]).those(generated)) if outputs else set()
    return tuple(path for path in generated if path not in compiled)


def is_lock_file(path: str) -> bool:
    """Whether a package tool keeps the versions it chose in the file."""
    name = path.rpartition("/")[2]
    return name.lower() in _LOCK_NAMES or _LOCK_NAME.search(name) is not None


def _literal(folder: str) -> str:
    return re.sub(r"([\\*?\[\]! ])", r"\\\1", folder)
