"""Values of the tests of ids in assets."""

from __future__ import annotations

from fernshale.core.base.treepath import TreePath
from fernshale.core.links.ids import find_candidates, read_ids
from fernshale.core.profile.model import IdPattern, LinkShape

_SHAPE = LinkShape(
    (IdPattern(("cast/*.json",), r'"id": "(?P<id>[\w-]+)"'),), (IdPattern(("*.scene",), r'voice="(?P<id>[\w-]+)"'),)
)


def _ids(files: dict[str, str]):
    return read_ids(_SHAPE, [TreePath(path) for path in files], lambda path: files[path])


def test_used_and_not_declared_dangles_and_the_renamed_one_is_the_best_candidate() -> None:
    before = _ids({"cast/a.json": '"id": "keeper-low"\n"id": "gull"', "w.scene": 'voice="keeper-low"\nvoice="gull"'})
    now = _ids(
        {"cast/a.json": '"id": "keeper-deep"\n"id": "gull"\n"id": "zzz"', "w.scene": 'voice="keeper-low"\nvoice="gull"'}
    )
    assert before.dangling == () and now.dangling == ("keeper-low",)
    assert [(use.file, use.line) for use in now.used["keeper-low"]] == [("w.scene", 1)]
    best, *others = find_candidates("keeper-low", before, now)
    assert best.id == "keeper-deep" and all(item.score < best.score for item in others)
    assert "gull" not in [item.id for item in (best, *others)]
