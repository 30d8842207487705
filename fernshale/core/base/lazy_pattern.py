"""Regular expressions that are compiled when they are first used.

Compiling the several hundred patterns of the readers takes about a tenth of a second, which every command would pay at its start.
"""

from __future__ import annotations

import re
from typing import Any, AnyStr, Generic, cast


class _LazyPattern(Generic[AnyStr]):
    """Stands for a compiled pattern, and has its methods from the first use on."""

    def __init__(self, source: AnyStr, flags: int) -> None:
        self._source: AnyStr = source
        self._flags = flags
        self._compiled: re.Pattern[AnyStr] | None = None

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):  # asked for by copy and the like
            raise AttributeError(name)
        if self._compiled is None:
            self._compiled = re.compile(self._source, self._flags)
        found = getattr(self._compiled, name)
        setattr(self, name, found)
        return found


def lazy_pattern(source: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """The pattern of a source. A mistake in it is raised at the first use, as `re.error`."""
    return cast(re.Pattern[AnyStr], _LazyPattern(source, flags))
