"""The lines of a merged file as they will be written, each with its source."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.align import align_lines
from fernshale.core.merge.folder_merge import FileMerge, FolderMerge, FolderSide
from fernshale.core.merge.line_merge import RegionKind
from fernshale.core.merge.merge_result import takes_of
from fernshale.core.merge.text_merge import Resolution
from fernshale.core.merge.text_style import read_lines

LineSource = Literal["same", "mine", "incoming", "both", "decide"]
_SOURCES: Mapping[RegionKind, LineSource] = {kind: kind.value for kind in RegionKind}


class MergedLine(NamedTuple):
    """A line of the result without its end; `conflict` is the id of the conflict that it represents or came from. (A tuple,
    since long files have many thousands.)"""

    text: str
    source: LineSource
    conflict: str = ""
    is_line: bool = True


def file_lines(merge: FolderMerge, file: FileMerge, choices: Mapping[str, Resolution]) -> tuple[MergedLine, ...]:
    """The lines of the file to be written; none for a file that is removed, one line of words for a binary file."""
    if file.merge is not None:
        woven = file.merge.weave(choices)
        return tuple(MergedLine(item.text, _SOURCES[item.source], item.conflict, item.is_line) for item in woven)
    takes: LineSource = "incoming" if takes_of(file, choices) == "incoming" else "mine"
    side, path = (merge.incoming, file.incoming) if takes == "incoming" else (merge.mine, file.mine)
    lines = _lines(side, path)
    if lines is None:
        return (MergedLine(tr("(this file is not text; it is used as a whole)"), "same"),) if path else ()
    old = _lines(merge.base, file.base)
    sources: list[LineSource] = [takes if old is None else "same"] * len(lines)
    for hunk in align_lines(old, lines) if old is not None else ():
        sources[slice(*hunk.new)] = [takes] * (hunk.new[1] - hunk.new[0])
    return tuple(MergedLine(text, source) for text, source in zip(lines, sources, strict=True))


def _lines(side: FolderSide, path: TreePath | None) -> tuple[str, ...] | None:
    text = side.text(path)
    return read_lines(text.text).lines if text is not None else None
