"""Binary assets are read and written by the engine's own commands: under trust, on copies, kept by content."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from fernshale.core.base.errors import CommandError, FormatError, MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.trust import TrustNeeded, trust
from fernshale.core.crossing.stages.links.relinking import ids_to_write
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.links.binary_assets import plain_text
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree
from tests.crossing_steps import act

# A small format: a mark, then records of a letter (D declares, U uses), a length and an id.
_TOOL = """
import json, sys
from pathlib import Path

def records(data):
    assert data[:4] == b"KNT1", "no knot"
    at = 4
    while at < len(data):
        size = data[at + 1]
        yield chr(data[at]), data[at + 2 : at + 2 + size].decode()
        at += 2 + size

what, file, *rest = sys.argv[1:]
Path(__file__).with_name("ran").open("a").write(what + "\\n")
found = list(records(Path(file).read_bytes()))
if what == "print":
    for letter, id in found:
        print(json.dumps({"declares" if letter == "D" else "uses": id, "kind": "rope", "at": "r"}))
else:
    new = json.loads(Path(rest[0]).read_text())
    parts = [b"KNT1"]
    for letter, id in found:
        id = new.get(id, id).encode() if letter == "U" else id.encode()
        parts.append(letter.encode() + bytes([len(id)]) + id)
    Path(rest[1]).write_bytes(b"".join(parts))
"""
_PROFILE = """\
format = "fernshale-profile/1"
id = "rush"
title = "Rush"
installed = ["{shelf}/rush/{release}"]
[recognise]
files = ["game.json"]
[[site]]
name = "descriptor"
files = ["game.json"]
at = { json = "/rush" }
required = true
[[role]]
role = "asset"
files = ["art/**"]
[[links.declare]]
files = ["art/*.json"]
key = ["id"]
kind = "rope"
[[links.use]]
files = ["art/*.scene"]
key = ["rope"]
kind = "rope"
[[binary]]
files = ["art/*.knot"]
print = ["{python}", "{engine}/knot.py", "print", "{file}"]
write = ["{python}", "{engine}/knot.py", "write", "{file}", "{changes}", "{out}"]
kinds = ["rope"]
"""


def _knot(*records: tuple[str, str]) -> bytes:
    return b"KNT1" + b"".join(letter.encode() + bytes([len(id)]) + id.encode() for letter, id in records)


def _begin(tree: Tree) -> Crossing:
    engines = {f"rush/{version}/knot.py": _TOOL for version in ("1.0", "2.0")}
    lines = "".join(f'[[engine]]\nid = "rush"\nversion = "{v}"\nfolder = "rush/{v}"\n' for v in ("1.0", "2.0"))
    shelf = tree("shelf", {"shelf.toml": f'format = "fernshale-shelf/1"\n{lines}', **engines})
    files: dict[str, str | bytes] = {
        "game.json": json.dumps({"rush": "1.0"}),
        "art/hemp.json": json.dumps({"id": "hemp-rope", "title": "A rope of hemp", "strength": 12}),
        "art/quay.knot": _knot(("D", "quay"), ("U", "hemp-rope"), ("U", "anchor")),
        "art/anchor.knot": _knot(
            ("D", "anchor"),
        ),
        "art/a.scene": json.dumps({"rope": "hemp-rope"}),
    }
    project = tree("game", files)
    profile = read_profile(tree("profiles", {"rush.profile.toml": _PROFILE}) / "rush.profile.toml")
    return begin_crossing(project, profile, [shelf], "2.0", Work())


def test_ids_in_binary_assets_are_linked_and_relinked_like_text(tree: Tree) -> None:
    crossing = _begin(tree)
    project = crossing.setup.project
    ran = project.parent / "shelf" / "rush" / "1.0" / "ran"
    view = inspect(crossing, Work()).links
    assert [item.key for item in view.items] == ["assets:unread"] and not ran.exists(), "looking runs nothing"
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
    assert (project / "art" / "quay.knot").read_bytes() == _knot(
        ("D", "quay"), ("U", "hemp-rope-long"), ("U", "anchor")
    )
    assert json.loads((project / "art" / "a.scene").read_text()) == {"rope": "hemp-rope-long"}
    # What was written was read again at once.
    assert not inspect(crossing, Work()).links.items
    assert ran.read_text().split() == ["print", "print", "write", "print"]


def test_a_command_that_leaves_an_old_id_writes_nothing(tree: Tree) -> None:
    crossing = _begin(tree)
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


def test_an_asset_that_the_command_cannot_read_is_told_and_nothing_is_lost(tree: Tree) -> None:
    crossing = _begin(tree)
    trust(read_profile(crossing.setup.profile))
    broken = crossing.setup.project / "art" / "z.knot"
    broken.write_bytes(b"nothing")
    with pytest.raises(CommandError, match=r"art/z\.knot"):
        act(crossing, "assets:unread", "read")
    assert broken.read_bytes() == b"nothing"
    (item,) = inspect(crossing, Work()).links.items
    assert item.title == "1 binary asset not read yet"


def test_an_id_in_a_binary_asset_gets_one_new_id_for_all_its_uses(tree: Tree) -> None:
    crossing = _begin(tree)
    art = crossing.setup.project / "art"
    (art / "quay.knot").write_bytes(_knot(("U", "hemp-rope"), ("U", "hemp-rope"), ("U", "anchor")))
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


@pytest.mark.parametrize("said", ["no json", '{"kind": "x"}', '{"uses": "a", "declares": "b"}', "[1]"])
def test_output_of_another_form_is_refused_with_its_line(said: str) -> None:
    with pytest.raises(FormatError, match=r"x\.knot:2"):
        plain_text(b'{"uses": "a"}\n' + said.encode(), TreePath("x.knot"))


def test_without_a_command_to_write_nothing_is_written(tree: Tree, tmp_path: Path) -> None:
    crossing = _begin(tree)
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
