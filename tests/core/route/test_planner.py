"""The planner against an exhaustive search, and what it says in words."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.route.candidates import (
    CandidateTable,
    InstalledPlugin,
    PluginCandidate,
    PluginWishes,
    ProjectPlugins,
    find_candidates,
)
from fernshale.core.route.planner import Leg, PluginStep, plan_leg, readiness
from fernshale.core.route.shelf import KnownFault, Need, PluginRelease, Shelf, Succession
from fernshale.core.route.shelf_sources import FolderSource

_SOURCE = FolderSource("shelf", Path("shelf"))


def shelf_of(*plugins: PluginRelease, successions: tuple[Succession, ...] = ()) -> Shelf:
    ordered = tuple(sorted(plugins, key=lambda item: (item.id, parse_release(item.version))))
    return Shelf("", (), ordered, successions, (), (_SOURCE,), dict.fromkeys(ordered, _SOURCE))


def release(id: str, version: str, accepts: str = "", **more: object) -> PluginRelease:
    return PluginRelease(id, version, id + version, accepts=accepts, **more)  # type: ignore[arg-type]


def steps(leg: Leg) -> dict[str, tuple[str, str]]:
    return {step.id: (step.action, step.to) for step in leg.plugins}


# -- exactness

_IDS = ("ash", "birch", "cedar")
_VERSIONS = ("1", "2", "3")
_RANGES = ("[1,2)", "[1,3)", "[2,3)", "", "*")


@st.composite
def problems(draw: st.DrawFn) -> tuple[Shelf, list[InstalledPlugin], PluginWishes]:
    plugins = []
    for id in (*_IDS, "drift"):
        for version in draw(st.sets(st.sampled_from(_VERSIONS), max_size=3)):
            needs = draw(
                st.lists(st.sampled_from([other for other in (*_IDS, "drift", "elm") if other != id]), max_size=1)
            )
            plugins.append(
                release(
                    id, version, draw(st.sampled_from(_RANGES)),
                    stage=draw(st.sampled_from(("stable", "stable", "preview", "revision"))),
                    said_to_work=draw(st.sampled_from(("", "", "[2,3)"))),
                    set=draw(st.sampled_from(("", "trees"))) if id in _IDS[:2] else "",
                    requires=tuple(Need(other, draw(st.sampled_from((">=2", "*", "<3", "==1")))) for other in needs),
                    faults=draw(st.sampled_from(((), (), (KnownFault("it creaks", ("creak",)),)))),
                )
            )  # fmt: skip
    here = [InstalledPlugin(id, draw(st.sampled_from(_VERSIONS)), draw(st.sampled_from(_RANGES))) for id in _IDS]
    kinds = st.sampled_from(("renamed", "folded"))
    successions = (
        (Succession("ash", draw(kinds), (draw(st.sampled_from(("drift", "cedar"))),)),) if draw(st.booleans()) else ()
    )
    wishes = PluginWishes(draw(st.frozensets(st.sampled_from(_IDS), max_size=1)), frozenset())
    return shelf_of(*plugins, successions=successions), here, wishes  # type: ignore[arg-type]


def _choices(field: CandidateTable, shelf: Shelf) -> Iterator[dict[str, PluginCandidate | str]]:
    options: list[list[tuple[str, PluginCandidate | str]]] = []
    for id in field.order:
        remedies: list[PluginCandidate | str] = [item for item in field.of[id] if item.readiness != "nothing"]
        if id not in field.here:
            remedies.append("absent")
        elif id not in field.wishes.hold:
            remedies.append("out")
            if shelf.succession(id):
                remedies.append("follows")
        options.append([(id, way) for way in remedies])
    for picked in itertools.product(*options):
        yield dict(picked)


def _allowed(picked: Mapping[str, PluginCandidate | str], shelf: Shelf, wishes: PluginWishes) -> bool:
    taken = {id: way for id, way in picked.items() if isinstance(way, PluginCandidate)}
    for item in taken.values():
        for need in item.needs:
            other = taken.get(need.id)
            if other is None or not parse_range(need.accepts).contains(parse_release(other.version)):
                return False
    sets: dict[str, set[str]] = {}
    for item in taken.values():
        if item.set:
            sets.setdefault(item.set, set()).add(item.version)
    if any(len(versions) > 1 for versions in sets.values()):
        return False
    for id, way in picked.items():
        succession = shelf.succession(id)
        if way == "follows" and succession and not all(other in taken for other in succession.to):
            return False
    return True


def _cost(picked: Mapping[str, PluginCandidate | str], field: CandidateTable) -> tuple[int, int, int, int]:
    left_out = risk = changes = age = 0
    for id, way in picked.items():
        left_out += way == "out"
        changes += way == "follows"
        if isinstance(way, PluginCandidate):
            newest_first = sorted(field.of[id], key=lambda item: parse_release(item.version), reverse=True)
            risk += way.risk
            changes += (not way.is_here) + (id not in field.here)
            age += 0 if way.is_here else newest_first.index(way)
    return left_out, risk, changes, age


@settings(max_examples=150, deadline=None)
@given(problems())
def test_no_choice_of_all_there_are_is_better(problem: tuple[Shelf, list[InstalledPlugin], PluginWishes]) -> None:
    shelf, here, wishes = problem
    field = find_candidates(shelf, "2.5", ProjectPlugins(here, wishes, {"creak"}))
    leg = plan_leg(shelf, "1", "2.5", ProjectPlugins(here, wishes, {"creak"}))
    best = min(_cost(picked, field) for picked in _choices(field, shelf) if _allowed(picked, shelf, wishes))
    assert leg.cost == best


@settings(max_examples=60, deadline=None)
@given(problems())
def test_what_conflicts_is_named_and_no_demand_too_many(
    problem: tuple[Shelf, list[InstalledPlugin], PluginWishes],
) -> None:
    shelf, here, wishes = problem
    leg = plan_leg(shelf, "1", "2.5", ProjectPlugins(here, wishes, {"creak"}))
    left_out = {step.id for step in leg.plugins if step.action == "nothing"}
    assert bool(left_out) == bool(leg.conflicts)
    for conflict in leg.conflicts:
        assert f"{conflict.plugin} is to be updated" in conflict.demands
        assert any("leave" in way for way in conflict.remedies)


# -- preferences, one by one


def plan(*plugins: PluginRelease, here: str = "1.5", accepts: str = "[1,2)", used: tuple[str, ...] = ()) -> PluginStep:
    (step,) = plan_leg(
        shelf_of(*plugins), "1", "3.1", ProjectPlugins([InstalledPlugin("p", here, accepts)], used=used)
    ).plugins
    return step


def test_what_is_here_and_fits_stays_and_else_the_newest_stable_is_taken() -> None:
    new, newer = release("p", "2.0", "[3,4)"), release("p", "2.1", "[3,4)")
    assert (plan(new, newer).action, plan(new, newer).to) == ("update", "2.1")
    assert (plan(new, newer, accepts="[1,9)").action, plan(new, accepts="[1,9)").to) == ("stay", "1.5")
    preview = release("p", "2.1", "[3,4)", stage="preview")
    assert plan(new, preview).to == "2.0"
    assert (plan(preview).action, plan(preview).to) == ("preview only", "2.1")
    assert plan(release("p", "2.1", "[3,4)", stage="revision")).action == "revision only"
    assert plan(release("p", "2.1", "[1,2)", said_to_work="[3,4)")).action == "reported to work"
    assert plan(release("p", "2.1")).action == "untested"
    assert plan(release("p", "1.5", "[1,2)")).why == "none of 1.5 accepts 3.1"
    assert plan().why == "no release of it is on the shelf"


def test_a_known_fault_is_avoided_where_it_concerns_the_project() -> None:
    good, faulty = (
        release("p", "2.0", "[3,4)"),
        release("p", "2.1", "[3,4)", faults=(KnownFault("stripes", ("blit",)),)),
    )
    assert plan(good, faulty, used=("draw",)).to == "2.1"
    assert plan(good, faulty, used=("blit",)).to == "2.0"
    alone = plan(faulty, used=("blit",))
    assert alone.to == "2.1" and "known fault: stripes" in alone.why


def test_a_set_moves_in_step_even_if_one_could_go_further() -> None:
    shelf = shelf_of(
        *(release("lamp", version, "[3,4)", set="light") for version in ("2.0", "2.1", "2.2")),
        *(release("presets", version, "[3,4)", set="light") for version in ("2.0", "2.1")),
    )
    leg = plan_leg(
        shelf,
        "1",
        "3.1",
        ProjectPlugins([InstalledPlugin("lamp", "1.0", "[1,2)"), InstalledPlugin("presets", "1.0", "[1,2)")]),
    )
    assert steps(leg) == {"lamp": ("update", "2.1"), "presets": ("update", "2.1")}


def test_a_plugin_that_is_needed_is_added_and_successors_are_followed() -> None:
    shelf = shelf_of(
        release("map", "2.0", "[3,4)", requires=(Need("grid", ">=1"),)),
        release("grid", "1.0", "[3,4)"), release("grid", "0.9", "[3,4)"),
        release("chart", "1.0", "[1,2)"), release("atlas", "5.0", "[3,4)"), release("pins", "5.0", "[3,4)"),
        successions=(Succession("chart", "split", ("atlas", "pins"), "it grew"),),
    )  # fmt: skip
    leg = plan_leg(
        shelf,
        "1",
        "3.1",
        ProjectPlugins([InstalledPlugin("map", "1.0", "[1,2)"), InstalledPlugin("chart", "1.0", "[1,2)")]),
    )
    assert steps(leg) == {
        "map": ("update", "2.0"), "chart": ("follow", "5.0"), "pins": ("add", "5.0"), "grid": ("add", "1.0"),
    }  # fmt: skip
    assert "map needs it" in next(step.why for step in leg.plugins if step.id == "grid")
    assert "split into atlas and pins: it grew" in next(step.why for step in leg.plugins if step.id == "chart")


def test_few_demands_that_conflict_are_said_with_the_ways_out() -> None:
    others = [release(f"other{number}", "2", "[3,4)") for number in range(30)]
    shelf = shelf_of(
        release("map", "2.0", "[3,5)", requires=(Need("grid", "<2"),)),
        release("grid", "1.0", "[1,2)"), release("grid", "2.0", "[3,4)"), release("grid", "1.9", "[4,5)"), *others,
    )  # fmt: skip
    here = [
        InstalledPlugin("map", "1.0", "[1,2)"),
        InstalledPlugin("grid", "1.0", "[1,2)"),
        *(InstalledPlugin(item.id, "1", "[1,2)") for item in others),
    ]
    leg = plan_leg(shelf, "1", "3.1", ProjectPlugins(here), targets=["4.0"])
    (conflict,) = leg.conflicts
    assert sorted(conflict.demands) == [
        "grid is to be updated", "map 2.0 needs grid <2", "map is to be updated",
        "of grid only 2.0 accepts 3.1", "of map only 2.0 accepts 3.1",
    ] or sorted(conflict.demands) == [
        "map 2.0 needs grid <2", "map is to be updated", "of grid only 2.0 accepts 3.1", "of map only 2.0 accepts 3.1",
    ]  # fmt: skip
    assert any(way.startswith("leave map out") for way in conflict.remedies)
    assert any(way.startswith("go to 4.0 instead") for way in conflict.remedies)
    held = plan_leg(shelf, "1", "3.1", ProjectPlugins(here, PluginWishes(hold=frozenset({"map"}))))
    assert not held.conflicts and steps(held)["map"] == ("hold", "1.0")


def test_circular_needs_come_along_together_or_not_at_all() -> None:
    pair = [release(a, "2", "[3,4)", requires=(Need(b, ">=2"),)) for a, b in (("ash", "birch"), ("birch", "ash"))]
    here = [InstalledPlugin("ash", "1", ""), InstalledPlugin("birch", "1", "")]
    assert steps(plan_leg(shelf_of(*pair), "1", "3.1", ProjectPlugins(here))) == {
        "ash": ("update", "2"),
        "birch": ("update", "2"),
    }
    only = plan_leg(shelf_of(pair[0], release("birch", "1", "[1,2)")), "1", "3.1", ProjectPlugins(here))
    assert {step.action for step in only.plugins} == {"nothing"}


def test_table_says_how_ready_a_plugin_is() -> None:
    shelf = shelf_of(
        release("p", "1", "[1,2)", said_to_work="[6,7)"), release("p", "2", "[3,4)", stage="preview"),
        release("p", "3", "[5,6)", stage="revision"),
    )  # fmt: skip
    words = [readiness(shelf, "p", engine).readiness for engine in ("1.2", "3.0", "5.0", "6.1", "9")]
    assert words == ["ready", "preview only", "revision only", "reported to work", "nothing"]
    assert readiness(shelf_of(release("p", "4")), "p", "9").readiness == "untested"
    assert same_release(readiness(shelf, "p", "1.2").release, "1")
