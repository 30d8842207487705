"""Each kind of rule on code, and what no rule may touch."""

from __future__ import annotations

import itertools
from dataclasses import MISSING, fields, replace
from pathlib import Path
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import FormatError
from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_conflicts, find_edits, has_needed, try_rule
from fernshale.core.fix.rule_file import read_rules, rules_for, write_rules
from fernshale.core.fix.rules import (
    AddArgumentRule,
    AddMemberRule,
    AnyRule,
    DataRule,
    Example,
    GetterRule,
    HeaderRule,
    KeywordRule,
    LineChange,
    LiteralRule,
    MoveRule,
    RenameIdRule,
    RenameRule,
    RewriteRule,
    Rule,
    SwitchOffRule,
    Where,
)
from fernshale.core.fix.tokens import tokenize


def _fixed(rule: Rule, text: str, path: str = "a.cpp") -> str:
    return apply_edits(text, find_edits(rule, TreePath(path), text))


def _rewrite(pattern: str, replacement: str) -> Rule:
    return RewriteRule("r", "w", pattern=pattern, replacement=replacement)


_RENAME = RenameRule("r", "w", old="next_tide", new="tide_after")
_GETTER = GetterRule("r", "w", old="keeper", new="keeper", setter="set_keeper")
_SPAWN = AddArgumentRule("r", "w", call="spawn", arguments=3, position=4, text="Layer::Water")
_MEMBER = AddMemberRule("r", "w", base="Actor", member="describe", after="name()", text="int describe();")
_UNIT = _rewrite("$a.first_tide($d)", "$a.first_tide($d) / 60")
_LITERAL = LiteralRule("r", "w", old="s", new="long s", call="spawn", position=1)
_OFF = SwitchOffRule("r", "w", pattern="$a.keeper")
_CASES = [
    (_RENAME, 'x.next_tide(1); // next_tide\n"next_tide"', 'x.tide_after(1); // next_tide\n"next_tide"'),
    (_RENAME, 'my_next_tide next_tides R"(next_tide)"', 'my_next_tide next_tides R"(next_tide)"'),
    (
        HeaderRule("r", "w", old="m/a.hpp", new="m/d/a.hpp"),
        '#include "m/a.hpp"\n# include <m/a.hpp>\n',
        '#include "m/d/a.hpp"\n# include <m/d/a.hpp>\n',
    ),
    (
        _GETTER,
        "p.keeper + q->keeper.size() + keeper + p.keeper()",
        "p.keeper() + q->keeper().size() + keeper + p.keeper()",
    ),
    (_GETTER, "p.keeper = f(a, b); if (p.keeper == x) {}", "p.set_keeper(f(a, b)); if (p.keeper() == x) {}"),
    (
        replace(_GETTER, of="m.Actor"),
        "class A : public Actor {\n  int f() { keeper = 2; return keeper + (keeper); }\n  int keeper(int);\n};\nclass B { int keeper; };\n",
        "class A : public Actor {\n  int f() { set_keeper(2); return keeper() + (keeper()); }\n  int keeper(int);\n};\nclass B { int keeper; };\n",
    ),
    (
        replace(_GETTER, of="m.Pier"),
        "Pier p; p.keeper; Shed s; s.keeper; who.keeper;",
        "Pier p; p.keeper(); Shed s; s.keeper; who.keeper();",
    ),
    (
        replace(_MEMBER, after=""),
        "class A : Actor { };\n",
        "class A : Actor {\n    int describe();\n };\n",
    ),
    (_SPAWN, "w.spawn(a, f(1, 2), {3, 4});", "w.spawn(a, f(1, 2), {3, 4}, Layer::Water);"),
    (_SPAWN, "w.spawn(std::map<int, int>(), b, c < d);", "w.spawn(std::map<int, int>(), b, c < d, Layer::Water);"),
    (_SPAWN, "w.spawn(a, b); w.spawn(a, b, c, d);", "w.spawn(a, b); w.spawn(a, b, c, d);"),
    (AddArgumentRule("r", "w", call="f", position=1, text="0"), "f() + f(1)", "f(0) + f(1)"),
    (
        _MEMBER,
        "class A : public m::Actor {\npublic:\n    int name() { return 1; }\n};\n",
        "class A : public m::Actor {\npublic:\n    int name() { return 1; }\n    int describe();\n};\n",
    ),
    (
        _MEMBER,
        "class A : Actor { int describe(); };\nclass B : Other {};\nclass Actor;\n",
        "class A : Actor { int describe(); };\nclass B : Other {};\nclass Actor;\n",
    ),
    (
        _UNIT,
        "return (w.almanac().first_tide(day + 1) + 1) * 60;",
        "return (w.almanac().first_tide(day + 1) / 60 + 1) * 60;",
    ),
    (
        _rewrite("m::Berth $n($$a);", "auto $n = m::Berth::make($$a);"),
        "m::Berth b(p.id, 3); m::Berth& c = d[1];",
        "auto b = m::Berth::make(p.id, 3); m::Berth& c = d[1];",
    ),
    (_rewrite("m::flush();", ""), "a();\n    m::flush();\nb();\n", "a();\nb();\n"),
    (_rewrite("swap($x, $x)", "twice($x)"), "swap(a.b, a.b) swap(a, b)", "twice(a.b) swap(a, b)"),
    (
        _rewrite("m::Weather", "m::Sky::Weather"),
        "m::Weather::Fog == n::m::Weather",
        "m::Sky::Weather::Fog == n::m::Weather",
    ),
    (
        LiteralRule("r", "w", old="fog", new="mist"),
        'look("fog", u8"fog", fog, "fogs"); // "fog"',
        'look("mist", u8"mist", fog, "fogs"); // "fog"',
    ),
    (
        LiteralRule("r", "w", old="7", new="Tide::Spring", call="wait", position=2),
        "wait(7, 7); a.wait(f(7), g(7, 1)); rest(7, 7); wait(7);",
        "wait(7, Tide::Spring); a.wait(f(7), g(Tide::Spring, 1)); rest(7, 7); wait(7);",
    ),
    (
        KeywordRule("r", "w", call="moor", old="day", new="on"),
        "a.moor(day = 3, f(day=4)); moor(day == 3, other=day); rest(day=1); moor(x, day=g(1, 2));",
        "a.moor(on = 3, f(day=4)); moor(day == 3, other=day); rest(day=1); moor(x, on=g(1, 2));",
    ),
    (
        SwitchOffRule("r", "fog is gone", pattern="$a.fog($$b)"),
        "{\n    sky.fog(1,\n        2);\n    if (x) sky.fog(3);\n    y = sky.fog(4);\n}\n",
        "{\n    ;  // switched off, fog is gone: sky.fog(1,\n    //     2);\n    if (x) sky.fog(3);\n    y = sky.fog(4);\n}\n",
    ),
    (
        RenameIdRule("r", "w", old="keeper-low", new="low"),
        'v="keeper-low" w="keeper-lower" keeper-low',
        'v="low" w="keeper-lower" low',
    ),
]


