"""A crossing in one file: everything arrives, nothing that a person agreed to goes with it, and harmful files are refused."""

from __future__ import annotations

import json
import shutil
import sqlite3
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from fernshale.core.base.errors import Cancelled, FernshaleError, MisuseError, ProjectError, StoreError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.crossing_transfer import ImportPlan, export_crossing, import_crossing, read_exported
from fernshale.core.crossing.project.check_runs import OWN_CHECKS
from fernshale.core.crossing.record.database import Crossing, all_crossings, find_crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.record.trust import is_trusted
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.profile.model import Check
from fernshale.core.profile.read import read_profile
from fernshale.core.snapshot.store import Store, default_store
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import begin_wick

_COMMAND = Check(name="lamp", run=("lamp-check", "--all"))


@pytest.fixture
def exported(tree: Tree, tmp_path: Path) -> tuple[Crossing, Path]:
    """A crossing with two steps, a check that runs a command, and the file it was exported into."""
    _, crossing = begin_wick(tree)
    act(crossing, "plugin:snuffer", "take")
    act(crossing, "engine:sites", "apply")
    crossing.keep(OWN_CHECKS, (Check(name="by eye", by_hand="look at the lamp"), _COMMAND))
    file = tmp_path / "candle.crossing"
    assert export_crossing(crossing, file, Work()) == file.stat().st_size
    return crossing, file


