"""Databases of earlier versions open and lose nothing; one of a newer version is refused and left alone."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

from fernshale.core.base.errors import ProjectError
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import NEWEST_SNAPSHOT, START
from fernshale.core.crossing.record.fix_settings import automatic_from, put_off
from fernshale.core.crossing.record.last_build import LAST_BUILD, ROUNDS
from fernshale.core.crossing.record.schema import migrate
from fernshale.core.crossing.record.step_order import Write

# As a Fernshale without version numbers wrote it.
_UNNUMBERED = Path(__file__).parent / "data" / "crossing-0.sql"


def _made(tmp_path: Path, *more: str) -> Path:
    folder = tmp_path / "crossing"
    folder.mkdir()
    database = sqlite3.connect(folder / "crossing.sqlite")
    database.executescript(_UNNUMBERED.read_text().replace("{folder}", str(tmp_path)))
    for statement in more:
        database.execute(statement)
    database.commit()
    database.close()
    return folder


def _version(folder: Path) -> int:
    return int(sqlite3.connect(folder / "crossing.sqlite").execute("PRAGMA user_version").fetchone()[0])


@pytest.mark.parametrize(
    "more", [(), ("DROP TABLE writes",), ("DROP TABLE writes", "DROP TABLE carried")], ids=["", "no writes", "old"]
)
def test_a_database_without_a_version_opens_and_keeps_everything(tmp_path: Path, more: tuple[str, ...]) -> None:
    folder = _made(tmp_path, *more)
    for _ in range(2):
        crossing = Crossing(folder)
        assert (crossing.setup.start, crossing.setup.to, crossing.setup.leg) == ("1.4", "2.0", 0)
        assert [entry.title for entry in crossing.logbook()][2:3] == ["1 place now names 2.0"]
        assert crossing.logbook()[2].can_undo and crossing.writes() == (Write(3, True, 3),)
        assert crossing.decisions()["survey:baseline"].why == "no time"
        assert crossing.read(START) != crossing.read(NEWEST_SNAPSHOT) != ""
        assert [item.total for item in crossing.read(ROUNDS)] == [3]
        last = crossing.read(LAST_BUILD)
        assert last is not None and not last.passed and last.release == "2.0"
        assert automatic_from(crossing) == 0.8 and put_off(crossing) == {"some cause"}
    assert _version(folder) == 2


def test_a_database_of_a_newer_version_is_refused_and_left_alone(tmp_path: Path) -> None:
    folder = _made(tmp_path, "PRAGMA user_version = 99")
    before = (folder / "crossing.sqlite").read_bytes()
    with pytest.raises(ProjectError, match="newer Fernshale"):
        Crossing(folder)
    assert (folder / "crossing.sqlite").read_bytes()[100:] == before[100:]  # the header counts who opened it


def test_a_damaged_fact_is_named(tmp_path: Path) -> None:
    folder = _made(tmp_path, "UPDATE facts SET value = '{\"log\": 1}' WHERE name = 'leg 0 last build'")
    with pytest.raises(ProjectError, match="leg 0 last build"):
        Crossing(folder).read(LAST_BUILD)


def test_a_migration_that_fails_leaves_the_version_before() -> None:
    database = sqlite3.connect(":memory:")
    database.execute("CREATE TABLE logbook (x INTEGER)")
    with pytest.raises(sqlite3.Error):
        migrate(database)
    database.rollback()
    assert database.execute("PRAGMA user_version").fetchone()[0] == 0
    assert not database.execute("SELECT 1 FROM sqlite_master WHERE name = 'facts'").fetchone()
