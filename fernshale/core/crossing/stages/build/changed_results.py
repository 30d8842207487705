"""Open items for functions that give a truth value in place of a number, or the reverse: code that uses the result compiles."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence

from fernshale.core.base.textfile import position
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.project.interface_changes import Used
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import Texts
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.items import DEFAULT, own_with, right
from fernshale.core.fix.result_use import uses_result
from fernshale.core.inference.silent_results import TRUTH, silent_result

# More places than these are only counted.
_MAX_PLACES = 30


def result_items(scan: ProjectScan, drift: Sequence[Used], texts: Texts, decided: Collection[str]) -> Iterator[Item]:
    """One item for each type of result, with the places that use one."""
    functions: dict[str, dict[str, None]] = {}
    for item in drift:
        old, new = item.change.old, item.change.new
        if item.change.kind == "signature" and old is not None and new is not None and (now := silent_result(old, new)):
            functions.setdefault(now, {})[item.change.symbol.called] = None
    for now, names in functions.items():
        key = f"{DEFAULT}Results that are {now} now"
        places = [] if key in decided else [place for name in names for place in _uses(name, scan, texts)]
        if places:
            title = tr(
                "{uses} of results that are {now} now: compiles, and may mean something else",
                uses=count(len(places), "use"),
                now=now,
            )
            yield Item(key, Stage.BUILD, title, "own", places[0][1], _words(now, places), True, (right(key),))


def _words(now: str, places: Sequence[tuple[str, str]]) -> str:
    """What changed, and the places of each function."""
    by_name: dict[str, list[str]] = {}
    for name, place in places[:_MAX_PLACES]:
        by_name.setdefault(name, []).append(place)
    listed = "; ".join(tr("{name} in {found}", name=name, found=", ".join(found)) for name, found in by_name.items())
    more = tr("; and {number} more", number=len(places) - _MAX_PLACES) if len(places) > _MAX_PLACES else ""
    was = tr("a number") if now in TRUTH else tr("a truth value")
    return tr(
        "These functions gave {was} and give {now} now, so 0 may mean the opposite. {listed}{more}.",
        was=was,
        now=now,
        listed=listed,
        more=more,
    )


def _uses(name: str, scan: ProjectScan, texts: Texts) -> Iterator[tuple[str, str]]:
    """The name and the place of each call whose result is used."""
    called = re.compile(rf"\b{re.escape(name)}\b(?=\s*\()")
    for path, text in own_with(name, scan, texts):
        for found in called.finditer(text):
            if uses_result(text, path, found.end()):
                yield name, f"{printable(path)}:{position(text, found.start())[0]}"
