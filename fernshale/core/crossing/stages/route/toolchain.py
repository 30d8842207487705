"""The target's demands on the toolchain, compared with what the project states and this machine has."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.range_dialects import allows_below, raise_range
from fernshale.core.base.release import is_release, parse_release
from fernshale.core.base.release_notation import written_like
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.commands import RequirementResult
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.route.actions import RaiseStandard
from fernshale.core.route.shelf import Demand
from fernshale.core.survey.release_sites import FoundStandard, find_standards, read_project_text
from fernshale.core.survey.value_access import replace_values


@dataclass(frozen=True, slots=True)
class DemandState:
    """A demand and the evidence. `holds` is None before it was checked; `stated` are the numbers that the project states."""

    demand: Demand
    found: str
    holds: bool | None
    stated: tuple[FoundStandard, ...] = ()


def check_demands(
    scan: ProjectScan, demands: Sequence[Demand], requirements: Sequence[RequirementResult]
) -> tuple[DemandState, ...]:
    """Each demand of a release against the standards the project states and the tools that were looked at."""
    standards = find_standards(scan.profile, scan.project, scan.manifest) if demands else ()
    return tuple(_check(scan, demand, standards, requirements) for demand in demands)


def demand_items(states: Sequence[DemandState], to: str, decided: Sequence[str]) -> list[Item]:
    """The items to resolve before the first build."""
    items = []
    for item in states:
        key = f"demand:{to}:{item.demand.name}"
        is_unread = item.holds is None and bool(item.stated)
        if (item.holds is not False and not is_unread) or key in decided:
            continue
        detail = "; ".join(part for part in (item.found, item.demand.why) if part)
        title = tr(
            "{to} needs {name} {at_least}: {found}",
            to=to,
            name=item.demand.name,
            at_least=item.demand.at_least,
            found=item.found,
        )
        keep = Option(Choose(key, "keep"), tr("Leave it as it is"), (tr("the build may fail for it"),))
        if is_unread:
            place = f"{item.stated[0].file}:{item.stated[0].line}"
            items.append(Item(key, Stage.ROUTE, title, "own", place, detail, True, (keep,)))
        elif item.stated:
            place = f"{item.stated[0].file}:{item.stated[0].line}"
            lift = Option(
                RaiseStandard(key.removeprefix("demand:")),
                tr("Set it to {at_least}", at_least=item.demand.at_least),
                (item.demand.why or item.found,),
                is_automatic=True,
            )
            items.append(Item(key, Stage.ROUTE, title, "own", place, detail, False, (lift, keep)))
        else:
            items.append(Item(key, Stage.ROUTE, title, "this machine", "", detail, True, (keep,)))
    return items


def find_demand(scan: ProjectScan, place: str) -> Demand:
    """The demand behind `RELEASE:NAME`. Raises MisuseError, NotOnShelf."""
    to, _, name = place.partition(":")
    release = scan.shelf.engine(scan.profile.id, to) if scan.shelf else None
    found = next((item for item in release.demands if item.name == name), None) if release else None
    if found is None:
        raise MisuseError(tr("{to} demands no {name}", to=to, name=name))
    return found


def raise_standard(crossing: Crossing, scan: ProjectScan, demand: Demand, work: Work) -> int:
    """Write the demanded number wherever the project states a lower one, as a step; the entry's id. Raises MisuseError where
    none does."""
    (state,) = check_demands(scan, [demand], ())
    if state.holds is not False or not state.stated:
        raise MisuseError(
            tr("nothing in the project states {name} below {at_least}", name=demand.name, at_least=demand.at_least)
        )
    draft = Draft(scan.project)
    for path in dict.fromkeys(item.file for item in state.stated):
        file = read_project_text(scan.project, path)
        values = [(item.value, _raised(item.value.text, demand.at_least)) for item in state.stated if item.file == path]
        draft.write(path, file.with_text(replace_values(file.text, values)).encode())
    title = tr("{name} is {at_least} now", name=demand.name, at_least=demand.at_least)
    why = demand.why or tr("{to} demands it", to=crossing.setup.to)
    return write_step(crossing, EntryText(Stage.ROUTE, title, why, f"demand {demand.name}"), draft.change_set(), work)


def _raised(text: str, least: str) -> str:
    return written_like(text, least) if is_release(text) else raise_range(text, least)


def _is_below(text: str, least: str) -> bool | None:
    """Whether a stated release, or the start of a stated range, is below `least`; None for any other text."""
    if is_release(text):
        return parse_release(text) < parse_release(least)
    try:
        return allows_below(text, least)
    except MisuseError:
        return None


def _check(
    scan: ProjectScan, demand: Demand, standards: Sequence[FoundStandard], requirements: Sequence[RequirementResult]
) -> DemandState:
    stated = [item for item in standards if item.name == demand.name]
    if stated:
        below = [_is_below(item.value.text, demand.at_least) for item in stated]
        low = tuple(item for item, is_low in zip(stated, below, strict=True) if is_low)
        unread = tuple(item for item, is_low in zip(stated, below, strict=True) if is_low is None)
        found = ", ".join(
            tr("{file} has {words}", file=item.file, words=item.value.text) for item in low or unread or stated
        )
        if not low and unread:
            return DemandState(demand, tr("{found}, which is neither a release nor a range", found=found), None, unread)
        return DemandState(demand, found, not low, low)
    known = next((item for item in requirements if item.name == demand.name), None)
    if known is None:
        asked = any(need.name == demand.name for need in scan.profile.requirement)
        found = tr("not looked at yet; the baseline does") if asked else tr("the profile does not say how to check it")
        return DemandState(demand, found, None)
    if not is_release(known.version):
        return DemandState(demand, known.found, known.holds)
    return DemandState(
        demand,
        tr("{version} is here", version=known.version),
        parse_release(known.version) >= parse_release(demand.at_least),
    )
