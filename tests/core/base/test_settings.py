"""Settings: what is written is read, by hand or by the program, and nothing else in the file changes."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.data_folder import cache_folder, config_folder, home, move_former_places, state_folder
from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.settings import (
    Settings,
    all_keys,
    change_settings,
    parallel_jobs,
    settings,
    settings_file,
    usable_settings,
)
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.fix_settings import automatic_from, keep_automatic_from
from fernshale.core.snapshot.store import Store, check_store_folder, default_store
from tests.conftest import Tree
from tests.wick import begin_wick


def test_without_a_file_the_usual_values_hold_and_none_is_written() -> None:
    assert settings() == Settings() and parallel_jobs() == os.cpu_count()
    assert not settings_file().exists()


def test_comments_and_other_keys_stay_when_a_value_changes() -> None:
    settings_file().write_text(
        'format = "fernshale-settings/1"\n# mine\n[work]\njobs = 3  # of eight\neditor = "pen"\n'
    )
    change_settings({"work.editor": "quill {file}", "look.theme": "dark"})
    text = settings_file().read_text()
    assert "# mine\n" in text and "jobs = 3  # of eight" in text
    assert (settings().work.jobs, settings().work.editor, settings().look.theme) == (3, "quill {file}", "dark")
    assert parallel_jobs() == 3


@pytest.mark.parametrize(
    ("text", "line", "said"),
    [
        ('[look]\ntheme = "pink"\n', 3, "desktop"),
        ("[look]\nletters = 9\n", 2, "letters"),
        ("[work]\nspeed = 1\n", 3, "speed"),
        ("[store]\nkeep_last = 0\nkeep_days = 0\n", 2, "keep_last"),
        ('[store]\nfolder = "here"\n', 2, "absolute"),
        ("[work\n", 2, ""),
    ],
)
def test_what_is_wrong_is_said_with_its_line_and_the_program_still_starts(text: str, line: int, said: str) -> None:
    settings_file().write_text('format = "fernshale-settings/1"\n' + text)
    with pytest.raises(FormatError) as caught:
        settings()
    assert said in str(caught.value) and f"settings.toml:{line}" in str(caught.value)
    assert usable_settings() == Settings()
    before = settings_file().read_text()
    with pytest.raises((FormatError, MisuseError, Exception)):
        change_settings({"work.jobs": 2})
    assert settings_file().read_text() == before


def test_a_value_that_is_not_allowed_is_not_written() -> None:
    change_settings({"work.jobs": 2})
    before = settings_file().read_text()
    with pytest.raises(FormatError):
        change_settings({"look.letters": 7.0})
    with pytest.raises(MisuseError, match="no setting"):
        change_settings({"work.colour": 7})
    assert settings_file().read_text() == before


@given(
    st.fixed_dictionaries(
        {},
        optional={
            "look.theme": st.sampled_from(["desktop", "light", "dark"]),
            "look.letters": st.sampled_from([0.0, 0.85, 1.3, 2.0]),
            "work.editor": st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=20),
            "work.jobs": st.integers(0, 1024),
            "notifications.enabled": st.booleans(),
            "scratch.largest_gib": st.floats(0, 1e4, allow_nan=False),
        },
    )
)
def test_every_allowed_value_reads_back(values: dict[str, object]) -> None:
    settings_file().unlink(missing_ok=True)
    found = change_settings(values)
    for key, value in values.items():
        table, _, name = key.partition(".")
        assert getattr(getattr(found, table), name) == value
    assert set(values) <= set(all_keys()) and settings() == found


def test_a_crossing_without_a_choice_of_its_own_follows_the_settings(tree: Tree) -> None:
    _, crossing = begin_wick(tree)
    assert automatic_from(crossing) == 0.9
    change_settings({"work.apply_from": 0.7})
    assert automatic_from(crossing) == 0.7
    keep_automatic_from(crossing, 0.95)
    assert automatic_from(crossing) == 0.95


def test_another_folder_of_the_store_must_not_leave_snapshots_behind(tree: Tree, tmp_path: Path) -> None:
    other = tmp_path / "other"
    check_store_folder(str(other))  # nothing is there yet
    Store(default_store()).take(tree("game", {"a": "1"}), "", Work())
    with pytest.raises(MisuseError, match="has none"):
        check_store_folder(str(other))
    default_store().rename(other)
    check_store_folder(str(other))
    change_settings({"store.folder": str(other)})
    assert default_store() == other and len(Store(default_store()).list()) == 1


def test_what_earlier_versions_kept_elsewhere_is_moved(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("FERNSHALE_HOME")
    for name in ("DATA", "CONFIG", "CACHE", "STATE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name.lower()))
    places = home(), config_folder(), cache_folder(), state_folder()
    assert [place.parent.name for place in places] == ["data", "config", "cache", "state"]
    for name in ("drift", "shelves", "mishaps", "crossings"):
        (home() / name).mkdir(parents=True)
        (home() / name / "kept").write_text(name)
    (home() / "limits.toml").write_text("kept")
    (cache_folder() / "shelves").mkdir(parents=True)  # the newer one stays
    move_former_places()
    move_former_places()
    assert (cache_folder() / "drift/kept").read_text() == "drift"
    assert (state_folder() / "mishaps/kept").read_text() == "mishaps"
    assert (config_folder() / "limits.toml").read_text() == "kept"
    assert (home() / "crossings/kept").exists() and (home() / "shelves/kept").exists()
    assert not (home() / "drift").exists()
