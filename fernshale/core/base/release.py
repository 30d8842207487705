"""Release numbers: parse, compare, print.

A release is numbers separated by dots, optionally followed by suffixes: `3.0.2`, `2026.4`, `3.2.0-pre1`, `1.0rc2`,
`1!2.0.post3`, `2026-04-11`. The order is that of PEP 440 ("Version Identification and Dependency Specification"), and where it
does not apply that of Semantic Versioning 2.0.0, section 11, extended to any count of numbers: development builds come first,
then previews by word and number, then the release, then published ones with a suffix such as `f1` or `lts`, then its revisions.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache, total_ordering

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr

_SHAPE = lazy_pattern(
    r"^[vV]?(?:(?P<epoch>\d+)!)?(?P<numbers>\d+(?:\.\d+)*|\d{4}(?:-\d\d){1,2})"
    r"(?:[-._]?(?P<mark>[A-Za-z][0-9A-Za-z._-]*|(?<=-)\d+))?(?:\+[0-9A-Za-z._-]+)?$"
)
# Longer than any release number is written.
_MAX_LENGTH = 200
# One word for each suffix with several spellings, so that 1.0c1, 1.0-pre1 and 1.0rc1 are equal.
_WORDS = {"a": "alpha", "b": "beta", "c": "rc", "pre": "rc", "preview": "rc"}
_REVISIONS = ("post", "rev", "r")
# Suffixes of published releases, which are newer than the plain number: 2031.2.4f1, 1.2-final, 3.0-lts, 2.1p3.
_PUBLISHED = frozenset(("f", "final", "ga", "lts", "p", "patch", "sp", "hotfix", "fix"))
# Classes of suffixes in order. The empty class in the middle is the release itself.
_DEV, _BEFORE, _END, _AFTER, _REVISION = range(5)

ReleaseMark = tuple[int, str, int]


@total_ordering
@dataclass(frozen=True, slots=True)
class ReleaseNumber:
    """`parts` are the numbers as written, `numbers` are those without trailing zeros, so that 3.0 and 3.0.0 are equal."""

    text: str
    parts: tuple[int, ...]
    numbers: tuple[int, ...]
    marks: tuple[ReleaseMark, ...]
    epoch: int = 0

    @property
    def is_preview(self) -> bool:
        """Whether this is a preview, ordered before the release it is named after."""
        return self.marks[0][0] in (_DEV, _BEFORE)

    @property
    def is_revision(self) -> bool:
        """Whether this is a revision, ordered after the release it is named after."""
        return self.marks[0][0] == _REVISION

    def _key(self) -> tuple[int, tuple[int, ...], tuple[ReleaseMark, ...]]:
        return (self.epoch, self.numbers, self.marks)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, ReleaseNumber) and self._key() == other._key()

    def __lt__(self, other: ReleaseNumber) -> bool:
        return self._key() < other._key()

    def __hash__(self) -> int:
        return hash(self._key())

    def __str__(self) -> str:
        return self.text


@lru_cache(maxsize=8192)
def parse_release(text: str) -> ReleaseNumber:
    """Raises MisuseError when `text` is no release number."""
    if len(text) > _MAX_LENGTH:
        raise MisuseError(
            tr("{words!r}… is too long for a release number: {number:,} characters", words=text[:40], number=len(text))
        )
    found = _SHAPE.match(text.strip())
    if found is None or (found["mark"] or "").lower() == "x":  # 3.x is a wildcard, not a release
        raise MisuseError(
            tr("{words!r} is not a release number", words=text), tr("Numbers between dots, as 3.0.2 or 3.2.0-pre1.")
        )
    parts = tuple(int(part) for part in re.split(r"[.-]", found["numbers"]))
    return ReleaseNumber(
        text.strip(), parts, trimmed(parts), tuple(_marks(found["mark"] or "")), int(found["epoch"] or 0)
    )


def has_usual_preview(release: ReleaseNumber) -> bool:
    """Whether the suffix of a preview is one of the usual words, and not one whose meaning only its vendor knows."""
    return release.marks[0][1] in ("", "alpha", "beta", "rc") or release.marks[0][0] == _DEV


def release_of(numbers: tuple[int, ...], epoch: int = 0) -> ReleaseNumber:
    """The proper release of these numbers."""
    return parse_release((f"{epoch}!" if epoch else "") + ".".join(map(str, numbers)))


def is_release(text: str) -> bool:
    """Whether `text` reads as a release number."""
    try:
        parse_release(text)
    except MisuseError:
        return False
    return True


def same_release(left: str, right: str) -> bool:
    """Whether two texts name one release; texts that are no release numbers must be equal."""
    return left == right or (is_release(left) and is_release(right) and parse_release(left) == parse_release(right))


def trimmed(parts: tuple[int, ...]) -> tuple[int, ...]:
    """Numbers without trailing zeros, at least one."""
    end = len(parts)
    while end > 1 and parts[end - 1] == 0:
        end -= 1
    return parts[:end]


def _marks(text: str) -> list[ReleaseMark]:
    marks: list[ReleaseMark] = []
    words = re.findall(r"[A-Za-z]+|\d+", text)
    while words:
        word = words.pop(0)
        if word.isdigit():
            # A separate number, such as the 2 of alpha.1.2; numbers come before words (Semantic Versioning).
            marks.append((_AFTER if marks else _BEFORE, "", int(word)))
        else:
            number = int(words.pop(0)) if words and words[0].isdigit() else 0
            marks.append(_mark(word.lower(), number, is_first=not marks))
    return [*marks, (_END, "", 0)]


def _mark(word: str, number: int, is_first: bool) -> ReleaseMark:
    if word == "dev":
        return (_DEV, "", number)
    if word in _REVISIONS:
        return (_REVISION, "", number)
    is_before = is_first and word not in _PUBLISHED
    return (_BEFORE if is_before else _AFTER, _WORDS.get(word, word), number)
