"""Regular expressions that users write: searched with a time limit, so that one that runs away ends with a word."""

from __future__ import annotations

import regex

from fernshale.core.base.errors import MisuseError

LIMIT_S = 2.0


class RunsAway(MisuseError):
    """A pattern that takes too long; `pattern` is the one."""

    def __init__(self, pattern: str, text: str) -> None:
        self.pattern = pattern
        shown = " ".join(text[:60].split()) + ("…" if len(text) > 60 else "")
        super().__init__(
            f"the pattern {pattern!r} takes too long on “{shown}”",
            "Repetitions inside repetitions are the usual cause, as in (a+)+; `fernshale profile check` finds them.",
        )


def search(pattern: str, text: str) -> regex.Match[str] | None:
    """The first place `pattern` fits, `^` and `$` at each line. Raises RunsAway."""
    try:
        return regex.search(pattern, text, flags=regex.MULTILINE, timeout=LIMIT_S)
    except TimeoutError as error:
        raise RunsAway(pattern, text) from error


def remove(pattern: str, text: str) -> str:
    """`text` without what `pattern` fits. Raises RunsAway."""
    try:
        return str(regex.sub(pattern, "", text, timeout=LIMIT_S))
    except TimeoutError as error:
        raise RunsAway(pattern, text) from error
