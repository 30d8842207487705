"""The command line as it is called from outside: exit codes, JSON, and what bad input hears."""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path

import pytest

import fernshale
from fernshale.cli.main import SIGNALS
from fernshale.cli.main import run as main
from fernshale.core.base.data_folder import home
from fernshale.core.base.lock import locked
from fernshale.core.crossing.record.database import Crossing, open_crossing
from fernshale.core.crossing.record.fix_settings import attempts_per_build, automatic_from
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.rush import begin_rush, knot
from tests.wick import Wick, add_release, begin_wick, cross_wick, make_silent_wick, make_wick

_DELETE = """\
format = "fernshale-rules/1"
[[rule]]
id = "all"
kind = "delete"
files = ["**"]
why = "a rule that went wrong"
"""


def run(*arguments: object, stdin: str = "") -> subprocess.CompletedProcess[str]:
    """The command line, called in this process: starting another costs more than most commands."""
    words = list(map(str, arguments))
    streams = sys.stdin, sys.stdout, sys.stderr
    handlers = {number: signal.getsignal(number) for number in SIGNALS}
    out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", "surrogateescape", write_through=True) for _ in range(2))
    sys.stdin, sys.stdout, sys.stderr = io.TextIOWrapper(io.BytesIO(stdin.encode())), out, err
    try:
        code = main(words)
    except SystemExit as end:  # argparse ends so
        code = end.code if isinstance(end.code, int) else 2
    finally:
        sys.stdin, sys.stdout, sys.stderr = streams
        for number, handler in handlers.items():
            signal.signal(number, handler)
    said, told = (stream.buffer.getvalue().decode("utf-8", "replace") for stream in (out, err))  # type: ignore[attr-defined]
    return subprocess.CompletedProcess(words, code, said, told)


def run_process(*arguments: object) -> subprocess.CompletedProcess[str]:
    """The command line in a process of its own, as a person starts it."""
    words = [sys.executable, "-m", "fernshale", *map(str, arguments)]
    return subprocess.run(words, capture_output=True, text=True, timeout=120, env=os.environ)


def _cross_words(wick: Wick) -> tuple[object, ...]:
    return "cross", wick.project, "--to", "2.0", "--shelf", wick.shelf, "--profile", wick.profile


def data(*arguments: object, code: int = 0, stdin: str = "") -> object:
    done = run(*arguments, "--json", stdin=stdin)
    assert done.returncode == code, done.stderr
    return json.loads(done.stdout)


def test_version_and_help() -> None:
    assert run_process("--version").stdout == f"fernshale {fernshale.__version__}\n"
    done = run_process("--help")
    names = (
        "demo",
        "survey",
        "route",
        "snapshot",
        "merge",
        "identify",
        "engine",
        "diagnose",
        "build",
        "fix",
        "trial",
        "cross",
        "report",
    )
    assert done.returncode == 0 and all(f"\n    {name}" in done.stdout for name in names)
    assert run("dance").returncode == 2


def test_survey_without_a_crossing(tree: Tree) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    found = data("survey", wick.project, "--profile", wick.profile, "--shelf", wick.shelf)
    assert found["engine"] == {"id": "wick", "title": "Wick", "release": "1.4"}  # type: ignore[index]
    (site,) = found["sites"]  # type: ignore[index]
    assert (site["file"], site["value"], site["line"]) == ("candle.ini", "1.4", 2)
    (plugin,) = found["plugins"]  # type: ignore[index]
    assert (plugin["id"], plugin["version"], plugin["edited"], plugin["own"]) == ("snuffer", "1", ["snuffer.py"], [])
    assert plugin["origin"]["version"] == "1" and found["roles"] == {"own": 2, "plugin": 2, "other": 1}  # type: ignore[index]
    assert listing(wick.project) == before


