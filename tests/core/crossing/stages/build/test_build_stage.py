"""Proposals that no notes tell: from comparing two releases, and from one change made by hand."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.actions import build_and_fix, carry_out, choose_confidence
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.rules import search as ruling
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import export_rules, leg_rules, own_rules
from fernshale.core.crossing.stages.build.actions import UseRuleAt
from fernshale.core.crossing.stages.build.explanation import explain_nothing
from fernshale.core.crossing.stages.overview import Overview, inspect
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rule_file import read_rules
from fernshale.core.fix.rules import AddArgumentRule, AddMemberRule, RewriteRule, Rule
from fernshale.core.inference.from_api_diff import guess_rules, symbols_named
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree, listing
from tests.core.fix.test_rules import _CASES as RULE_CASES
from tests.crossing_steps import act
from tests.engines import begin_engine
from tests.wick import Wick, begin_wick, cross_wick, make_silent_wick, make_wick


def _quiet(line: str) -> None:
    pass


def _look(crossing: Crossing) -> Overview:
    return inspect(crossing, Work())


def _take(crossing: Crossing, key: str, way: str) -> None:
    act(crossing, key, way, work=Work(on_line=_quiet))


def _without_rules(tree: Tree, old: str, new: str, game: str) -> tuple[Wick, Crossing]:
    """Wick with releases of its own, whose notes say nothing, and a game on its way to 2.0, not built yet."""
    wick = make_silent_wick(tree, old, new, game)
    crossing = cross_wick(wick)
    _take(crossing, "engine:sites", "apply")
    return wick, crossing


_OLD = 'def light_up(room, hour):\n    """Let there be light in a room."""\n    return lamps.find(room).burn(hour)\n'


def test_what_comparing_the_releases_tells_is_proposed_and_taken(tree: Tree) -> None:
    new = _OLD.replace("light_up", "kindle")
    wick, crossing = _without_rules(
        tree, _OLD, new, "import wick\nwick.light_up('hall', 3)\nwick.light_up('cellar', 4)\n"
    )
    _take(crossing, "build:run", "build")
    view = _look(crossing).build
    fix = view.causes[0].fixes[0]
    assert (fix.rule.old, fix.rule.new) == ("light_up", "kindle") and fix.confidence > 0.5
    assert "comparing Wick 1.4 with 2.0" in fix.source and len(fix.edits) == 2
    _take(crossing, f"cause:{view.causes[0].cause.key}", fix.rule.id)
    _take(crossing, "build:run", "build")
    assert _look(crossing).build.passed and "kindle('cellar', 4)" in (wick.project / "game.py").read_text()


def test_causes_on_one_line_are_followed_in_one_round(tree: Tree) -> None:
    old = _OLD + 'def snuff(room):\n    """Make it dark again in a room."""\n    return lamps.find(room).darken()\n'
    new = old.replace("light_up", "kindle").replace("snuff", "quench")
    wick, crossing = _without_rules(tree, old, new, "import wick\nwick.light_up('hall', wick.snuff('cellar'))\n")
    assert build_and_fix(crossing, Author("test"), Work(on_line=_quiet)) == "it compiles and links"
    assert [item.total for item in _look(crossing).build.rounds] == [2, 0]
    assert (wick.project / "game.py").read_text() == "import wick\nwick.kindle('hall', wick.quench('cellar'))\n"


def test_what_a_fix_wrote_is_no_place_of_the_cause_it_was_for(tree: Tree) -> None:
    # What is put in is moved by another rule, which stands on the same line then.
    rules = """format = "fernshale-rules/1"
