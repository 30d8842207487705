"""Read a whole log at once. A long one repeats itself, and only what is new in it is read line by line."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import compress

from fernshale.core.base.work import many_values
from fernshale.core.build.diagnostics import Diagnostic, Note, merge_repeats
from fernshale.core.build.reading.heads import read_usual
from fernshale.core.build.reading.reader import Reader, has_all, is_chain, is_worth, read_diagnostics, read_way
from fernshale.core.build.reading.wrappers import Folders
from fernshale.core.profile.model import DiagnosticPattern

# A log shorter than this is read line by line in less than a second.
_LONG = 1 << 20
_BLANK = (" ", "\t", "")
_SAID = (": error: ", ": warning: ", ": note: ", ": fatal error: ")


def read_log(data: bytes, patterns: Sequence[DiagnosticPattern]) -> tuple[Diagnostic, ...]:
    """All diagnostics of a log, as `read_diagnostics` gives them.

    Each different line is looked at once, which tells the lines that matter. A head of the usual shape is read where it
    comes first, and what stands round it there counts for all; every other line of account goes to the reader.
    """
    if len(data) < _LONG or patterns:
        return read_diagnostics(_decode(data).split("\n"), patterns)
    with many_values():
        lines = data.split(b"\n")
        kinds = _look(set(lines))
        reader = Reader(())
        found: list[Diagnostic] = []
        for start, end in _sections(lines, kinds):
            found += _read_section(lines[start:end], kinds, reader)
        found += reader.finish()
        return merge_repeats(found)


@dataclass(frozen=True, slots=True)
class _Kinds:
    """What lines are: heads of the usual shape with their diagnostics, notes, ways to a head, and lines for the reader."""

    heads: dict[bytes, Diagnostic]
    notes: dict[bytes, Note]
    chains: frozenset[bytes]
    others: frozenset[bytes]
    folders: frozenset[bytes]


def _look(lines: set[bytes]) -> _Kinds:
    heads: dict[bytes, Diagnostic] = {}
    notes: dict[bytes, Note] = {}
    chains: set[bytes] = set()
    others: set[bytes] = set()
    folders: set[bytes] = set()
    for line in lines:
        text = _decode(line)
        usual = read_usual(text, "") if text[:1] not in _BLANK else None
        if usual is not None and sum(map(text.count, _SAID)) == 1:
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


def _sections(lines: Sequence[bytes], kinds: _Kinds) -> Iterator[tuple[int, int]]:
    """Spans of lines in which the tools work in one folder; each but the first begins with the line that says so."""
    if not kinds.folders:
        yield 0, len(lines)
        return
    cuts = [at for at in compress(range(len(lines)), map(kinds.folders.__contains__, lines)) if at]
    yield from zip([0, *cuts], [*cuts, len(lines)], strict=True)


def _read_section(lines: Sequence[bytes], kinds: _Kinds, reader: Reader) -> list[Diagnostic]:
    heads = list(compress(range(len(lines)), map(kinds.heads.__contains__, lines)))
    counts = Counter(map(lines.__getitem__, heads))
    first = dict(zip(map(lines.__getitem__, reversed(heads)), reversed(heads), strict=True))
    others = list(compress(range(len(lines)), map(kinds.others.__contains__, lines))) if kinds.others else []
    events = sorted({*heads, *others}) if others else heads
    found: list[Diagnostic] = []
    if lines and lines[0] in kinds.folders:
        found += reader.feed(_decode(lines[0]))
    fed = 0
    for at in sorted((*first.values(), *others)):
        number = bisect_right(events, at)
        until = events[number] if number < len(events) else len(lines)
        if at < fed:
            continue
        start = _chain_start(lines, at, kinds)
        head = kinds.heads.get(lines[at])
        if head is None or reader.is_busy:
            # Blocks go over several lines, which may look like heads of their own.
            start = max(fed, start - 1)
            found += _feed(reader, lines[start:until])
            while reader.is_busy and until < len(lines):
                number += 1
                start, until = until, events[number] if number < len(events) else len(lines)
                found += _feed(reader, lines[start:until])
            fed = until
            continue
        found += reader.close()
        # The way that ends just before what comes next leads to that.
        end = max(at + 1, _chain_start(lines, until, kinds))
        notes = [line for line in lines[at + 1 : end] if line in kinds.notes or line in kinds.chains]
        if not reader.folder and kinds.chains.isdisjoint(notes):
            found.append(_put_together(head, lines[start:at], [kinds.notes[line] for line in notes], counts[lines[at]]))
            continue
        found += _feed(reader, [*lines[start : at + 1], *notes])
        read = reader.close()
        found += read[:-1]
        found += [replace(item, count=counts[lines[at]]) for item in read[-1:]]
    return found


def _put_together(head: Diagnostic, chain: Sequence[bytes], notes: Sequence[Note], count: int) -> Diagnostic:
    """What the reader would make of a head with its way and its notes, where nothing else comes between."""
    ways = [read_way(_decode(line)) for line in chain]
    included = tuple(place for kind, place in ways if place is not None and kind == "included")
    required = tuple(place for kind, place in ways if place is not None and kind == "required")
    if not (notes or included or required or count > 1):
        return head
    said = head.place, head.severity, head.code, head.message, head.tool
    return Diagnostic(*said, tuple(notes), required, included, count)


def _chain_start(lines: Sequence[bytes], at: int, kinds: _Kinds) -> int:
    """Where the including files and instantiations that lead to the head at `at` begin."""
    while at and lines[at - 1] in kinds.chains:
        at -= 1
    return at


def _feed(reader: Reader, lines: Sequence[bytes]) -> list[Diagnostic]:
    return [item for line in lines for item in reader.feed(_decode(line))]


def _decode(data: bytes) -> str:
    return data.decode("utf-8", "replace")
