"""The arguments that the commands declare are those that their handlers read."""

from __future__ import annotations

import argparse
import ast
import importlib
from collections.abc import Iterator
from pathlib import Path

import pytest

import fernshale.cli
from fernshale.cli.arguments import build_parser
from fernshale.cli.main import _with_current_names

_FOLDER = Path(fernshale.cli.__file__).parent


def _parsers(parser: argparse.ArgumentParser) -> Iterator[argparse.ArgumentParser]:
    yield parser
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for inner in action.choices.values():
                yield from _parsers(inner)


def test_every_option_that_is_read_is_declared() -> None:
    declared = {action.dest for parser in _parsers(build_parser()) for action in parser._actions} | {"handler"}
    read = {
        (path.name, node.attr)
        for path in _FOLDER.glob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id == "options"
    }
    assert read and not {(name, attribute) for name, attribute in read if attribute not in declared}


def test_every_command_has_a_handler() -> None:
    handlers = {parser.get_default("handler") for parser in _parsers(build_parser())} - {None}
    assert len(handlers) > 20
    for module, name in handlers:
        assert callable(getattr(importlib.import_module(f"fernshale.cli.{module}"), name))


@pytest.mark.parametrize(
    ("written", "current"),
    [
        ("carry P --from F x", "import P --from F x"),
        ("snapshot forget ID", "snapshot delete ID"),
        ("report P --way=f", "report P --playbook=f"),
        ("cross P --way f", "cross P --playbook f"),
        ("build P --sure 0.8", "build P --automatic-from 0.8"),
        ("route P --beside D", "route P --copy-to D"),
        ("fix forget carry", "fix forget carry"),
        ("decide P K -- --way", "decide P K -- --way"),
    ],
)
def test_former_names_still_work(written: str, current: str) -> None:
    assert _with_current_names(written.split()) == current.split()
