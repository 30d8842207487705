"""All that a crossing left unfinished is in one list, and goes from it when it is settled."""

from __future__ import annotations

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.outstanding import find_outstanding
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.wick import make_wick


def test_a_plugin_that_was_held_back_is_listed_until_it_is_decided_again(tree: Tree) -> None:
    wick = make_wick(tree)
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    assert find_outstanding(inspect(crossing, Work()), crossing) == ()
    act(crossing, "route:2.0:snuffer", "keep", why="we know this one")
    (held,) = find_outstanding(inspect(crossing, Work()), crossing)
    assert (held.kind, held.title, held.why) == ("held back", "snuffer stays on 1", "we know this one")
    assert held.action is None and held.decision == "route:2.0:snuffer" and held.ready == "2 fits now"
    crossing.withdraw(held.decision)
    assert find_outstanding(inspect(crossing, Work()), crossing) == ()


def test_a_preview_is_listed_while_it_is_in_use(tree: Tree) -> None:
    wick = make_wick(tree)
    for path in (wick.shelf / "shelf.toml", wick.shelf / "snuffer/2/addon.ini"):
        text = path.read_text()
        path.write_text(
            text.replace(
                'id = "snuffer"\nversion = "2"', 'id = "snuffer"\nstage = "preview"\nversion = "2-pre1"'
            ).replace("version = 2\n", "version = 2-pre1\n")
        )
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    item = next(item for item in inspect(crossing, Work()).items if item.owner == "plugin snuffer")
    act(crossing, item.key, item.options[0].id)
    act(crossing, "plugin:snuffer", "take")
    (preview,) = find_outstanding(inspect(crossing, Work()), crossing)
    assert (preview.kind, preview.title) == ("preview", "snuffer 2-pre1 is a preview")
    assert preview.action is None and not preview.decision