[[rule]]
id = "light"
kind = "rename"
old = "light_up"
new = "lamps.kindle"
why = "lamps are lit"
[[rule]]
id = "lamps"
kind = "move"
old = "wick.lamps"
new = "wick.hall.lamps"
why = "lamps hang in the hall"
"""
    wick, crossing = _without_rules(tree, _OLD, "def ignite(): pass\n", "import wick\nwick.light_up('hall', 3)\n")
    (wick.shelf / "notes.rules.toml").write_text(rules)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(
        shelf.read_text().replace('folder = "wick/2.0"\n', 'folder = "wick/2.0"\nrules = ["notes.rules.toml"]\n')
    )
    _take(crossing, "build:run", "build")
    (cause,) = _look(crossing).build.causes
    _take(crossing, f"cause:{cause.cause.key}", "light")
    (cause,) = _look(crossing).build.causes
    assert cause.is_settled and not cause.fixes


def test_what_was_learned_of_an_object_is_known_of_a_pointer(tree: Tree) -> None:
    old = "namespace rush { struct List { void add(int); }; struct Pier { List& boats(); }; }\n"
    new = old.replace("List& boats();", "void moor(int); private: List& boats();")
    code = (
        '#include "rush.hpp"\nvoid f(rush::Pier& pier) {\n    pier.boats().add(1);\n    pier.boats().add(2);\n}\n'
        "void g(rush::Pier* pier) {\n    pier->boats().add(3);\n}\n"
    )
    build = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    crossing = begin_engine(tree, {"include/rush.hpp": old}, {"include/rush.hpp": new}, {"src/a.cpp": code}, build)
    for key, way in (("engine:sites", "apply"), ("build:run", "build")):
        _take(crossing, key, way)
    file = crossing.setup.project / "src/a.cpp"
    file.write_text(code.replace("pier.boats().add(1)", "pier.moor(1)"))
    (cause,) = _look(crossing).build.causes
    fix = cause.fixes[0]
    assert fix.rule.id.startswith("learned-") and len(fix.edits) == fix.clears == 2
    _take(crossing, f"cause:{cause.cause.key}", fix.rule.id)
    assert {"    pier.moor(2);", "    pier->moor(3);"} <= set(file.read_text().splitlines())
    _take(crossing, "build:run", "build")
    assert _look(crossing).build.passed


# Where several functions are new, none of them is proposed for being the only one.
_OTHERS = "".join(f"def {name}(berth):\n    return berth\n" for name in ("moor", "cast", "haul"))


def test_one_change_by_hand_is_offered_at_the_other_places(tree: Tree) -> None:
    new = "def glow(strength, room):\n    return strength\n" + _OTHERS
    game = "import wick\nwick.light_up('hall', 3)\nx = wick.light_up('cellar', hours[4])\nwick.light_up(other(), 1)\n"
    wick, crossing = _without_rules(tree, _OLD, new, game)
    _take(crossing, "build:run", "build")
    assert not _look(crossing).build.causes[0].fixes
    file = wick.project / "game.py"
    file.write_text(file.read_text().replace("wick.light_up('hall', 3)", "wick.glow(3 * DAY, 'hall')"))
    cause = _look(crossing).build.causes[0]
    fix = cause.fixes[0]
    assert fix.rule.id.startswith("learned-") and not fix.is_automatic and "game.py:2" in fix.rule.why
    assert [edit.new for edit in fix.edits] == ["wick.glow(hours[4] * DAY, 'cellar')", "wick.glow(1 * DAY, other())"]
    _take(crossing, f"cause:{cause.cause.key}", fix.rule.id)
    assert "x = wick.glow(hours[4] * DAY, 'cellar')\nwick.glow(1 * DAY, other())\n" in file.read_text()
    # The rule is kept, and can be given to others with its example.
    assert [rule.id for rule in own_rules(crossing).rules] == [fix.rule.id]
    shared = wick.project.parent / "shared.rules.toml"
    shared.write_text(export_rules(crossing, scan_crossing(crossing, Work())))
    (read,) = read_rules(shared).rules
    assert read.example[0].before.strip() == "wick.light_up('hall', 3)"


def test_what_a_rule_wrote_is_no_change_by_hand(tree: Tree) -> None:
    wick, crossing = _without_rules(
        tree,
        _OLD,
        _OLD.replace("light_up", "kindle"),
        "import wick\nwick.light_up('hall', 3)\nwick.light_up('hall', 4)\n",
    )
    _take(crossing, "build:run", "build")
    (cause,) = _look(crossing).build.causes
    (fix,) = cause.fixes
    place = fix.edits[0]
    here = UseRuleAt(fix.rule.id, "here", place.path, place.line, place.start)
    carry_out(crossing, here, Author("test"), Work())
    assert [item.rule.id for item in _look(crossing).build.causes[0].fixes] == [fix.rule.id]
    # The next change is a person's, wherever the rule wrote before.
    file = wick.project / "game.py"
    file.write_text(file.read_text().replace("wick.kindle('hall', 3)", "wick.kindle('hall', 3 * DAY)"))
    assert any(item.rule.id.startswith("learned-") for item in _look(crossing).build.causes[0].fixes)


def test_what_a_person_changed_is_offered_after_the_next_build_too(tree: Tree) -> None:
    new = "def glow(strength, room):\n    return strength\n" + _OTHERS
    game = "import wick\nwick.light_up('hall', 3)\nx = wick.light_up('cellar', hours[4])\n"
    wick, crossing = _without_rules(tree, _OLD, new, game)
    _take(crossing, "build:run", "build")
    file = wick.project / "game.py"
    file.write_text(file.read_text().replace("wick.light_up('hall', 3)", "wick.glow(3 * DAY, 'hall')"))
    _take(crossing, "build:run", "build")
    (cause,) = (item for item in _look(crossing).build.causes if item.cause.symbol == "light_up")
    fix = cause.fixes[0]
    assert fix.rule.id.startswith("learned-") and [edit.new for edit in fix.edits] == [
        "wick.glow(hours[4] * DAY, 'cellar')"
    ]
    # What is only offered is not given to others.
    assert own_rules(crossing).rules == ()


def test_a_second_change_narrows_what_was_learned_of_the_first(tree: Tree) -> None:
    new = "def glow(strength):\n    return strength\n\ndef shine(room):\n    return room\n" + _OTHERS
    calls = ["light_up('hall', 3)", "light_up('cellar', 4)", "light_up('attic', 3)", "light_up('quay', 4)"]
    wick, crossing = _without_rules(tree, _OLD, new, "".join(["import wick\n", *(f"wick.{item}\n" for item in calls)]))
    _take(crossing, "build:run", "build")
    file = wick.project / "game.py"
    text = (
        file.read_text()
        .replace("light_up('hall', 3)", "shine('hall')")
        .replace("light_up('cellar', 4)", "shine('cellar') + 1")
    )
    file.write_text(text)
    (cause,) = _look(crossing).build.causes
    fix = cause.fixes[0]
    assert fix.rule.id.startswith("learned-") and [edit.new for edit in fix.edits] == ["wick.shine('attic')"]


def test_a_change_at_a_declaration_teaches_as_well(tree: Tree) -> None:
    old = "namespace rush { struct Lamp { int glow(); }; Lamp* find(int); }\n"
    new = (
        "namespace rush { struct Lamp { int glow(); }; struct Held { Lamp* lamp; Lamp* operator->(); operator bool(); };"
        " Held find(int); }\n"
    )
    body = "    rush::Lamp* {0} = rush::find({1});\n    return {0}->glow();\n"
    parts = [
        f"int f{number}() {{\n{body.format(name, number)}}}\n" for number, name in enumerate(("lamp", "other", "third"))
    ]
    code = '#include "rush.hpp"\n' + "".join(parts)
    build = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    crossing = begin_engine(tree, {"include/rush.hpp": old}, {"include/rush.hpp": new}, {"src/a.cpp": code}, build)
    for key, way in (("engine:sites", "apply"), ("build:run", "build")):
        _take(crossing, key, way)
    file = crossing.setup.project / "src/a.cpp"
    file.write_text(code.replace("rush::Lamp* lamp =", "rush::Held lamp ="))
    causes = _look(crossing).build.causes
    fix = next(fix for cause in causes for fix in cause.fixes if fix.rule.id.startswith("learned-"))
    assert len(fix.edits) == 2
    _take(crossing, next(cause.key for cause in causes if fix in cause.fixes), fix.rule.id)
    _take(crossing, "build:run", "build")
    assert _look(crossing).build.passed


def test_a_change_that_fits_no_other_place_is_not_offered(tree: Tree) -> None:
    new = "def glow(strength, room):\n    return strength\n" + _OTHERS
    wick, crossing = _without_rules(tree, _OLD, new, "import wick\nwick.light_up('hall', 3)\nwick.light_up()\n")
    _take(crossing, "build:run", "build")
    file = wick.project / "game.py"
    file.write_text(file.read_text().replace("wick.light_up('hall', 3)", "wick.glow(3, 'hall')"))
    assert not _look(crossing).build.causes[0].fixes


_CPP_OLD = {
    "include/m/canvas.hpp": "#pragma once\nnamespace m { class MlCanvas { public: void dot(int x, int y); void box(int x, int y); }; }\n",
    "include/m/world.hpp": "#pragma once\nnamespace m {\nstruct Pier { int keeper; };\nstruct Berth { explicit Berth(int n); };\n"
    "struct Actor { virtual void on_moor(int berth); };\nvoid spawn(int a, int b);\nvoid flush_all();\n}\n",
}
_CPP_NEW = {
    "include/m/draw/canvas.hpp": "#pragma once\nnamespace m { class MereCanvas { public: void dot(int x, int y); void box(int x, int y); }; }\n",
    "include/m/world.hpp": "#pragma once\nnamespace m {\nstruct BerthId { int n; };\nenum class Layer { Water, Sky };\n"
    "struct Pier { int keeper() const; };\nstruct Berth { static Berth make(int n); private: explicit Berth(int n); };\n"
    "struct Actor { virtual void on_moor(BerthId berth); virtual int describe() const = 0; };\nvoid spawn(int a, int b, Layer layer);\n}\n",
    "examples/hello.cpp": "int main() { m::spawn(1, 2, m::Layer::Water); m::spawn(3, 4, m::Layer::Water); m::spawn(1, 2, m::Layer::Sky); }\n",
}


def _before(rule: Rule) -> str:
    return rule.base if isinstance(rule, AddMemberRule) else rule.subjects[-1]


def _after(rule: Rule) -> str:
    if isinstance(rule, AddArgumentRule | AddMemberRule):
        return rule.text
    return rule.replacement if isinstance(rule, RewriteRule) else rule.new_name


def test_each_usual_kind_of_change_has_a_rule_to_follow(tree: Tree) -> None:
    old, new = tree("old", _CPP_OLD), tree("new", _CPP_NEW)
    changes = compare(read_pair(old, new, "", Work()), CancelToken())
    rules = {rule.id: rule for rule in guess_rules(changes, old, new, "comparing", ()).rules}
    effects = {(rule.kind, _before(rule), _after(rule)) for rule in rules.values()}
    assert effects >= {
        ("rename", "MlCanvas", "MereCanvas"),
        ("header", "m/canvas.hpp", "m/draw/canvas.hpp"),
        ("getter", "keeper", "keeper"),
        ("rewrite", "m::Berth $name($$args);", "auto $name = m::Berth::make($$args);"),
        ("rewrite", "on_moor(int $it)", "on_moor(m::BerthId $it)"),
        ("add-argument", "spawn", "m::Layer::Water"),
        ("add-member", "Actor", "int describe() const override { return {}; }"),
        ("rewrite", "m::flush_all($$args);", ""),
    }
    # Where notes have a rule for a symbol, comparing adds none.
    known = symbols_named([rule for rule in rules.values() if rule.kind == "rename"])
    left = guess_rules(changes, old, new, "comparing", known).rules
    assert not any("MlCanvas" in rule.symbols for rule in left)


@pytest.mark.parametrize("many", [0, 10_000])
def test_rules_are_found_in_the_same_texts_however_many_there_are(many: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(ruling, "_MANY_RULES", many)
    rules = [replace(rule, id=str(number)) for number, (rule, _, _) in enumerate(RULE_CASES)]
    texts = {TreePath(f"{number}.cpp"): before for number, (_, before, _) in enumerate(RULE_CASES)}
    near = ruling._near(rules, texts, CancelToken())
    for path, text in texts.items():
        meant = [rule.id for rule in rules if find_edits(rule, path, text)]
        assert set(meant) <= {rule.id for rule in near.get(path, ())}
    assert sum(map(len, near.values())) < len(rules) * len(texts) / 2


def test_a_lost_override_is_told_before_the_first_build(tree: Tree, tmp_path: Path) -> None:
    old = {"a.hpp": "struct Actor { virtual void on_tide(int hour) { water.rise(hour); } };\n"}
    new = {"a.hpp": "struct Actor { virtual void on_water(int hour) { water.rise(hour); } };\n"}
    changes = compare(read_pair(tree("old", old), tree("new", new), "", Work()), CancelToken())
    (silent,) = (rule for rule in guess_rules(changes, tmp_path, tmp_path, "comparing", ()).rules if rule.silent)
    text = "struct Ferry : Actor { void on_tide(int hour); };\nstruct Other { void on_tide(int hour); };\n"
    edits = find_edits(silent, TreePath("f.hpp"), text)
    assert apply_edits(text, edits) == text.replace("on_tide", "on_water", 1)
    assert replace(silent, silent=False).name == "override on_water, not on_tide"


def test_a_release_that_is_not_at_hand_is_no_fault(tree: Tree) -> None:
    wick, crossing = _without_rules(tree, _OLD, _OLD, "import wick\n")
    shutil.rmtree(wick.shelf / "wick" / "1.4")
    assert _look(crossing).build.causes == ()


def test_rounds_go_on_until_it_compiles(tree: Tree) -> None:
    _, crossing = begin_wick(tree)
    _take(crossing, "plugin:snuffer", "take")
    with pytest.raises(MisuseError, match=r"on 1\.4 still"):
        build_and_fix(crossing, Author("test"), Work(on_line=_quiet))
    _take(crossing, "engine:sites", "apply")
    assert build_and_fix(crossing, Author("test"), Work(on_line=_quiet)) == "it compiles and links"
    assert [item.total for item in _look(crossing).build.rounds] == [3, 0]


def test_the_user_says_how_far_rounds_go_and_what_is_put_off(tree: Tree) -> None:
    _, crossing = begin_wick(tree)
    _take(crossing, "plugin:snuffer", "take")
    _take(crossing, "engine:sites", "apply")
    choose_confidence(crossing, 2.0)
    assert build_and_fix(crossing, Author("test"), Work(on_line=_quiet)) == "no high-confidence fixes are left"
    assert not _look(crossing).build.automatic
    choose_confidence(crossing, 0.9)
    (cause,) = (item.cause for item in _look(crossing).build.causes)
    _take(crossing, f"cause:{cause.key}", "later")
    view = _look(crossing).build
    assert view.causes[0].put_off and not view.automatic
    (open_item,) = (item for item in view.items if item.key == f"cause:{cause.key}")
    assert (
        open_item.detail == "put off"
        and open_item.options
        and not any(option.is_automatic for option in open_item.options)
    )
    assert build_and_fix(crossing, Author("test"), Work(on_line=_quiet)) == "no high-confidence fixes are left"
    _take(crossing, f"cause:{cause.key}", "now")
    assert build_and_fix(crossing, Author("test"), Work(on_line=_quiet)) == "it compiles and links"
    with pytest.raises(MisuseError, match="out of range for a confidence"):
        choose_confidence(crossing, 0.1)


def test_a_round_that_made_it_worse_is_undone(tree: Tree) -> None:
    wick, crossing = begin_wick(tree)
    _take(crossing, "plugin:snuffer", "take")
    _take(crossing, "engine:sites", "apply")
    rules = wick.shelf / "notes.rules.toml"
    rules.write_text(rules.read_text().replace('new = "ignite"', 'new = "not_there_either"'))
    before = listing(wick.project)
    said = build_and_fix(crossing, Author("test"), Work(on_line=_quiet))
    assert said.startswith("round 2 made it worse, 3 errors became 3") and listing(wick.project) == before
    assert any(said in entry.title for entry in crossing.logbook())


def test_a_plugin_in_the_generators_way_can_be_set_aside(tree: Tree) -> None:
    wick, crossing = begin_wick(tree)
    script = "import pathlib, sys\nif pathlib.Path('addons/snuffer').exists(): sys.exit('addons/snuffer: no table for 2.0')\n"
    (wick.shelf / "wick/2.0/generate.py").write_text(script)
    wick.profile.write_text(
        wick.profile.read_text() + '[commands.regenerate]\nrun = ["python3", "{engine}/generate.py"]\n'
    )
    profile = read_profile(wick.profile)
    trust(profile)
    _take(crossing, "engine:sites", "apply")
    open_item = next(item for item in _look(crossing).items if item.key == "engine:generate")
    assert "no table for 2.0" in open_item.detail
    assert [way.id for way in open_item.options] == ["regenerate", "aside snuffer"]
    _take(crossing, "engine:generate", "aside snuffer")
    overview = _look(crossing)
    assert not any(item.key == "engine:generate" for item in overview.items)
    assert [item.id for item in overview.plugins.left_out] == ["snuffer"]


def test_a_default_that_changed_under_a_call_is_a_item_of_its_own(tree: Tree) -> None:
    old = "def light_up(room, warm=True):\n    return lamps.find(room).burn(warm)\n"
    _, crossing = _without_rules(
        tree, old, old.replace("warm=True", "warm=False"), "import wick\nwick.light_up('hall')\n"
    )
    (open_item,) = (item for item in _look(crossing).items if item.key.startswith("default:"))
    assert (
        "warm of wick.light_up was True and is False" in open_item.title
        and open_item.place == "game.py:2"
        and open_item.needs_you
    )
    _take(crossing, open_item.key, "noted")
    assert not any(item.key.startswith("default:") for item in _look(crossing).items)


def test_arguments_that_went_are_left_out_of_calls(tree: Tree) -> None:
    old = "def light_up(room, hour, echo):\n    return lamps.find(room).burn(hour)\n"
    game = "import wick\nwick.light_up('hall', (3, 4)[0], True)\nwick.light_up(x(1, 2), 4, False)\n"
    wick, crossing = _without_rules(tree, old, old.replace(", echo", ""), game)
    scan = scan_crossing(crossing, Work())
    changes = compare(read_pair(wick.shelf / "wick/1.4", wick.shelf / "wick/2.0", "", Work()), CancelToken())
    rules = guess_rules(changes, wick.shelf / "wick/1.4", wick.shelf / "wick/2.0", "t", frozenset()).rules
    (rule,) = [rule for rule in rules if rule.id.endswith("-fewer")]
    text = scan.read(TreePath("game.py")) or ""
    result = apply_edits(text, find_edits(rule, TreePath("game.py"), text))
    assert result == "import wick\nwick.light_up('hall', (3, 4)[0])\nwick.light_up(x(1, 2), 4)\n"


def test_an_old_default_is_written_where_a_call_left_it_out(tree: Tree) -> None:
    old = "def light_up(room, warm=True):\n    return lamps.find(room).burn(warm)\n"
    wick, crossing = _without_rules(
        tree, old, old.replace("warm=True", "warm=False"), "import wick\nwick.light_up('hall')\n"
    )
    (open_item,) = (item for item in _look(crossing).items if item.key.startswith("default:"))
    _take(crossing, open_item.key, "pin")
    assert (wick.project / "game.py").read_text() == "import wick\nwick.light_up('hall', True)\n"
    assert not any(item.key.startswith("default:") for item in _look(crossing).items)


def test_arguments_in_another_order_are_put_there_once(tree: Tree) -> None:
    old = (
        "class Lamp:\n    def light(self, room, hour): ...\nclass Candle(Lamp):\n    def light(self, room, hour): ...\n"
    )
    game = "import wick\nwick.Lamp().light('hall', 3)\n"
    wick, crossing = _without_rules(tree, old, old.replace("room, hour", "hour, room"), game)
    (open_item,) = (item for item in _look(crossing).items if item.key.startswith("default:"))
    assert (
        open_item.title.startswith("light takes its arguments at other places now: hour, room")
        and open_item.place == "game.py:2"
    )
    _take(crossing, open_item.key, "pin")
    assert (wick.project / "game.py").read_text() == game.replace("'hall', 3", "3, 'hall'")
    assert not any(item.key.startswith("default:") for item in _look(crossing).items)
    undo(crossing, crossing.logbook()[-1].id, Work())
    assert [item.key for item in _look(crossing).items if item.key.startswith("default:")] == [open_item.key]


def test_what_a_plugin_renamed_is_followed_once_it_is_taken(tree: Tree) -> None:
    wick = make_wick(tree)
    old = 'def snuff(candle, hard):\n    """Put a candle out."""\n    return candle.cover(hard)\n'
    for folder, text in (("1", old), ("2", old.replace("def snuff", "def put_out"))):
        (wick.shelf / "snuffer" / folder / "tool.py").write_text(text)
    (wick.project / "addons/snuffer/tool.py").write_text(old)
    (wick.project / "evening.py").write_text("from addons.snuffer.tool import snuff\n\nsnuff(1, True)\n")
    crossing = cross_wick(wick)
    assert not [item for item in _look(crossing).build.drift if item.change.symbol.name == "snuff"]
    _take(crossing, "plugin:snuffer", "take")
    (used,) = (item for item in _look(crossing).build.drift if item.change.symbol.name == "snuff")
    assert (used.change.kind, used.uses) == ("renamed", 2)
    scan = scan_crossing(crossing, Work())
    rules = leg_rules(scan, crossing, Work())
    (rule,) = (rule for rule in rules.all if rule.old == "snuff")
    assert rules.source(rule) == "comparing snuffer 1 with 2" and rule.new == "put_out"
    assert {edit.path for edit in find_all_edits(scan, [rule], CancelToken())[rule.id]} == {"evening.py"}
    assert [row["action"] for row in report_data(_look(crossing), crossing)["route"]] == ["taken"]
    undo(crossing, crossing.logbook()[-1].id, Work())
    assert not [item for item in _look(crossing).build.drift if item.change.symbol.name == "snuff"]
    assert [row["action"] for row in report_data(_look(crossing), crossing)["route"]] == ["update"]


_ABSTRACT_CHECK = """\
import ast, pathlib, sys
bad = 0
for path in sorted(pathlib.Path(sys.argv[1]).glob("*.py")):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ClassDef) and "describe" not in [getattr(item, "name", "") for item in node.body]:
            print(f"{path}:{node.lineno}:1: error: Cannot instantiate abstract class '{node.name}' with abstract method 'describe'")
            bad += 1
