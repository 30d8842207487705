"""Each hostile input through the command line: nothing is harmed, a message says what is wrong, and the exit code is one of ours."""

from __future__ import annotations

import os
import signal
import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest

from fernshale.cli.main import run
from fernshale.core.base.data_folder import home
from fernshale.core.base.work import Work
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.hostile import inputs
from tests.wick import begin_wick, make_wick

_REACHES = {
    "json": 'json = "/engine"', "yaml": 'yaml = "/engine"', "toml": 'toml = "engine"', "xml": 'xml = "/engine"',
    "ini": 'ini = "engine"',
}  # fmt: skip


@pytest.fixture(autouse=True)
def _signals() -> Iterator[None]:
    """A command leaves signals as a process that is about to end has them."""
    kept = {number: signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)}
    yield
    for number, handler in kept.items():
        signal.signal(number, handler)


class _Said:
    """What a command said, and how it ended."""

    def __init__(self, code: int, out: str, err: str) -> None:
        self.code, self.out, self.err = code, out, err

    def is_in_order(self) -> None:
        """One of our exit codes, no traceback, nothing unforeseen, nothing that moves a cursor; a failure says something."""
        assert self.code in (0, 1, 2, 3), self.err
        assert "Traceback" not in self.err and "unforeseen" not in self.err, self.err
        assert not [sign for sign in self.out + self.err if ord(sign) < 32 and sign not in "\n\t"]
        assert self.code in (0, 3) or (self.out + self.err).strip()
        assert len(self.err) < 20_000


def _run(capsys: pytest.CaptureFixture[str], *words: object) -> _Said:
    try:
        code = run([str(word) for word in words])
    except SystemExit as ended:  # misuse, said by the parser
        code = int(ended.code or 0)
    out, err = capsys.readouterr()
    said = _Said(code, out, err)
    said.is_in_order()
    return said


def _project(tree: Tree, kind: str, text: str) -> tuple[Path, Path]:
    profile = (
        f'format = "fernshale-profile/1"\nid = "x"\ntitle = "X"\n[recognise]\nfiles = ["odd.{kind}"]\n'
        f'[[site]]\nname = "s"\nfiles = ["odd.{kind}"]\nat = {{ {_REACHES[kind]} }}\nrequired = true\n'
        '[[role]]\nrole = "settings"\nfiles = ["**"]\n'
    )
    project = tree("project", {f"odd.{kind}": text.encode("utf-8", "surrogatepass"), "keep.txt": "mine\n"})
    return project, tree("profiles", {"x.profile.toml": profile}) / "x.profile.toml"


_DATA = [(kind, name) for kind, texts in inputs.DATA.items() for name in texts]


