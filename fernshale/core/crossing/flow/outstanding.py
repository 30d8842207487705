"""Everything that a crossing left unfinished, in one list: what was switched off or left out, with the condition for its return;
plugins that were held back, previews that were taken, differences that were accepted.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import tr
from fernshale.core.crossing.project.plugin_plan import plugin_key
from fernshale.core.crossing.record.actions import Action
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.build.actions import SwitchCodeOn, TakeMemberAlong
from fernshale.core.crossing.stages.build.member_states import member_states
from fernshale.core.crossing.stages.engine.actions import RemoveWorkaround
from fernshale.core.crossing.stages.engine.workarounds import is_needed
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.plugins.actions import ReturnPlugin
from fernshale.core.crossing.stages.trial.items import accepted_words

DebtKind = Literal["plugin", "code", "member", "line", "held back", "preview", "accepted"]


@dataclass(frozen=True, slots=True)
class OutstandingDebt:
    """One debt. `action` pays it; `ready` says why that is possible now, "" while it is not. Without an action it is a decision,
    which can be withdrawn by the key `decision`, "" if it cannot."""

    kind: DebtKind
    title: str
    place: str
    why: str
    condition: str
    ready: str
    action: Action | None = None
    decision: str = ""

    @property
    def key(self) -> str:
        """A key of its own: that of the item that the action resolves, or of the decision."""
        return self.action.key if self.action is not None else self.decision or f"{self.kind}:{self.title}"


def find_outstanding(overview: Overview, crossing: Crossing) -> tuple[OutstandingDebt, ...]:
    """All debts, those that can be resolved now first."""
    found = [
        OutstandingDebt(
            "plugin", f"{item.id} {item.version}", item.id, item.why, tr("returns with {condition}", condition=item.condition),
            tr("{ready} fits now", ready=item.ready) if item.ready else "", ReturnPlugin(item.id),
        )
        for item in overview.plugins.left_out
    ]  # fmt: skip
    found += [
        OutstandingDebt(
            "code",
            item.title,
            item.place,
            item.why,
            tr("until it can be fixed"),
            "",
            SwitchCodeOn(item.entry),
        )
        for item in overview.build.debts
    ]
    lines = overview.engine.workarounds
    for item in (item for item in lines if item.line):
        ready = "" if is_needed(item, lines, overview.setup.to) else tr("{to} does not need it", to=overview.setup.to)
        found.append(
            OutstandingDebt(
                "line", item.words, item.place, item.workaround.why, item.condition, ready, RemoveWorkaround(item.name)
            )
        )
    for state in member_states(overview.scan, overview.build, crossing):
        if state.left_out:
            member, to = state.member, overview.setup.to
            words = tr("moves when it can be fixed for {to}", to=to)
            title = tr("{name} stays on {release}", name=member.name, release=member.release)
            found.append(
                OutstandingDebt("member", title, member.folder, state.left_out, words, "", TakeMemberAlong(member.name))
            )
    found += (*_held_back(overview, crossing), *_previews(overview), *_accepted(overview))
    return tuple(sorted(found, key=lambda item: not item.ready))


def _held_back(overview: Overview, crossing: Crossing) -> Iterator[OutstandingDebt]:
    """Plugins that a decision keeps on their release."""
    decided, to = crossing.decisions(), overview.setup.to
    for step in overview.route.leg.plugins:
        decision = decided.get(plugin_key(overview.setup, step.id))
        if step.action != "hold" or decision is None:
            continue
        fitting = [item.version for item in overview.route.choices.get(step.id, ()) if item.readiness == "ready"]
        others = [version for version in fitting if version != step.from_]
        yield OutstandingDebt(
            "held back",
            tr("{id} stays on {before}", id=step.id, before=step.from_),
            step.id,
            decision.why or step.why,
            tr("until a release for {to} is taken", to=to),
            tr("{others} fits now", others=others[-1]) if others else "",
            decision=decision.key,
        )


def _previews(overview: Overview) -> Iterator[OutstandingDebt]:
    """Releases in use that are not published yet, as their number or the shelf says."""
    scan = overview.scan
    engines: dict[str, str] = {item.version: item.stage for item in overview.route.releases}
    used = [(scan.profile.title, scan.release, engines.get(scan.release, ""))]
    for plugin in scan.plugins:
        listed = scan.shelf.releases_of(plugin.id) if scan.shelf is not None else ()
        stage: str = next((item.stage for item in listed if item.version == plugin.version), "")
        used.append((plugin.id, plugin.version, stage))
    for name, version, stage in used:
        if version and (stage == "preview" or parse_release(version).is_preview):
            yield OutstandingDebt(
                "preview",
                tr("{name} {version} is a preview", name=name, version=version),
                name,
                tr("previews change until they are released"),
                tr("until its release is out"),
                "",
            )


def _accepted(overview: Overview) -> Iterator[OutstandingDebt]:
    """Differences of the trial run that a person accepted."""
    for key, why in overview.trial.accepted.items():
        words = accepted_words(overview.trial, key)
        yield OutstandingDebt(
            "accepted", words, tr("the trial run"), why or tr("no reason given"), tr("meant so"), "", decision=key
        )
