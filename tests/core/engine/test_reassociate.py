"""Every site changes by key; ranges widen in their own notation; what names another release is left and said."""

from __future__ import annotations

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.engine.release_update import NewReleases, draft_sites, plan_sites
from fernshale.core.profile.model import Profile, Reach, Recognise, ReleaseValue, Site
from fernshale.core.survey.plugins import Plugin, read_folder
from fernshale.core.survey.release_sites import find_sites, project_release
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
    changes = plan_sites(sites, NewReleases("2.6.1", "3.0.2", {"tide": "2.0", "gull": "0.9"}))
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


_OWN_WAYS = Profile(
    "wick",
    "Wick",
    Recognise(("game.json",)),
    (
        Site("descriptor", ("game.json",), Reach(json="/wick")),
        Site("folder", ("build.sh",), Reach(pattern=r"wick_(?P<value>\d+(?:_\d+)+)")),
        Site("series", ("game.json",), Reach(json="/series"), "series"),
        Site("own range", ("game.json",), Reach(json="/needs"), "interval", policy="move"),
        Site("what a plugin accepts", ("{plugin}/{id}.json",), Reach(json="/accepts"), "interval", policy="next bound"),
        Site("lock", ("locks/{id}.txt",), Reach(pattern=r"version (?P<value>\S+)"), of="plugin"),
        Site("odd", ("odd.json",), Reach(json="/npm"), "pep440"),
    ),
    release_value=(
        ReleaseValue("data format", ("game.json",), Reach(json="/format")),
        ReleaseValue("build tool", ("build.sh",), Reach(pattern=r"TOOL=(?P<value>\S+)")),
        ReleaseValue("revision", ("game.json",), Reach(json="/revision")),
    ),
)


def test_each_place_keeps_its_own_way_and_values_move_with_the_release(tree: Tree) -> None:
    game = '{"wick": "5.0.0", "series": "5.0", "needs": "[5.0,5.1)", "format": 41, "revision": "8c1f"}'
    files = {
        "game.json": game,
        "build.sh": "cd /opt/wick_5_0\nTOOL=31.0.2 # made for wick_5_0\n",
        "plugins/tide/tide.json": '{"accepts": "[4.9,5.1)"}',
        "plugins/gull/gull.json": '{"accepts": "[4.9,6.0)"}',
        "locks/tide.txt": "version v1.4\n",
        "odd.json": '{"npm": "^5.0"}',
    }
    root = tree("game", files)
    sites = find_sites(_OWN_WAYS, root, read_folder(root, CancelToken()), [_plugin("gull"), _plugin("tide")])
    assert project_release(sites) == "5.0.0"
    releases = NewReleases(
        "5.0",
        "5.1.0",
        {"tide": "2.0.0"},
        {"data format": "41", "build tool": "31.0.2", "revision": "ffff"},
        {"data format": "44", "build tool": "32.1.0", "revision": "91ab"},
    )
    changes = plan_sites(sites, releases)
    draft = draft_sites(root, changes)
    expected = {
        "game.json": '{"wick": "5.1.0", "series": "5.1", "needs": "[5.1,5.2)", "format": 44, "revision": "8c1f"}',
        "build.sh": "cd /opt/wick_5_1\nTOOL=32.1.0 # made for wick_5_1\n",
        "plugins/tide/tide.json": '{"accepts": "[4.9,5.2)"}',
        "plugins/gull/gull.json": files["plugins/gull/gull.json"],
        "locks/tide.txt": "version v2.0\n",
        "odd.json": files["odd.json"],
    }
    assert {path: (draft.read(path) or b"").decode() for path in files} == expected
    trouble = {item.site.name: item.trouble for item in changes if item.trouble}
    assert set(trouble) == {"revision", "odd"} and "neither ffff nor 91ab" in trouble["revision"]
    # Without a shelf that knows the values, nothing is guessed.
    unknown = plan_sites(sites, NewReleases("5.0", "5.1.0"))
    told = {item.site.name for item in unknown if "no shelf has" in item.trouble}
    assert told == {"data format", "build tool", "revision"}
