"""Every site changes by key; ranges widen in their own notation; what names another release is left and said."""

from __future__ import annotations

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.engine.release_update import draft_sites, plan_sites
from fernshale.core.profile.model import Profile, Reach, Recognise, Site
from fernshale.core.survey.plugins import Plugin, read_folder
from fernshale.core.survey.release_sites import find_sites
from tests.conftest import Tree

_PROFILE = Profile(
    "wick",
    "Wick",
    Recognise(("game.json",)),
    (
        Site("descriptor", ("game.json",), Reach(json="/engine")),
        Site("pin", ("team.toml",), Reach(toml="plugins.{plugin}")),
        Site("nightly", ("*.ini",), Reach(ini="ci.engine")),
        Site("accepts", ("plugins/*/plug.toml",), Reach(toml="accepts"), "interval"),
    ),
)


def _plugin(name: str) -> Plugin:
    return Plugin(name, TreePath(f"plugins/{name}"), "", "")


def test_all_places_follow_and_no_other_byte_changes(tree: Tree) -> None:
    files = {
        "game.json": '{ "engine" : "2.6.1",\r\n  "list": [ "2.6.1" ] }',
        "team.toml": "# pins\n[plugins]\ntide = '1.4'  # 2.6.1 only\ngull = \"0.9\"\n",
        "ci.ini": "[ci]\nengine=2.6.1;x\nother = 2.6.1\n",
        "old.ini": "[ci]\nengine = 1.9\n",
        "plugins/tide/plug.toml": 'accepts = "[2.5,3.0)"\n',
        "plugins/gull/plug.toml": 'accepts = "[2.0, 4.0]"\n',
    }
    root = tree("game", files)
    sites = find_sites(_PROFILE, root, read_folder(root, CancelToken()), [_plugin("gull"), _plugin("tide")])
    changes = plan_sites(sites, "2.6.1", "3.0.2", {"tide": "2.0", "gull": "0.9"})
    draft = draft_sites(root, changes)
    expected = {
        **files,
        "game.json": files["game.json"].replace('"2.6.1",', '"3.0.2",'),
        "team.toml": files["team.toml"].replace("1.4", "2.0"),
        "plugins/tide/plug.toml": 'accepts = "[2.5,3.0.2]"\n',
    }
    # No space before the semicolon: it belongs to the value, which then is no release and is left alone.
    for path, text in expected.items():
        assert (draft.read(path) or b"").decode() == text, path
    trouble = {item.site.file: item.trouble for item in changes if item.trouble}
    assert set(trouble) == {"old.ini", "ci.ini"} and "left as it is" in trouble["old.ini"]
