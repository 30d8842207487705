from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.base.errors import FormatError, MisuseError, ProjectError
from fernshale.core.profile.read import fill, find_profile, read_profile
from fernshale.sample import PROFILES
from tests.conftest import Tree

_GOOD = 'format = "fernshale-profile/1"\nid = "wick"\ntitle = "Wick"\n[recognise]\nfiles = ["*.wick"]\n'
_SITE = '[[site]]\nname = "s"\nfiles = ["*.wick"]\nat = { pattern = \'v(?P<value>.*)\' }\n'


def test_the_shipped_profile_is_good() -> None:
    assert read_profile(PROFILES / "merelith.profile.toml").site[0].required


def test_faults_come_with_their_lines(tmp_path: Path) -> None:
    path = tmp_path / "x.profile.toml"
    path.write_text(_GOOD + _SITE.replace("name", "nome") + "[commands.build]\nrun = []\nspeed = 9\n")
    with pytest.raises(FormatError) as caught:
        read_profile(path)
    faults = dict(caught.value.faults)
    assert faults[7] == "unknown key site.0.nome" and faults[12] == "unknown key commands.build.speed"


@pytest.mark.parametrize("pattern", ["v(?P<value>", "no group at all"])
def test_bad_pattern_is_told_with_its_line(tmp_path: Path, pattern: str) -> None:
    path = tmp_path / "x.profile.toml"
    path.write_text(_GOOD + _SITE.replace("v(?P<value>.*)", pattern))
    with pytest.raises(FormatError, match=r"x\.profile\.toml:9"):
        read_profile(path)


def test_project_finds_its_profile_or_hears_why_not(tree: Tree, tmp_path: Path) -> None:
    profiles = tree("profiles", {"wick.profile.toml": _GOOD + _SITE})
    assert find_profile(tree("game", {"a.wick": "v1"}), (profiles,)).id == "wick"
    with pytest.raises(ProjectError, match="no engine profile fits") as caught:
        find_profile(tree("other", {"sub/a.wick": "v1"}), (profiles,))
    assert "--profile" in caught.value.hint
    with pytest.raises(ProjectError, match="not a folder"):
        find_profile(tmp_path / "none", (profiles,))


def test_unknown_placeholder_is_misuse() -> None:
    assert fill("{a}/{b}", {"a": "1", "b": "2"}) == "1/2"
    with pytest.raises(MisuseError, match="nowhere"):
        fill("{nowhere}", {"a": "1"})