sys.exit(bad > 0)
"""


def test_a_member_put_into_one_class_is_offered_for_the_others(tree: Tree) -> None:
    game = "import wick\n\n\nclass Lamp(wick.Thing):\n    glows = 1\n\n\nclass Fog(wick.Thing):\n    thick = 2\n"
    wick, crossing = _without_rules(tree, "class Thing:\n    pass\n", "class Thing:\n    pass\n", game)
    (wick.shelf / "wick/2.0/check.py").write_text(_ABSTRACT_CHECK)
    _take(crossing, "build:run", "build")
    file = wick.project / "game.py"
    member = "\n    def describe(self):\n        return 'it is'\n"
    file.write_text(file.read_text().replace("    glows = 1\n", f"    glows = 1\n{member}"))
    cause = next(item for item in _look(crossing).build.causes if item.cause.symbol == "describe")
    (fix,) = cause.fixes
    assert fix.rule.kind == "add-member" and "as you changed it in game.py:" in fix.rule.why and not fix.is_automatic
    _take(crossing, f"cause:{cause.cause.key}", fix.rule.id)
    assert file.read_text().endswith(f"    thick = 2\n{member}")
    _take(crossing, "build:run", "build")
    assert _look(crossing).build.passed


_LEAVES_THINGS = """\
import pathlib, sys, time
project = pathlib.Path(sys.argv[1])
for name in (".cache/state.json", "addons/unit.o"):
    (project / name).parent.mkdir(exist_ok=True)
    (project / name).write_bytes(b"\\0%d" % time.time_ns() if name.endswith(".o") else b"%d" % time.time_ns())
