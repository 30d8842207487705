"""The differences of two releases, in every language, with what is certain and what is not."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from fernshale.core.base.cache import Cache
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.drift import comparison_cache, release_symbols
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.drift.parameter_order import new_order
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree
from tests.core.drift.comparing import changes_between, kinds_of

# In each language: the old text, the new one, and what must be told.
_CASES: dict[str, tuple[str, str, str, set[tuple[str, str, str]]]] = {
    "c++": (
        "include/pier.hpp",
        """namespace m {
/// Counts the boats that lie at a pier.
class MlPier { public: explicit MlPier(int n); int keeper; virtual void moor(int boat); int count_boats(int day) const;
  /// Writes all that lies here into the log.
  void write_log(const char* text) { out << text << end << berth; } };
enum class Kind { Wood, Stone };
void spawn(int a, int b = 3);
constexpr int kLimit = 12;
}""",
        """namespace m {
/// Counts the boats that lie at a pier.
class MerePier { public: static MerePier make(int n); int keeper() const; virtual void moor_boat(int boat);
  int count_boats(int day) const;
  /// Writes all that lies here into the log.
  void log_info(const char* text) { out << text << end << berth; }
  virtual void describe() = 0;
 private: explicit MerePier(int n); };
enum class Kind { Wood, Stone };
void spawn(int a, int b = 5);
constexpr int kLimit = 12;
}""",
        {
            ("renamed", "m::MlPier", "m::MerePier"),
            ("renamed", "m::MlPier::write_log", "m::MerePier::log_info"),
            ("renamed", "m::MlPier::moor", "m::MerePier::moor_boat"),
            ("no-longer-overrides", "m::MlPier::moor", "m::MerePier::moor_boat"),
            ("must-implement", "", "m::MerePier::describe"),
            ("default", "m::spawn", "m::spawn"),
            ("signature", "m::MlPier::keeper", "m::MerePier::keeper"),
        },
    ),
    "java": (
        "src/h/Pier.java",
        """package h;
public class Pier { public int boatCount(String day) { return ledger.sum(day, boats); }
  public static final int LIMIT = 3; public void go() { } }""",
        """package h;
public class Pier { public int countBoats(String day) { return ledger.sum(day, boats); }
  public static final int LIMIT = 4; /** @deprecated use {@link #leave()} */ @Deprecated public void go() { }
  public void leave() { } }""",
        {
            ("renamed", "h.Pier.boatCount", "h.Pier.countBoats"),
            ("default", "h.Pier.LIMIT", "h.Pier.LIMIT"),
            ("deprecated", "h.Pier.go", "h.Pier.go"),
        },
    ),
    "c#": (
        "Pier.cs",
        """namespace H { public interface ITide { int Level(int hour); } public class Pier {
  public string KeeperName { get; set; } public void Moor(int boat) { ledger.Add(boat); } } }""",
        """namespace H { public interface ITide { int Level(int hour); int Flow(int hour); } public class Pier {
  public string KeeperTitle { get; set; } public void Moor(int boat, bool wait) { ledger.Add(boat); } } }""",
        {
            ("must-implement", "", "H.ITide.Flow"),
            ("renamed", "H.Pier.KeeperName", "H.Pier.KeeperTitle"),
            ("signature", "H.Pier.Moor", "H.Pier.Moor"),
        },
    ),
    "rust": (
        "src/pier.rs",
        """pub struct Pier { pub keeper: String } impl Pier { pub fn new_pier(n: u32) -> Self { let ledger = open(n); Pier { ledger } } }
#[deprecated(note = "use moor_boat instead")] pub fn moor(b: u32) {} pub fn moor_boat(b: u32) {}
pub trait Tide { fn level(&self); }""",
        """pub struct Pier { pub keeper: String } impl Pier { pub fn with_piers(n: u32) -> Self { let ledger = open(n); Pier { ledger } } }
