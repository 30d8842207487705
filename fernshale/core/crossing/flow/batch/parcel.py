"""A job for another machine. What it needs is handed over through a snapshot store in a folder that both machines reach.

EXCHANGE/store/             snapshots of projects and of shelf folders; contents that several share are there once
EXCHANGE/NAME-ID.crossing   the crossing of a project as it came back
EXCHANGE/ID.stop            there once the job is to stop

Nothing of the sender's project is written: a crossing comes back as a file to import, a rehearsal as its outcome. The receiver
works in a temporary folder with a data folder of its own, and runs commands only of a profile that the sender has trusted.
"""

from __future__ import annotations

import shutil
import tempfile
import threading
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from fernshale import __version__
from fernshale.core.base.cached_file import made_once
from fernshale.core.base.crash_report import in_words
from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import Cancelled, FernshaleError, MisuseError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.settings import JOBS_VARIABLE
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.batch.crossing_job import CrossingJob, run_in_process
from fernshale.core.crossing.flow.batch.progress import ProjectProgress
from fernshale.core.crossing.flow.rehearsal.outcome import Outcome, RehearsalPlan
from fernshale.core.crossing.flow.rehearsal.rehearse import Rehearsed, own_roles, run_rehearsal
from fernshale.core.crossing.flow.rehearsal.scratch_crossing import Job
from fernshale.core.crossing.flow.scratch_home import prepare_home, scratch_settings
from fernshale.core.crossing.record.trust import is_trusted, trust
from fernshale.core.profile.model import Profile
from fernshale.core.profile.read import read_profile
from fernshale.core.route.shelf_addresses import absolute_address, is_server
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store

_POLL_S = 1.0
# How shelves on servers are reached; everything else of a data folder is the sender's affair.
_READ_FILES = ("passwords.json",)
_PLAYBOOK, _DECISIONS = "playbook.toml", "decisions.toml"


@dataclass(frozen=True, slots=True)
class CrossTask:
    """What to do with the project: cross it, as the job says; its places are those of the sender."""

    job: CrossingJob


@dataclass(frozen=True, slots=True)
class RehearsalTask:
    """What to do with the project: rehearse a plan within a budget, seconds."""

    plan: RehearsalPlan
    budget_s: float
    members: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Parcel:
    """What the receiver is given. `project` and `shelves` are snapshots in the exchange folder's store; a shelf on a server is its
    address. `files` are the texts of the profile, and of the playbook and decisions of a crossing, by name. `settings` and
    `roles` are the sender's."""

    id: str
    version: str
    exchange: Path
    name: str
    project: str
    shelves: tuple[tuple[str, str], ...]
    files: Mapping[str, str]
    profile: str
    is_trusted: bool
    settings: str
    roles: tuple[tuple[str, str], ...]
    task: CrossTask | RehearsalTask
    jobs: int = 0

    @property
    def result_file(self) -> Path:
        return self.exchange / f"{self.name}-{self.id}.crossing"


@dataclass(frozen=True, slots=True)
class Reply:
    """What came of a parcel; `trouble` where nothing did."""

    progress: ProjectProgress | None = None
    outcome: Outcome | None = None
    trouble: str = ""


def pack_crossing(job: CrossingJob, exchange: Path, work: Work) -> Parcel:
    """Take a snapshot of the project of a job and of its shelves into the exchange folder. Raises FernshaleError, OSError."""
    parcel = _pack(job.project, read_profile(job.profile), job.shelves, CrossTask(job), exchange, work)
    given = ((_PLAYBOOK, job.playbook), (_DECISIONS, job.decisions))
    texts = {name: path.read_text("utf-8") for name, path in given if path is not None}
    return replace(parcel, files={**texts, **parcel.files})


def pack_rehearsal(what: Rehearsed, plan: RehearsalPlan, budget_s: float, exchange: Path, work: Work) -> Parcel:
    """The same for a rehearsal."""
    return _pack(what.project, what.profile, what.shelves, RehearsalTask(plan, budget_s, what.members), exchange, work)


