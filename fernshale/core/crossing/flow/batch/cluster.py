"""Jobs on a cluster: parcels go to the scheduler of Dask, an optional package, which has them carried out by its workers."""

from __future__ import annotations

import importlib.util
import os
import time
from dataclasses import replace
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from fernshale.core.base.errors import Cancelled, CommandError, FernshaleError, MisuseError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.batch.crossing_job import CrossingJob
from fernshale.core.crossing.flow.batch.parcel import (
    Parcel,
    Reply,
    carry_out_parcel,
    pack_crossing,
    pack_rehearsal,
    stop_parcel,
)
from fernshale.core.crossing.flow.batch.progress import ProjectProgress
from fernshale.core.crossing.flow.rehearsal.outcome import Outcome, RehearsalPlan
from fernshale.core.crossing.flow.rehearsal.rehearse import Rehearsed

if TYPE_CHECKING:
    import distributed

_CONNECT_S = 30
_POLL_S = 0.2


class Cluster:
    """The machines of a scheduler, and the folder through which projects and results go; use it in a `with` statement.

    Raises MisuseError without the package, CommandError where the scheduler cannot be reached.
    """

    def __init__(self, address: str, exchange: Path) -> None:
        if importlib.util.find_spec("distributed") is None:
            raise MisuseError(
                "--scheduler needs the package distributed", tr("Install it with `pip install fernshale[studio]`.")
            )
        import distributed

        self._exchange = exchange
        try:
            self._client: distributed.Client = distributed.Client(address, timeout=_CONNECT_S, set_as_default=False)
        except (OSError, ValueError) as error:
            raise CommandError(
                tr("the scheduler {address} cannot be reached: {error}", address=address, error=error)
            ) from error

    def cross(self, job: CrossingJob, work: Work) -> ProjectProgress:
        """Cross the project of a job; the crossing comes back as a file.

        Raises CommandError where the cluster cannot complete it, FernshaleError with the trouble of the other machine, OSError,
        Cancelled.
        """
        parcel = pack_crossing(job, self._exchange, work)
        reply = self._run(parcel, work)
        assert reply.progress is not None
        return replace(reply.progress, file=parcel.result_file if parcel.result_file.is_file() else None)

    def rehearse(self, what: Rehearsed, plan: RehearsalPlan, budget_s: float, work: Work) -> Outcome:
        """Rehearse a plan. Raises as `cross`."""
        outcome = self._run(pack_rehearsal(what, plan, budget_s, self._exchange, work), work).outcome
        assert outcome is not None
        return outcome

    def _run(self, parcel: Parcel, work: Work) -> Reply:
        """Have a parcel carried out, and wait for its reply. A worker that dies has its parcel carried out by another."""
        work.on_line(tr("handed to the scheduler"))
        future = self._client.submit(_carry_out_here, to_json(parcel), key=f"fernshale-{parcel.id}", pure=False)
        while not future.done():
            if work.token.is_cancelled:
                stop_parcel(parcel)
                future.cancel()
                raise Cancelled
            time.sleep(_POLL_S)
        try:
            reply = from_json(Reply, future.result())
        except Exception as error:  # worker killed too often, lost data, another version
            raise CommandError(
                tr("the cluster did not complete it: {name}: {error}", name=type(error).__name__, error=error)
            ) from error
        if reply.trouble:
            raise FernshaleError(reply.trouble)
        return reply

    def __enter__(self) -> Cluster:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._client.close()


def _carry_out_here(data: bytes) -> bytes:
    """On a worker: its threads share the processors, and so do the builds that they run."""
    import distributed

    jobs = max(1, (os.cpu_count() or 1) // max(1, distributed.get_worker().state.nthreads))
    return carry_out_parcel(to_json(replace(from_json(Parcel, data), jobs=jobs)))
