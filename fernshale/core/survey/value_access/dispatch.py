"""Find a value by any kind of locator."""

from __future__ import annotations

import regex

from fernshale.core.base.errors import FormatError
from fernshale.core.profile.model import Reach
from fernshale.core.survey.value_access.found_value import FoundValue

PATTERN_TIMEOUT_S = 2.0


def find_values(text: str, reach: Reach, path: str) -> tuple[FoundValue, ...]:
    """The values `reach` leads to in `text`, in order. `path` is for messages.

    Raises FormatError with the line when the file is broken, the reach cannot be followed or a pattern runs away.
    """
    match reach.syntax:
        case "json":
            from fernshale.core.survey.value_access.json_and_toml import find_json

            return find_json(text, reach.json, path)
        case "toml":
            from fernshale.core.survey.value_access.json_and_toml import find_toml

            return find_toml(text, reach.toml, path)
        case "yaml":
            from fernshale.core.survey.value_access.yaml_values import find_yaml

            return find_yaml(text, reach.yaml, path)
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


def _find_pattern(text: str, pattern: str, path: str) -> tuple[FoundValue, ...]:
    try:
        found = regex.finditer(pattern, text, timeout=PATTERN_TIMEOUT_S)
        return tuple(FoundValue(hit["value"], *hit.span("value")) for hit in found if hit["value"] is not None)
    except TimeoutError as error:
        raise FormatError(path, [(0, f"the pattern {pattern!r} takes too long on this file")]) from error
