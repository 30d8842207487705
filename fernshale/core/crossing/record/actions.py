"""Actions as values, and the two texts under which an action is stored or typed: the key of its item and the id of its option.

Each stage declares its actions as frozen classes. The functions that carry them out are elsewhere.
"""

from __future__ import annotations

import re
import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields
from functools import cache
from typing import Any, ClassVar, Literal, get_args, get_origin, get_type_hints

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.stage import stage_of

_PLACE = lazy_pattern(r"\{(\w+)\}")


@dataclass(frozen=True, slots=True)
class Author:
    """The person who takes a decision and the reason ("" where none was given)."""

    who: str
    why: str = ""


@dataclass(frozen=True, slots=True)
class Action:
    """The action of an option, as a value.

    KEY and OPTION are the texts an action is stored under. `{field}` stands for the value of a field; of several fields in one
    text only the last may contain a colon.
    """

    KEY: ClassVar[str]
    OPTION: ClassVar[str]

    @property
    def key(self) -> str:
        """The key of the open item that the action resolves."""
        return self._filled(self.KEY)

    @property
    def option(self) -> str:
        """The id of the option that the action belongs to."""
        return self._filled(self.OPTION)

    def decision(self, author: Author) -> Decision:
        """The decision to carry out this action, with the current time."""
        text = getattr(self, "text", "")
        return Decision(self.key, stage_of(self.key), self.option, text, author.who, author.why, time.time())

    def _filled(self, template: str) -> str:
        return _PLACE.sub(lambda found: str(getattr(self, found[1])), template)


@dataclass(frozen=True, slots=True)
class Choose(Action):
    """Record that an option was chosen. No file changes now; later steps follow the decision.

    `words` names the item and the option in the logbook.
    """

    KEY = "{item}"
    OPTION = "{chosen}"
    item: str
    chosen: str
    text: str = ""
    words: str = field(default="", compare=False)


def read_action(kinds: Iterable[type[Action]], key: str, option: str, text: str = "") -> Action:
    """The action that is stored under `key` and `option`, of one of `kinds`; a `Choose` where none fits.

    `text` is text that a person wrote, for the actions that have such a field.
    """
    for kind in sorted(kinds, key=_generality):
        values = _parse(kind, key, option)
        if values is not None:
            return kind(**values, **({"text": text} if "text" in _hints(kind) else {}))
    return Choose(key, option, text)


def _generality(kind: type[Action]) -> tuple[int, int, int]:
    """Sort key: kinds with fewer fields in their texts first, then those with more fixed letters."""
    own = len(_PLACE.sub("", kind.KEY + kind.OPTION))
    return len(_PLACE.findall(kind.OPTION)), len(_PLACE.findall(kind.KEY)), -own


def _parse(kind: type[Action], key: str, option: str) -> Mapping[str, Any] | None:
    optional = frozenset(item.name for item in fields(kind) if item.default == "")
    in_key, in_option = (
        _pattern(text, optional).fullmatch(given) for text, given in ((kind.KEY, key), (kind.OPTION, option))
    )
    if in_key is None or in_option is None:
        return None
    hints = _hints(kind)
    values: dict[str, Any] = {}
    for name, text in (in_key.groupdict() | in_option.groupdict()).items():
        hint = hints[name]
        if hint is int:
            if not text.isdigit():
                return None
            values[name] = int(text)
        elif get_origin(hint) is Literal and text not in get_args(hint):
            return None
        else:
            values[name] = text
    return values


@cache
def _pattern(template: str, optional: frozenset[str]) -> re.Pattern[str]:
    parts = _PLACE.split(template)
    last = len(parts) - 2
    texts = [re.escape(part) for part in parts]
    for number in range(1, len(parts), 2):
        letters, many = "." if number == last else "[^:]", "*" if parts[number] in optional else "+"
        texts[number] = f"(?P<{parts[number]}>{letters}{many})"
    return re.compile("".join(texts), re.DOTALL)


def _hints(kind: type[Action]) -> dict[str, Any]:
    hints = get_type_hints(kind)
    return {item.name: hints[item.name] for item in fields(kind)}
