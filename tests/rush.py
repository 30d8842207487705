"""A made engine whose assets are binary: a small format, the tool of the engine that prints and writes it, and a project."""

from __future__ import annotations

import json

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree

# A small format: a mark, then records of a letter (D declares, U uses), a length and an id.
TOOL = """
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


def knot(*records: tuple[str, str]) -> bytes:
    return b"KNT1" + b"".join(letter.encode() + bytes([len(id)]) + id.encode() for letter, id in records)


def begin_rush(tree: Tree) -> Crossing:
    engines = {f"rush/{version}/knot.py": TOOL for version in ("1.0", "2.0")}
    lines = "".join(f'[[engine]]\nid = "rush"\nversion = "{v}"\nfolder = "rush/{v}"\n' for v in ("1.0", "2.0"))
    shelf = tree("shelf", {"shelf.toml": f'format = "fernshale-shelf/1"\n{lines}', **engines})
    files: dict[str, str | bytes] = {
        "game.json": json.dumps({"rush": "1.0"}),
        "art/hemp.json": json.dumps({"id": "hemp-rope", "title": "A rope of hemp", "strength": 12}),
        "art/quay.knot": knot(("D", "quay"), ("U", "hemp-rope"), ("U", "anchor")),
        "art/anchor.knot": knot(
            ("D", "anchor"),
        ),
        "art/a.scene": json.dumps({"rope": "hemp-rope"}),
    }
    project = tree("game", files)
    profile = read_profile(tree("profiles", {"rush.profile.toml": _PROFILE}) / "rush.profile.toml")
    return begin_crossing(project, profile, [shelf], "2.0", Work())