pub fn moor_boat(b: u32) {}
pub trait Tide { fn level(&self); fn flow(&self); }""",
        {
            ("renamed", "pier::Pier::new_pier", "pier::Pier::with_piers"),
            ("renamed", "pier::moor", "pier::moor_boat"),
            ("must-implement", "", "pier::Tide::flow"),
        },
    ),
    "python": (
        "harbour/pier.py",
        '''class Pier:
    def set_keeper(self, name):
        """Put another keeper on the watch."""
        self.ledger.write(name, self.hours)
def old_way(day): return new_way(day)
def new_way(day): return sum(day.boats)
LIMIT = 3
''',
        '''import warnings
class Pier:
    def with_keeper(self, name):
        """Put another keeper on the watch."""
        self.ledger.write(name, self.hours)
def new_way(day, tide): return sum(day.boats)
LIMIT = 4
''',
        {
            ("renamed", "harbour.pier.Pier.set_keeper", "harbour.pier.Pier.with_keeper"),
            ("renamed", "harbour.pier.old_way", "harbour.pier.new_way"),
            ("signature", "harbour.pier.new_way", "harbour.pier.new_way"),
            ("default", "harbour.pier.LIMIT", "harbour.pier.LIMIT"),
        },
    ),
    "typescript": (
        "pier.ts",
        """export interface Tide { level(h: number): number; }
export class Pier { keeperName: string = ''; moor(boat: number): void { this.ledger.push(boat); } }
/** @deprecated use harbourOf instead */ export function portOf(p: Pier): string { return p.where; }
export function harbourOf(p: Pier): string { return p.where; }""",
        """export interface Tide { level(h: number): number; flow(h: number): number; }
