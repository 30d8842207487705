"""The lines of a merged file as they will be written, each with where it came from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.textfile import read_text, split_lines
from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.folder import FileMerge, FolderMerge, Side
from fernshale.core.merge.textmerge import Choice, weave
from fernshale.core.merge.threeway import line_keys, merge_lines

Source = Literal["same", "mine", "incoming", "both", "decide"]


@dataclass(frozen=True, slots=True)
class Line:
    """A line of the result; `due` is the decision it stands for or came from. A due one has no text."""

    text: str
    source: Source
    due: str = ""


def file_lines(merge: FolderMerge, file: FileMerge, choices: Mapping[str, Choice]) -> tuple[Line, ...]:
    """What will stand in the file; empty for one that goes, one line of words for one that is no text."""
    if file.text is not None:
        return tuple(Line(item.text, item.source.value, item.due) for item in weave(file.text, choices))
    takes: str = file.takes
    for due in file.decisions:
        if due.id in choices:
            takes = choices[due.id].take
    side, path = (merge.incoming, file.incoming) if takes == "incoming" else (merge.mine, file.mine)
    lines = _lines(side, path)
    if lines is None:
        return (Line("(this file is not text; it is taken as a whole)", "same"),) if path else ()
    old = _lines(merge.base, file.base)
    if old is None:
        return tuple(Line(text, "incoming" if takes == "incoming" else "mine") for text in lines)
    sources = _sources(old, lines, "incoming" if takes == "incoming" else "mine")
    return tuple(Line(text, source) for text, source in zip(lines, sources, strict=True))


def _sources(old: list[str], new: list[str], changed: Source) -> list[Source]:
    """Which lines of `new` stood in `old` already."""
    sources: list[Source] = []
    for region in merge_lines(line_keys(old), line_keys(new), line_keys(old)):
        kind: Source = "same" if region.kind.value == "same" else changed
        sources += [kind] * (region.mine[1] - region.mine[0])
    return sources


def _lines(side: Side, path: TreePath | None) -> list[str] | None:
    if path is None or side.entry(path) is None:
        return None
    text = read_text(side.read(path))
    return split_lines(text.text) if text is not None else None
