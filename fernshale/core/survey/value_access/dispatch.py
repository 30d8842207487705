"""Find a value by any kind of locator."""

from __future__ import annotations

import regex

from fernshale.core.base.errors import FormatError
from fernshale.core.base.parse_errors import Malformed
from fernshale.core.base.texts import tr
from fernshale.core.profile.model import Reach
from fernshale.core.survey.value_access.found_value import FoundValue

PATTERN_TIMEOUT_S = 2.0


def find_values(text: str, reach: Reach, path: str) -> tuple[FoundValue, ...]:
    """The values `reach` leads to in `text`, in order. `path` is for messages.

    Raises FormatError with the line when the file is broken, the reach cannot be followed or a pattern runs away.
    """
    found = _find_whole(text, reach, path)
    if not reach.part:
        return found
    return tuple(
        FoundValue(hit.text, value.start + hit.start, value.start + hit.end)
        for value in found
        for hit in _find_pattern(value.text, reach.part, path)
    )


def _find_whole(text: str, reach: Reach, path: str) -> tuple[FoundValue, ...]:
    match reach.syntax:
        case "json" | "toml" | "yaml":
            return _find_in_tree(text, reach, path)
        case "xml":
            from fernshale.core.survey.value_access.xml_values import find_xml

            return find_xml(text, reach.xml, path)
        case "ini" | "properties" as syntax:
            from fernshale.core.survey.value_access.ini_values import find_ini, find_property

            return tuple(find_ini(text, reach.ini) if syntax == "ini" else find_property(text, reach.properties))
        case "script" | "cmake" as syntax:
            from fernshale.core.survey.value_access.build_scripts import find_argument, find_assignment

            return tuple(
                find_assignment(text, reach.script) if syntax == "script" else find_argument(text, reach.cmake)
            )
        case _:
            return _find_pattern(text, reach.pattern, path)


def _find_in_tree(text: str, reach: Reach, path: str) -> tuple[FoundValue, ...]:
    from fernshale.core.survey.value_access.tree_formats import read_values
    from fernshale.core.survey.value_access.value_tree import follow_dotted, follow_pointer

    try:
        documents = read_values(text, reach.syntax)
    except Malformed as error:
        raise FormatError(path, [(error.line, error.what)]) from error
    if reach.toml:
        nodes = [node for document in documents for node in follow_dotted(document, reach.toml)]
    else:
        nodes = [node for document in documents for node in follow_pointer(document, reach.json or reach.yaml)]
    # Anchors can lead to one value by several paths.
    found = {node.value.start: node.value for node in nodes if node.kind != "map" and not node.unwritable}
    return tuple(found.values())


def _find_pattern(text: str, pattern: str, path: str) -> tuple[FoundValue, ...]:
    try:
        found = regex.finditer(pattern, text, timeout=PATTERN_TIMEOUT_S)
        return tuple(FoundValue(hit["value"], *hit.span("value")) for hit in found if hit["value"] is not None)
    except TimeoutError as error:
        raise FormatError(
            path, [(0, tr("the pattern {pattern!r} takes too long on this file", pattern=pattern))]
        ) from error