export class Pier { keeper: string = ''; moorBoat(boat: number): void { this.ledger.push(boat); } }
export function harbourOf(p: Pier): string { return p.where; }""",
        {
            ("must-implement", "", "Tide.flow"),
            ("renamed", "Pier.keeperName", "Pier.keeper"),
            ("renamed", "Pier.moor", "Pier.moorBoat"),
            ("renamed", "portOf", "harbourOf"),
        },
    ),
    "javascript": (
        "pier.js",
        "function Pier() {}\nPier.prototype.moorAll = function (boats) { boats.each(this.ledger.note); };\nmodule.exports = Pier;",
        "function Pier() {}\nPier.prototype.moorEach = function (boats) { boats.each(this.ledger.note); };\nmodule.exports = Pier;",
        {("renamed", "Pier.moorAll", "Pier.moorEach")},
    ),
    "lua": (
        "pier.lua",
        "local M = {}\nfunction M.count_boats(day, hour) return ledger.sum(day, hour) end\nreturn M",
        "local M = {}\nfunction M.boats(day, hour) return ledger.sum(day, hour) end\nreturn M",
        {("renamed", "pier.count_boats", "pier.boats")},
    ),
    "c": (
        "tide.h",
        "/* How high the water stands. */\nint tide_level(int hour, int day);\n#define TIDE_MAX 4\ntypedef struct { int low; } tide_t;",
        "/* How high the water stands. */\nint tide_height(int hour, int day);\n#define TIDE_MAX 4\ntypedef struct { int low; } tide_t;",
        {("renamed", "tide_level", "tide_height")},
    ),
}


@pytest.mark.parametrize("language", sorted(_CASES))
def test_each_language_is_read_and_compared(language: str, tree: Tree) -> None:
    path, before, after, wanted = _CASES[language]
    old, new = tree("old", {path: before}), tree("new", {path: after})
    told = kinds_of(changes_between(old, new))
    assert wanted <= told, wanted - told
    assert not {item for item in told if item[0] == "removed"}
    assert not changes_between(old, old)  # a release does not differ from itself


def test_an_argument_with_another_name_is_followed_by_its_name(tree: Tree) -> None:
    moor = "class Pier:\n    def moor(self, boat, {}: int = 1, *, {}):\n        return 1\n"
    old = tree("old", {"wick.py": moor.format("day", "berth=0")})
    new = tree("new", {"wick.py": moor.format("on", "place=None")})
    found = guess_rules(changes_between(old, new), old, new, "t", ()).rules
    rules = {rule.old: rule for rule in found if rule.kind == "keyword"}
    assert (rules["day"].call, rules["day"].new) == ("moor", "on") and rules["day"].confidence > 0.9
    assert rules["berth"].new == "place" and rules["berth"].confidence < 0.9


@pytest.mark.parametrize(
    ("path", "before", "after", "order", "is_silent"),
    [
        ("w.py", "def box(left, top, day=1): pass", "def box(top, left, day=1, *, more): pass", (2, 1, 3), True),
        (
            "w.hpp",
            "void box(float left, float top, int day);",
            "void box(float top, float left, long day);",
            (2, 1, 3),
            True,
        ),
        ("w.hpp", "void box(int left, float top);", "void box(float top, int left);", (2, 1), False),
        ("w.hpp", "void box(int left, int top);", "void box(int left, int day = 2, int top = 1);", (1, 0, 2), True),
        ("w.py", "def box(left: int, top: int): pass", "def box(left, *, top): pass", (), False),
        ("w.py", "def box(top: int): pass", "def box(left: str = '', top: str = ''): pass", (0, 1), False),
        ("w.hpp", "void box(int left, int top);", "void box(int left, int day, int top);", (), False),
        (
            "W.java",
            "public class W { public void box(int a, int b) {} }",
            "public class W { public void box(int b, int a) {} }",
            (2, 1),
            True,
        ),
        ("w.py", "def box(left, *, top, day): pass", "def box(left, *, day, top): pass", (), False),
        ("w.py", "def box(left, top): pass", "def box(top, left, day): pass", (), False),
        ("w.hpp", "void box(float left, float top);", "void box(float up, float left);", (), False),
        ("w.hpp", "void box(float left, float);", "void box(float, float left);", (), False),
        ("w.hpp", "void box(float left, float top);", "void box(int top, float left);", (), False),
    ],
)
def test_arguments_in_another_order_are_told(
    path: str, before: str, after: str, order: tuple[int, ...], is_silent: bool, tree: Tree
) -> None:
    found = [
        item
        for item in changes_between(tree("old", {path: before}), tree("new", {path: after}))
        if item.kind == "reordered"
    ]
    assert bool(found) == bool(order)
    for change in found:
        assert change.old is not None and change.new is not None
        assert (new_order(change.old, change.new), change.is_silent) == (order, is_silent)


def test_a_new_name_alone_is_not_sure_where_the_arguments_have_another_order(tree: Tree) -> None:
    text = 'def box_lt({}):\n    """Draw the outline of a pier."""\n    return canvas.line(left, top, 3).close()\n'
    old = tree("old", {"w.py": text.format("left, top")})
    new = tree("new", {"w.py": text.format("top, left").replace("box_lt", "box_tl")})
    found = {rule.kind: rule for rule in guess_rules(changes_between(old, new), old, new, "t", ()).rules}
    assert found["rename"].confidence < 0.6 < found["reorder"].confidence
    assert (found["reorder"].order, found["reorder"].names, found["reorder"].new) == ((2, 1), ("left", "top"), "box_tl")


def test_what_overrides_a_method_takes_what_that_takes_now(tree: Tree) -> None:
    text = "class Actor:\n    def act(self, hour{}): ...\n    def rest(self{}): ...\n    def _own(self{}): ...\n"
    old = tree("old", {"w.py": text.format("", "", "")})
    new = tree("new", {"w.py": text.format(", day: int = 1, *args", ", bed=Bed()", ", x=1")})
    changes = changes_between(old, new)
    assert kinds_of(changes) == {("wider", "w.Actor.act", "w.Actor.act"), ("wider", "w.Actor.rest", "w.Actor.rest")}
    (rule,) = guess_rules(changes, old, new, "t", ()).rules
    game = "class Gull(Actor):\n    def act(self, hour):\n        self.act(hour)\n"
    once = apply_edits(game, find_edits(rule, TreePath("a.py"), game))
    assert once == game.replace("act(self, hour)", "act(self, hour, day: int = 1, *args)")
    assert not find_edits(rule, TreePath("a.py"), once) and re.search(rule.diagnostic, 'supertype "w.Actor"')
    virtual = "class Actor {{ public: virtual void act(int hour{}); void rest(int hour{}); }};"
    there = changes_between(
        tree("a", {"w.hpp": virtual.format("", "")}),
        tree("b", {"w.hpp": virtual.format(", int day = 1", ", int day = 1")}),
    )
    assert [(item.kind, item.symbol.name, item.is_silent) for item in there] == [("wider", "act", True)]


def test_what_may_be_given_by_name_only_may_stand_anywhere(tree: Tree) -> None:
    text = "def box(left, *, {}): pass\ndef dot(*left, day): pass\ndef line(a, b): pass\n"
    old = tree("old", {"w.py": text.format("top, day=1")})
    new = tree("new", {"w.py": text.format("day=1, more=2, top").replace("a, b", "a, *, b")})
    assert kinds_of(changes_between(old, new)) == {("signature", "w.line", "w.line")}


def test_a_comparison_is_kept_until_a_file_changes(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    path, before, after, _ = _CASES["python"]
    old, new = tree("old", {path: before}), tree("new", {path: after})
    cache = Cache()
    first = compare_releases(ReleasePlaces(old, new), "", Work(), cache)
    monkeypatch.setattr(comparison_cache, "read_pair", lambda *given: pytest.fail("it was read again"))
    assert compare_releases(ReleasePlaces(old, new), "", Work(), cache) is first
    cache.clear()  # as in another process
    again = compare_releases(ReleasePlaces(old, new), "", Work(), cache)
    assert kinds_of(again) == kinds_of(first)
    assert [[c.score for c in item.candidates] for item in again] == [
        [c.score for c in item.candidates] for item in first
    ]
    monkeypatch.undo()
    (new / path).write_text(before)
    assert compare_releases(ReleasePlaces(old, new), "", Work(), cache) == ()


def test_two_processes_read_the_same(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    path, before, after, _ = _CASES["c++"]
    old, new = tree("old", {path: before, "a.py": "def f(): pass"}), tree("new", {path: after})
    alone = read_pair(old, new, "", Work())
    monkeypatch.setattr(release_symbols, "_MUCH", 0)
    assert read_pair(old, new, "", Work()) == alone


def test_unknown_folders_and_languages_are_refused(tmp_path: Path) -> None:
    with pytest.raises(MisuseError):
        read_pair(tmp_path / "nothing", tmp_path, "", Work())
    with pytest.raises(MisuseError):
        read_pair(tmp_path, tmp_path, "latin", Work())


def test_an_attribute_with_a_value_is_not_another_name_for_it(tree: Tree) -> None:
    text = "class Tide: pass\nclass Pier:\n    gauge = Tide\nOldTide = Tide\n"
    changes = changes_between(
        tree("old", {"m.py": text}), tree("new", {"m.py": "class Tide: pass\nclass Pier: pass\n"})
    )
    told = {c.old.name: (c.kind, c.new.name if c.new else "") for c in changes if c.old}
    assert told == {"gauge": ("removed", ""), "OldTide": ("renamed", "Tide")}


def test_a_default_is_compared_by_the_argument_and_its_value(tree: Tree) -> None:
    old = tree("old", {"m.py": "def f(a='x', b=.1, c=3): pass\n"})
    new = tree("new", {"m.py": 'def f(z=None, a="x", b=0.1, c=4): pass\n'})
    assert [c.what for c in changes_between(old, new) if c.kind == "default"] == ["c of m.f was 3 and is 4"]


def test_the_empty_value_of_another_type_is_no_other_default(tree: Tree) -> None:
    old, new = (
        tree(side, {"a.hpp": f"void f(const {type_}<int> &roles = {type_}<int>(), const Tide &at = Tide({at}));\n"})
        for side, type_, at in (("old", "Vec", 3), ("new", "List", 4))
    )
    changes = [change for change in changes_between(old, new) if change.kind == "default"]
    assert [change.what for change in changes] == ["at of f was Tide(3) and is Tide(4)"]


_RESULTS = [
    ("a.hpp", "namespace w { struct Tide; %s high(int of); }", "int", "Tide", True),
    ("a.hpp", "namespace w { struct Tide; %s high(int of); }", "const w::Tide&", "Tide", False),
    ("a.hpp", "#define NODISCARD [[nodiscard]]\nstruct Tide; %s high(int of);", "int", "NODISCARD int", False),
    ("a.hpp", "struct Tide { %s high; };", "int", "unsigned", True),
    ("a.py", "def high(of: int) -> %s: ...", "int", "str", True),
    ("a.py", "def high(of: int) -> %s: ...", "Optional[int]", "int | None", False),
    ("a.py", "def high(of: int) -> %s: ...", "typing.Union[int, str]", "str | int", False),
    ("a.py", "def high(of: int) -> %s: ...", "Tuple[Optional[int], int]", "tuple[int | None, int]", False),
    ("a.py", "def high(of: int) -> %s: ...", "int", "int | None", True),
    ("a.py", "class Tide:\n    high: %s = 3", "int", "float", True),
    ("a.ts", "export class Tide { high(of: number): %s { return f(of); } }", "number", "string", True),
    ("src/a.rs", "pub fn high(of: u32) -> %s { f(of) }", "u32", "u64", True),
    ("A.java", "public class Tide { public %s high(int of) { return f(of); } }", "int", "long", True),
    ("A.cs", "public class Tide { public %s High(int of) { return F(of); } }", "int", "long", True),
]  # fmt: skip


@pytest.mark.parametrize(("file", "text", "before", "after", "is_told"), _RESULTS)
def test_what_gives_another_type_is_told(
    file: str, text: str, before: str, after: str, is_told: bool, tree: Tree
) -> None:
    changes = changes_between(tree("old", {file: f"{text % before}\n"}), tree("new", {file: f"{text % after}\n"}))
    told = [item for item in changes if item.kind == "signature"]
    assert len(told) == is_told
    for item in told:
        assert item.symbol.name.lower() == "high" and before in item.what and after in item.what


def test_a_type_that_has_another_name_is_no_other_type(tree: Tree) -> None:
    text = "struct {0} {{ int hour; int day; int high() const; void flow(int to); }};\n{0} now(int of);\n"
    changes = changes_between(
        tree("old", {"a.hpp": text.format("Tide")}), tree("new", {"a.hpp": text.format("SeaTide")})
    )
    assert [(item.kind, item.symbol.name) for item in changes] == [("renamed", "Tide")]


def test_a_folder_of_downloaded_packages_has_the_sources_of_its_packages(tree: Tree) -> None:
    """Where a release has sources of its own, those of its packages do not count."""
    code = "export function {}(lamp) {{ return lamp + 1; }}\n"
    only, both = [], []
    for version, name in (("1", "light"), ("2", "lighten")):
        files = {"node_modules/lamp/index.js": code.format(name), "node_modules/lamp/test/a.js": code.format("tried")}
        only.append(tree(f"only/{version}", files))
        both.append(tree(f"both/{version}", {**files, "own.js": code.format(f"own_{name}")}))
    assert [item.symbol.name for item in compare_releases(ReleasePlaces(*only), "", Work())] == ["light"]
    assert [item.symbol.name for item in compare_releases(ReleasePlaces(*both), "", Work())] == ["own_light"]
