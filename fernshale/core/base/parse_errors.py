"""Parse JSON, TOML and YAML from outside: any library error becomes one error of ours, with the line if known."""

from __future__ import annotations

import json
import re
import tomllib
from itertools import accumulate
from typing import Any

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr

# Characters that indent a YAML block by one level: blanks, and list and key markers on one line.
_YAML_LEAD = lazy_pattern(r"(?:[-?:][ \t]+|[ \t])*(?:[-?:](?=\n|\Z))?")
_YAML_MARK = lazy_pattern(r"[-?:](?=[ \t\n]|\Z)")
_BRACKET = lazy_pattern(r"[\[\]{}]")
# The fast YAML reader keeps open blocks in a small fixed buffer without checking its bounds.
MAX_YAML_BLOCKS = 100
# A key of TOML with so many parts is no key of a settings file, and costs the square of its length.
_MAX_KEY_PARTS = 100
_LONG_KEY = lazy_pattern(rf"""(?:(?:[\w-]++|"[^"\n]*+"|'[^'\n]*+')[ \t]*+\.[ \t]*+){{{_MAX_KEY_PARTS}}}""")


# The tag of a whole document. Some tools declare its handle for the first document only, which YAML does not allow.
_DOCUMENT_TAG = lazy_pattern(r"(?m)^(?P<marker>---[ \t]+)(?P<tag>!\S*)")


class Malformed(ValueError):
    """The data is not well formed; `line` is 1-based, 0 where unknown."""

    def __init__(self, what: str, line: int = 0) -> None:
        super().__init__(what)
        self.what, self.line = what, line


def load_json(text: str) -> Any:
    """Raises Malformed."""
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        raise Malformed(
            tr("not valid JSON, column {colno}: {msg}", colno=error.colno, msg=error.msg), error.lineno
        ) from error
    except RecursionError as error:
        raise Malformed(tr("JSON that is nested too deep")) from error
    except ValueError as error:  # a number of thousands of digits
        raise Malformed(tr("not valid JSON: {error}", error=error)) from error


def load_toml(text: str) -> dict[str, Any]:
    """Raises Malformed."""
    if found := _LONG_KEY.search(text):
        raise Malformed(
            tr("a key of more than {max_key_parts} parts", max_key_parts=_MAX_KEY_PARTS),
            text.count("\n", 0, found.start()) + 1,
        )
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        at = re.search(r"at line (\d+)", str(error))
        raise Malformed(
            tr("not valid TOML: {error}", error=error), int(at[1]) if at else len(text.splitlines())
        ) from error
    except RecursionError as error:
        raise Malformed(tr("TOML that is nested too deep")) from error
    except ValueError as error:
        raise Malformed(tr("not valid TOML: {error}", error=error)) from error


def compose_yaml(text: str) -> list[Any]:
    """The documents of a YAML file as nodes with their marks; nothing of them is made into objects. Raises Malformed."""
    from ruamel.yaml.error import MarkedYAMLError, YAMLError

    if too_deep := yaml_is_too_deep(text):
        raise Malformed(tr("YAML that is nested too deep"), too_deep)
    loader: Any = yaml_loader()
    try:
        return list(loader.compose_all(_DOCUMENT_TAG.sub(_blank_tag, text)))
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        raise Malformed(tr("not valid YAML: {problem}", problem=error.problem), mark.line + 1 if mark else 0) from error
    except (YAMLError, RecursionError, ValueError, IndexError, TypeError, AttributeError) as error:
        said = str(error).splitlines()
        raise Malformed(tr("not valid YAML: {said}", said=said[0] if said else type(error).__name__)) from error


def _blank_tag(found: re.Match[str]) -> str:
    return found["marker"] + " " * len(found["tag"])


def yaml_loader() -> Any:
    """A loader for the YAML of strangers. An anchor that is used twice is valid YAML and no reason for a warning."""
    from ruamel.yaml import YAML

    loader: Any = YAML(typ="safe", pure=True)
    loader.composer.warn_double_anchors = False
    return loader


def yaml_is_too_deep(text: str) -> int:
    """The 1-based line at which blocks or brackets are nested deeper than any settings file is, 0 where none are."""
    blocks: list[int] = []
    brackets = 0
    for number, line in enumerate(text.split("\n"), 1):
        lead = _YAML_LEAD.match(line)
        inner = lead.end() if lead is not None else 0
        if inner < len(line):
            columns = [mark.start() for mark in _YAML_MARK.finditer(line, 0, inner)]
            first = columns[0] if columns else inner
            while blocks and blocks[-1] >= first:
                blocks.pop()
            blocks += [*columns, inner]
        opened, closed = line.count("[") + line.count("{"), line.count("]") + line.count("}")
        deepest = brackets + opened
        if deepest > MAX_YAML_BLOCKS:
            deepest = max(accumulate((1 if sign in "[{" else -1 for sign in _BRACKET.findall(line)), initial=brackets))
        brackets += opened - closed
        if len(blocks) > MAX_YAML_BLOCKS or deepest > MAX_YAML_BLOCKS:
            return number
    return 0