def _pack(
    project: Path,
    profile: Profile,
    shelves: tuple[str, ...],
    task: CrossTask | RehearsalTask,
    exchange: Path,
    work: Work,
) -> Parcel:
    exchange = exchange.resolve()
    store = Store(exchange / "store")
    handed = []
    for address in map(absolute_address, shelves):
        snapshot = "" if is_server(address) else store.take(Path(address), tr("a shelf, handed over"), work).id
        handed.append((address, snapshot))
    taken = store.take(project.resolve(), tr("a project, handed over"), work).id
    text = profile.path.read_text("utf-8")
    return Parcel(
        uuid.uuid4().hex[:12], __version__, exchange, project.resolve().name, taken, tuple(handed),
        {profile.path.name: text}, profile.path.name, is_trusted(profile),
        scratch_settings(), own_roles(project), task,
    )  # fmt: skip


def stop_parcel(parcel: Parcel) -> None:
    """Have the receiver stop, wherever it is. Raises OSError."""
    write_atomic(parcel.exchange / f"{parcel.id}.stop", b"")


def carry_out_parcel(data: bytes) -> bytes:
    """On the receiving machine: carry out a packed parcel, and return a packed reply. Raises nothing: an error is a reply, too."""
    try:
        return to_json(_carry_out(from_json(Parcel, data)))
    except Cancelled:
        return to_json(Reply(trouble=tr("it was stopped")))
    except FernshaleError as error:
        return to_json(Reply(trouble=error.message))
    except Exception as error:  # the edge of this machine
        return to_json(Reply(trouble=in_words(error)))


def _carry_out(parcel: Parcel) -> Reply:
    if parcel.version != __version__:
        raise MisuseError(
            tr(
                "Fernshale {here} is on the machine of the scheduler, {there} sent the project",
                here=__version__,
                there=parcel.version,
            )
        )
    if not (parcel.exchange / "store").is_dir():
        raise MisuseError(
            tr("the exchange folder {exchange} is not there on the machine of the scheduler", exchange=parcel.exchange)
        )
    store = Store(parcel.exchange / "store")
    with tempfile.TemporaryDirectory(prefix="fernshale-parcel-") as folder, _stopped_by(parcel) as token:
        scratch, work = Path(folder), Work(token=token)
        project = scratch / "project" / parcel.name
        restore(store, store.manifest(parcel.project), project, (), work)
        shelves = tuple(_shelf(store, address, snapshot, work) for address, snapshot in parcel.shelves)
        prepare_home(scratch / "home", _READ_FILES, parcel.settings)
        for name, text in parcel.files.items():
            write_atomic(scratch / Path(name).name, text.encode())
        profile = read_profile(scratch / Path(parcel.profile).name)
        if parcel.is_trusted:
            trust(profile, scratch / "home")
        environment = {"FERNSHALE_HOME": str(scratch / "home"), JOBS_VARIABLE: str(parcel.jobs or "")}
        if isinstance(parcel.task, RehearsalTask):
            plan = parcel.task.plan
            result, members = scratch / "outcome.json", parcel.task.members
            tried = Job(project, project, profile.path, shelves, plan, result, parcel.roles, members)
            return Reply(outcome=run_rehearsal(scratch, tried, parcel.task.budget_s, work))
        asked = parcel.task.job
        given = scratch / "done.crossing"
        job = replace(
            asked, project=project, profile=profile.path, shelves=shelves, export=given, roles=parcel.roles,
            playbook=asked.playbook and scratch / _PLAYBOOK, decisions=asked.decisions and scratch / _DECISIONS,
        )  # fmt: skip
        progress = run_in_process(job, work, environment)
        if given.is_file():
            half = parcel.result_file.with_suffix(".part")
            shutil.copyfile(given, half)
            half.replace(parcel.result_file)
        return Reply(progress=replace(progress, project=asked.project))


def _shelf(store: Store, address: str, snapshot: str, work: Work) -> str:
    """The shelf on this machine: a server's address, or the folder, restored once for all parcels with the same contents."""
    if not snapshot:
        return address
    folder = cache_folder() / "shelves" / "handed" / snapshot
    with made_once(folder, work.token):
        if not folder.is_dir():
            restore(store, store.manifest(snapshot), folder, (), work)
    return str(folder)


@contextmanager
def _stopped_by(parcel: Parcel) -> Iterator[CancelToken]:
    """A token that is cancelled once the sender has asked the parcel to stop."""
    token, ended = CancelToken(), threading.Event()

    def watch() -> None:
        while not ended.wait(_POLL_S):
            if (parcel.exchange / f"{parcel.id}.stop").exists():
                token.cancel()
                return

    watcher = threading.Thread(target=watch, daemon=True)
    watcher.start()
    try:
        yield token
    finally:
        ended.set()
        watcher.join()