def test_snapshot_commands(tree: Tree, tmp_path: Path) -> None:
    root = tree("t", {"a": "1", "sub/b": "2", "empty": None})
    store = ("--store", tmp_path / "store")
    first = data("snapshot", "take", root, *store)
    assert (first["files"], first["bytes"], first["reported"]) == (2, 2, [])  # type: ignore[index]
    (root / "a").write_text("changed")
    second = data("snapshot", "take", root, *store, "--note", "two")
    found = data("snapshot", "compare", first["id"], second["id"], *store)  # type: ignore[index]
    assert found == {
        "added": [],
        "removed": [],
        "changed": ["a"],
        "moved": [],
        "mode_only": [],
        "line_ends_only": [],
        "moved_edited": [],
    }
    assert [item["note"] for item in data("snapshot", "list", *store)] == ["", "two"]  # type: ignore[union-attr, attr-defined]
    data("snapshot", "restore", first["id"], tmp_path / "back", *store)  # type: ignore[index]
    assert (tmp_path / "back" / "a").read_text() == "1" and (tmp_path / "back" / "empty").is_dir()
    assert data("snapshot", "verify", *store) == {"ok": True, "damaged": []}
    pack = next((tmp_path / "store").glob("packs/*"))
    pack.write_bytes(pack.read_bytes()[:-1] + b"?")
    assert not data("snapshot", "verify", *store, code=1)["ok"]  # type: ignore[index]
    assert run("snapshot", "restore", "nothing", tmp_path / "x", *store).returncode == 2


def test_merge_and_identify(tree: Tree, tmp_path: Path) -> None:
    body = "".join(f"line {n} is unique\n" for n in range(9))
    base = tree("base", {"f": body, "gone": "g\n"})
    mine = tree("mine", {"f": body.replace("line 1 ", "my 1 "), "gone": "g\n", "own": "o\n", "clash": "m\n"})
    new = tree("new", {"deep/f": body.replace("line 8 ", "their 8 "), "clash": "n\n"})
    sides = ("--base", base, "--mine", mine, "--incoming", new)
    report = data("merge", *sides, "--result", tmp_path / "out", "--report", tmp_path / "r.json", code=3)
    assert report == json.loads((tmp_path / "r.json").read_text()) and report["format"] == "fernshale-merge/1"  # type: ignore[index]
    outcomes = {file["path"]: (file["outcome"], file["from"]) for file in report["files"]}  # type: ignore[index]
    assert outcomes == {
        "clash": ("decide", None),
        "deep/f": ("merged", "f"),
        "gone": ("removed", None),
        "own": ("own", None),
    }
    ledger = report["ledger"]  # type: ignore[index]
    assert ledger["edits"] == 3 == ledger["carried"] + ledger["already"] + ledger["decide"] + ledger["dropped"]
    marked = (tmp_path / "out" / "clash").read_text()
    assert "mine ~~~\nm\n" in marked and "incoming ~~~\nn\n" in marked
    assert "my 1 " in (tmp_path / "out/deep/f").read_text() and "their 8 " in (tmp_path / "out/deep/f").read_text()
    assert run("merge", *sides, "--result", tmp_path / "out").returncode == 2  # not empty any more
    data("merge", *sides, "--result", tmp_path / "theirs", "--undecided", "incoming")
    assert (tmp_path / "theirs" / "clash").read_text() == "n\n"
    found = data("identify", mine, "--candidates", base, new)
    assert found["best"] == str(base) and [row["same_files"] for row in found["ranking"]] == [1, 0]  # type: ignore[index]


def test_diagnose_reads_from_standard_input() -> None:
    log = "src/a.cpp:3:5: error: ‘tide’ was not declared in this scope\nsrc/b.cpp:4:5: error: ‘tide’ was not declared in this scope\n"
    found = data("diagnose", "-", stdin=log)
    (cause,) = found["causes"]  # type: ignore[index]
    assert cause["count"] == 2 and cause["places"] == [
        {"file": "src/a.cpp", "line": 3},
        {"file": "src/b.cpp", "line": 4},
    ]
    assert [item["owner"] for item in found["diagnostics"]] == ["own", "own"]  # type: ignore[index]
    assert run("diagnose", "/no/such/log").returncode == 2