@pytest.mark.parametrize(("rule", "before", "after"), _CASES)
def test_rule_changes_what_it_says_and_nothing_else(rule: Rule, before: str, after: str) -> None:
    assert _fixed(rule, before) == after
    assert _fixed(rule, after) == after  # applied once more, nothing happens


@pytest.mark.parametrize(("rule", "before", "after"), _CASES)
def test_a_text_without_the_needed_words_has_no_place(rule: Rule, before: str, after: str) -> None:
    words = rule.needed_words
    assert not find_edits(rule, TreePath("a.cpp"), before) or has_needed(words, before)
    for word in words:
        assert not find_edits(rule, TreePath("a.cpp"), before.replace(word, "other"))


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("if dim:\n    sky.fog(1)\nx()\n", "if dim:\n    pass\nx()\n"),
        ("if dim:\n    sky.fog(1)\n    x()\n", "if dim:\n    x()\n"),
        ("if dim:\n    x()\n    sky.fog(1)\n", "if dim:\n    x()\n"),
        ("def f():\n\n    sky.fog(\n        1)\n", "def f():\n\n    pass\n"),
        ("sky.fog(1)\n", ""),
    ],
)
def test_what_goes_leaves_no_block_of_python_empty(before: str, after: str) -> None:
    assert _fixed(_rewrite("$a.fog($$b)", ""), before, "a.py") == after


