"""The report in each of its forms, patches that real git applies, and the way of one crossing on the next."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import html

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.draft import Draft
from fernshale.core.change.preview import text_diff
from fernshale.core.crossing.flow.batch.project_crossing import cross_one
from fernshale.core.crossing.flow.start import Extent, begin_crossing
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage, stage_of
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.html import report_html
from fernshale.core.crossing.reporting.markdown import report_markdown, report_message
from fernshale.core.crossing.reporting.patches import write_patches
from fernshale.core.crossing.reporting.playbook import export_playbook, read_playbook
from fernshale.core.crossing.stages.build.member_states import member_states
from fernshale.core.crossing.stages.overview import Overview, inspect
from fernshale.core.crossing.stages.trial.check_list import add_check
from fernshale.core.profile.model import Check
from fernshale.core.profile.read import read_profile
from fernshale.sample import unpack
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import begin_wick, make_wick


def _look(crossing: Crossing) -> Overview:
    return inspect(crossing, Work())


def _take(crossing: Crossing, key: str, way: str, why: str = "", who: str = "you") -> None:
    act(crossing, key, way, who=who, why=why)


def _finished(crossing: Crossing) -> Overview:
    return cross_one(crossing, None, {}, lambda step: None, lambda stage, view: None, Work())[0]


def test_every_form_tells_the_same_and_markup_in_names_stays_text(tree: Tree) -> None:
    wick, crossing = begin_wick(tree)
    (wick.project / "odd <b>|name.txt").write_text("x")
    _take(crossing, "survey:baseline", "take")
    overview = _finished(crossing)
    assert overview.is_done
    draft = Draft(wick.project)
    draft.write("odd <b>|name.txt", b"y")
    write_step(
        crossing,
        EntryText(Stage.TRIAL, "by hand <i>|</i>", "because <script>alert(1)</script>"),
        draft.change_set(),
        Work(),
    )
    data = report_data(_look(crossing), crossing)
    assert json.loads(json.dumps(data)) == data and data["figures"]["rounds"] >= 1
    page = html.fromstring(report_html(data))
    assert not page.xpath("//script|//i|//link|//img") and "because <script>" in page.text_content()
    marked = report_markdown(data)
    assert not re.search(r"(?<!\\)[<>]|(?<!\\)\[(?! \])", marked)
    text = re.sub(r"\\(\W)", r"\1", marked)
    titles = [node.text for node in page.xpath("//h2")]
    assert titles == [line.removeprefix("## ") for line in text.splitlines() if line.startswith("## ")]
    for step in data["steps"]:
        assert step["title"] in page.text_content() and step["title"] in text
    assert all(
        len(re.findall(r"(?<!\\)\|", line)) == 5
        for line in marked.split("## Decisions")[1].split("##")[0].splitlines()
        if line.startswith("|")
    )
    message = report_message(data)
    assert (
        message.startswith("Move candle from 1.4 to 2.0\n")
        and "snuffer 1 → 2" in message
        and len(message.splitlines()) < 40
    )


_GIT = {
    "GIT_AUTHOR_NAME": "a",
    "GIT_AUTHOR_EMAIL": "a@b",
    "GIT_COMMITTER_NAME": "a",
    "GIT_COMMITTER_EMAIL": "a@b",
    "GIT_CONFIG_GLOBAL": "/dev/null",
}


def _git(folder: Path, *words: str) -> None:
    done = subprocess.run(["git", *words], cwd=folder, capture_output=True, env={**os.environ, **_GIT})
    assert done.returncode == 0, done.stderr + done.stdout


def test_real_git_follows_the_patches_to_the_same_tree(tree: Tree, tmp_path: Path) -> None:
    wick, crossing = begin_wick(tree)
    other = tmp_path / "other"
    shutil.copytree(wick.project, other, symlinks=True)
    _git(other, "init", "-q")
    _git(other, "add", "-A")
    _git(other, "-c", "core.autocrlf=false", "commit", "-qm", "before")
    _take(crossing, "plugin:snuffer", "take")
    for turn in range(2):
        draft = Draft(wick.project)
        draft.write("bin/ta b\tä.dat", bytes(range(256)) * (turn + 1) + os.urandom(300))
        draft.write("tool.sh", b"#!/bin/sh\necho" + b" x" * turn, 0o755 if turn else 0o644)
        draft.write("latin.txt", b"caf\xe9\r\nline\n" if not turn else b"caf\xe9!\r\nline")
        draft.write("empty", b"")
        if turn:
            draft.delete("empty")
            draft.delete("more.py")
            draft.link("link", "tool.sh")
        write_step(crossing, EntryText(Stage.BUILD, f"turn {turn}: ümlaut", "to see"), draft.change_set(), Work())
    names = write_patches(crossing, tmp_path / "patches")
    assert len(names) == 3
    _git(other, "am", "-q", "--keep-cr", *(str(tmp_path / "patches" / name) for name in names))
    shutil.rmtree(other / ".git")
    want = {path: item for path, item in listing(wick.project).items() if path != "notes/empty"}
    got = {path: item for path, item in listing(other).items() if path != "notes/empty"}
    assert got == want
    with pytest.raises(MisuseError, match="is not empty"):
        write_patches(crossing, tmp_path / "patches")


@given(
    st.binary(max_size=60).filter(lambda data: b"\0" not in data),
    st.binary(max_size=60).filter(lambda data: b"\0" not in data),
)
def test_hunks_hold_both_texts_whatever_the_encoding(old: bytes, new: bytes) -> None:
    hunks = text_diff(old, new)
    assert hunks is not None
    lines = hunks.replace(b"\n\\ No newline at end of file", b"\0").split(b"\n") if hunks else []
    kept = [line for line in lines if line[:1] in (b"+", b"-", b" ")]

    def side(sign: bytes) -> bytes:
        parts = (line[1:-1] if line.endswith(b"\0") else line[1:] + b"\n" for line in kept if line[:1] in (sign, b" "))
        return b"".join(parts)

    if old != new:
        assert side(b"-") == old and side(b"+") == new
    assert text_diff(b"a\0", new) is None


def test_the_way_of_one_crossing_is_followed_by_the_next_and_what_does_not_fit_is_said(
    tree: Tree, tmp_path: Path
) -> None:
    wick, crossing = begin_wick(tree)
    second = wick.project.parent / "second"
    shutil.copytree(wick.project, second)
    (second / "game.py").write_text("import wick\nwick.light_up()\n")
    scan = scan_crossing(crossing, Work())
    add_check(crossing, scan, Check("lit", prints="lit"))
    for key, way in (("plugin:snuffer", "take"), ("engine:sites", "apply"), ("build:run", "build")):
        _take(crossing, key, way)
    cause = _look(crossing).build.causes[0]
    _take(crossing, f"cause:{cause.cause.key}", "light", "as the notes say")
    _take(crossing, "route:2.0:ghost", "keep", "only here")
    text = export_playbook(crossing, scan, CancelToken())
    file = tmp_path / "candle.way.toml"
    file.write_text(text)
    way = read_playbook(file)
    assert [item.name for item in way.check] == ["lit"] and "light" in [rule.id for rule in way.rule]
    assert "route:2.0:ghost" in [item.key for item in way.decision]
    profile = read_profile(wick.profile)
    there = begin_crossing(second, profile, [wick.shelf], "2.0", Work())
    overview, followed = cross_one(there, way, {}, lambda step: None, lambda stage, view: None, Work())
    assert any("route:2.0:ghost" in words for words in followed.unfit) and not followed.ahead
    row = {row.check.name: row for row in overview.trial.checks}["lit"]
    assert row.on("2.0").is_good and overview.is_done


def test_a_member_without_a_sure_way_is_left_out_and_comes_back(tmp_path: Path) -> None:
    toys = unpack(tmp_path / "toys", "quayside")
    profile = read_profile(toys.profile)
    trust(profile)
    (toys.project / "toys/bell/main.py").write_text("import osier\n\nosier.nobody_knows_this(3)\n")
    crossing = begin_crossing(toys.project, profile, [toys.shelf], toys.target, Work())
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    overview = _look(crossing)
    (open_item,) = [item for item in overview.items if item.key.startswith("member:bell")]
    assert [way.id for way in open_item.options] == ["leave"]
    _take(crossing, "member:bell", "leave", "its author is at sea")
    _take(crossing, "build:run", "build")
    overview = _look(crossing)
    states = {item.member.name: item for item in member_states(overview.scan, overview.build, crossing)}
    assert "its author is at sea" in states["bell"].words and not states["bell"].crosses
    assert not any("bell" in error.place.file for item in overview.build.causes for error in item.cause.errors)
    rows = {row["name"]: row["says"] for row in report_data(overview, crossing)["members"]}
    assert rows["bell"].startswith("left out on 1.8")
    _take(crossing, "member:bell", "return")
    states = {item.member.name: item for item in member_states(_look(crossing).scan, _look(crossing).build, crossing)}
    assert states["bell"].crosses


def test_the_key_of_an_item_tells_its_stage(tmp_path: Path) -> None:
    for name in ("nine-piers", "quayside"):
        sample = unpack(tmp_path / name, name)
        profile = read_profile(sample.profile)
        crossing = begin_crossing(sample.project, profile, [sample.shelf], sample.target, Work())
        items = _look(crossing).items
        assert [stage_of(item.key) for item in items] == [item.stage for item in items]


def test_a_report_tells_every_leg(tree: Tree) -> None:
    wick = make_wick(tree)
    shutil.copytree(wick.shelf / "wick/1.4", wick.shelf / "wick/1.6")
    shelf = wick.shelf / "shelf.toml"
    entry = '[[engine]]\nid = "wick"\nversion = "1.6"\nfolder = "wick/1.6"\n'
    shelf.write_text(shelf.read_text().replace("[[engine]]", entry + "[[engine]]", 1))
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work(), Extent(via=["1.6"]))
    overview = _finished(crossing)
    assert overview.is_done
    data = report_data(overview, crossing)
    (first,) = data["earlier"]
    assert (first["from"], first["to"]) == ("1.4", "1.6") and len(first["rounds"]) == 1
    assert data["figures"]["rounds"] == 1 + len(data["rounds"]) and data["figures"]["local edits"] == 1
    text = report_markdown(data)
    assert "1.4 → 1.6 → 2.0" in text and "### 1.6 → 2.0" in text and "| 1.6 | 1 | 0 |" in text
    assert (
        "1.6"
        in html.fromstring(report_html(data))
        .xpath("//h2[text()='Rounds']/following-sibling::table[1]")[0]
        .text_content()
    )


def test_decisions_are_told_in_words(tree: Tree) -> None:
    wick = make_wick(tree)
    new = wick.shelf / "snuffer/2/snuffer.py"
    new.write_text(new.read_text().replace("step_0 = 0", "step_0 = 'vendor'"))
    trust(read_profile(wick.profile))
    crossing = begin_crossing(wick.project, read_profile(wick.profile), [wick.shelf], "2.0", Work())
    (conflict,) = (item for item in _look(crossing).items if item.key.startswith("merge:"))
    title = conflict.title
    _take(crossing, conflict.key, "mine", why="ours is right")
    _take(crossing, "plugin:snuffer", "take")
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    view = next(item for item in _look(crossing).build.causes if item.fixes)
    _take(crossing, view.key, view.fixes[0].rule.id, why="it is renamed")
    data = report_data(_look(crossing), crossing)
    told = {(row["what"], row["taken"], row["why"]) for row in data["decisions"]}
    assert (title, "yours kept", "ours is right") in told, told
    assert all(":" not in row["what"].split(" ")[0] or row["what"] == title for row in data["decisions"]), told
    for text in (report_markdown(data), report_message(data), report_html(data)):
        assert "merge:" not in text and "fix:" not in text, text
    assert "snuffer.py: both changed" in report_message(data)
