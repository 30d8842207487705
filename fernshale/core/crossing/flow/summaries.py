"""The finding of each stage: one plain sentence with the numbers that item, for window and command line alike."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.quantities import count, seconds
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.view import BuildView
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.survey.baseline_run import describe_baseline

FindingTone = Literal["plain", "strong", "mine", "base", "alarm"]
FindingParts = tuple[tuple[FindingTone, str], ...]


@dataclass(frozen=True, slots=True)
class Finding:
    """A sentence in parts, each with its tone."""

    parts: FindingParts

    @property
    def plain(self) -> str:
        return "".join(text for _, text in self.parts)


def finding_of(stage: Stage, overview: Overview) -> Finding:
    """The finding of a stage."""
    return Finding(tuple(_FINDINGS[stage](overview)))


_Parts = list[tuple[FindingTone, str]]


def _survey(overview: Overview) -> _Parts:
    view = overview.survey
    sites = [site for site in view.scan.sites if not site.plugin]
    edits = sum(item.origin.edits for item in view.plugins if item.origin)
    parts: _Parts = [
        ("strong", f"{view.scan.profile.title} {view.scan.release}"),
        ("plain", f", written in {count(len(sites), 'place')}"),
    ]
    if view.scan.members:
        apart = sum(item.release != view.scan.release for item in view.scan.members)
        parts += [("plain", f"; {count(len(view.scan.members), 'member')}, {apart} of them on another release")]
    if view.plugins:
        parts += [
            ("plain", f"; {count(len(view.plugins), 'plugin')} with "),
            ("mine", count(edits, "file") + " of yours"),
            ("plain", " in them"),
        ]
    parts += [("plain", ". ")]
    if view.baseline is None:
        if view.can_compare:
            return [*parts, ("alarm", "No baseline yet.")]
        return [*parts, ("plain", "The profile has no command to build or run it.")]
    good = view.baseline.is_good(view.scan.profile.commands)
    today = f"Before the crossing, on {view.baseline.release}, it {describe_baseline(view.baseline)}."
    known = " These are never counted as the upgrade's." if view.baseline.errors else ""
    return [*parts, ("plain" if good else "alarm", today + known)]


def _route(overview: Overview) -> _Parts:
    leg, setup = overview.route.leg, overview.setup
    waiting = {item.owner for item in overview.route.items if item.needs_you}
    asked = [step for step in leg.plugins if f"plugin {step.id}" in waiting]
    come = [step for step in leg.plugins if step.to and step.action != "hold" and step not in asked]
    legs = count(len(setup.stops), "leg")
    where = f"{legs} to " if len(setup.stops) == 1 else f"Leg {setup.leg + 1} of {legs}, to "
    parts: _Parts = [
        ("plain", where),
        ("strong", leg.to),
    ]
    if leg.plugins:
        moved = len(overview.route.before)
        can = len(come) - sum(step.id in overview.route.before for step in come)
        words = f"{moved} of {count(len(leg.plugins), 'plugin')} moved" if moved else ""
        words += f", {can} can" if moved and can else ""
        parts += [("plain", f". {words or f'{len(come)} of ' + count(len(leg.plugins), 'plugin') + ' can move'}")]
    if asked:
        parts += [("plain", "; "), ("alarm", f"{len(asked)} {'needs' if len(asked) == 1 else 'need'} you")]
    if left := len(leg.plugins) - len(come) - len(asked):
        parts += [("plain", f"; {left} {'stays' if left == 1 else 'stay'} on the old release, as you decided")]
    places = sum(overview.route.estimate.known.values())
    if overview.build.passed and overview.scan.release == setup.to:
        # What rules would still change is right as it is: it compiles.
        stayed = f" {count(places, 'place')} that known rules would change {'is' if places == 1 else 'are'} as before."
        return [*parts, ("plain", f".{stayed if places else ''}")]
    return [*parts, ("plain", f". {count(places, 'place')} to change by known rules.")]


def _plugins(overview: Overview) -> _Parts:
    view = overview.plugins
    if not view.edits:
        return [("plain", "No local edits in plugins that change on this leg.")]
    parts: _Parts = [
        ("strong", f"{count(view.edits, 'edit')} of yours"),
        ("plain", f" in {count(sum(bool(item.ledger and item.ledger.edits) for item in view.plugins), 'plugin')}: "),
        ("mine", f"{view.count('carried')} kept"),
    ]
    if view.count("already"):
        parts += [("plain", ", "), ("base", f"{view.count('already')} already in the new release")]
    if view.count("decide"):
        parts += [("plain", ", "), ("alarm", f"{view.count('decide')} to decide")]
    if view.count("dropped"):
        parts += [("plain", ", "), ("base", f"{view.count('dropped')} dropped by your decision")]
    return [*parts, ("plain", ". None lost.")]


def _engine(overview: Overview) -> _Parts:
    view, to = overview.engine, overview.setup.to
    if view.places:
        return [
            ("alarm", count(view.places, "place")),
            ("plain", " to change to "),
            ("strong", to),
            (
                "plain",
                f"; the generator then replaces {count(len(view.stale), 'generated file')}." if view.stale else ".",
            ),
        ]
    parts: _Parts = [("plain", "Every place that names the release says "), ("strong", to), ("plain", ". ")]
    if apart := sum(bool(item.trouble) for item in view.sites):
        words = f" {'names' if apart == 1 else 'name'} another release. "
        parts = [
            ("strong", to),
            ("plain", " is named everywhere else; "),
            ("alarm", count(apart, "place")),
            ("plain", words),
        ]
    if overview.scan.profile.commands.regenerate is None:
        return parts
    if view.regenerated is None:
        return [*parts, ("alarm", "The engine's generator has not run yet.")]
    if view.regenerated.status:
        return [*parts, ("alarm", "The engine's generator failed.")]
    kept = (
        f"; it did not write {count(len(view.regenerated.restored), 'file')}, which stayed"
        if view.regenerated.restored
        else ""
    )
    return [*parts, ("plain", f"The engine's generator ran{kept}.")]


def _build(overview: Overview) -> _Parts:
    view = overview.build
    if overview.scan.profile.commands.build is None:
        open_ = count(len(view.silent) + len(view.defaults), "change")
        told: _Parts = [("alarm", f" Check {open_} that no tool reports.")] if view.items else []
        return [("plain", "The profile has no command to build it."), *told]
    if not view.rounds:
        parts: _Parts = [("plain", "Not built on "), ("strong", overview.setup.to), ("plain", " yet.")]
        return [*parts, *_silent(view)]
    last = view.rounds[-1]
    if view.passed and last.known:
        known = count(last.known, "error")
        return [("mine", "No new errors"), ("plain", f"; {known} as before the upgrade."), *_silent(view)]
    if view.passed:
        words = f" after {count(len(view.rounds), 'round')}; the first had {count(view.rounds[0].total, 'error')}."
        return [("mine", "It compiles and links"), ("plain", words), *_silent(view)]
    parts = [
        ("plain", f"Round {last.number}: "),
        ("strong", f"{count(last.total, 'error')} from {count(len(last.causes), 'cause')}"),
    ]
    if len(view.rounds) > 1:
        parts += [
            ("plain", f", {'down' if last.total <= view.rounds[-2].total else 'up'} from {view.rounds[-2].total}")
        ]
    parts += [("plain", f"; {last.known} more were there before" if last.known else ""), ("plain", ". ")]
    clears = sum(item.fixes[0].clears for item in view.causes if item.fixes and item.fixes[0].is_automatic)
    if clears:
        parts += [
            (
                "plain",
                f"{count(len(view.automatic), 'high-confidence fix', 'high-confidence fixes')} would clear ",
            ),
            ("mine", str(clears)),
            ("plain", "."),
        ]
    elif view.is_stale:
        parts += [("plain", "Files changed since; build again.")]
    return parts


def _silent(view: BuildView) -> _Parts:
    """The number of changes that no tool reports."""
    silent = len(view.silent) + len(view.defaults)
    if not silent:
        return []
    words = f"{count(silent, 'change')} {'compiles and means' if silent == 1 else 'compile and mean'} something else."
    return [("plain", " "), ("alarm", words)]


def _links(overview: Overview) -> _Parts:
    view = overview.links
    profile = overview.scan.profile
    if not profile.links.use and not profile.expect and not view.data_scan.work:
        return [("plain", "The profile names no ids in assets.")]
    known = f"{count(len(view.index.ids_used()), 'id')} used by assets"
    parts: _Parts = [("plain", known + ", ")]
    if view.missing:
        uses = sum(len(item.uses) for item in view.missing)
        missing = count(len(view.missing), "missing reference", "missing references")
        parts += [("alarm", missing), ("plain", f" in {count(uses, 'use')}")]
        if view.automatic:
            parts += [("plain", ", "), ("mine", f"{len(view.automatic)} of them with a high-confidence replacement")]
    else:
        parts.append(("mine", "none missing"))
    parts.append(("plain", "."))
    if view.data_scan.work:
        objects = sum(item.total for item in view.data_scan.work)
        parts += [("alarm", f" {count(objects, 'object')}"), ("plain", " of data to be rewritten.")]
    if view.data_scan.unmet:
        parts += [("alarm", f" {count(len(view.data_scan.unmet), 'expectation')}"), ("plain", " not met.")]
    return parts


def _trial(overview: Overview) -> _Parts:
    view, to = overview.trial, overview.setup.to
    if view.run is None:
        if not view.can_run:
            return [("plain", "The profile has no command to run it.")]
        return [("plain", "Not run on "), ("strong", to), ("plain", " yet.")]
    how = f"runs in {seconds(view.run.elapsed_s)}" if view.run.passed else view.run.ending.words
    parts: _Parts = [("strong", to), ("plain", " "), ("mine" if view.run.passed else "alarm", how)]
    new, gone = view.log.count("new"), view.log.count("gone")
    bad = sum(item.sign in ("new", "more") and bool(item.severity) for item in view.log.differences)
    parts.append(
        (
            "plain",
            f"; its log has {count(new, 'new message')}, and {gone} missing"
            if new or gone
            else "; its log is the same",
        )
    )
    if bad:
        parts += [("plain", ", "), ("alarm", f"{count(bad, 'warning or error', 'warnings or errors')} among them")]
    tried = [row.on(view.release) for row in view.checks]
    good = sum(result.is_good for result in tried)
    if tried:
        words = f"{good} of {count(len(tried), 'check')} passed"
        parts += [("plain", "; "), ("mine" if good == len(tried) else "alarm", words)]
    return [*parts, ("plain", ". Files changed since; run again." if view.is_stale else ".")]


_FINDINGS = {
    Stage.SURVEY: _survey,
    Stage.ROUTE: _route,
    Stage.PLUGINS: _plugins,
    Stage.ENGINE: _engine,
    Stage.BUILD: _build,
    Stage.LINKS: _links,
    Stage.TRIAL: _trial,
}
