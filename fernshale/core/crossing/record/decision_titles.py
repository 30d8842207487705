"""Titles of decisions: an item is no longer listed once it is decided."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.facts import Fact

_DECIDED = "decided: "
# Words for the options taken.
TAKEN_WORDS: Mapping[str, str] = {
    "mine": tr("yours kept"),
    "incoming": tr("the vendor's"),
    "both": tr("both, yours first"),
    "swapped": tr("both, the vendor's first"),
    "finer": tr("merged token by token"),
    "base": tr("as it was before"),
    "text": tr("written by hand"),
    "everywhere": tr("applied everywhere"),
    "file": tr("applied in one file"),
    "here": tr("applied at one place"),
    "noted": tr("right as it is"),
}


def _read(data: Any) -> Mapping[str, str]:
    return {str(key): str(words) for key, words in data.items()}


_NOTHING: Mapping[str, str] = {}
TITLES: Fact[Mapping[str, str]] = Fact("decision titles", _NOTHING, _read, dict)


def keep_titles(crossing: Crossing, titles: Mapping[str, str]) -> None:
    """Remember the titles of items, by the keys of their decisions."""
    known = crossing.read(TITLES)
    crossing.keep(TITLES, {**known, **titles})


def decision_words(crossing: Crossing) -> Mapping[str, tuple[str, str]]:
    """The title and the option of each decision, by key: from the titles kept, or from the logbook."""
    titles = crossing.read(TITLES)
    logbook = crossing.logbook()
    steps = {entry.id: entry.title for entry in logbook}
    notes = {entry.about: entry.title.removeprefix(_DECIDED) for entry in logbook if entry.title.startswith(_DECIDED)}
    return {key: _words(item, titles.get(key, ""), steps, notes) for key, item in crossing.decisions().items()}


def _words(item: Decision, title: str, steps: Mapping[int, str], notes: Mapping[str, str]) -> tuple[str, str]:
    taken = TAKEN_WORDS.get(item.choice, item.choice or tr("left as it is"))
    if not title and item.key in notes:
        title, mark, option = notes[item.key].rpartition(" · ")
        title, taken = (title, option) if mark else (option, taken)
    return title or steps.get(item.entry, "") or item.key, taken