def test_a_module_of_a_script_is_imported_by_its_path() -> None:
    rule = HeaderRule("r", "w", old="wick/scene", new="wick/world/scene")
    before = """import { A, type B } from 'wick/scene';
export * from "@dock/wick/scene";
import "wick/scene";
const c = require('./vendor/wick/scene'), d = await import("wick/scene");
const text = "wick/scene"; // from 'wick/scene'
const said = "import 'wick/scene'";
import e from "wick/scenes"; import f from "candlewick/scene";
"""
    after = before.replace("wick/scene'", "wick/world/scene'").replace('wick/scene"', 'wick/world/scene"')
    for prose in ('text = "{}"', "// from '{}'", "import '{}'\"", "candle{}"):
        after = after.replace(prose.format("wick/world/scene"), prose.format("wick/scene"))
    assert _fixed(rule, before, "a.ts") == after
    assert _fixed(rule, before, "a.cpp") == before


def test_what_is_switched_off_leaves_a_whole_block() -> None:
    rule = SwitchOffRule("r", "fog is gone", pattern="sky.fog($$b)")
    assert _fixed(rule, "if dim:\n    sky.fog(1)\nsky.fog(2)  # thick\n", "a.py") == (
        "if dim:\n    pass  # switched off, fog is gone: sky.fog(1)\n"
        "pass  # switched off, fog is gone: sky.fog(2)  # thick\n"
    )
    assert _fixed(rule, "sky.fog(1)\r\n", "a.lua") == "-- switched off, fog is gone: sky.fog(1)\r\n"


def test_a_literal_that_would_grow_each_time_is_refused() -> None:
    for new, call, position in (("1 + 2", "", 0), ("2", "f", 0)):
        with pytest.raises(ValueError, match=r"literal|rewrite"):
            LiteralRule("r", "w", old="1", new=new, call=call, position=position)


def test_comments_of_other_languages_are_known() -> None:
    lua = "next_tide() -- next_tide\n--[==[ next_tide ]] ]==] next_tide() [[next_tide]]"
    assert _fixed(_RENAME, lua, "a.lua") == lua.replace("next_tide()", "tide_after()")
    assert (
        _fixed(_RENAME, "next_tide()  # next_tide\n'''next_tide'''", "a.py")
        == "tide_after()  # next_tide\n'''next_tide'''"
    )


_CODE = st.lists(
    st.sampled_from(
        [
            "a",
            "f",
            "(",
            ")",
            ",",
            ";",
            "spawn",
            ".",
            "keeper",
            "=",
            "{",
            "}",
            "<",
            ">",
            "first_tide",
            '"s"',
            "//c\n",
            " ",
            "'",
            "/*",
        ]
    ),
    max_size=30,
).map("".join)


@given(_CODE, st.sampled_from([_RENAME, _GETTER, _SPAWN, _MEMBER, _UNIT, _LITERAL, _OFF]))
def test_any_text_survives_any_rule_and_a_second_time_changes_nothing(text: str, rule: Rule) -> None:
    edits = find_edits(rule, TreePath("a.cpp"), text)
    spans = [(edit.start, edit.end) for edit in edits]
    assert spans == sorted(spans) and all(left[1] <= right[0] for left, right in itertools.pairwise(spans))
    assert all(text[edit.start : edit.end] == edit.old for edit in edits)
    if rule in (_RENAME, _UNIT, _LITERAL, _OFF):
        once = apply_edits(text, edits)
        assert find_edits(rule, TreePath("a.cpp"), once) == ()