@pytest.mark.parametrize(("kind", "name"), _DATA)
def test_a_file_of_a_project(kind: str, name: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    project, profile = _project(tree, kind, inputs.DATA[kind][name])
    before = listing(project)
    said = _run(capsys, "survey", project, "--profile", profile)
    assert said.code in (0, 3) or f"odd.{kind}" in said.err or "release" in said.err
    assert listing(project) == before and not (project / "ran").exists() and "root:" not in said.out + said.err


@pytest.mark.parametrize("kind", inputs.DATA)
def test_a_profile_is_drafted_for_all_of_a_kind(kind: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    files = {
        f"{number}.{kind}": text.encode("utf-8", "surrogatepass")
        for number, text in enumerate(inputs.DATA[kind].values())
    }
    project = tree("project", files)
    before = listing(project)
    _run(capsys, "profile", "draft", project)
    assert listing(project) == before


@pytest.mark.parametrize(("kind", "name"), [item for item in _DATA if item[0] != "ini"])
def test_settings_that_are_merged(
    kind: str, name: str, tree: Tree, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    text = inputs.DATA[kind][name].encode("utf-8", "surrogatepass")
    sides = {"base": text, "mine": text + b"\n# mine\n", "incoming": b"\n" + text}
    folders = [part for side, data in sides.items() for part in (f"--{side}", tree(side, {f"odd.{kind}": data}))]
    said = _run(capsys, "merge", *folders, "--result", tmp_path / "result", "--report", tmp_path / "report.json")
    assert said.code in (0, 3) and (tmp_path / "mine" / f"odd.{kind}").read_bytes() == sides["mine"]


@pytest.mark.parametrize("name", inputs.LOGS)
def test_what_a_build_prints(name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    log = tmp_path / "build.log"
    log.write_bytes(inputs.LOGS[name])
    assert _run(capsys, "diagnose", log).code == 0
    assert _run(capsys, "diagnose", log, "--json", "--sarif", tmp_path / "out.sarif").code == 0


@pytest.mark.parametrize("name", inputs.PROFILES)
def test_a_profile(name: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    text, expected = inputs.PROFILES[name]
    profile = tree("profiles", {"x.profile.toml": text}) / "x.profile.toml"
    project = tree("project", {"odd.ini": "engine = 1.0\n"})
    before = listing(project)
    for words in (("survey", project, "--profile", profile), ("profile", "check", profile)):
        said = _run(capsys, *words)
        assert said.code in (1, 2) and expected in said.out + said.err and "x.profile.toml" in said.out + said.err
    assert listing(project) == before


@pytest.mark.parametrize("name", inputs.RULES)
def test_fix_rules(name: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    text, expected = inputs.RULES[name]
    rules = tree("rules", {"x.rules.toml": text}) / "x.rules.toml"
    wick = make_wick(tree)
    before = listing(wick.project)
    said = _run(capsys, "fix", rules, wick.project, "--profile", wick.profile, "--apply")
    assert said.code == 2 and expected in said.err and "x.rules.toml" in said.err and listing(wick.project) == before


@pytest.mark.parametrize("name", inputs.SHELVES)
def test_a_shelf(name: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    text, expected = inputs.SHELVES[name]
    shelf = tree("shelf", {"shelf.toml": text, "f/a.txt": "a"})
    said = _run(capsys, "shelf", "show", shelf)
    assert expected in said.err and (said.code == 0 or "shelf.toml" in said.err)


@pytest.mark.parametrize("ending", inputs.NESTED_CLASSES)
def test_sources_of_two_releases(ending: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    files = {f"f{number}{ending}": text for number, text in enumerate(inputs.SOURCES.values())}
    files[f"nested{ending}"] = inputs.NESTED_CLASSES[ending]
    old = tree("old", files)
    new = tree("new", {path: f"{text}\n" for path, text in files.items()})
    assert _run(capsys, "drift", old, new).code == 0


@pytest.mark.parametrize(
    ("words", "code"),
    [
        (("survey", "{no}"), 1),
        (("survey", "{file}"), 1),
        (("survey", "{project}", "--profile", "{no}"), 2),
        (("survey", "{project}", "--profile", "{folder}"), 2),
        (("survey", "{project}", "--profile", "{binary}"), 2),
        (("route", "{project}", "--to", "9" * 5000, "--shelf", "{shelf}", "--profile", "{profile}"), 1),
        (("route", "{project}", "--to", "", "--shelf", "{shelf}", "--profile", "{profile}"), 1),
        (("route", "{project}", "--to", "\x1b[2J", "--shelf", "{shelf}", "--profile", "{profile}"), 1),
        (("route", "{project}", "--to", "2.0", "--shelf", "{no}", "--profile", "{profile}"), 2),
        (("route", "{project}", "--to", "2.0", "--shelf", "http://[::1", "--profile", "{profile}"), 2),
        (("route", "{project}", "--to", "2.0", "--shelf", "http://x:99999/", "--profile", "{profile}"), 2),
        (("decide", "{project}", "no:such", "way"), 2),
        (("logbook", "{project}"), 2),
        (("report", "{project}"), 2),
        (("snapshot", "take", "{no}"), 1),
        (("snapshot", "restore", "{no}", "{folder}"), 1),
        (("snapshot", "compare", "../..", "x"), 1),
        (("snapshot", "restore", "", "{folder}"), 1),
        (
            (
                "merge",
                "--base",
                "{no}",
                "--mine",
                "{no}",
                "--incoming",
                "{no}",
                "--result",
                "{folder}",
                "--report",
                "{file}",
            ),
            1,
        ),
        (("identify", "{no}", "--candidates", "{no}"), 1),
        (("diagnose", "{no}"), 1),
        (("diagnose", "{folder}"), 1),
        (("drift", "{no}", "{no}"), 2),
        (("drift", "{shelf}", "{shelf}", "--language", "klingon"), 2),
        (("fix", "{no}", "{project}"), 2),
        (("links", "{project}", "--profile", "{profile}", "--before", "{no}"), 1),
        (("role", "{project}", "../../etc/passwd", "own", "--profile", "{profile}"), 1),
        (("import", "{project}", "--from", "{no}", "x", "--profile", "{profile}"), 1),
        (("shelf", "serve", "{no}"), 2),
        (("shelf", "serve", "{shelf}", "--port", "99999"), 2),
        (("profile", "draft", "{no}"), 1),
        (("nonsense",), 2),
    ],
)
def test_words_on_the_command_line(
    words: tuple[str, ...], code: int, tree: Tree, capsys: pytest.CaptureFixture[str]
) -> None:
    wick = make_wick(tree)
    places = {
        "no": tree("x", {}) / "not there", "file": tree("y", {"a": "b"}) / "a", "folder": tree("z", {"a": "b"}),
        "binary": tree("w", {"p.profile.toml": bytes(range(256))}) / "p.profile.toml", "project": wick.project,
        "shelf": wick.shelf, "profile": wick.profile,
    }  # fmt: skip
    before = listing(wick.project)
    said = _run(capsys, *(str(places[word[1:-1]]) if word[1:-1] in places else word for word in words))
    assert said.code in (code, 1, 2) and said.code != 0 and listing(wick.project) == before


def _damage_json(path: Path) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(b"[" * 20000)


@pytest.mark.parametrize("name", ["trusted.json", "passwords.json", "remembered.json", "limits.toml"])
def test_damaged_files_of_our_own(name: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    wick = make_wick(tree)
    _damage_json(home() / name)
    said = _run(capsys, "survey", wick.project, "--profile", wick.profile, "--shelf", wick.shelf)
    assert said.code in (0, 3) or name in said.err
    said = _run(
        capsys,
        "cross",
        wick.project,
        "--to",
        "2.0",
        "--profile",
        wick.profile,
        "--shelf",
        wick.shelf,
        "--auto",
        "--trust",
    )
    assert said.code == 0 or name in said.err


def test_damaged_caches(tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    wick = make_wick(tree)
    words = ("cross", wick.project, "--to", "2.0", "--profile", wick.profile, "--shelf", wick.shelf)
    assert _run(capsys, *words).code == 3
    caches = [path for path in home().rglob("*") if path.is_file() and path.parent.name in ("names", "index", "drift")]
    assert caches
    for path in caches:
        path.write_bytes(os.urandom(len(path.read_bytes())))
    assert _run(capsys, *words).code == 3


@pytest.mark.parametrize("how", ["cut", "noise", "empty", "no tables", "bad facts", "bad changes"])
def test_a_damaged_crossing(how: str, tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    wick, crossing = begin_wick(tree)
    act(crossing, "engine:sites", "apply", who="you")
    before = listing(wick.project)
    path = crossing.folder / "crossing.sqlite"
    data = path.read_bytes()
    match how:
        case "cut":
            path.write_bytes(data[: len(data) // 2])
        case "noise":
            path.write_bytes(data[:100] + os.urandom(len(data) - 100))
        case "empty":
            path.write_bytes(b"")
        case _:
            with sqlite3.connect(path) as database:
                if how == "no tables":
                    database.execute("DROP TABLE facts")
                elif how == "bad facts":
                    database.execute("UPDATE facts SET value = '{'")
                else:
                    database.execute("UPDATE logbook SET changes = '[[1]]' WHERE changes IS NOT NULL")
            database.close()
    for suffix in ("-wal", "-shm"):
        path.with_name(path.name + suffix).unlink(missing_ok=True)
    for words in (("logbook", wick.project), ("logbook", wick.project, "--back-to", "1"), ("report", wick.project)):
        said = _run(capsys, *words)
        assert said.code != 0 and ("crossing" in said.err or str(crossing.folder) in said.err)
    assert listing(wick.project) == before


def test_names_that_move_cursors(tree: Tree, capsys: pytest.CaptureFixture[str]) -> None:
    wick, crossing = begin_wick(tree)
    odd = wick.project / "a\x1b[2J\x07\u202eb.py"
    odd.write_text("import wick\nwick.light_up()\n")
    (wick.project / "addons/\x1b]0;x\x07").mkdir()
    (wick.project / "addons/\x1b]0;x\x07/addon.ini").write_text("version = \x1b[31m\nwick = *\n")
    inspect(crossing, Work())
    for words in (
        ("survey", wick.project),
        ("cross", wick.project, "--to", "2.0", "--shelf", wick.shelf, "--auto"),
        ("report", wick.project),
    ):
        said = _run(capsys, *words)
        assert "\u202e" not in said.out + said.err and "\x9b" not in said.out + said.err
