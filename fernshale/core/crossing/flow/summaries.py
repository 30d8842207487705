"""The finding of each stage: one plain sentence with the numbers that item, for window and command line alike."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count, tr, tr_parts
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


def _toned(parts: list[tuple[str, str]], **tones: FindingTone) -> _Parts:
    """The parts of a text with the tones of its places; all else is plain."""
    return [(tones.get(name, "plain"), words) for name, words in parts]


def _survey(overview: Overview) -> _Parts:
    view = overview.survey
    sites = [site for site in view.scan.sites if not site.plugin]
    edits = sum(item.origin.edits for item in view.plugins if item.origin)
    release = f"{view.scan.profile.title} {view.scan.release}"
    places = count(len(sites), "place")
    parts = _toned(tr_parts("{release}, written in {places}", release=release, places=places), release="strong")
    if members := view.scan.members:
        apart = sum(item.release != view.scan.release for item in members)
        all_ = count(len(members), "member")
        parts.append(("plain", tr("; {members}, {apart} of them on another release", members=all_, apart=apart)))
    if view.plugins:
        plugins, files = count(len(view.plugins), "plugin"), count(edits, "file of yours", "files of yours")
        parts += _toned(tr_parts("; {plugins} with {files} in them", plugins=plugins, files=files), files="mine")
    parts.append(("plain", ". "))
    if view.baseline is None:
        if view.can_compare:
            return [*parts, ("alarm", tr("No baseline yet."))]
        return [*parts, ("plain", tr("The profile has no command to build or run it."))]
    good = view.baseline.is_good(view.scan.profile.commands)
    today = tr(
        "Before the crossing, on {release}, it {baseline}.",
        release=view.baseline.release,
        baseline=describe_baseline(view.baseline),
    )
    known = tr(" These are never counted as the upgrade's.") if view.baseline.errors else ""
    return [*parts, ("plain" if good else "alarm", today + known)]


def _route(overview: Overview) -> _Parts:
    leg, setup = overview.route.leg, overview.setup
    waiting = {item.owner for item in overview.route.items if item.needs_you}
    asked = [step for step in leg.plugins if f"plugin {step.id}" in waiting]
    come = [step for step in leg.plugins if step.to and step.action != "hold" and step not in asked]
    legs = count(len(setup.stops), "leg")
    if len(setup.stops) == 1:
        parts = _toned(tr_parts("{legs} to {release}", legs=legs, release=leg.to), release="strong")
    else:
        here = str(setup.leg + 1)
        words = tr_parts("Leg {leg} of {legs}, to {release}", leg=here, legs=legs, release=leg.to)
        parts = _toned(words, release="strong")
    if leg.plugins:
        plugins = count(len(leg.plugins), "plugin")
        moved = len(overview.route.before)
        can = len(come) - sum(step.id in overview.route.before for step in come)
        if not moved:
            moves = tr(". {number} of {plugins} can move", number=len(come), plugins=plugins)
        elif can:
            moves = tr(". {moved} of {plugins} moved, {can} can", moved=moved, plugins=plugins, can=can)
        else:
            moves = tr(". {moved} of {plugins} moved", moved=moved, plugins=plugins)
        parts.append(("plain", moves))
    if asked:
        parts += [
            ("plain", "; "),
            ("alarm", tr("{plugins_need} you", plugins_need=count(len(asked), "needs", "need"))),
        ]
    if left := len(leg.plugins) - len(come) - len(asked):
        stay = count(left, "stays", "stay")
        parts.append(("plain", tr("; {plugins_stay} on the old release, as you decided", plugins_stay=stay)))
    places = sum(overview.route.estimate.known.values())
    if overview.build.passed and overview.scan.release == setup.to:
        # What rules would still change is right as it is: it compiles.
        are = count(places, "place that known rules would change is", "places that known rules would change are")
        return [*parts, ("plain", tr(". {places_are} as before.", places_are=are) if places else ".")]
    return [*parts, ("plain", tr(". {places} to change by known rules.", places=count(places, "place")))]


def _plugins(overview: Overview) -> _Parts:
    view = overview.plugins
    if not view.edits:
        return [("plain", tr("No local edits in plugins that change on this leg."))]
    edited = sum(bool(item.ledger and item.ledger.edits) for item in view.plugins)
    words = tr_parts(
        "{edits} in {plugins}: {kept}",
        edits=count(view.edits, "edit of yours", "edits of yours"),
        plugins=count(edited, "plugin"),
        kept=tr("{number} kept", number=view.count("carried")),
    )
    parts = _toned(words, edits="strong", kept="mine")
    if already := view.count("already"):
        parts += [("plain", ", "), ("base", tr("{number} already in the new release", number=already))]
    if decide := view.count("decide"):
        parts += [("plain", ", "), ("alarm", tr("{number} to decide", number=decide))]
    if dropped := view.count("dropped"):
        parts += [("plain", ", "), ("base", tr("{number} dropped by your decision", number=dropped))]
    return [*parts, ("plain", tr(". None lost."))]


def _engine(overview: Overview) -> _Parts:
    view, to = overview.engine, overview.setup.to
    if view.places:
        places = count(view.places, "place")
        parts = _toned(
            tr_parts("{places} to change to {release}", places=places, release=to), places="alarm", release="strong"
        )
        if not view.stale:
            return [*parts, ("plain", ".")]
        files = count(len(view.stale), "generated file")
        return [*parts, ("plain", tr("; the generator then replaces {generated_files}.", generated_files=files))]
    if apart := sum(bool(item.trouble) for item in view.sites):
        words = tr_parts(
            "{release} is named everywhere else; {places_name} another release. ",
            release=to,
            places_name=count(apart, "place names", "places name"),
        )
        parts = _toned(words, release="strong", places_name="alarm")
    else:
        parts = _toned(tr_parts("Every place that names the release says {release}. ", release=to), release="strong")
    if overview.scan.profile.commands.regenerate is None:
        return parts
    if view.regenerated is None:
        return [*parts, ("alarm", tr("The engine's generator has not run yet."))]
    if view.regenerated.status:
        return [*parts, ("alarm", tr("The engine's generator failed."))]
    if not (restored := len(view.regenerated.restored)):
        return [*parts, ("plain", tr("The engine's generator ran."))]
    files = count(restored, "file")
    return [*parts, ("plain", tr("The engine's generator ran; it did not write {files}, which stayed.", files=files))]


def _build(overview: Overview) -> _Parts:
    view = overview.build
    if overview.scan.profile.commands.build is None:
        open_ = count(len(view.silent) + len(view.defaults), "change")
        told: _Parts = [("alarm", tr(" Check {open} that no tool reports.", open=open_))] if view.items else []
        return [("plain", tr("The profile has no command to build it.")), *told]
    if not view.rounds:
        words = tr_parts("Not built on {release} yet.", release=overview.setup.to)
        return [*_toned(words, release="strong"), *_silent(view)]
    last = view.rounds[-1]
    if view.passed and last.known:
        known = count(last.known, "error")
        words = tr_parts("{good}; {known} as before the upgrade.", good=tr("No new errors"), known=known)
        return [*_toned(words, good="mine"), *_silent(view)]
    if view.passed:
        words = tr_parts(
            "{good} after {rounds}; the first had {errors}.",
            good=tr("It compiles and links"),
            rounds=count(len(view.rounds), "round"),
            errors=count(view.rounds[0].total, "error"),
        )
        return [*_toned(words, good="mine"), *_silent(view)]
    errors = tr("{errors} from {causes}", errors=count(last.total, "error"), causes=count(len(last.causes), "cause"))
    parts = _toned(tr_parts("Round {number}: {errors}", number=str(last.number), errors=errors), errors="strong")
    if len(view.rounds) > 1:
        before = view.rounds[-2].total
        if last.total == before:
            change = tr(", as many as before")
        elif last.total < before:
            change = tr(", down from {total}", total=before)
        else:
            change = tr(", up from {total}", total=before)
        parts.append(("plain", change))
    if last.known:
        parts.append(("plain", tr("; {known} more were there before", known=last.known)))
    parts.append(("plain", ". "))
    clears = sum(fix.clears for item in view.causes for fix in item.automatic)
    if clears:
        fixes = count(len(view.automatic), "high-confidence fix", "high-confidence fixes")
        parts += _toned(tr_parts("{fixes} would clear {errors}.", fixes=fixes, errors=str(clears)), errors="mine")
    elif view.is_stale:
        parts.append(("plain", tr("Files changed since; build again.")))
    return parts


def _silent(view: BuildView) -> _Parts:
    """The number of changes that no tool reports."""
    silent = len(view.silent) + len(view.defaults)
    if not silent:
        return []
    changes = count(silent, "change compiles and means", "changes compile and mean")
    return [("plain", " "), ("alarm", tr("{changes_mean} something else.", changes_mean=changes))]


def _links(overview: Overview) -> _Parts:
    view = overview.links
    profile = overview.scan.profile
    if not profile.links.use and not profile.expect and not view.data_scan.work:
        return [("plain", tr("The profile names no ids in assets."))]
    ids = count(len(view.index.ids_used()), "id")
    if view.missing:
        words = tr_parts(
            "{ids} used by assets, {missing} in {uses}",
            ids=ids,
            missing=count(len(view.missing), "missing reference", "missing references"),
            uses=count(sum(len(item.uses) for item in view.missing), "use"),
        )
        parts = _toned(words, missing="alarm")
        if automatic := len(view.automatic):
            replaced = tr("{number} of them with a high-confidence replacement", number=automatic)
            parts += [("plain", ", "), ("mine", replaced)]
    else:
        words = tr_parts("{ids} used by assets, {missing}", ids=ids, missing=tr("none missing"))
        parts = _toned(words, missing="mine")
    parts.append(("plain", "."))
    if work := view.data_scan.work:
        objects = count(sum(item.total for item in work), "object")
        parts += _toned(tr_parts(" {objects} of data to be rewritten.", objects=objects), objects="alarm")
    if unmet := view.data_scan.unmet:
        words = tr_parts(" {expectations} not met.", expectations=count(len(unmet), "expectation"))
        parts += _toned(words, expectations="alarm")
    return parts


def _trial(overview: Overview) -> _Parts:
    view, to = overview.trial, overview.setup.to
    if view.run is None:
        if not view.can_run:
            return [("plain", tr("The profile has no command to run it."))]
        return _toned(tr_parts("Not run on {release} yet.", release=to), release="strong")
    how = tr("runs in {elapsed_s}", elapsed_s=seconds(view.run.elapsed_s)) if view.run.passed else view.run.ending.words
    parts: _Parts = [("strong", to), ("plain", " "), ("mine" if view.run.passed else "alarm", how)]
    new, gone = view.log.count("new"), view.log.count("gone")
    bad = sum(item.sign in ("new", "more") and bool(item.severity) for item in view.log.differences)
    parts.append(
        (
            "plain",
            tr("; its log has {new_messages}, and {gone} missing", new_messages=count(new, "new message"), gone=gone)
            if new or gone
            else tr("; its log is the same"),
        )
    )
    if bad:
        parts += [
            ("plain", ", "),
            (
                "alarm",
                tr(
                    "{warnings_or_errors} among them",
                    warnings_or_errors=count(bad, "warning or error", "warnings or errors"),
                ),
            ),
        ]
    tried = [row.on(view.release) for row in view.checks]
    good = sum(result.is_good for result in tried)
    if tried:
        words = tr("{good} of {checks} passed", good=good, checks=count(len(tried), "check"))
        parts += [("plain", "; "), ("mine" if good == len(tried) else "alarm", words)]
    return [*parts, ("plain", tr(". Files changed since; run again.") if view.is_stale else ".")]


_FINDINGS = {
    Stage.SURVEY: _survey,
    Stage.ROUTE: _route,
    Stage.PLUGINS: _plugins,
    Stage.ENGINE: _engine,
    Stage.BUILD: _build,
    Stage.LINKS: _links,
    Stage.TRIAL: _trial,
}
