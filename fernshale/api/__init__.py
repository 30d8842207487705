"""The public interface of Fernshale for scripts that cross a project. The window and the command line use it too.

    >>> import tempfile
    >>> from pathlib import Path
    >>> from fernshale import api
    >>> from fernshale.sample import unpack
    >>> sample = unpack(Path(tempfile.mkdtemp()) / "sample", "quayside")

Opening a project reads it; nothing runs and nothing is written into it:

    >>> scan = api.open_project(sample.project, profile=sample.profile)
    >>> scan.profile.title, scan.release, len(scan.members)
    ('Osier', '1.8', 12)

A crossing is begun once and can be resumed; `inspect` returns the findings and the open items of each stage:

    >>> crossing = api.begin(sample.project, "2.0", [sample.shelf], profile=sample.profile)
    >>> view = api.inspect(crossing)
    >>> item = next(item for item in view.items if item.key == "engine:sites")
    >>> item.title, item.needs_you
    ('2 places still to name 2.0', False)

An option of an open item holds an action. `act` carries it out as one step of the logbook, and `undo` takes it back:

    >>> item.options[0].action
    PointAtRelease()
    >>> api.trust(sample.profile)  # its commands may run from now on
    >>> api.act(crossing, item.options[0].action, why="the new release is out")
    >>> api.open_project(sample.project, profile=sample.profile).release
    '2.0'
    >>> api.undo(crossing)
    >>> api.open_project(sample.project, profile=sample.profile).release
    '1.8'

More specialised functions are in the modules of this package, one for each topic.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import UNWATCHED, CancelToken, Work
from fernshale.core.crossing.record.actions import Action, Author, Choose
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage

# Heavy modules are imported by the functions that use them, so that light commands stay fast.
if TYPE_CHECKING:
    from fernshale.core.crossing.flow.autopilot import Step
    from fernshale.core.crossing.project.scan import ProjectScan
    from fernshale.core.crossing.record.database import Crossing
    from fernshale.core.crossing.record.decisions import Recorded
    from fernshale.core.crossing.stages.overview import Overview
    from fernshale.core.profile.model import Profile

__all__ = [
    "Action",
    "Author",
    "CancelToken",
    "Choose",
    "Item",
    "Option",
    "Stage",
    "Work",
    "act",
    "begin",
    "cross",
    "go_back",
    "inspect",
    "open_project",
    "profile_folders",
    "redo",
    "report",
    "resume",
    "trust",
    "undo",
]

SCRIPT = "script"


def open_project(
    folder: Path, *, profile: Path | None = None, shelves: Sequence[str | Path] = (), work: Work = UNWATCHED
) -> ProjectScan:
    """Read a project: its release, the places that name it, plugins, members of a workspace, roles of files.

    Without `profile` the one is used that fits among those that ship and the user's own. Raises ProjectError where none or
    several fit, MisuseError or FormatError for a profile that cannot be read.
    """
    from fernshale.core.crossing.project.scan import scan_project
    from fernshale.core.route.shelf_sources import read_shelf

    shelf = read_shelf(shelves) if shelves else None
    return scan_project(folder, _profile(folder, profile), shelf, work)


def trust(profile: Path) -> None:
    """Allow the commands of this profile to run. A changed file has to be trusted again."""
    from fernshale.core.crossing.record import trust as record
    from fernshale.core.profile.read import read_profile

    record.trust(read_profile(profile))


def begin(
    folder: Path, to: str, shelves: Sequence[str | Path], *, profile: Path | None = None, work: Work = UNWATCHED
) -> Crossing:
    """Begin a crossing to the release `to`, or resume the existing one. Takes a snapshot and changes nothing in the project.

    Raises NotOnShelf for a release that no shelf has, MisuseError for one that the project is on already.
    """
    from fernshale.core.crossing.flow.start import begin_crossing

    return begin_crossing(folder, _profile(folder, profile), shelves, to, work)


def resume(folder: Path) -> Crossing:
    """The crossing of a project. Raises MisuseError where none was begun."""
    from fernshale.core.crossing.record.database import open_crossing

    return open_crossing(folder)


def inspect(crossing: Crossing, work: Work = UNWATCHED) -> Overview:
    """The views of all stages with their open items. Runs nothing and changes nothing in the project."""
    from fernshale.core.crossing.stages.overview import inspect

    return inspect(crossing, work)


def act(crossing: Crossing, action: Action, *, who: str = SCRIPT, why: str = "", work: Work = UNWATCHED) -> None:
    """Carry an action out, as one step. Raises the obstacle; then nothing was written and no decision is recorded."""
    from fernshale.core.crossing.flow.actions import carry_out

    carry_out(crossing, action, Author(who, why), work)


def cross(
    crossing: Crossing,
    decisions: Mapping[str, Recorded] | None = None,
    on_step: Callable[[Step], None] | None = None,
    work: Work = UNWATCHED,
) -> Overview:
    """Cross automatically until the crossing is done or a person is needed; returns the overview.

    Only high-confidence actions and those in `decisions` (by the key of an item) are carried out.
    `on_step` is called before each action.
    """
    from fernshale.core.crossing.flow import autopilot

    return autopilot.cross(crossing, decisions or {}, on_step or (lambda step: None), lambda stage, view: None, work)


def undo(crossing: Crossing, entry: int = 0, work: Work = UNWATCHED) -> None:
    """Undo a step of the logbook, by default the last one that can be undone. Raises MisuseError where there is none."""
    from fernshale.core.crossing.record import logbook

    wanted = entry or max((item.id for item in crossing.logbook() if item.can_undo), default=0)
    if not wanted:
        raise MisuseError("no step is left to undo")
    with crossing.acting():
        logbook.undo(crossing, wanted, work)


def redo(crossing: Crossing, entry: int, work: Work = UNWATCHED) -> None:
    """Redo a step that was undone. Raises CannotUndo with the obstacles."""
    from fernshale.core.crossing.record import logbook

    with crossing.acting():
        logbook.redo(crossing, entry, work)


def go_back(crossing: Crossing, entry: int, work: Work = UNWATCHED) -> None:
    """Return to before a step of the logbook: one operation, all or nothing. Edits by hand are kept."""
    from fernshale.core.crossing.record import logbook

    with crossing.acting():
        logbook.go_back_to(crossing, entry, work)


def report(crossing: Crossing, form: Literal["markdown", "html"] = "markdown", work: Work = UNWATCHED) -> str:
    """The report of a crossing as one document."""
    from fernshale.core.crossing.reporting.document import report_document

    return report_document(inspect(crossing, work), crossing, ".html" if form == "html" else ".md")


def _profile(folder: Path, named: Path | None) -> Profile:
    from fernshale.core.profile.read import find_profile, read_profile

    return read_profile(named) if named is not None else find_profile(folder, profile_folders())


def profile_folders() -> tuple[Path, ...]:
    """Where profiles are looked for: the user's own, then those that ship."""
    from fernshale.core.base.data_folder import home
    from fernshale.sample import PROFILES

    return (home() / "profiles", PROFILES)
