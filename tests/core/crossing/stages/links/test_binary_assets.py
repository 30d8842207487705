"""Binary assets are read and written by the engine's own commands: under trust, on copies, kept by content."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from fernshale.core.base.errors import CommandError, FormatError, MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.trust import TrustNeeded, trust
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.markdown import report_markdown
from fernshale.core.crossing.stages.links.binary_ids import ids_to_write, with_writable
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.links.binary_assets import BinaryFiles, plain_text
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.renamed_targets import TargetCandidate
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.rush import begin_rush, knot


def test_ids_in_binary_assets_are_linked_and_relinked_like_text(tree: Tree) -> None:
    crossing = begin_rush(tree)
    project = crossing.setup.project
    ran = project.parent / "shelf" / "rush" / "1.0" / "ran"
    view = inspect(crossing, Work()).links
    assert [item.key for item in view.items] == ["assets:unread"] and not ran.exists(), "an inspection runs nothing"
    with pytest.raises(TrustNeeded):
        act(crossing, "assets:unread", "read")
    trust(read_profile(crossing.setup.profile))
    act(crossing, "assets:unread", "read")
    assert not inspect(crossing, Work()).links.items
    assert ran.read_text() == "print\nprint\n", "each content once"
    # The rope gets another id, as an update might do; a text and a binary asset use the old one.
    (project / "art" / "hemp.json").write_text(
        json.dumps({"id": "hemp-rope-long", "title": "A rope of hemp", "strength": 12})
    )
    view = inspect(crossing, Work()).links
    (missing,) = view.missing
    assert missing.id == "hemp-rope" and {use.file for use in missing.uses} == {"art/quay.knot", "art/a.scene"}
    act(crossing, "links:hemp-rope", "hemp-rope-long")
    assert (project / "art" / "quay.knot").read_bytes() == knot(("D", "quay"), ("U", "hemp-rope-long"), ("U", "anchor"))
    assert json.loads((project / "art" / "a.scene").read_text()) == {"rope": "hemp-rope-long"}
    report = report_markdown(report_data(inspect(crossing, Work()), crossing))
    assert "hemp-rope → hemp-rope-long · 2 uses in 2 files" in report and "2 binary assets read" in report
    assert (
        "1 step, 2 files touched, 0 local edits, 0 rounds, 0 errors at first, 1 decision, 1 decision by people."
        in report
    )
    # The written asset was printed again.
    assert not inspect(crossing, Work()).links.items
    assert ran.read_text().split() == ["print", "print", "write", "print"]


def test_a_command_that_leaves_an_old_id_writes_nothing(tree: Tree) -> None:
    crossing = begin_rush(tree)
    tool = crossing.setup.project.parent / "shelf" / "rush" / "1.0" / "knot.py"
    tool.write_text(
        tool.read_text().replace('new.get(id, id).encode() if letter == "U"', 'id.encode() if letter == "U"')
    )
    trust(read_profile(crossing.setup.profile))
    act(crossing, "assets:unread", "read")
    art = crossing.setup.project / "art"
    (art / "hemp.json").write_text(json.dumps({"id": "long", "title": "A rope of hemp", "strength": 12}))
    before = {path.name: path.read_bytes() for path in art.iterdir()}
    with pytest.raises(CommandError, match="left hemp-rope in it"):
        act(crossing, "links:hemp-rope", "long")
    assert {path.name: path.read_bytes() for path in art.iterdir()} == before


def test_assets_that_the_command_cannot_read_do_not_keep_the_others_from_being_read(tree: Tree) -> None:
    crossing = begin_rush(tree)
    trust(read_profile(crossing.setup.profile))
    art = crossing.setup.project / "art"
    (art / "a.knot").write_bytes(b"nothing")
    with pytest.raises(CommandError, match=r"art/a\.knot: .*failed"):
        act(crossing, "assets:unread", "read")
    assert (art / "a.knot").read_bytes() == b"nothing"
    view = inspect(crossing, Work()).links
    assert [item.title for item in view.items] == ["1 binary asset not read yet"] and view.index.declares("anchor")
    (art / "b.knot").write_bytes(b"neither")
    with pytest.raises(CommandError, match=r"2 of 2 binary assets could not be read; the first: art/a\.knot"):
        act(crossing, "assets:unread", "read")


def test_an_id_in_a_binary_asset_gets_one_new_id_for_all_its_uses(tree: Tree) -> None:
    crossing = begin_rush(tree)
    art = crossing.setup.project / "art"
    (art / "quay.knot").write_bytes(knot(("U", "hemp-rope"), ("U", "hemp-rope"), ("U", "anchor")))
    trust(read_profile(crossing.setup.profile))
    act(crossing, "assets:unread", "read")
    path = TreePath("art/quay.knot")
    index = inspect(crossing, Work()).links.index
    first, second, anchor = index.files[path].used
    assert ids_to_write(index, path, [(first, "thin"), (second, "thin"), (anchor, "hook")]) == {
        "hemp-rope": "thin",
        "anchor": "hook",
    }
    for listed in ([(first, "thin"), (second, "thick")], [(first, "thin")]):
        with pytest.raises(MisuseError, match="same new id for all uses of hemp-rope"):
            ids_to_write(index, path, listed)


def test_ids_that_differ_within_a_binary_asset_are_left_to_a_person(tree: Tree) -> None:
    crossing = begin_rush(tree)
    art = crossing.setup.project / "art"
    (art / "quay.knot").write_bytes(knot(("U", "hemp-rope"), ("U", "hemp-rope")))
    trust(read_profile(crossing.setup.profile))
    act(crossing, "assets:unread", "read")
    (art / "hemp.json").unlink()
    view = inspect(crossing, Work()).links
    (item,) = view.missing
    binary = BinaryFiles(read_profile(crossing.setup.profile).binary)
    uses = [use.file for use in item.uses]
    assert uses == ["art/a.scene", "art/quay.knot", "art/quay.knot"]

    def split(*slots: str) -> MissingReference:
        parts = tuple(TargetCandidate(f"rope-{slot}", 0.95, (), (slot,)) for slot in dict.fromkeys(slots))
        return replace(item, slots=slots, candidates=parts)

    # The scene gets one id, the binary asset another: both can be written.
    assert with_writable(split("a", "b", "b"), view.index, binary).automatic
    mixed = with_writable(split("a", "a", "b"), view.index, binary)
    assert not mixed.automatic and "art/quay.knot can only get one new id" in mixed.candidates[0].evidence[-1]


@pytest.mark.parametrize("said", ["no json", '{"kind": "x"}', '{"uses": "a", "declares": "b"}', "[1]"])
def test_output_of_another_form_is_refused_with_its_line(said: str) -> None:
    with pytest.raises(FormatError, match=r"x\.knot:2"):
        plain_text(b'{"uses": "a"}\n' + said.encode(), TreePath("x.knot"))


def test_without_a_command_to_write_nothing_is_written(tree: Tree, tmp_path: Path) -> None:
    crossing = begin_rush(tree)
    path = crossing.setup.profile
    path.write_text("".join(line for line in path.read_text().splitlines(True) if not line.startswith("write")))
    trust(read_profile(path))
    act(crossing, "assets:unread", "read")
    (crossing.setup.project / "art" / "hemp.json").write_text(
        json.dumps({"id": "long", "title": "A rope of hemp", "strength": 12})
    )
    before = (crossing.setup.project / "art" / "a.scene").read_text()
    with pytest.raises(MisuseError, match="no command that writes ids"):
        act(crossing, "links:hemp-rope", "long")
    assert (crossing.setup.project / "art" / "a.scene").read_text() == before
