"""An engine of a test's own making: two releases from a few files, and a game that a shell command builds."""

from __future__ import annotations

import json
from collections.abc import Mapping

from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree

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
role = "own"
files = ["src/**"]
[commands.build]
run = ["sh", "-c", '{build}']
"""
_SHELF = "".join(
    f'[[engine]]\nid = "rush"\nversion = "{version}"\nfolder = "rush/{version}"\n' for version in ("1.0", "2.0")
)


def begin_engine(
    tree: Tree, old: Mapping[str, str], new: Mapping[str, str], game: Mapping[str, str], build: str
) -> Crossing:
    """A trusted crossing of a game from 1.0 to 2.0. `build` is a line of shell with the placeholders of a profile, or
    none."""
    engine = {
        f"rush/{version}/{path}": text
        for version, files in (("1.0", old), ("2.0", new))
        for path, text in files.items()
    }
    shelf = tree("shelf", {"shelf.toml": f'format = "fernshale-shelf/1"\n{_SHELF}', **engine})
    project = tree("game", {"game.json": json.dumps({"rush": "1.0"}), **game})
    text = _PROFILE.replace("{build}", build) if build else _PROFILE.partition("[commands.build]")[0]
    profile = read_profile(tree("profiles", {"rush.profile.toml": text}) / "rush.profile.toml")
    trust(profile)
    return begin_crossing(project, profile, (shelf,), "2.0", Work())