@pytest.fixture
def elsewhere(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Another machine: nothing of the first one's data is there."""
    monkeypatch.setenv("FERNSHALE_HOME", str(tmp_path / "elsewhere"))
    return tmp_path / "elsewhere"


def test_a_colleague_goes_on_where_it_was_left(
    exported: tuple[Crossing, Path], elsewhere: Path, tmp_path: Path
) -> None:
    crossing, file = exported
    before = [(item.key, item.title) for item in inspect(crossing, Work()).items]
    project = tmp_path / "their work" / "candle"
    there = import_crossing(file, ImportPlan(project), Work())
    assert listing(project) == listing(crossing.setup.project)
    assert [entry.title for entry in there.logbook()] == [entry.title for entry in crossing.logbook()]
    assert there.decisions() == crossing.decisions() and there.setup.project == project
    assert [(item.key, item.title) for item in inspect(there, Work()).items] == before
    assert there.setup.profile.is_relative_to(elsewhere) and Store(default_store()).verify().ok
    # Every step can be undone there, without what the first machine has.
    shutil.rmtree(crossing.folder)
    for entry in reversed([entry for entry in there.logbook() if entry.can_undo]):
        undo(there, entry.id, Work())
    restored = project / "addons/snuffer/snuffer.py"
    assert "step_0 = 'mine'" in restored.read_text() and "wick = 1.4" in (project / "candle.ini").read_text()
    assert [found.folder for found in all_crossings()] == [there.folder]


def test_what_a_person_agreed_to_stays_with_that_person(
    exported: tuple[Crossing, Path], elsewhere: Path, tmp_path: Path
) -> None:
    crossing, file = exported
    assert is_trusted(read_profile(crossing.setup.profile)) is False  # of the other home
    assert read_exported(file).commands == (_COMMAND.run,)
    there = import_crossing(file, ImportPlan(tmp_path / "a"), Work())
    assert [item.name for item in there.read(OWN_CHECKS)] == ["by eye"]
    with_commands = import_crossing(file, ImportPlan(tmp_path / "b", with_commands=True), Work())
    assert [item.run for item in with_commands.read(OWN_CHECKS)] == [(), _COMMAND.run]
    assert not is_trusted(read_profile(there.setup.profile))


def test_a_project_that_is_there_is_not_written_to(
    exported: tuple[Crossing, Path], elsewhere: Path, tree: Tree
) -> None:
    _, file = exported
    project = tree("theirs", {"candle.ini": "wick = 1.4\n", "game.py": "mine\n"})
    before = listing(project)
    import_crossing(file, ImportPlan(project), Work())
    assert listing(project) == before
    with pytest.raises(MisuseError, match="has a crossing already"):
        import_crossing(file, ImportPlan(project), Work())


def test_a_shelf_that_is_not_here_has_to_be_named(
    exported: tuple[Crossing, Path], elsewhere: Path, tmp_path: Path
) -> None:
    crossing, file = exported
    shelf = Path(crossing.setup.shelves[0])
    moved = shelf.rename(shelf.with_name("shelf-elsewhere"))
    with pytest.raises(MisuseError, match="none of the crossing's shelves"):
        import_crossing(file, ImportPlan(tmp_path / "a"), Work())
    assert not (tmp_path / "a").exists() and all_crossings() == ()
    there = import_crossing(file, ImportPlan(tmp_path / "a", shelves=(str(moved),)), Work())
    assert inspect(there, Work()).scan.shelf is not None


def _rewritten(file: Path, change: Callable[[Path], None]) -> Path:
    folder = file.with_suffix(".folder")
    with zipfile.ZipFile(file) as archive:
        archive.extractall(folder)
    change(folder)
    again = file.with_name("changed.crossing")
    with zipfile.ZipFile(again, "w") as archive:
        for path in sorted(folder.rglob("*")):
            archive.write(path, path.relative_to(folder))
    return again


def _add_trigger(folder: Path) -> None:
    with sqlite3.connect(folder / "crossing/crossing.sqlite") as database:
        database.execute("CREATE TRIGGER wicked AFTER INSERT ON logbook BEGIN DELETE FROM decisions; END")
    database.close()


def _damage_record(folder: Path) -> None:
    (folder / "crossing/crossing.sqlite").write_bytes(b"no database at all")


def _damage_store(folder: Path) -> None:
    (pack,) = (folder / "store/packs").glob("*.pack")
    data = bytearray(pack.read_bytes())
    data[len(data) // 2] ^= 0xFF
    pack.write_bytes(data)


def _lose_a_snapshot(folder: Path) -> None:
    next((folder / "store/snapshots").glob("*.manifest")).unlink()


def _other_format(folder: Path) -> None:
    about = json.loads((folder / "crossing.json").read_text())
    (folder / "crossing.json").write_text(json.dumps({**about, "format": "fernshale-crossing/9"}))


def _no_profile(folder: Path) -> None:
    shutil.rmtree(folder / "profile")


@pytest.mark.parametrize(
    ("change", "error"),
    [
        (_add_trigger, ProjectError),
        (_damage_record, MisuseError),
        (_damage_store, StoreError),
        (_lose_a_snapshot, StoreError),
        (_other_format, MisuseError),
        (_no_profile, MisuseError),
    ],
)
def test_a_damaged_or_harmful_file_leaves_nothing(
    exported: tuple[Crossing, Path],
    elsewhere: Path,
    tmp_path: Path,
    change: Callable[[Path], None],
    error: type[FernshaleError],
) -> None:
    file = _rewritten(exported[1], change)
    with pytest.raises(error):
        import_crossing(file, ImportPlan(tmp_path / "a"), Work())
    assert not (tmp_path / "a").exists() and all_crossings() == ()
    assert [path for path in (elsewhere / "crossings").rglob("*") if path.is_file()] == []


def test_entries_that_lead_out_of_the_folder_are_refused(
    exported: tuple[Crossing, Path], elsewhere: Path, tmp_path: Path
) -> None:
    with zipfile.ZipFile(exported[1], "a") as archive:
        archive.writestr("crossing/../../../evil", "x")
    with pytest.raises(FernshaleError):
        import_crossing(exported[1], ImportPlan(tmp_path / "a"), Work())
    assert not list(tmp_path.rglob("evil"))


def test_any_other_file_is_no_exported_crossing(tmp_path: Path) -> None:
    for name, data in (("a", b""), ("b", b"PK\x03\x04"), ("c", b"{}")):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(MisuseError, match="not an exported crossing"):
            read_exported(tmp_path / name)
    with pytest.raises(MisuseError, match="cannot be read"):
        read_exported(tmp_path / "missing")


def test_a_cancelled_export_leaves_no_file(exported: tuple[Crossing, Path], tmp_path: Path) -> None:
    token = CancelToken()
    work = Work(token=token, progress=lambda what, done, total: token.cancel() if "copying" in what else None)
    with pytest.raises(Cancelled):
        export_crossing(exported[0], tmp_path / "b.crossing", work)
    assert not (tmp_path / "b.crossing").exists() and not list(tmp_path.glob("fernshale-export-*"))
    assert find_crossing(exported[0].setup.project) is not None


def test_only_what_a_record_has_is_taken_over(exported: tuple[Crossing, Path], elsewhere: Path, tree: Tree) -> None:
    """A journal of another machine would be finished in whatever folder it names."""
    victim = tree("victim", {"letter.txt": "mine"})
    entry = ["file", 0o644, "0" * 64, 4]
    journal = {"root": str(victim), "changes": [["letter.txt", None, entry]], "staged": ["letter.txt"]}

    def harm(folder: Path) -> None:
        (folder / "crossing/journal.json").write_text(json.dumps(journal))
        (folder / "crossing/anything").write_text("x")
        (folder / "crossing/logs").mkdir(exist_ok=True)
        (folder / "crossing/logs/a.log").write_text("kept")
        (folder / "crossing/own.rules.toml").write_text('format = "fernshale-rules/1"\n')

    there = import_crossing(_rewritten(exported[1], harm), ImportPlan(victim.parent / "a"), Work())
    names = {str(path.relative_to(there.folder)) for path in there.folder.rglob("*") if path.is_file()}
    assert names - {"crossing.sqlite-wal", "crossing.sqlite-shm"} == {"crossing.sqlite", "logs/a.log", "own.rules.toml"}
    inspect(there, Work())
    act(there, "git:steps", "leave")
    assert listing(victim) == listing(tree("victim", {"letter.txt": "mine"}))


def test_links_in_the_file_are_not_taken_over(exported: tuple[Crossing, Path], elsewhere: Path, tmp_path: Path) -> None:
    with zipfile.ZipFile(exported[1], "a") as archive:
        link = zipfile.ZipInfo("crossing/logs/link.log")
        link.external_attr = 0o120777 << 16
        archive.writestr(link, "../../crossing.json")
    there = import_crossing(exported[1], ImportPlan(tmp_path / "a"), Work())
    assert not list(there.folder.rglob("link.log"))