@given(st.text(alphabet="ab\"'/*\n#R()\\ü ", max_size=40))
def test_tokens_cover_only_what_is_there(text: str) -> None:
    for path in ("a.cpp", "a.py"):
        tokens = tokenize(text, path)
        assert all(text[token.start : token.end] == token.text for token in tokens)


@pytest.mark.parametrize(
    ("rule", "line", "words"),
    [
        ('kind = "rename"\nold = "x"', 2, "missing key rule.0.new"),
        ('kind = "rename"\nold = "x"\nnew = ""', 2, "rule.0: a rule of kind rename needs new"),
        ('kind = "dance"', 5, "rule.0.kind: 'dance' is unknown; use one of 'rename', "),
        ('old = "x"', 2, "missing key rule.0.kind"),
        ('kind = "rename"\nold = 3\nnew = "y"', 6, "rule.0.old: "),
        ('kind = "rename"\nold = "x"\nnew = "y"\npattern = "z"', 8, "unknown key rule.0.pattern"),
        ('kind = "rename"\nold = "x"\nnew = "y"\nrename = "z"', 8, "unknown key rule.0.rename"),
        ('kind = "delete"\nfiles = ["a"]\nwhere = {folder = "b"}', 7, "unknown key rule.0.where.folder"),
        ('kind = "delete"\nfiles = ["a"]\nconfidence = 2.0', 2, "rule.0: confidence is a number from 0 to 1"),
    ],
)
def test_faults_of_a_rule_are_reported_with_their_lines(tmp_path: Path, rule: str, line: int, words: str) -> None:
    path = tmp_path / "x.rules.toml"
    path.write_text(f'format = "fernshale-rules/1"\n[[rule]]\nid = "a"\nwhy = "w"\n{rule}\n')
    with pytest.raises(FormatError) as caught:
        read_rules(path)
    ((found, text),) = caught.value.faults
    assert found == line and text.startswith(words)


def test_all_faults_of_a_file_are_reported_at_once(tmp_path: Path) -> None:
    path = tmp_path / "x.rules.toml"
    path.write_text(
        'format = "fernshale-rules/1"\n[[rule]]\nid = "a"\nkind = "rename"\nwhy = "w"\nold = "x"\n'
        '[[rule]]\nid = "b"\nkind = "dance"\nwhy = "w"\n'
    )
    with pytest.raises(FormatError) as caught:
        read_rules(path)
    assert [line for line, _ in caught.value.faults] == [2, 9]


# Required values that are valid for each kind.
_VALUES: dict[str, Any] = {
    "old": "a", "new": "b", "text": "c", "call": "f", "position": 1, "order": (2, 1), "base": "B", "member": "m",
    "pattern": "f($a)", "files": ("x/**",), "names": ("n",), "of": "B",
    "changes": (LineChange("src/b.cpp", 1, "a", "b"),),
}  # fmt: skip
_KINDS: tuple[type[Rule], ...] = get_args(get_args(AnyRule)[0])


@pytest.mark.parametrize("kind", _KINDS)
def test_every_kind_is_written_read_named_and_applied(kind: type[Rule], tmp_path: Path) -> None:
    wanted = {
        item.name: _VALUES[item.name] for item in fields(kind) if item.name in _VALUES and item.default is MISSING
    }
    more: dict[str, Any] = {"drop": ("d",)} if kind is DataRule else {}
    rule = kind("r", "w", **wanted, **more, confidence=0.5, where=Where(unless=("done",)))
    path = tmp_path / "x.rules.toml"
    path.write_text(write_rules([rule], "t", "*", "*"))
    assert read_rules(path).rules == (rule,)
    assert rule.name and replace(rule, title="T").name == "T"
    assert not rule.symbols or rule.subjects[0]
    # Nothing matches in a text without the words that the rule needs.
    assert find_edits(rule, TreePath("src/a.cpp"), "z = 1;\n") == ()
    for name in wanted:
        with pytest.raises(ValueError, match=f"needs {name}"):
            replace(rule, **{name: type(wanted[name])()})


