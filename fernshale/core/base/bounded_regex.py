"""Regular expressions from users, with bounds on their length and run time.

The time limit applies to a whole log or file (`Budget`), not to each line.
"""

from __future__ import annotations

import time

import regex

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.limits import NAME, limits
from fernshale.core.base.texts import tr

# Time limit of a single search that has no budget, seconds.
LIMIT_S = 2.0


class RunsAway(MisuseError):
    """A pattern takes too long; `pattern` is its text."""

    def __init__(self, pattern: str, text: str) -> None:
        self.pattern = pattern
        super().__init__(
            tr("the pattern {pattern!r} takes too long on “{words}”", pattern=_shown(pattern), words=_shown(text)),
            tr(
                "Repetitions inside repetitions are the usual cause, as in (a+)+; `fernshale profile "
                "check` finds them. A longer time can be given as pattern_seconds in {name}.",
                name=NAME,
            ),
        )


class Budget:
    """The time that patterns may spend on one log or file together."""

    def __init__(self) -> None:
        self.left_s = limits().pattern_seconds

    def search(self, pattern: regex.Pattern[str], text: str) -> regex.Match[str] | None:
        """The first place `pattern` fits. Raises RunsAway when the time is used up."""
        started = time.perf_counter()
        try:
            return pattern.search(text, timeout=max(self.left_s, 0.001))
        except TimeoutError as error:
            raise RunsAway(pattern.pattern, text) from error
        finally:
            self.left_s -= time.perf_counter() - started

    def remove(self, pattern: regex.Pattern[str], text: str) -> str:
        """Return `text` without the matches of `pattern`. Raises RunsAway when the time is used up."""
        started = time.perf_counter()
        try:
            return str(pattern.sub("", text, timeout=max(self.left_s, 0.001)))
        except TimeoutError as error:
            raise RunsAway(pattern.pattern, text) from error
        finally:
            self.left_s -= time.perf_counter() - started


def search(pattern: str, text: str) -> regex.Match[str] | None:
    """The first place `pattern` fits, `^` and `$` at each line. Raises RunsAway."""
    try:
        return regex.search(pattern, text, flags=regex.MULTILINE, timeout=LIMIT_S)
    except TimeoutError as error:
        raise RunsAway(pattern, text) from error


def pattern_trouble(pattern: str) -> str:
    """Return why a regular expression cannot be used; "" if it can."""
    longest = limits().pattern_length
    if len(pattern) > longest:
        return tr(
            "a regular expression of {number:,} characters; at most {longest:,} are read (pattern_length in {name})",
            number=len(pattern),
            longest=longest,
            name=NAME,
        )
    try:
        regex.compile(pattern)
    except (regex.error, RecursionError, OverflowError, MemoryError, ValueError) as error:
        return tr("bad regular expression {shown!r}: {error}", shown=_shown(pattern), error=error)
    return ""


def _shown(text: str) -> str:
    """The beginning of a text, on one line."""
    return " ".join(text[:60].split()) + ("…" if len(text) > 60 else "")
