"""Calls that texts of a release show as what to write."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.drift.stated.replacements import ReleaseNames
from fernshale.core.drift.stated.stated_calls import stated_call
from fernshale.core.drift.symbols import Parameter, Symbol
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree
from tests.core.drift.comparing import changes_between

_SELF = Parameter("self", "&self")


def _symbol(kind: str, *path: str, given: tuple[str, ...] = ()) -> Symbol:
    parameters = tuple(Parameter(name, "u8") for name in given)
    own = (_SELF, *parameters) if kind == "method" else parameters
    return Symbol(kind, path[-1], path[:-1], "src/lamp.rs", 1, own, marks=frozenset({"public"}))  # type: ignore[arg-type]


_NAMES = ReleaseNames(
    (
        _symbol("class", "Lamp"), _symbol("class", "Shade"), _symbol("method", "Lamp", "shine", given=("power", "hour")),
        _symbol("method", "Lamp", "get", given=("id",)), _symbol("function", "shine_all", given=("lamp", "power")),
        _symbol("function", "Shade", "of", given=("power",)),
    ),
    frozenset({"dim"}),
)  # fmt: skip
_GLOW = _symbol("method", "Lamp", "glow", given=("power", "hour"))
_OF = _symbol("method", "Lamp", "of", given=("id",))
_LIGHT = _symbol("function", "light", given=("lamp", "power"))


@pytest.mark.parametrize(
    ("symbol", "text", "call"),
    [
        (
            _OF,
            "Replace `m.of(...)` with `m.get::<Glow>(...).map(|g| g.as_str())`",
            "$it.get::<Glow>($id).map(|g| g.as_str())",
        ),
        (_OF, "Use ``lamp.get(id, 0)`` instead of ``lamp.of(id)``.", "$it.get($id, 0)"),
        (_GLOW, "`lamp.glow(a, b)` -> `lamp.shine(b, a)`", "$it.shine($hour, $power)"),
        (_GLOW, "use {@code this.shine(hour, power)}", "$it.shine($hour, $power)"),
        (_GLOW, "Replaced with `Lamp::shine(power.max(1), hour)`.", "$it.shine($power.max(1), $hour)"),
        (_LIGHT, "`light(l, p)` becomes `shine_all(p, l)`.", "shine_all($power, $lamp)"),
        # Names of members, of keywords and inside of strings are no arguments.
        (_LIGHT, "`light(l, p)` becomes `shine_all(l.p, p=p, 'l', l)`.", ""),
        (_LIGHT, "use `shine_all(power, lamp=lamp)`", "shine_all($power, lamp=$lamp)"),
    ],
)
def test_a_shown_call_becomes_a_form_for_all_arguments(symbol: Symbol, text: str, call: str) -> None:
    found = stated_call(text, symbol, _NAMES)
    assert (found.text if found else "") == call
    assert not call or (found is not None and found.is_whole)


@pytest.mark.parametrize(
    ("symbol", "text"),
    [
        (_OF, "For names, replace `m.of(...)` with `m.get(..., 0)`"),
        (_OF, "Replace `m.of(...)` with `m.get(..., 0)` when it is lit, and `m.shine(..., 1)` when not"),
        (_OF, "Replaced with either `Lamp::get(..., 0)` or `Lamp::shine(..., 0)`"),
        (_OF, "Replaced with `Lamp::get(...)`"),
        (_OF, "Replace `m.of(...)` with `m.get(..., 0)` to have its name"),
        # A call that the release does not have any more is left out, and a type may need an import.
        (_OF, "Replace `m.of(...)` with `m.get(..., 1).dim(true)`"),
        (_OF, "Replace `m.of(...)` with `m.get(Shade::of(...))`"),
    ],
)  # fmt: skip
def test_what_is_said_of_some_calls_or_not_whole_is_unsure(symbol: Symbol, text: str) -> None:
    found = stated_call(text, symbol, _NAMES)
    assert found is not None and found.target.name == "get" and not found.is_whole
    assert "dim" not in found.text


@pytest.mark.parametrize(
    ("symbol", "text"),
    [
        (_OF, "Replace `m.of(true)` with `m.get(0)`"),
        (_OF, "Replace `m.of(...)` with `m.get()`"),
        (_OF, "Replace `m.other(...)` with `m.get(..., 0)`"),
        (_OF, "Replace `m.of(...)` with `m.absent(..., 0)`"),
        (_OF, "Replace `m.of(...)` with `m.get(|| ..., 0)`"),
        (_OF, "Replace `m.of(...)` with `m.get::<T>(...)`"),
        (_GLOW, "Replace `m.glow(a)` with `m.shine(a, 0)`"),
        (_LIGHT, "use `shine_all(lamp)`"),
        (_symbol("class", "Glow"), "Replace `Glow(...)` with `Shade(..., 1)`"),
    ],
)  # fmt: skip
def test_a_form_that_loses_an_argument_or_is_of_no_call_is_none(symbol: Symbol, text: str) -> None:
    assert stated_call(text, symbol, _NAMES) is None


def test_a_module_before_the_function_may_have_another_name_in_the_file() -> None:
    found = stated_call("use `wk.shine_all(power, lamp)`", _LIGHT, _NAMES)
    assert found is not None and (found.text, found.is_whole) == ("wk.shine_all($power, $lamp)", False)


def test_calls_are_written_as_the_old_release_says(tree: Tree) -> None:
    cargo = '[package]\nname = "wick"\n'
    note = "Replace `m.name_of(...)` with `m.get_one::<String>(...).map(|s| s.as_str())`"
    head, end = "pub struct Lamps;\nimpl Lamps {\n", "}\n"
    get = "    pub fn get_one<T>(&self, id: u8) -> Option<&T> { None }\n"
    old = f'    #[deprecated(since = "1.2", note = "{note}")]\n    pub fn name_of(&self, id: u8) -> Option<&str> {{ None }}\n'
    before = tree("old", {"Cargo.toml": cargo, "src/lib.rs": head + old + get + end})
    after = tree("new", {"Cargo.toml": cargo, "src/lib.rs": head + get + end})
    (rule,) = (
        rule
        for rule in guess_rules(changes_between(before, after), before, after, "t", ()).rules
        if rule.confidence >= 0.9
    )
    text = "fn go(lamps: &Lamps) { show(lamps.name_of(at(1, 2)), lamps.other(3)); }\n"
    assert apply_edits(text, find_edits(rule, TreePath("src/main.rs"), text)) == (
        "fn go(lamps: &Lamps) { show(lamps.get_one::<String>(at(1, 2)).map(|s| s.as_str()), lamps.other(3)); }\n"
    )


def test_types_of_a_shown_call_are_written_as_users_of_the_crate_do(tree: Tree) -> None:
    cargo = '[package]\nname = "wick"\n'
    lib = "pub mod build;\nmod values;\npub struct Lamp;\nimpl Lamp {\n"
    values = "pub struct Values;\nimpl Values { pub fn new(of: u8) -> Values { Values } }\n"
    parse = "    pub fn parser(self, with: Values) -> Self { self }\n"
    old = '    #[deprecated(note = "Replaced with `Lamp::parser(Values::new(...))`")]\n    pub fn values(self, of: u8) -> Self { self }\n'
    files = {"Cargo.toml": cargo, "src/build.rs": "pub use crate::values::Values;\n", "src/values.rs": values}
    before = tree("old", {**files, "src/lib.rs": f"{lib}{old}{parse}}}\n"})
    after = tree("new", {**files, "src/lib.rs": f"{lib}{parse}}}\n"})
    rules = guess_rules(changes_between(before, after), before, after, "t", ()).rules
    (rule,) = (rule for rule in rules if "values" in rule.symbols)
    text = "fn go(lamp: Lamp) { lamp.values(3); }\n"
    assert apply_edits(text, find_edits(rule, TreePath("src/main.rs"), text)) == (
        "fn go(lamp: Lamp) { lamp.parser(wick::build::Values::new(3)); }\n"
    )
    assert rule.confidence < 0.9


@pytest.mark.parametrize(("own", "call"), [("name: u8", "$it.get_one($name, 0)"), ("name: u8, more: u8", ""), ("", "")])
def test_what_a_new_release_says_of_its_own_parameters_is_for_those_at_their_places(
    tree: Tree, own: str, call: str
) -> None:
    cargo = '[package]\nname = "wick"\n'
    get = "    pub fn get_one(&self, id: u8, of: u8) -> u8 { id }\n"
    said = '    #[deprecated(note = "Replace `m.name_of(...)` with `m.get_one(..., 0)`")]\n    pub fn name_of(&self, id: u8) -> u8 { 2 }\n'
    old = f"    pub fn name_of(&self{', ' if own else ''}{own}) -> u8 {{ 1 }}\n"
    sides = (
        tree(side, {"Cargo.toml": cargo, "src/lib.rs": f"pub struct Lamps;\nimpl Lamps {{\n{get}{more}}}\n"})
        for side, more in (("old", old), ("new", said))
    )
    before, after = sides
    changes = changes_between(before, after)
    (change,) = (item for item in changes if item.kind == "deprecated")
    assert change.candidates[0].call == call
    guess_rules(changes, before, after, "t", ())
