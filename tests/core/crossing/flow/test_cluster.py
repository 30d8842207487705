"""Projects on the workers of a scheduler: a real local cluster, whose processes have a data folder of their own."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import distributed
import pytest

from fernshale.core.base.errors import Cancelled, CommandError, FernshaleError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.settings import change_settings
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.batch.cluster import Cluster
from fernshale.core.crossing.flow.batch.crossing_job import CrossingJob
from fernshale.core.crossing.flow.batch.parcel import Reply as Reply
from fernshale.core.crossing.flow.batch.parcel import carry_out_parcel, pack_crossing, pack_rehearsal
from fernshale.core.crossing.flow.crossing_transfer import ImportPlan, import_crossing
from fernshale.core.crossing.flow.rehearsal.outcome import RehearsalPlan
from fernshale.core.crossing.flow.rehearsal.rehearse import Rehearsed
from fernshale.core.crossing.project.role_of_place import give_role
from fernshale.core.crossing.record.database import find_crossing
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.read import read_profile
from fernshale.core.survey.role_overrides import drop_own_rule, read_own_rules
from tests.conftest import Tree, listing
from tests.wick import Wick, make_wick

_BUDGET_S = 120.0


@pytest.fixture
def cluster(
    tmp_path_factory: pytest.TempPathFactory, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Cluster]:
    with monkeypatch.context() as others:
        others.setenv("FERNSHALE_HOME", str(tmp_path_factory.mktemp("other machine")))
        machines = distributed.LocalCluster(
            n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None, silence_logs=50
        )
    with machines, Cluster(machines.scheduler_address, tmp_path / "exchange") as found:
        yield found


def _job(wick: Wick, project: Path) -> CrossingJob:
    return CrossingJob(project, wick.profile, (str(wick.shelf),), "2.0")


def test_a_crossing_comes_back_as_a_file_and_a_rehearsal_as_its_outcome(
    tree: Tree, tmp_path: Path, cluster: Cluster
) -> None:
    wick = make_wick(tree)
    trust(read_profile(wick.profile))
    before, shelf = listing(wick.project), listing(wick.shelf)
    outcome = cluster.rehearse(
        Rehearsed(wick.project, read_profile(wick.profile), (str(wick.shelf),)), RehearsalPlan("2.0"), _BUDGET_S, Work()
    )
    assert outcome.ending == "done" and outcome.errors_left == 0 and outcome.runs
    row = cluster.cross(_job(wick, wick.project), Work())
    assert row.done and row.project == wick.project and row.file is not None
    assert listing(wick.project) == before and listing(wick.shelf) == shelf and find_crossing(wick.project) is None
    with_steps = import_crossing(row.file, ImportPlan(tmp_path / "brought", (str(wick.shelf),)), Work())
    assert len(with_steps.logbook()) > 3
    assert (tmp_path / "brought/game.py").read_text() == "import wick\n\nwick.ignite()  # light_up\n"

    # What the other machine says is this machine's error; it never gives up silently.
    (wick.project / "candle.ini").write_text("nothing\n")
    broken = cluster.cross(_job(wick, wick.project), Work())
    assert broken.trouble and broken.file is None
    token = CancelToken()
    token.cancel()
    with pytest.raises(Cancelled):
        cluster.cross(replace(_job(wick, wick.project), to="2.0"), Work(token=token))


def test_without_trust_no_command_runs_and_another_version_is_refused(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    what = Rehearsed(wick.project, read_profile(wick.profile), (str(wick.shelf),))
    parcel = pack_rehearsal(what, RehearsalPlan("2.0"), _BUDGET_S, tmp_path / "exchange", Work())
    reply = from_json(Reply, carry_out_parcel(to_json(parcel)))
    assert reply.outcome is not None and reply.outcome.errors_left is None
    assert any("not trusted" in words for words in reply.outcome.not_tried)
    other = from_json(Reply, carry_out_parcel(to_json(replace(parcel, version="0.0.1"))))
    assert "0.0.1" in other.trouble
    gone = from_json(Reply, carry_out_parcel(to_json(replace(parcel, exchange=tmp_path / "no such folder"))))
    assert "no such folder" in gone.trouble and not (tmp_path / "no such folder").exists()
    assert from_json(Reply, carry_out_parcel(b"{")).trouble


def test_the_settings_and_roles_of_the_sender_are_handed_over(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    trust(read_profile(wick.profile))
    give_role(wick.project, TreePath("more.py"), "generated")
    change_settings({"work.apply_from": 2.0, "store.folder": str(tmp_path / "own store")})
    parcel = pack_crossing(_job(wick, wick.project), tmp_path / "exchange", Work())
    change_settings({"work.apply_from": 0.5, "store.folder": ""})  # the receiver's
    drop_own_rule(wick.project, TreePath("more.py"))
    reply = from_json(Reply, carry_out_parcel(to_json(parcel)))
    # A generated file that nothing makes again needs a person, and above 1 no fix is automatic.
    assert reply.progress is not None and (reply.progress.stage, reply.progress.errors) == (Stage.ENGINE, 3), reply
    assert not (tmp_path / "own store").exists() and read_own_rules(wick.project) == ()
    assert parcel.roles == (("more.py", "generated"),)


def test_a_parcel_that_is_told_to_stop_stops(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    trust(read_profile(wick.profile))
    (wick.project / "game.py").write_text("import time\n\ntime.sleep(100)\n")
    parcel = pack_crossing(_job(wick, wick.project), tmp_path / "exchange", Work())
    (tmp_path / "exchange" / f"{parcel.id}.stop").touch()
    assert from_json(Reply, carry_out_parcel(to_json(parcel))).trouble == "it was stopped"
    assert not parcel.result_file.exists()


def test_a_scheduler_that_is_not_there_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fernshale.core.crossing.flow.batch.cluster._CONNECT_S", 0.3)
    with pytest.raises(CommandError, match="cannot be reached"):
        Cluster("tcp://127.0.0.1:9", Path())
    with pytest.raises(FernshaleError, match="cannot be reached"):
        Cluster("no address: at all", Path())
