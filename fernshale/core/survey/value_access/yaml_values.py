"""Values in YAML by JSON pointer. The composer gives positions, so comments and styles stay unchanged."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fernshale.core.base.errors import FormatError
from fernshale.core.base.parse_errors import Malformed, compose_yaml
from fernshale.core.survey.value_access.found_value import FoundValue

if TYPE_CHECKING:
    from ruamel.yaml.nodes import Node


def find_yaml(text: str, pointer: str, path: str) -> tuple[FoundValue, ...]:
    """The scalar at `pointer` in each document of `text`. Raises FormatError with the line."""
    try:
        documents = compose_yaml(text)
    except Malformed as error:
        raise FormatError(path, [(error.line, error.what)]) from error
    found = (_follow(document, pointer) for document in documents)
    return tuple(value for node in found if node is not None and (value := _scalar(text, node)) is not None)


def _follow(node: Node | None, pointer: str) -> Node | None:
    from ruamel.yaml.nodes import MappingNode, SequenceNode

    for part in pointer.lstrip("/").split("/"):
        name = part.replace("~1", "/").replace("~0", "~")
        if isinstance(node, MappingNode):
            node = next((value for key, value in node.value if key.value == name), None)
        elif isinstance(node, SequenceNode) and name.isdigit() and int(name) < len(node.value):
            node = node.value[int(name)]
        else:
            return None
    return node


def _scalar(text: str, node: Node) -> FoundValue | None:
    from ruamel.yaml.nodes import ScalarNode

    # A block scalar has no span that could hold a plain value.
    if not isinstance(node, ScalarNode) or node.style in ("|", ">"):
        return None
    quotes = 1 if node.style in ("'", '"') else 0
    start, end = node.start_mark.index + quotes, node.end_mark.index - quotes
    return FoundValue(text[start:end], start, end)