def test_rules_hold_only_for_their_releases(tmp_path: Path) -> None:
    path = tmp_path / "x.rules.toml"
    path.write_text(
        'format = "fernshale-rules/1"\nfrom = ">=2.6, <3"\nto = ">=3"\n[[rule]]\nid = "a"\nkind = "delete"\nwhy = "w"\nfiles = ["g/**"]\n'
    )
    assert len(rules_for(path, "2.6.1", "3.0.2").rules) == 1
    assert rules_for(path, "2.5", "3.0.2").rules == () == rules_for(path, "2.6.1", "2.9").rules


@pytest.mark.parametrize(
    ("text", "fixed"),
    [
        (
            "Almanac a; a.next(1); Queue q; q.next(2); z.next(3);",
            "Almanac a; a.tide(1); Queue q; q.next(2); z.tide(3);",
        ),
        (
            "void f(const Almanac& a, Queue* q) { a.next(q->next()); }",
            "void f(const Almanac& a, Queue* q) { a.tide(q->next()); }",
        ),
        (
            "struct Mine : Almanac { int next(); };\nstruct Other { int next(); };",
            "struct Mine : Almanac { int tide(); };\nstruct Other { int next(); };",
        ),
        (
            "struct Queue {}; int Queue::next() {} int Almanac::next() {}",
            "struct Queue {}; int Queue::next() {} int Almanac::tide() {}",
        ),
        (
            "struct Mine : Sub {}; Mine m; m.next();",
            "struct Mine : Sub {}; Mine m; m.tide();",
        ),  # Sub may derive from it
    ],
)
def test_a_member_of_another_type_is_left_alone_where_that_can_be_told(text: str, fixed: str) -> None:
    assert _fixed(RenameRule("r", "w", old="next", new="tide", of="m::Almanac"), text) == fixed


@pytest.mark.parametrize(
    ("path", "text"),
    [
        # Outside all classes, a name without an object is no member's.
        (
            "a.cpp",
            "int f() { NEXT(); return NEXT; } struct Other { int g() { next(); } }; Other o; void Other::f() { next; x->next(); }",
        ),
        ("a.c", "int f(struct tide *t) { NEXT(); t->next = NEXT; }"),
        ("a.py", "NEXT()\nx.next = NEXT\nclass Mine(Base):\n    next = 3\n    def next(self): return NEXT\n"),
        ("a.java", "class Mine extends Almanac { int f() { return next(); } }"),
    ],
)
def test_a_reported_name_that_cannot_be_a_member_is_left_alone(path: str, text: str) -> None:
    rule = RenameRule("r", "w", old="next", new="tide", of="m::Almanac", named=True)
    fixed = _fixed(rule, text.replace("NEXT", "next"), path)
    assert fixed == text.replace("next", "tide").replace("NEXT", "next")


