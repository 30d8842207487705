"""Plan what each plugin does on a leg; where not all can be updated, explain why and list the options."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from fernshale.core.base.texts import and_list, tr
from fernshale.core.route.candidates import (
    READINESS,
    CandidateTable,
    InstalledPlugin,
    PluginCandidate,
    ProjectPlugins,
    Readiness,
    field_of,
    find_candidates,
    readiness_of,
)
from fernshale.core.route.integer_program import Claim, Program, ReleaseChoice
from fernshale.core.route.shelf import Shelf, Succession

# Updates with the actions in UNSURE need a decision by the user.
PlanAction = Literal[
    "stay", "update", "reported to work", "preview only", "revision only", "untested",
    "follow", "add", "hold", "left out", "nothing",
]  # fmt: skip
NEED_DECISION: tuple[PlanAction, ...] = ("reported to work", "preview only", "revision only", "untested")


@dataclass(frozen=True, slots=True)
class PluginStep:
    """One plugin on one leg. `to` equals `from_` if it stays, and is empty if there is no release for the target.

    `becomes` is the successor that `to` is a release of, if any; `from_` is empty for an added plugin.
    """

    id: str
    from_: str
    to: str
    action: PlanAction
    why: str
    becomes: str = ""


@dataclass(frozen=True, slots=True)
class Conflict:
    """Demands that cannot all be met, and no subset of which contradicts itself. `remedies` are what would solve it, in words."""

    plugin: str
    demands: tuple[str, ...]
    remedies: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Leg:
    """From one engine release to the next. `cost` is the minimised cost; see `integer_program`."""

    from_: str
    to: str
    plugins: tuple[PluginStep, ...]
    conflicts: tuple[Conflict, ...]
    cost: tuple[int, int, int, int]


@dataclass(frozen=True, slots=True)
class Cell:
    """One field of the plugin x release table."""

    readiness: Readiness
    release: str


def plan_leg(
    shelf: Shelf,
    from_: str,
    to: str,
    plugins: ProjectPlugins,
    targets: Sequence[str] = (),
) -> Leg:
    """Return the best choice of plugin releases for the engine release `to`.

    No plugin is left out if it can be updated; then faults that affect the project (by the names in `used`) and previews are
    avoided; then installed releases are kept; then the newest are chosen. `targets` are alternative engine releases.
    """
    field = find_candidates(shelf, to, plugins)
    # What is used is in the candidates already, and is not compared again.
    hashable = ProjectPlugins(tuple(plugins.here), plugins.wishes)
    return _plan(shelf, from_, to, hashable, tuple(field.of.items()), tuple(targets))


@lru_cache(maxsize=256)  # plans are computed after each step, and few steps change them
def _plan(
    shelf: Shelf, from_: str, to: str, plugins: ProjectPlugins,
    candidates: tuple[tuple[str, tuple[PluginCandidate, ...]], ...], targets: tuple[str, ...],
) -> Leg:  # fmt: skip
    field = field_of(plugins.here, dict(candidates), plugins.wishes)
    program = Program(field, shelf)
    choice = program.solve()
    steps = tuple(_steps(field, choice, shelf, to))
    conflicts = tuple(_conflicts(field, program, choice, shelf, to, targets))
    return Leg(from_, to, steps, conflicts, choice.cost)


def readiness(shelf: Shelf, plugin: str, engine: str) -> Cell:
    """How ready a plugin is for an engine release: by its readiest release, of equals the newest."""
    best = Cell("nothing", "")
    for item in shelf.releases_of(plugin):
        word = readiness_of(item, engine)
        if word != "nothing" and READINESS.index(word) <= READINESS.index(best.readiness):
            best = Cell(word, item.version)
    return best


def _steps(field: CandidateTable, choice: ReleaseChoice, shelf: Shelf, to: str) -> Iterator[PluginStep]:
    for id in field.order:
        here = field.here.get(id)
        taken = choice.taken.get(id)
        if here is None:
            if taken is not None and not _is_successor(id, choice, shelf):
                why = tr("{who_needs} needs it; {why}", who_needs=_who_needs(id, choice), why=_why(taken, shelf, to))
                yield PluginStep(id, "", taken.version, "add", why)
        elif id in choice.following:
            yield from _follow(here, shelf, choice)
        elif taken is None:
            yield _left_out(field, here, shelf, to)
        elif taken.is_here:
            held = id in field.wishes.hold
            why = tr("kept as it is, as you decided") if held else _why_stay(here, shelf, to)
            yield PluginStep(id, here.version, here.version, "hold" if held else "stay", why)
        else:
            action: PlanAction = "update" if taken.readiness == "ready" else taken.readiness
            yield PluginStep(id, here.version, taken.version, action, _why(taken, shelf, to))


def _why_stay(here: InstalledPlugin, shelf: Shelf, to: str) -> str:
    known = shelf.plugin(here.id, here.version)
    text = here.accepts or (known.accepts or known.said_to_work if known else "")
    return tr("{version} accepts {words}, which holds {to}", version=here.version, words=text, to=to)


def _why(item: PluginCandidate, shelf: Shelf, to: str) -> str:
    release = shelf.plugin(item.id, item.version)
    assert release is not None
    words: dict[Readiness, str] = {
        "ready": tr("{version} accepts {accepts}", version=item.version, accepts=release.accepts),
        "reported to work": tr(
            "{version} is reported to work on {said_to_work}; its vendor does not say so",
            version=item.version,
            said_to_work=release.said_to_work,
        ),
        "preview only": tr("only the preview {version} accepts {to}", version=item.version, to=to),
        "revision only": tr("only the source revision {version} accepts {to}", version=item.version, to=to),
        "untested": tr("nobody says which engine releases {version} accepts", version=item.version),
        "nothing": "",
    }
    faults = "".join(tr("; known fault: {what}", what=fault.what) for fault in item.faults)
    needs = "".join(tr("; needs {id} {accepts}", id=need.id, accepts=need.accepts) for need in item.needs)
    step = tr("; in step with its set {set}", set=item.set) if item.set else ""
    return words[item.readiness] + needs + step + faults


def _left_out(field: CandidateTable, here: InstalledPlugin, shelf: Shelf, to: str) -> PluginStep:
    if here.id in field.wishes.left_out:
        return PluginStep(here.id, here.version, "", "left out", tr("as you decided"))
    known = ", ".join(item.version for item in shelf.releases_of(here.id))
    if not known:
        why = tr("no release of it is on the shelf")
    elif any(item.readiness != "nothing" for item in field.of[here.id]):
        why = tr("a release would accept it, but not together with the others")
    else:
        why = tr("none of {known} accepts {to}", known=known, to=to)
    succession = shelf.succession(here.id)
    if succession is not None:
        why += f"; {_succession_words(succession)}"
    return PluginStep(here.id, here.version, "", "nothing", why)


def _follow(here: InstalledPlugin, shelf: Shelf, choice: ReleaseChoice) -> Iterator[PluginStep]:
    succession = shelf.succession(here.id)
    assert succession is not None
    for number, other in enumerate(succession.to):
        taken = choice.taken[other]
        if (succession.kind == "folded" and taken.is_here) or number == 0:
            yield PluginStep(here.id, here.version, taken.version, "follow", _succession_words(succession), other)
        else:
            yield PluginStep(other, "", taken.version, "add", _succession_words(succession))


def _succession_words(item: Succession) -> str:
    names = and_list(item.to)
    words = {
        "renamed": tr("it is called {names} now", names=names),
        "split": tr("it was split into {names}", names=names),
        "folded": tr("it is part of {names} now", names=names),
        "deprecated": tr("it is deprecated"),
    }
    return words[item.kind] + (f": {item.why}" if item.why else "")


def _is_successor(id: str, choice: ReleaseChoice, shelf: Shelf) -> bool:
    return any(id in item.to for item in shelf.successions if item.id in choice.following)


def _who_needs(id: str, choice: ReleaseChoice) -> str:
    return and_list(item.id for item in choice.taken.values() if any(need.id == id for need in item.needs))


def _conflicts(
    field: CandidateTable, program: Program, choice: ReleaseChoice, shelf: Shelf, to: str, targets: Sequence[str]
) -> Iterator[Conflict]:
    told: set[tuple[Claim, ...]] = set()
    for id in choice.left_out:
        if id in field.wishes.left_out:
            continue
        claims = program.explain(id, choice)
        if claims and claims not in told:
            told.add(claims)
            remedies = tuple(_remedies(claims, field, shelf, targets))
            yield Conflict(id, tuple(_demand_words(claim, field, to) for claim in claims), remedies)


def _demand_words(claim: Claim, field: CandidateTable, to: str) -> str:
    match claim.kind:
        case "gets a release":
            return tr("{id} is to be updated", id=claim.id)
        case "accepts":
            fitting = [item.version for item in field.of[claim.id] if item.readiness != "nothing"]
            if not fitting:
                return tr("of {id} no release accepts {to}", id=claim.id, to=to)
            return tr("of {id} only {versions} accepts {to}", id=claim.id, versions=", ".join(fitting), to=to)
        case "needs":
            needs = {tr("{version} needs {other} {accepts}", version=item.version, other=claim.other, accepts=need.accepts): None
                     for item in field.of[claim.id] for need in item.needs if need.id == claim.other}  # fmt: skip
            return f"{claim.id} {', '.join(needs)}"
        case "in step":
            return tr("{id} stands at the version of its set {other}", id=claim.id, other=claim.other)


def _remedies(claims: Sequence[Claim], field: CandidateTable, shelf: Shelf, targets: Sequence[str]) -> Iterator[str]:
    wanted = [claim.id for claim in claims if claim.kind == "gets a release"]
    for id in wanted:
        yield tr("hold {id} back: keep the copy that is here, although it may not compile", id=id)
        yield tr("leave {id} out until a release fits", id=id)
    here = tuple(field.here.values())
    for target in targets:
        other = find_candidates(shelf, target, ProjectPlugins(here, field.wishes))
        left_out = Program(other, shelf).solve().left_out
        if not set(left_out) & set(wanted):
            yield tr("go to {target} instead: there {wanted} can be updated", target=target, wanted=and_list(wanted))
