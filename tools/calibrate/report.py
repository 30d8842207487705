"""The table of a calibration: what each library gave, and how often candidates of each decile were right."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from calibrate.measure import Measured
from calibrate.shipped import Found

_Z = 1.96  # of a 95 % interval


@dataclass(frozen=True)
class Bin:
    """Candidates with a probability from `low` up to `high`: how many there were, and how many were right."""

    low: float
    high: float
    count: int
    right: int

    @property
    def interval(self) -> tuple[float, float]:
        """The share that was right, with 95 % confidence (Wilson, 1927)."""
        if not self.count:
            return 0.0, 1.0
        share, n = self.right / self.count, self.count
        middle = share + _Z * _Z / (2 * n)
        spread = _Z * math.sqrt(share * (1 - share) / n + _Z * _Z / (4 * n * n))
        whole = 1 + _Z * _Z / n
        return (middle - spread) / whole, (middle + spread) / whole


def reliability(scored: Sequence[tuple[float, bool]]) -> tuple[Bin, ...]:
    """The candidates by decile of their probability."""
    bins = []
    for at in range(10):
        inside = [right for chance, right in scored if min(9, int(chance * 10 + 1e-9)) == at]
        bins.append(Bin(at / 10, (at + 1) / 10, len(inside), sum(inside)))
    return tuple(bins)


def table_of(
    measured: Sequence[Measured], bins: Sequence[Bin], first: Sequence[Bin], shipped: Mapping[str, Sequence[Found]]
) -> str:
    """The page in Markdown."""
    lines = [
        "# What a confidence means",
        "",
        "Fernshale compares two releases by named signals. Their weights are in `fernshale/core/drift/weights.toml` and are",
        "fitted by `./dev calibrate` to releases of general-purpose libraries, fetched as packages. The truths are what the",
        "libraries state themselves: deprecation texts, forwarders, tables of removals and change logs. **These statements are",
        "withheld from the comparison**, so the figures are those of a library that says nothing; a statement that a release makes",
        "is used and is more certain. Each library was measured with weights and a calibration fitted to the others.",
        "",
        "## Renames and moves",
        "",
        "| package | language | names | first place | among three | most similar name alone: first | among three |",
        "|---|---|--:|--:|--:|--:|--:|",
    ]
    whole = []
    for item in sorted(measured, key=lambda item: (item.language, item.name)):
        row = _shares(item)
        whole.append(row)
        lines.append(
            f"| {item.name} | {item.language} | {row[0]} | " + " | ".join(f"{share:.2f}" for share in row[1:]) + " |"
        )
    total = sum(row[0] for row in whole)
    every = [sum(row[0] * row[at] for row in whole) / total for at in range(1, 5)]
    mean = [sum(row[at] for row in whole) / len(whole) for at in range(1, 5)]
    lines.append(f"| **all names** | | {total} | " + " | ".join(f"**{share:.2f}**" for share in every) + " |")
    lines.append(
        f"| **mean of the packages** | | {len(whole)} | " + " | ".join(f"{share:.2f}" for share in mean) + " |"
    )
    lines += _shipped_table(shipped)
    lines += ["", "## Reliability", ""]
    lines += [
        "How many candidates with a confidence in a range were right. Each name was also measured with its successor taken out of",
        "the new release, so that every candidate for it is wrong. Brackets: 95 % interval.",
        "",
        "| confidence | candidates | right | share | first candidates | right | share |",
        "|---|--:|--:|--:|--:|--:|--:|",
    ]
    for one, top in zip(bins, first, strict=True):
        lines.append(f"| {one.low:.1f} to {one.high:.1f} | {_row(one)} | {_row(top)} |")
    return "\n".join(lines) + "\n"


def _shipped_table(shipped: Mapping[str, Sequence[Found]]) -> list[str]:
    lines = [
        "",
        "## With what releases state",
        "",
        "The same packages with their statements, as users compare them: only the first and the last release, and only names that",
        "code has to change, because the last one has them no more or calls them deprecated. Some successors are stated only by a",
        "release between the two. The last columns are those names where the shelf has that release as well: its statements are",
        "read then. As the truths are the same statements, these columns measure that they are found and followed, not more.",
        "",
        "| package | stated: names | first place | among three | not stated: names | first place | among three "
        "| with the release between: first place | among three |",
        "|---|--:|--:|--:|--:|--:|--:|--:|--:|",
    ]
    rows = {name: found for name, found in sorted(shipped.items()) if found}
    every = [item for found in rows.values() for item in found]
    for name, found in (*rows.items(), ("**all names**", every)):
        stated = [item.place for item in found if item.is_stated]
        other = [item for item in found if not item.is_stated]
        cells = [
            str(len(stated)), *_shares_of(stated), str(len(other)), *_shares_of([item.place for item in other]),
            *_shares_of([item.place_with_between for item in other]),
        ]  # fmt: skip
        lines.append(f"| {name} | {' | '.join(cells)} |")
    for said, places in (
        ("Together", [item.place for item in every]),
        ("With the releases between", [item.place_with_between for item in every]),
    ):
        first, three = _shares_of(places)
        lines += ["", f"{said}: {len(places)} names, first place {first}, among three {three}."]
    return lines


def _shares_of(places: Sequence[int]) -> tuple[str, str]:
    """The shares at the first place and among three."""
    return _at_most(1, places), _at_most(3, places)


def _at_most(rank: int, places: Sequence[int]) -> str:
    return f"{sum(0 < place <= rank for place in places) / len(places):.2f}" if places else "-"


def _row(part: Bin) -> str:
    low, high = part.interval
    share = f"{part.right / part.count:.2f} ({low:.2f} to {high:.2f})" if part.count else "-"
    return f"{part.count} | {part.right} | {share}"


def _shares(item: Measured) -> tuple[int, float, float, float, float]:
    there = [answer for answer in item.answers if not answer.is_absent]

    def share(is_met: Callable[[int], bool], places: Sequence[int]) -> float:
        return sum(map(is_met, places)) / max(1, len(places))

    places, plain = [answer.place for answer in there], [answer.plain_place for answer in there]
    return (
        len(there), share(lambda at: at == 1, places), share(lambda at: 0 < at <= 3, places),
        share(lambda at: at == 1, plain), share(lambda at: 0 < at <= 3, plain),
    )  # fmt: skip