@pytest.mark.parametrize(
    ("text", "fixed"),
    [
        (
            "import m\na = m.Almanac()\na.next()\nq = m.Queue()\nq.next()\n",
            "import m\na = m.Almanac()\na.tide()\nq = m.Queue()\nq.next()\n",
        ),
        (
            "def f(a: m.Almanac, q: Queue):\n    a.next(q.next())\n",
            "def f(a: m.Almanac, q: Queue):\n    a.tide(q.next())\n",
        ),
        ("class Mine(m.Almanac): pass\nx = Mine()\nx.next()\n", "class Mine(m.Almanac): pass\nx = Mine()\nx.tide()\n"),
        (
            "class Other: pass\nx = Other()\nx.next()\ny = make()\ny.next()\n",
            "class Other: pass\nx = Other()\nx.next()\ny = make()\ny.tide()\n",
        ),
    ],
)
def test_the_type_of_a_name_is_known_in_python(text: str, fixed: str) -> None:
    assert _fixed(RenameRule("r", "w", old="next", new="tide", of="m.Almanac"), text, "a.py") == fixed


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("a.rs", "let mut a = Almanac::new(); a.next(); let q = Queue::new(); q.NEXT(); fn f(b: &mut Almanac, c: Queue) { b.next(); c.NEXT(); }"),
        ("a.ts", "const a = new Almanac(); a.next(); let q = new Queue(1); q.NEXT(); function f(b: Almanac, c: Queue) { b.next(c.NEXT()); }"),
        ("a.java", "final Almanac a = make(); a.next(); private static Queue q; q.NEXT(); var x = make(); x.next();"),
    ],
)  # fmt: skip
def test_the_type_of_a_name_is_known_where_it_stands_behind(path: str, text: str) -> None:
    fixed = _fixed(RenameRule("r", "w", old="next", new="tide", of="m.Almanac"), text.replace("NEXT", "next"), path)
    assert fixed == text.replace("next", "tide").replace("NEXT", "next")


def test_a_name_that_moved_into_its_fellow_is_moved_once() -> None:
    rule = MoveRule("r", "w", old="dice::Dice", new="random::dice::Dice")
    once = _fixed(rule, "use kelpie::dice::Dice; random::dice::Dice::new();", "a.rs")
    assert once == "use kelpie::random::dice::Dice; random::dice::Dice::new();" == _fixed(rule, once, "a.rs")


@pytest.mark.parametrize(
    ("path", "text", "fixed"),
    [
        ("a.cpp", "m::util::clock(1); util::clock(2); clock(3); x.util::clock(4);", "m::timing::clock(1); timing::clock(2); clock(3); x.util::clock(4);"),
        ("a.cpp", "other::util::clock(1);", "other::util::clock(1);"),
        ("a.py", "from m.util import clock, other\nm.util.clock(1)", "from m.util import other\nfrom m.timing import clock\nm.timing.clock(1)"),
        ("a.py", "from m.util import clock as c", "from m.timing import clock as c"),
        # What a crate of Rust has is written behind its name.
        ("a.rs", "use crate_::m::util::clock; util::clock();", "use crate_::m::timing::clock; timing::clock();"),
    ],
)  # fmt: skip
def test_a_moved_name_is_followed_however_much_of_it_is_written(path: str, text: str, fixed: str) -> None:
    mark = "." if path.endswith(".py") else "::"
    rule = MoveRule("r", "w", old=mark.join(("m", "util", "clock")), new=mark.join(("m", "timing", "clock")))
    assert _fixed(rule, text, path) == fixed
    assert _fixed(rule, fixed, path) == fixed


@pytest.mark.parametrize(
    ("text", "fixed"),
    [
        (
            "import {\n  Lamp, Fog, Warmth\n} from 'wick';\nfunction f(a: Warmth): a is Warmth { return b.Warmth }\n",
            "import {\n  Lamp, Fog\n} from 'wick';\nfunction f(a: Lamp.Warmth): a is Lamp.Warmth { return b.Warmth }\n",
        ),
        ("import { Warmth } from 'wick';\nlet a: Warmth;\n", "import { Lamp } from 'wick';\nlet a: Lamp.Warmth;\n"),
        (
            "import { Fog, Warmth } from 'wick';\nlet a = [Warmth, 1], c = { Warmth: 2 };\n",
            # A word that stays keeps its import.
            "import { Fog, Warmth, Lamp } from 'wick';\nlet a = [Lamp.Warmth, 1], c = { Warmth: 2 };\n",
        ),
        (
            "import {\n  Warmth, Fog\n} from 'wick';\n/** Of Warmth. */\nlet a: Warmth;\n",
            "import {\n  Fog, Lamp\n} from 'wick';\n/** Of Warmth. */\nlet a: Lamp.Warmth;\n",
        ),
        # Another module's, and one under another name.
        ("import { Warmth } from './own';\nlet a: Warmth;\n", None),
        ("import { Warmth as Heat } from 'wick';\nlet a: Heat;\n", None),
    ],
)  # fmt: skip
def test_an_imported_name_of_a_script_is_followed_into_a_namespace(text: str, fixed: str | None) -> None:
    line = 'import { Lamp } from "wick";'
    rule = MoveRule("r", "w", old="Warmth", new="Lamp.Warmth", imports="Lamp", text=line, named=True)
    assert _fixed(rule, text, "a.ts") == (fixed or text)
    assert _fixed(rule, fixed or text, "a.ts") == (fixed or text)