"""


def test_what_a_build_leaves_in_the_project_asks_for_no_other_build_but_an_edit_does(tree: Tree) -> None:
    wick, crossing = _without_rules(tree, _OLD, _OLD, "import wick\nwick.light_up('hall', 3)\n")
    check = wick.shelf / "wick/2.0/check.py"
    check.write_text(_LEAVES_THINGS + check.read_text())
    assert build_and_fix(crossing, Author("test"), Work(on_line=_quiet)) == "it compiles and links"
    for _ in range(2):
        view = _look(crossing).build
        assert view.passed and not view.is_stale and len(view.rounds) == 1
        (wick.project / ".cache/state.json").write_text("the game was there, too")
    (wick.project / "game.py").write_text("import wick\nwick.light_up('hall', 4)\n")
    assert _look(crossing).build.is_stale


def test_an_edit_made_while_the_build_ran_asks_for_another_one(tree: Tree) -> None:
    wick, crossing = _without_rules(tree, _OLD, _OLD, "import wick\nwick.light_up('hall', 3)\n")
    check = wick.shelf / "wick/2.0/check.py"
    edit = "(project / 'game.py').write_text('import wick\\nwick.light_up(1, 4)\\n')\n"
    check.write_text(_LEAVES_THINGS + edit + check.read_text())
    _take(crossing, "build:run", "build")
    assert _look(crossing).build.is_stale


def test_a_default_that_changed_in_a_class_and_its_overrides_is_listed_once(tree: Tree) -> None:
    classes = "struct Canvas { virtual int save(int scale = 1); };\n" + "".join(
        f"struct {name} : Canvas {{ int save(int scale = 1) override; }};\n" for name in ("Chart", "Map", "Board")
    )
    engine = {"include/rush.hpp": classes}, {"include/rush.hpp": classes.replace("= 1", "= 2")}
    code = '#include "rush.hpp"\nint f(Canvas& canvas) { return canvas.save(); }\n'
    build = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    crossing = begin_engine(tree, *engine, {"src/a.cpp": code}, build)
    _take(crossing, "engine:sites", "apply")
    (item,) = _look(crossing).build.defaults
    assert item.key == "default:scale of Canvas::save was 1 and is 2"


def test_what_compiles_and_is_wrong_is_said_only_of_files_without_errors(tree: Tree) -> None:
    old = "struct Actor { virtual void on_tide(int hour); };\nvoid ring();\n"
    new = "struct Actor { virtual void on_water(int hour); };\nvoid toll(int times, int pause, int strength);\n"
    code = '#include "rush.hpp"\nstruct Fog : Actor { void on_tide(int hour); };\n'
    build = "for f in {project}/src/*.cpp; do g++ -std=c++17 -fsyntax-only -I {engine}/include $f; done; exit 1"
    files = {"src/a.cpp": code, "src/b.cpp": '#include "rush.hpp"\nvoid g() { ring(); }\n'}
    crossing = begin_engine(tree, {"include/rush.hpp": old}, {"include/rush.hpp": new}, files, build)
    for key in ("engine:sites", "build:run"):
        _take(crossing, key, "apply" if key == "engine:sites" else "build")
    assert [item.title for item in _look(crossing).build.items if item.key.startswith("silent:")] == [
        "override on_water, not on_tide: compiles, but is wrong now"
    ]
    (crossing.setup.project / "src/a.cpp").write_text(code + "void g() { ring(); }\n")
    _take(crossing, "build:run", "build")
    assert [item.title for item in _look(crossing).build.items if item.key.startswith("silent:")] == [
        "override on_water, not on_tide: wrong now, and no error says so"
    ]


def test_errors_in_files_that_are_no_code_of_the_profile_say_so(tree: Tree) -> None:
    old = {"include/rush.h": "int rush_glow(int strength);\n"}
    new = {"include/rush.h": "int rush_shine(int strength);\n#define rush_glow rush_shine\n"}
    build = "gcc -fsyntax-only -Werror=implicit-function-declaration {project}/more/a.c {project}/src/a.c"
    files = {
        "more/a.c": "int f(void) { return rush_glow(1); }\n",
        "src/a.c": "int main(void) { return rush_dim(2); }\n",
    }
    crossing = begin_engine(tree, old, new, files, build)
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    view = _look(crossing).build
    said = {cause.cause.symbol: explain_nothing(cause, view) for cause in view.causes}
    assert said["rush_glow"] == (
        "more/a.c has no role, and only code is changed. If it is code, assign it the role own on Survey.",
    )
    assert "No rule of this leg" in said["rush_dim"][0]
    _take(crossing, "role:more/a.c", "own")
    assert {cause.cause.symbol: bool(cause.fixes) for cause in _look(crossing).build.causes}["rush_glow"]
