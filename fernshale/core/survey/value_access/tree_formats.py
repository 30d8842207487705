"""The formats that are read as trees of values, with the newest texts kept, since several locators often ask for one file."""

from __future__ import annotations

from functools import lru_cache

from fernshale.core.survey.value_access.json_tree import read_json_values
from fernshale.core.survey.value_access.toml_tree import read_toml_values
from fernshale.core.survey.value_access.value_tree import ValueNode
from fernshale.core.survey.value_access.yaml_tree import read_yaml_values


@lru_cache(maxsize=8)
def read_values(text: str, syntax: str) -> tuple[ValueNode, ...]:
    """The documents of a JSON, TOML or YAML text. Raises Malformed."""
    match syntax:
        case "json":
            return (read_json_values(text),)
        case "toml":
            return (read_toml_values(text),)
        case _:
            return read_yaml_values(text)
