"""The public face works as its documentation says, and nothing else of the core but plain values reaches window and command line."""

from __future__ import annotations

import ast
import dataclasses
import doctest
import enum
import importlib
import inspect
from collections.abc import Iterator
from pathlib import Path

import pytest

import fernshale
from fernshale import api

_ROOT = Path(fernshale.__file__).parent
_GUIDE = _ROOT.parent / "docs" / "guide" / "scripting.md"


def test_examples_of_the_public_face() -> None:
    assert doctest.testmod(api, optionflags=doctest.ELLIPSIS).failed == 0
    assert all(hasattr(api, name) for name in api.__all__)


def test_the_page_about_scripts() -> None:
    assert doctest.testfile(str(_GUIDE), module_relative=False).failed == 0


def _imports_of_core(path: Path) -> Iterator[tuple[str, str]]:
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("fernshale.core"):
            yield from ((node.module, name.name) for name in node.names)


def _is_plain_value(module: str, name: str) -> bool:
    """Whether a name is a class of values (a dataclass, an enumeration, an error) or a constant, not something that acts."""
    found = getattr(importlib.import_module(module), name, None)
    if inspect.isclass(found):
        return dataclasses.is_dataclass(found) or issubclass(found, (enum.Enum, Exception))
    return found is not None and not callable(found) and not inspect.ismodule(found)


@pytest.mark.parametrize("folder", ["cli", "app"])
def test_window_and_command_line_import_the_public_face_and_plain_values(folder: str) -> None:
    for path in sorted((_ROOT / folder).rglob("*.py")):
        for module, name in _imports_of_core(path):
            is_base = module.startswith("fernshale.core.base.")
            assert is_base or _is_plain_value(module, name), (
                f"{path}: {name} of {module} acts; import it from fernshale.api"
            )
