"""How a release is written in one place, so that a newer one can be written there in the same way.

A place may put a word before the number, use underscores, or write fewer or more zeros: `v5.0`, `5_0`, `5.0.0`.
"""

from __future__ import annotations

import re

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.release import ReleaseNumber, parse_release
from fernshale.core.base.texts import tr

_WRITTEN = lazy_pattern(r"(?P<prefix>[A-Za-z][A-Za-z_-]*?[-_ ]?)?(?P<numbers>\d+(?:[._]\d+)*)(?P<rest>.*)", re.DOTALL)


def read_written(text: str) -> ReleaseNumber | None:
    """The release that a text spells in any notation; None for what spells none."""
    found = _WRITTEN.fullmatch(text.strip())
    if found is None:
        return None
    try:
        return parse_release(found["numbers"].replace("_", ".") + found["rest"])
    except MisuseError:
        return None


def is_series_of(short: ReleaseNumber, whole: ReleaseNumber) -> bool:
    """Whether a release is the first numbers of another, as 2.6 is of 2.6.3."""
    parts = short.parts
    return len(parts) < len(whole.parts) and whole.parts[: len(parts)] == parts and not short.is_preview


def written_like(text: str, release: str) -> str:
    """`release` in the notation of `text`: its prefix, its separator, and its number of zeros.

    No number but a zero at the end is ever left out. Raises MisuseError when `text` spells no release.
    """
    numbers, rest = _parts_of(release)
    wanted = len(_parts_of(text)[0])
    while len(numbers) > wanted and numbers[-1] == "0":
        numbers.pop()
    numbers += ["0"] * (wanted - len(numbers))
    return _joined(text, numbers, rest)


def series_like(text: str, release: str) -> str:
    """The first numbers of `release`, as many as `text` has, in its notation. Raises MisuseError."""
    numbers, _ = _parts_of(release)
    wanted = len(_parts_of(text)[0])
    return _joined(text, [*numbers, *["0"] * wanted][:wanted], "")


def _parts_of(text: str) -> tuple[list[str], str]:
    found = _WRITTEN.fullmatch(text.strip())
    if found is None:
        raise MisuseError(tr("{words!r} is not a release number", words=text))
    return re.split(r"[._]", found["numbers"]), found["rest"]


def _joined(text: str, numbers: list[str], rest: str) -> str:
    found = _WRITTEN.fullmatch(text.strip())
    assert found is not None  # _parts_of has read it
    separator = "_" if "_" in found["numbers"] else "."
    return (found["prefix"] or "") + separator.join(numbers) + rest