def test_a_rule_that_would_undo_itself_is_named_once_it_is_applied(tree: Tree) -> None:
    wick = make_wick(tree)
    named = ("--profile", wick.profile)
    (wick.project / "game.py").write_text("import wick\nwick.put(1, 2)\n")
    rules = wick.project.parent / "order.rules.toml"
    rules.write_text(
        'format = "fernshale-rules/1"\n[[rule]]\nid = "put"\nkind = "reorder"\nwhy = "w"\ncall = "put"\norder = [2, 1]\n'
    )
    assert "again" not in run("fix", rules, wick.project, *named).stderr
    assert "put must not be applied to these places again" in run("fix", rules, wick.project, "--apply", *named).stderr
    assert (wick.project / "game.py").read_text() == "import wick\nwick.put(2, 1)\n"


def test_rules_that_remove_much_are_asked_about(tree: Tree) -> None:
    wick = make_wick(tree)
    rules = tree("rules", {"all.rules.toml": _DELETE}) / "all.rules.toml"
    named, before = ("--profile", wick.profile), listing(wick.project)
    asked = run("fix", rules, wick.project, "--apply", *named)
    assert asked.returncode == 3 and "files would be removed, so nothing was written" in asked.stderr
    assert "--yes" in asked.stderr and listing(wick.project) == before
    assert run("fix", rules, wick.project, "--apply", "--yes", *named).returncode == 0
    assert not [path for path in wick.project.rglob("*") if path.is_file()]


def test_rules_are_not_applied_while_another_process_writes(tree: Tree) -> None:
    wick = make_wick(tree)
    journals = home() / "journals"
    journals.mkdir(parents=True)
    name = hashlib.sha256(os.fsencode(wick.project.resolve())).hexdigest()[:16]
    before = listing(wick.project)
    with locked(journals / f"{name}.lock"):
        done = run("fix", wick.shelf / "notes.rules.toml", wick.project, "--apply", "--profile", wick.profile)
    assert done.returncode == 1 and f"process {os.getpid()}" in done.stderr and listing(wick.project) == before


def test_engine_and_fix_show_first_and_write_when_told(tree: Tree) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    named = ("--profile", wick.profile)
    (site,) = data("engine", wick.project, "--to", "2.0", *named)["sites"]  # type: ignore[index]
    assert (site["before"], site["after"], site["at"]) == ("1.4", "2.0", "wick")
    diff = run("fix", wick.shelf / "notes.rules.toml", wick.project, *named).stdout
    assert "+wick.ignite()  # light_up" in diff and listing(wick.project) == before
    done = run("fix", wick.shelf / "notes.rules.toml", wick.project, "--apply", *named)
    assert done.returncode == 0 and "to go back: snapshot" in done.stderr
    assert "ignite" in (wick.project / "more.py").read_text()
    assert run("engine", wick.project, "--to", "2.0", "--apply", *named).returncode == 0
    assert "wick = 2.0   ; engine" in (wick.project / "candle.ini").read_text()


