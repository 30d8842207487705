"""Texts for people, in their language.

The program is written in English. Every text that the window shows is the argument of `tr`, or a noun of `count`; the window
installs a function that knows translations before anything else is imported, so that tables of texts at the head of a module are
translated too. Texts for machines do not go through here: keys, patterns, JSON, what is written into a project.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from typing import Any

# From a text, and the number that chooses its plural form (-1 for none), to its translation; "" where there is none.
Translate = Callable[[str, int], str]

_NO_NUMBER = -1
_translate: Translate | None = None


class _Translated(str):
    """A translated text that knows what it says in English, also after another text was added to it."""

    __slots__ = ("english",)
    english: str

    def __add__(self, other: str) -> str:
        return _translated(str(self) + str(other), self.english + english_of(other))


def _translated(text: str, english: str) -> str:
    made = _Translated(text)
    made.english = english
    return made


def english_of(text: str) -> str:
    """The English words of what `tr` returned: ids that are made from words must not depend on the language."""
    return text.english if isinstance(text, _Translated) else text


def use_translations(translate: Translate | None) -> None:
    """Translate all texts from now on; None for English."""
    global _translate
    _translate = translate


def tr(text: str, /, **values: object) -> str:
    """`text` in the user's language, its `{name}` filled with `values` as by `str.format`.

    A translation whose places do not fit the values is not used: a mistake of a translator must not stop the program.
    """
    english = text.format(**values) if values else text
    if _translate is not None and (translated := _translate(text, _NO_NUMBER)):
        with suppress(LookupError, ValueError, AttributeError, TypeError):
            return _translated(translated.format(**values) if values else translated, english)
    return english


def and_list(names: Iterable[str]) -> str:
    """Names with "and" between them."""
    return tr(" and ").join(names)


def tr_parts(text: str, /, **values: str) -> list[tuple[str, str]]:
    """Like `tr`, cut at its places: each part with the name of its place, "" for the words between."""
    translated = _translate(text, _NO_NUMBER) if _translate is not None else ""
    for template in (translated, text):
        cuts = re.split(r"\{(\w+)\}", template)
        if set(cuts[1::2]) == set(values):
            return [(cut, values[cut]) if at % 2 else ("", cut) for at, cut in enumerate(cuts) if at % 2 or cut]
    raise ValueError(f"the places of {text!r} are not {', '.join(values)}")


def marked(text: str) -> str:
    """`text` as it is, for tables that also work as keys; `tr_marked` translates it where it is shown."""
    return text


def tr_marked(text: str, /, **values: object) -> str:
    """Like `tr`, for a text that is written elsewhere: in `marked`, or as a value of a type whose values people see."""
    return tr(text, **values)


# Sentences that were made by `english` in this process or read with what they were kept in: the text and its values.
Origins = dict[str, tuple[str, dict[str, str | int | float]]]
_origins: Origins = {}


def english(text: str, /, **values: str | int | float) -> str:
    """A sentence in English, for what is kept for all languages; `tr_kept` translates it where it is shown."""
    english = text.format(**values) if values else text
    if _translate is not None:
        _origins[english] = text, values
    return english


def tr_kept(sentence: str) -> str:
    """A sentence that `english` made, or several with semicolons between, in the user's language; others as they are."""
    if _translate is None:
        return sentence
    if (origin := _origins.get(sentence)) is not None:
        text, values = origin
        return tr_marked(
            text, **{name: tr_kept(item) if isinstance(item, str) else item for name, item in values.items()}
        )
    parts = sentence.split("; ")
    return "; ".join(map(tr_kept, parts)) if len(parts) > 1 else sentence


def keeps_origins() -> bool:
    """Whether the window speaks another language than English, so that what is kept needs the origins of its sentences."""
    return _translate is not None


def origins_of(sentences: Iterable[str]) -> Origins:
    """The origins of some sentences and of those inside them, to be kept with them."""
    found: Origins = {}
    todo = list(sentences)
    while todo:
        sentence = todo.pop()
        if sentence not in found and (origin := _origins.get(sentence)) is not None:
            found[sentence] = origin
            todo += [value for value in origin[1].values() if isinstance(value, str)]
        elif "; " in sentence and sentence not in found:
            todo += sentence.split("; ")
    return found


def add_origins(origins: Mapping[str, Sequence[Any]]) -> None:
    """Know the origins of sentences that were read."""
    _origins.update({sentence: (text, dict(values)) for sentence, (text, values) in origins.items()})


def noun(number: int, one: str, many: str = "") -> str:
    """The noun of `count` alone, for a number that is shown apart from it."""
    if _translate is not None and (translated := _translate(f"%n {one}", abs(number))):
        return translated.replace("%n", "").strip()
    return one if number == 1 else many or one + "s"


def count(number: int, one: str, many: str = "") -> str:
    """`number` with its noun, in the plural form that the number asks for. `many` is `one` with an s if it is not given."""
    if _translate is not None and (translated := _translate(f"%n {one}", abs(number))):
        return translated.replace("%n", str(number))
    return f"{number} {noun(number, one, many)}"