@pytest.mark.parametrize(
    ("text", "fixed"),
    [
        ("for (const lamp of row.each()) {}", "for (const lamp of row[Symbol.iterator]()) {}"),
        ("const all = tower.row!.each();", "const all = tower.row![Symbol.iterator]();"),
        ("const all = row?.each();", "const all = row?.[Symbol.iterator]();"),
        ("class Row {\n  size = 1\n  each() { return 1 }\n}", "class Row {\n  size = 1\n  [Symbol.iterator]() { return 1 }\n}"),
        ("class Row { private each(): Lamp; }", "class Row { private [Symbol.iterator](): Lamp; }"),
        # A function or a variable of that name is no member.
        ("import { each } from 'wick'; each(row); const each = lit ? each(row) : 1;", None),
    ],
)  # fmt: skip
def test_a_member_with_a_computed_name_is_written_in_brackets(text: str, fixed: str | None) -> None:
    rule = RenameRule("r", "w", old="each", new="[Symbol.iterator]", named=True)
    assert _fixed(rule, text, "a.ts") == (fixed or text)


def test_conditions_narrow_a_rule() -> None:
    rule = RenameRule("r", "w", old="go", new="run")
    in_class = replace(rule, where=Where(derives=("Actor",)))
    text = "struct A : Actor { void go(); };\nstruct B : A { void go(); };\nstruct C { void go(); };\n"
    assert (
        _fixed(in_class, text)
        == "struct A : Actor { void run(); };\nstruct B : A { void run(); };\nstruct C { void go(); };\n"
    )
    assert _fixed(replace(rule, where=Where(files=("src/**",))), "go();", "lib/a.cpp") == "go();"
    assert _fixed(replace(rule, where=Where(languages=("python",))), "go()", "a.cpp") == "go()"
    assert _fixed(replace(rule, where=Where(unless=("done",))), "go(); done();") == "go(); done();"


def test_rules_that_want_different_things_of_one_place_are_told() -> None:
    text = "go(1); stay(2);"
    rules = [
        RenameRule(id, "w", old=old, new=new)
        for id, old, new in (("a", "go", "run"), ("b", "go", "walk"), ("c", "stay", "rest"))
    ]
    edits = {rule.id: find_edits(rule, TreePath("a.cpp"), text) for rule in rules}
    assert [(one, other, edit.line) for one, other, edit in find_conflicts(edits)] == [("a", "b", 1)]


def test_rules_test_themselves_and_are_written_so_that_they_read_back(tmp_path: Path) -> None:
    good = RenameRule(
        "g",
        "w",
        old="go",
        new="run",
        where=Where(derives=("X",)),
        example=(Example("struct A : X { int go(); };", "struct A : X { int run(); };"),),
    )
    bad = RenameRule("b", "w", old="go", new="go_on", confidence=0.5, example=(Example("go();", "went();"),))
    assert try_rule(good) == () and len(try_rule(bad)) == 1
    path = tmp_path / "x.rules.toml"
    path.write_text(write_rules([good, bad], "shared", ">=1", "*"))
    read = read_rules(path)
    assert read.rules == (good, bad) and read.title == "shared"


def test_a_template_that_derives_gets_its_member_once() -> None:
    text = "template <class T, class U> class A : public Actor<T> {\npublic:\n    int name() { return 1; }\n};\n"
    assert _fixed(_MEMBER, text).count("int describe();") == 1
