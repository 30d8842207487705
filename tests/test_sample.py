"""The sample with the real compiler: it breaks as promised, and the headless crossing brings it over."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import scan_project
from fernshale.core.crossing.rules.search import apply_rules
from fernshale.core.crossing.stages.build.build_runs import diagnose, plain_context
from fernshale.core.crossing.stages.engine.inspection import site_changes
from fernshale.core.engine.release_update import draft_sites
from fernshale.core.fix.rule_file import read_rules
from fernshale.core.fix.rules import RewriteRule
from fernshale.core.profile.read import read_profile
from fernshale.sample import Sample, unpack

_FLAGS = "-O0 -Wall"
_HEADERS = ("algorithm", "chrono", "fstream", "functional", "map", "memory", "stdexcept", "string", "vector")


@pytest.fixture
def compiled_headers(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    """The library's headers compiled ahead, once for all processes of a run: files compile to the same in less than half the time."""
    folder = tmp_path_factory.getbasetemp().parent / "headers"
    header = folder / "library.hpp"
    compiled = Path(f"{header}.gch")
    compiled.mkdir(parents=True, exist_ok=True)
    with open(folder / "lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        for standard in ("17", "20"):
            if not (compiled / standard).exists():
                header.write_text("".join(f"#include <{name}>\n" for name in _HEADERS))
                words = [
                    "g++",
                    f"-std=c++{standard}",
                    *_FLAGS.split(),
                    "-x",
                    "c++-header",
                    header,
                    "-o",
                    folder / standard,
                ]
                subprocess.run(words, check=True)
                (folder / standard).rename(compiled / standard)
    monkeypatch.setenv("CXXFLAGS", f"{_FLAGS} -include {header}")


def _make(sample: Sample, release: str, build: Path, flags: str = "") -> subprocess.CompletedProcess[str]:
    words = ["make", "-k", "-j2", f"ENGINE={sample.shelf}/merelith/{release}", f"BUILD={build}", *flags.split()]
    return subprocess.run(
        words, cwd=sample.project, capture_output=True, text=True, env={**os.environ, "LC_ALL": "C.UTF-8"}
    )


def _write(draft) -> None:
    for change in (changes := draft.change_set()).files:
        if change.after is not None:
            (draft.root / change.path).write_bytes(changes.contents[change.after.content])


@pytest.fixture(scope="module")
def sample(tmp_path_factory: pytest.TempPathFactory) -> Sample:
    return unpack(tmp_path_factory.mktemp("sample"))


@pytest.mark.usefixtures("compiled_headers")
def test_sample_is_clean_on_its_release_and_breaks_in_many_ways_on_the_next(sample: Sample, tmp_path: Path) -> None:
    sources = [path for path in (sample.project / "src").iterdir() if path.suffix == ".cpp"]
    assert len(sources) >= 14 and len(list((sample.project / "scenes").glob("*.scene"))) == 2
    built = _make(sample, "2.6.1", tmp_path / "old")
    assert built.returncode == 0 and "warning" not in built.stderr
    subprocess.run([tmp_path / "old" / "game", "--out", tmp_path], cwd=sample.project, check=True, capture_output=True)
    expected = sample.project / "expected" / "day-report-2.6.1.txt"
    assert (tmp_path / "day-report.txt").read_bytes() == expected.read_bytes()

    profile = read_profile(sample.profile)
    scan = scan_project(sample.project, profile, None, Work())
    _write(draft_sites(sample.project, site_changes(scan, "2.6.1", "3.0.2")))
    broken = _make(sample, "3.0.2", tmp_path / "new")
    owned, causes = diagnose((broken.stdout + broken.stderr).encode(), scan, plain_context(scan))
    errors = [item for item in owned if item.diagnostic.severity == "error"]
    assert len(errors) >= 70 and len(causes) >= 18 and len({cause.kind for cause in causes}) >= 9
    shaders = [item for item in errors if item.diagnostic.place.file.endswith(".glim")]
    assert {item.diagnostic.place.file for item in shaders} == {
        "shaders/mist.glim",
        "plugins/lampwork/shaders/halo.glim",
    }


@pytest.mark.usefixtures("compiled_headers")
def test_stale_start_table_is_a_linker_error_and_the_silent_change_a_wrong_report(
    sample: Sample, tmp_path: Path
) -> None:
    """Plugins replaced, code fixed by the rules except the silent one, generated files left as they were."""
    for plugin, release in (("tidetable", "2.0.0"), ("gullvoice", "1.1.0")):
        shutil.copytree(
            sample.shelf / "plugins" / plugin / release, sample.project / "plugins" / plugin, dirs_exist_ok=True
        )
    shutil.rmtree(sample.project / "plugins" / "tidetable" / "src" / "season.cpp", ignore_errors=True)
    (sample.project / "plugins/tidetable/src/season.cpp").unlink(missing_ok=True)
    (sample.project / "plugins/tidetable/src/legacy_board.cpp").unlink(missing_ok=True)
    profile = read_profile(sample.profile)
    for path in ("merelith/3.0.2/notes/changes.rules.toml", "rules/merelith-3.0.rules.toml"):
        rules = tuple(
            rule for rule in read_rules(sample.shelf / path).rules if not rule.silent and rule.kind != "delete"
        )
        scan = scan_project(sample.project, profile, None, Work())
        _write(apply_rules(scan, rules, CancelToken()).draft)
    # What only comparing the releases tells.
    fewer = RewriteRule("fewer", "", pattern="ring_bell($a, $b, $c)", replacement="ring_bell($a, $b)")
    _write(apply_rules(scan_project(sample.project, profile, None, Work()), [fewer], CancelToken()).draft)
    east = sample.project / "scenes/east.scene"
    east.write_text(east.read_text().replace('bell minute="1050"\n', ""))
    descriptor = sample.project / "nine-piers.mproj"
    descriptor.write_text(descriptor.read_text().replace('"standard": 17', '"standard": 20'))
    table = (sample.project / "generated/start_table.cpp").read_text()
    generate = [sys.executable, sample.shelf / "merelith/3.0.2/tools/generate.py", sample.project]
    subprocess.run(generate, check=True, capture_output=True)
    assert (sample.project / "generated/start_table.cpp").read_text() == table  # the generator leaves an old one alone
    built = _make(sample, "3.0.2", tmp_path / "new")
    _, causes = diagnose((built.stdout + built.stderr).encode(), scan, plain_context(scan))
    assert [cause.key for cause in causes] == ["link::start_entries"]

    (sample.project / "generated/start_table.cpp").unlink()
    subprocess.run(generate, check=True, capture_output=True)
    assert _make(sample, "3.0.2", tmp_path / "new").returncode == 0
    built = sample.project / "plugins/mooring/built/3.0.2"
    built.mkdir(parents=True)
    tool = sample.shelf / "merelith/3.0.2/tools/build_plugin.py"
    subprocess.run([sys.executable, tool, sample.project / "plugins/mooring", built], check=True, capture_output=True)
    subprocess.run([tmp_path / "new" / "game", "--out", tmp_path], cwd=sample.project, check=True, capture_output=True)
    report = (tmp_path / "day-report.txt").read_text()
    # It compiles, and is wrong in three ways: who closes the day sleeps, the bell is not asked at dusk, boats leave by hours.
    assert "passengers" not in report and "by dusk" not in report and "arrival at" not in report


@pytest.mark.usefixtures("compiled_headers")
def test_headless_demo_goes_the_whole_way(tmp_path: Path) -> None:
    words = [sys.executable, "-m", "fernshale", "demo", "--headless", "--folder", str(tmp_path / "demo")]
    done = subprocess.run([*words, "--json"], capture_output=True, text=True, timeout=400)
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr
    report = json.loads(done.stdout)
    assert report["done"] and report["left"] == [] and set(report["stages"].values()) == {"clear"}
    assert report["rounds"][0]["errors"]["own"] >= 30 and report["rounds"][-1]["passed"]
    figures = report["figures"]
    assert figures["rounds"] <= 8 and figures["decisions by people"] <= 15 and not report["links"]["dangling"]
    for ledger in report["ledgers"].values():
        assert ledger["edits"] == ledger["carried"] + ledger["already"] + ledger["dropped"] and not ledger["decide"]


@pytest.mark.usefixtures("compiled_headers")
def test_headless_demo_by_hand_stops_at_what_needs_a_person(tmp_path: Path) -> None:
    words = [sys.executable, "-m", "fernshale", "demo", "--headless", "--by-hand", "--folder", str(tmp_path / "demo")]
    done = subprocess.run(words, capture_output=True, text=True, timeout=400)
    assert done.returncode == 3 and "left to do" in done.stdout and "mine: Keep yours" in done.stdout
