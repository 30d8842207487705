"""Parse a complete log. Long logs repeat themselves, and only new lines are parsed one by one."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from fernshale.core.base.work import many_values
from fernshale.core.build.diagnostics import Diagnostic, Note, macro_use, merge_repeats
from fernshale.core.build.reading.implied_errors import with_implied_errors
from fernshale.core.build.reading.joined_errors import each_alone
from fernshale.core.build.reading.line_patterns import read_usual
from fernshale.core.build.reading.line_reader import (
    Reader,
    has_all,
    is_chain,
    is_worth,
    read_diagnostics,
    read_include_chain,
)
from fernshale.core.build.reading.log_lines import Hits, LogLines
from fernshale.core.build.reading.prefixes import Folders
from fernshale.core.profile.model import DiagnosticPattern

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# A log shorter than this is read line by line in less than a second.
_LONG = 1 << 20
_BLANK = (" ", "\t", "")
_SEVERITY_WORDS = (": error: ", ": warning: ", ": note: ", ": fatal error: ")


def read_log(data: bytes, patterns: Sequence[DiagnosticPattern]) -> tuple[Diagnostic, ...]:
    """Return all diagnostics of a log, equal to those of `read_diagnostics`.

    Each distinct line is examined once. The first line of a usual diagnostic is parsed at its first occurrence, and its
    surroundings there count for all occurrences, unless it is in the code of a macro, which has many uses; all other relevant
    lines are passed to the line parser.
    """
    if len(data) < _LONG or patterns:
        return read_diagnostics(_decode(data).split("\n"), patterns)
    with many_values():
        lines = LogLines(data)
        kinds = _kinds_of(lines.different())
        hits = lines.find([*kinds.heads, *kinds.others, *kinds.folders])
        log = _Log(lines, kinds, hits, hits.numbers.tolist(), _in_macros(lines, kinds, hits))
        reader = Reader(())
        found: list[Diagnostic] = []
        for start, end in _sections(log):
            found += _read_section(log, start, end, reader)
        found += reader.finish()
        return with_implied_errors(merge_repeats(each_alone(found)))


@dataclass(frozen=True, slots=True)
class _Kinds:
    """The kinds of lines: first lines with their diagnostics, notes, chains, and lines for the line parser."""

    heads: dict[bytes, Diagnostic]
    notes: dict[bytes, Note]
    chains: frozenset[bytes]
    others: frozenset[bytes]
    folders: frozenset[bytes]


@dataclass(frozen=True, slots=True)
class _Log:
    """A log with the kinds of its lines, and the positions of first lines and of lines for the parser; `numbers` belong to
    `hits`, and so does `in_macro`: whether notes on the use of a macro follow."""

    lines: LogLines
    kinds: _Kinds
    hits: Hits
    numbers: Sequence[int]
    in_macro: NDArray[np.bool_]


def _kinds_of(lines: set[bytes]) -> _Kinds:
    heads: dict[bytes, Diagnostic] = {}
    notes: dict[bytes, Note] = {}
    chains: set[bytes] = set()
    others: set[bytes] = set()
    folders: set[bytes] = set()
    for line in lines:
        text = _decode(line)
        usual = read_usual(text, "") if text[:1] not in _BLANK else None
        if usual is not None and sum(map(text.count, _SEVERITY_WORDS)) == 1:
            if usual.severity == "note":
                notes[line] = Note(usual.place, usual.message)
            elif has_all(usual):
                heads[line] = usual
            else:
                others.add(line)
        elif text[:1] == " " and not is_worth(text):
            continue
        elif is_chain(text):
            chains.add(line)
        elif usual is not None or is_worth(text):
            (folders if Folders().feed(text) else others).add(line)
    return _Kinds(heads, notes, frozenset(chains), frozenset(others), frozenset(folders))


def _in_macros(lines: LogLines, kinds: _Kinds, hits: Hits) -> NDArray[np.bool_]:
    """Return for each hit whether notes on the use of a macro follow it."""
    import numpy as np

    uses = lines.find([line for line, note in kinds.notes.items() if macro_use(note)])
    heads = np.searchsorted(hits.numbers, uses.numbers, "right") - 1
    found = np.zeros(len(hits.numbers), np.bool_)
    found[heads[heads >= 0]] = True
    return found


def _sections(log: _Log) -> Iterator[tuple[int, int]]:
    """Yield spans of lines with one working directory; each but the first starts with the line that changes it."""
    first_folder = len(log.kinds.heads) + len(log.kinds.others)
    cuts = [at for at in log.hits.numbers[log.hits.which >= first_folder].tolist() if at]
    yield from zip([0, *cuts], [*cuts, len(log.lines)], strict=True)


def _read_section(log: _Log, start: int, end: int, reader: Reader) -> list[Diagnostic]:
    import numpy as np

    lines, kinds, numbers = log.lines, log.kinds, log.numbers
    found: list[Diagnostic] = []
    is_told = lines.line(start) in kinds.folders
    if is_told:
        found += reader.feed(_decode(lines.line(start)))
    begin, stop = bisect_left(numbers, start) + is_told, bisect_left(numbers, end)
    which = log.hits.which[begin:stop]
    in_macro = log.in_macro[begin:stop]
    outside = np.flatnonzero(~in_macro)
    texts, first, times = np.unique(which[outside], return_index=True, return_counts=True)
    counts = dict(zip(texts.tolist(), times.tolist(), strict=True))
    # Each first line at its first occurrence, or at all in the code of a macro, and every line for the parser.
    others = np.flatnonzero((which >= len(kinds.heads)) | in_macro)
    fed = start
    for index in np.union1d(outside[first], others).tolist():
        number, text = begin + index + 1, which[index]
        count = 1 if in_macro[index] else counts[text]
        at, until = numbers[number - 1], numbers[number] if number < stop else end
        if at < fed:
            continue
        chain_start = _chain_start(log, at, start)
        line = log.hits.texts[text]
        head = kinds.heads.get(line)
        if head is None or reader.is_busy:
            # Multi-line diagnostics may contain lines that look like first lines.
            chain_start = max(fed, chain_start - 1)
            if chain_start > fed:
                # Repeated first lines were skipped here: the first of them ends the diagnostic before.
                found += reader.close()
            found += _feed(reader, lines.between(chain_start, until))
            while reader.is_busy and until < end:
                number += 1
                chain_start, until = until, numbers[number] if number < stop else end
                found += _feed(reader, lines.between(chain_start, until))
            fed = until
            continue
        found += reader.close()
        # A chain that ends just before the next first line leads to that.
        below = lines.between(at + 1, max(at + 1, _chain_start(log, until, start)))
        notes = [line for line in below if line in kinds.notes or line in kinds.chains]
        if not reader.folder and kinds.chains.isdisjoint(notes):
            noted = [kinds.notes[line] for line in notes]
            found.append(_put_together(head, lines.between(chain_start, at), noted, count))
            continue
        found += _feed(reader, [*lines.between(chain_start, at + 1), *notes])
        read = reader.close()
        found += read[:-1]
        found += [replace(item, count=count) for item in read[-1:]]
    return found


def _put_together(head: Diagnostic, chain: Sequence[bytes], notes: Sequence[Note], count: int) -> Diagnostic:
    """Build the diagnostic that the line parser would return for a first line with its chain and notes, without other lines
    between."""
    places = [read_include_chain(_decode(line)) for line in chain]
    included = tuple(place for kind, place in places if place is not None and kind == "included")
    required = tuple(place for kind, place in places if place is not None and kind == "required")
    if not (notes or included or required or count > 1):
        return head
    said = head.place, head.severity, head.code, head.message, head.tool
    return Diagnostic(*said, tuple(notes), required, included, count)


def _chain_start(log: _Log, at: int, first: int) -> int:
    """Where the including files and instantiations that lead to the head at `at` begin, not before `first`."""
    while at > first and log.lines.line(at - 1) in log.kinds.chains:
        at -= 1
    return at


def _feed(reader: Reader, lines: Sequence[bytes]) -> list[Diagnostic]:
    return [item for line in lines for item in reader.feed(_decode(line))]


def _decode(data: bytes) -> str:
    return data.decode("utf-8", "replace")