def test_a_copy_beside_is_crossed_and_the_original_only_read(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    words = (*_cross_words(wick), "--beside", tmp_path / "copy")
    looked = run(*words)
    assert looked.returncode == 3 and "a copy of" in looked.stderr
    assert run(*words, "--auto", "--trust").returncode == 0  # goes on with the copy there is
    assert listing(wick.project) == before
    assert "2.0" in (tmp_path / "copy" / "candle.ini").read_text()
    assert run("report", wick.project).returncode == 2 and run("report", tmp_path / "copy").returncode == 0
    taken = run(*words[:-1], wick.project / "inside")
    assert taken.returncode == 2 and "lies inside" in taken.stderr and listing(wick.project) == before


def test_cross_report_logbook_and_undo(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    words = ("cross", wick.project, "--to", "2.0", "--shelf", wick.shelf, "--profile", wick.profile)
    looked = run(*words)
    assert looked.returncode == 3 and "left to do" in looked.stdout and listing(wick.project) == before
    refused = run(*words, "--auto")
    assert refused.returncode == 2 and "you have not trusted it yet" in refused.stderr
    assert run(*words, "--auto", "--trust").returncode == 0
    assert run("trial", wick.project).returncode == 0
    report, way, patches = tmp_path / "report.md", tmp_path / "way.toml", tmp_path / "patches"
    only = run("report", wick.project, "--playbook", way)
    assert only.returncode == 0 and not only.stdout and way.read_text().startswith('format = "fernshale-way/1"')
    way.unlink()
    assert run("report", wick.project, "--out", report, "--playbook", way, "--patches", patches).returncode == 0
    assert way.exists() and any(patches.iterdir())
    assert "It compiles, runs and passes its checks" in report.read_text()
    assert data("report", wick.project)["done"]  # type: ignore[index]
    assert run("report", wick.project, "--out", tmp_path / "x.odt").returncode == 2
    engine = next(entry["id"] for entry in data("logbook", wick.project) if entry["stage"] == "Engine")  # type: ignore[union-attr, index, attr-defined]
    crossed = listing(wick.project)
    shown = run("logbook", wick.project, "--undo", engine, "--dry-run")
    assert shown.returncode == 0 and listing(wick.project) == crossed
    assert (
        "candle.ini  file changed" in shown.stdout and "-wick = 2.0" in shown.stdout and "+wick = 1.4" in shown.stdout
    )
    as_it_was = (wick.project / "candle.ini").read_bytes()
    (wick.project / "candle.ini").write_text("my own\n")
    shown = run("logbook", wick.project, "--undo", engine, "--dry-run")
    assert shown.returncode == 1 and "in the way: candle.ini: line 1 changed since" in shown.stdout
    assert run("logbook", wick.project, "--dry-run").returncode == 2
    (wick.project / "candle.ini").write_bytes(as_it_was)
    shown = run("logbook", wick.project, "--back-to", "1", "--dry-run")
    assert shown.returncode == 0 and listing(wick.project) == crossed
    assert "-wick = 2.0" in shown.stdout and "game.py  file changed" in shown.stdout
    entries = data("logbook", wick.project, "--back-to", "1")
    assert {"undone"} <= {entry["state"] for entry in entries} and listing(wick.project) == before  # type: ignore[union-attr, attr-defined]


@pytest.mark.parametrize(
    ("breaking", "code", "said"),
    [
        (lambda wick: (wick.project / "candle.ini").unlink(), 1, "no engine profile fits"),
        (lambda wick: (wick.project / "candle.ini").write_text("nothing = 1\n"), 1, "does not say which release"),
        (lambda wick: (wick.shelf / "shelf.toml").write_text("format = 'other'\n"), 2, "shelf.toml:1"),
        (lambda wick: (wick.shelf / "shelf.toml").unlink(), 2, "is no shelf"),
        (
            lambda wick: wick.profile.write_text(wick.profile.read_text() + "colour = 1\n"),
            2,
            "unknown key commands.run.colour",
        ),
    ],
)
def test_bad_input_is_told_and_changes_nothing(tree: Tree, breaking, code: int, said: str) -> None:
    wick = make_wick(tree)
    breaking(wick)
    before = listing(wick.project)
    profiles = Path(os.environ["FERNSHALE_HOME"]) / "profiles"
    profiles.mkdir(parents=True)
    (profiles / "wick.profile.toml").write_text(wick.profile.read_text())
    done = run("cross", wick.project, "--to", "2.0", "--shelf", wick.shelf, "--auto", "--trust")
    assert done.returncode == code and said in done.stderr, done.stderr
    assert "Traceback" not in done.stderr and listing(wick.project) == before


def test_release_that_is_not_there_and_missing_compiler(tree: Tree) -> None:
    wick, crossing = begin_wick(tree)
    done = run("cross", wick.project, "--to", "9", "--shelf", wick.shelf, "--profile", wick.profile)
    assert done.returncode == 1 and "9 is not on the shelf" in done.stderr and "1.4, 2.0" in done.stderr
    wick.profile.write_text(
        wick.profile.read_text().replace('run = ["python3", "{engine}/check.py"', 'run = ["no-such-tool"')
    )
    done = run("build", wick.project, "--trust")
    assert done.returncode == 1 and "no-such-tool was not found" in done.stderr
    assert isinstance(crossing, Crossing) and isinstance(wick, Wick)


def test_read_only_project_is_told_and_untouched(tree: Tree) -> None:
    """As a user without rights there; root may write anywhere, so the file system refuses instead."""
    wick, _ = begin_wick(tree)
    before = listing(wick.project)
    if os.geteuid() == 0:
        flagged = subprocess.run(["chattr", "-R", "+i", str(wick.project)], capture_output=True)
        if flagged.returncode != 0:
            pytest.skip("this file system cannot make files immutable")
    else:
        wick.project.chmod(0o500)
    try:
        done = run("engine", wick.project, "--to", "2.0", "--apply")
        assert done.returncode == 1 and ("not permitted" in done.stderr or "denied" in done.stderr)
        assert listing(wick.project) == before
    finally:
        subprocess.run(["chattr", "-R", "-i", str(wick.project)], capture_output=True)
        wick.project.chmod(0o700)


def test_interrupt_ends_with_130(tree: Tree) -> None:
    import signal
    import time

    wick, _ = begin_wick(tree)
    wick.profile.write_text(
        wick.profile.read_text().replace(
            '"{engine}/check.py", "{project}"', '"-c", "import time; print(1, flush=True); time.sleep(60)"'
        )
    )
    words = [sys.executable, "-m", "fernshale", "build", str(wick.project), "--trust"]
    with subprocess.Popen(words, stderr=subprocess.PIPE, text=True) as child:
        assert child.stderr is not None
        while (line := child.stderr.readline()) and line.strip() != "1":
            time.sleep(0.01)
        child.send_signal(signal.SIGINT)
        assert child.wait(30) == 130


def test_cross_takes_the_confidence_from_which_fixes_are_applied(tree: Tree) -> None:
    wick = make_wick(tree)
    words = (*_cross_words(wick), "--auto", "--trust")
    data(*words, "--apply-from", "1", code=3)
    crossing = open_crossing(wick.project)
    assert automatic_from(crossing) == 1.0
    refused = run(*words, "--apply-from", "0.2")
    assert refused.returncode == 2 and automatic_from(crossing) == 1.0
    data("build", wick.project, "--automatic-from", "0.8", code=3)
    assert automatic_from(crossing) == 0.8


def test_build_tries_proposals_in_a_copy_when_asked(tree: Tree) -> None:
    old = "def light_up(room, hour):\n    return lamps.find(room).burn(hour)\n"
    game = "import wick\nwick.light_up('hall', 3)\n"
    crossing = cross_wick(make_silent_wick(tree, old, old.replace("light_up", "kindle"), game))
    act(crossing, "engine:sites", "apply")
    project = crossing.setup.project
    done = run("build", project, "--try", "2")
    assert (
        done.returncode == 3
        and "1 proposal was tried in 1 build of a copy: 1 clears errors and brings none" in done.stderr
    )
    assert "tried: clears 1 of 1, brings none" in done.stdout and attempts_per_build(crossing) == 2
    shown = data("build", project, "--try", "0", code=3)
    assert isinstance(shown, dict) and attempts_per_build(crossing) == 0
    (proposal,) = shown["causes"][0]["proposals"]
    assert proposal["tried"] == "" and 0 < proposal["confidence"] < 1
    assert (project / "game.py").read_text() == game
    refused = run("build", project, "--try=-1")
    assert refused.returncode == 2 and "-1 is no number of builds" in refused.stderr


def test_import_reads_binary_assets_when_asked(tree: Tree) -> None:
    crossing = begin_rush(tree)
    project = crossing.setup.project
    old = tree("old", {"art/pier.knot": knot(("U", "sisal")), "art/sisal.knot": knot(("D", "sisal"))})
    words = ("import", project, "--from", old, "art/pier.knot")
    shown = data(*words, code=3)
    assert isinstance(shown, dict)
    assert len(shown["files"]) == 1 and len(shown["unread"]) == 4
    assert "--read-assets" in run(*words).stdout
    refused = run(*words, "--read-assets")
    assert refused.returncode == 2 and "trust" in refused.stderr
    shown = data(*words, "--read-assets", "--trust", "--apply")
    assert isinstance(shown, dict)
    assert [file["path"] for file in shown["files"]] == ["art/pier.knot", "art/sisal.knot"] and not shown["unread"]
    assert (project / "art/sisal.knot").read_bytes() == knot(("D", "sisal"))


def test_carry_shows_what_comes_and_brings_it_when_told(tree: Tree) -> None:
    wick, _ = begin_wick(tree)
    old = tree("old", {"notes/plan.txt": "first\n", "notes/other.txt": "second\n"})
    shown = data("import", wick.project, "--profile", wick.profile, "--from", old, "notes/plan.txt")
    assert shown["files"] == [{"path": "notes/plan.txt", "target": "notes/plan.txt", "state": "copy", "why": "chosen"}]
    assert not (wick.project / "notes/plan.txt").exists()
    done = run("import", wick.project, "--from", old, "notes/plan.txt", "--apply")
    assert done.returncode == 0 and "1 file imported" in done.stdout
    assert (wick.project / "notes/plan.txt").read_text() == "first\n" and not (
        wick.project / "notes/other.txt"
    ).exists()
    (old / "notes/plan.txt").write_text("changed\n")
    # The former name of the command is still understood.
    assert run("carry", wick.project, "--from", old, "notes/plan.txt").returncode == 3
    assert run("import", wick.project, "--from", old, "nowhere").returncode == 2


def test_drift_tells_changes_with_candidates_and_uses(tree: Tree) -> None:
    old = tree(
        "old", {"wick.py": "def light_up(room, hour):\n    return lamps.find(room).burn(hour)\n\ndef gone(): pass\n"}
    )
    new = tree("new", {"wick.py": "def kindle(room, hour):\n    return lamps.find(room).burn(hour)\n"})
    game = tree("game", {"game.py": "wick.light_up(1, 2)\nwick.light_up(3, 4)\n"})
    changes = data("drift", old, new)["changes"]
    (renamed,) = [item for item in changes if item["kind"] == "renamed"]  # type: ignore[attr-defined]
    assert (renamed["old"], renamed["new"], renamed["old_at"]) == ("wick.light_up", "wick.kindle", "wick.py:1")
    assert renamed["candidates"][0]["new"] == "wick.kindle" and renamed["candidates"][0]["evidence"]
    (used,) = data("drift", old, new, "--project", game)["changes"]  # type: ignore[misc]
    assert (used["old"], used["uses"]) == ("wick.light_up", 2)
    assert data("drift", old, new, "--language", "java")["changes"] == []
    assert run("drift", old, tree("x", {"a.txt": ""}) / "nothing").returncode == 2


def test_rules_test_themselves_and_tell_what_is_wrong(tree: Tree) -> None:
    head = 'format = "fernshale-rules/1"\n[[rule]]\nid = "r"\nkind = "rename"\nold = "go"\nnew = "run"\nwhy = "w"\n[[rule.example]]\n'
    good = tree("good", {"a.rules.toml": f'{head}before = "go();"\nafter = "run();"\n'}) / "a.rules.toml"
    bad = tree("bad", {"a.rules.toml": f'{head}before = "go();"\nafter = "went();"\n'}) / "a.rules.toml"
    assert run("fix", good, "--test").returncode == 0
    wrong = run("fix", bad, "--test")
    assert wrong.returncode == 1 and "a.rules.toml: r: example 1 gives 'run();'" in wrong.stdout
    assert run("fix", good).returncode == 2  # no project and no test


def test_diagnose_writes_sarif(tmp_path: Path) -> None:
    out = tmp_path / "out.sarif"
    run("diagnose", "-", "--sarif", out, stdin="src/a.cpp:3:5: error: broken [-Wx]\n")
    (result,) = json.loads(out.read_text())["runs"][0]["results"]
    assert (result["level"], result["ruleId"], result["properties"]["owner"]) == ("error", "-Wx", "own")


def test_a_crossing_is_exported_and_imported(tree: Tree, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    wick, _ = begin_wick(tree)
    file = tmp_path / "candle.crossing"
    assert data("crossing", "export", wick.project, file) == {"file": str(file), "bytes": file.stat().st_size}
    assert data("crossing", "archive", wick.project) == {"freed": 0}
    row = {"project": str(wick.project), "from": "1.4", "to": "2.0", "archived": True}
    assert data("crossing", "list") == {"crossings": [row]}
    assert "archived" in run("crossing", "list").stdout
    assert run("crossing", "import", file, wick.project).returncode == 2
    monkeypatch.setenv("FERNSHALE_HOME", str(tmp_path / "elsewhere"))
    done = run("crossing", "import", file, tmp_path / "theirs")
    assert done.returncode == 0 and "1.4 → 2.0" in done.stdout
    assert (tmp_path / "theirs/game.py").read_bytes() == (wick.project / "game.py").read_bytes()
    assert run("crossing", "import", tmp_path / "theirs/game.py", tmp_path / "c").returncode == 2


def test_a_run_each_night_says_what_changed(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    first = run(*_cross_words(wick), "--trust", "--json")
    (tmp_path / "yesterday.json").write_text(first.stdout)
    found = data(*_cross_words(wick), "--trust", "--auto", "--since", tmp_path / "yesterday.json", code=0)
    assert isinstance(found, dict) and found["since"]["done"] == {"before": False, "now": True}
    assert found["since"]["resolved"] and not found["since"]["new"]
    assert "since" not in json.loads(first.stdout)
    said = run(*_cross_words(wick), "--since", tmp_path / "yesterday.json").stdout
    assert "since the earlier report" in said and "the crossing is done" in said
    assert run(*_cross_words(wick), "--since", wick.project / "game.py").returncode == 2


def test_a_rehearsal_compares_ways_and_leaves_the_project_alone(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    words = ("rehearse", wick.project, "--to", "2.0", "--shelf", wick.shelf, "--profile", wick.profile, "--trust")
    found = data(*words, "--hold", "snuffer", "--out", tmp_path / "page.html")
    assert isinstance(found, dict) and found["format"] == "fernshale-rehearsals/1"
    assert found["best"] == "2.0 direct, holding back snuffer" and found["pace"] is None
    said = run(*words)
    assert said.returncode == 0 and "1 of 1 come" in said.stdout and "your project was not touched" in said.stdout
    assert "0 left" in said.stdout and "2.0 direct leaves 0 errors and 0 decisions" in said.stdout
    assert "2.0 direct" in (tmp_path / "page.html").read_text()
    assert listing(wick.project) == before
    later = ("rehearse", wick.project, "--new", *words[4:])
    assert run(*later).stdout == "no release is new on the shelf\n"
    add_release(wick, "2.1", "def kindle(): print('lit')\n")
    assert "2.1 came out: 3 errors more than 2.0" in run(*later).stdout.splitlines()[-1]
    assert run(*later, "--to", "2.0").returncode == 2
    assert run("rehearse", wick.project, "--to", "2.0").returncode == 2
    assert run(*words, "--budget", "0").returncode == 2
    assert run(*words[:3], "9.9", *words[4:]).returncode == 1


def test_several_projects_are_rehearsed_and_crossed_from_relative_paths(
    tree: Tree, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    wick = make_wick(tree)
    shutil.copytree(wick.project, tmp_path / "second")
    shutil.copytree(wick.project, tmp_path / "third")
    (tmp_path / "third/candle.ini").unlink()
    before = listing(tmp_path / "second")
    monkeypatch.chdir(tmp_path)
    words = ("--to", "2.0", "--shelf", "shelf", "--profile", wick.profile, "--trust")
    done = run("rehearse", "second", "third", *words, "--out", "pages")
    assert done.returncode == 1 and [line.split(" ", 1)[0] for line in done.stdout.splitlines()] == ["second", "third"]
    assert "2.0 direct leaves 0 errors" in done.stdout.splitlines()[0] and "third: begun" in done.stderr
    assert sorted(path.name for path in (tmp_path / "pages").iterdir()) == ["01 second.html", "02 third.html"]
    assert listing(tmp_path / "second") == before
    found = data("cross", "candle", "third", *words, "--auto", "--workers", "3", code=1)
    assert isinstance(found, dict)
    assert [row["done"] for row in found["projects"]] == [True, False] and found["projects"][1]["trouble"]
    assert run("cross", "candle", "second", *words, "--auto").stdout.count("through") == 2
    assert run("cross", "second", "third/../second", *words, "--auto").returncode == 2
    assert run("cross", "candle", "second", *words, "--auto", "--workers", "0").returncode == 2
    assert "--exchange" in run("cross", "second", *words, "--auto", "--scheduler", "tcp://127.0.0.1:9").stderr
