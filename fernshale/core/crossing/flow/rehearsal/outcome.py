"""The outcome of a rehearsal as data, and its file (`fernshale-rehearsal/2`)."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.texts import count, tr

# "running" is an intermediate state on disk; one that is found later belongs to a rehearsal that was killed.
Ending = Literal["running", "done", "left", "stopped", "failed"]


@dataclass(frozen=True, slots=True)
class RehearsalPlan:
    """What to rehearse: the target, releases to stop at, and plugins to hold back."""

    to: str
    via: tuple[str, ...] = ()
    hold: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """As "3.1.0 direct" or "3.1.0 over 3.0.2, without tides"."""
        how = tr("over {via}", via=", ".join(self.via)) if self.via else tr("direct")
        return f"{self.to} {how}" + (tr(", holding back {hold}", hold=", ".join(self.hold)) if self.hold else "")


@dataclass(frozen=True, slots=True)
class PluginOutcome:
    """A plugin: what the plan does with it and why, and its local edits before any conflict was resolved."""

    id: str
    from_: str
    to: str
    action: str
    why: str
    kept: int = 0
    already: int = 0
    conflicts: int = 0

    @property
    def edits(self) -> int:
        return self.kept + self.already + self.conflicts

    @property
    def comes(self) -> bool:
        """Whether it works on the target: it is updated, or accepts the target as it is."""
        return self.action in ("update", "stay", "add", "follow", "taken")


@dataclass(frozen=True, slots=True)
class CauseLeft:
    """A cause of errors that was left: its title, its errors, and whether there is a proposal."""

    title: str
    errors: int
    has_proposal: bool


@dataclass(frozen=True, slots=True)
class DecisionLeft:
    """Something a person would have to decide, and what the rehearsal chose to get further ("" for nothing)."""

    key: str
    stage: str
    title: str
    chosen: str = ""


@dataclass(frozen=True, slots=True)
class Outcome:
    """How a rehearsal went. `why` says why it stopped; times are seconds; `errors_at_first` has a number for each leg.

    `reached` is the release of the leg on which it ended, "" before the first. `runs`: None where it was not reached.
    `not_tried` are things that were left out, with the reason; `differs` says how logs, pictures and times of the run differ from
    those of the baseline.
    """

    plan: RehearsalPlan
    ending: Ending
    why: str
    elapsed_s: float
    reached: str = ""
    build_s: float = 0.0
    plugins: tuple[PluginOutcome, ...] = ()
    errors_at_first: tuple[int, ...] = ()
    errors_left: int | None = None
    causes: tuple[CauseLeft, ...] = ()
    silent: int = 0
    relinked: int = 0
    links_left: int = 0
    runs: bool | None = None
    trial: str = ""
    decisions: tuple[DecisionLeft, ...] = ()
    not_tried: tuple[str, ...] = ()
    differs: tuple[str, ...] = ()

    @property
    def is_whole(self) -> bool:
        """Whether it went on to the last leg and was not stopped."""
        return self.ending in ("done", "left") and self.reached == self.plan.to

    @property
    def come(self) -> int:
        return sum(plugin.comes for plugin in self.plugins)

    @property
    def edits(self) -> tuple[int, int, int]:
        """Local edits that were kept, that the new release has already, and that are in conflict."""
        return tuple(sum(getattr(item, name) for item in self.plugins) for name in ("kept", "already", "conflicts"))

    @property
    def words(self) -> str:
        """The outcome in one sentence."""
        if self.ending in ("failed", "running"):
            return f"{self.plan.title}: {self.why or tr('it did not end')}"
        errors = (
            tr("was not built")
            if self.errors_left is None
            else tr("leaves {errors}", errors=count(self.errors_left, "error"))
        )
        stopped = tr("; stopped {why}", why=self.why) if self.ending == "stopped" else ""
        if self.reached and self.reached != self.plan.to:
            stopped = tr(
                " on the leg to {reached}, and goes no further by itself{stopped}",
                reached=self.reached,
                stopped=stopped,
            )
        return tr(
            "{title} {errors} and {decisions}{stopped}",
            title=self.plan.title,
            errors=errors,
            decisions=count(len(self.decisions), "decision"),
            stopped=stopped,
        )


@dataclass(frozen=True, slots=True)
class _OutcomeFile:
    outcome: Outcome
    format: Literal["fernshale-rehearsal/2"] = "fernshale-rehearsal/2"


def write_outcome(outcome: Outcome, path: Path) -> None:
    write_atomic(path, to_json(_OutcomeFile(outcome)))


def read_outcome(path: Path) -> Outcome:
    """Raises MisuseError for a file that is missing or no outcome."""
    try:
        return from_json(_OutcomeFile, path.read_bytes()).outcome
    except (OSError, ValueError) as error:
        raise MisuseError(tr("{path} is no outcome of a rehearsal: {error}", path=path, error=error)) from error
