"""Each form of a declaration is read, alone and among others."""

from __future__ import annotations

from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.symbols import Symbol

# For each file name: texts, each with its symbols as `kind path`, with parameters and a result where there are any.
_FORMS: dict[str, list[tuple[str, set[str]]]] = {
    "a.js": [
        ("A.prototype.draw = function (x, y = 2) { return x; };", {"method A.draw(x, y=2)"}),
        ("A.prototype.n = 3; A.prototype.constructor = A;", {"field A.n"}),
        ("exports.fold = (a) => a;", {"function fold(a)"}),
        ("module.exports = { mend(x) {}, size: 3, 'turn': function (d) {} };", {"method mend(x)", "field size", "method turn(d)"}),
        ("Object.freeze(1);", set()),
        ("const Boat = { sail(w) {}, mast: 2 };", {"constant Boat", "method Boat.sail(w)", "field Boat.mast"}),
        ("(function () { function inner(a) {} })();", {"function inner(a)"}),
        ("B.prototype = { row(n) {}, oars: 4 };", {"method B.row(n)", "field B.oars"}),
        ("module.exports.low = exports.high = function (z) {};", {"function low(z)", "function high(z)"}),
        (
            "class Lamp { get glow() { return 1; } static make(a, ...rest) {} #hid() {} count = 1; }",
            {"class Lamp", "field Lamp.glow", "method Lamp.make(a, ...rest)", "method Lamp.#hid()", "field Lamp.count"},
        ),
        ("const gone = require('x').gone;", set()),
        ("var Pier = class { moor(b) {} };", {"class Pier", "method Pier.moor(b)"}),
        ("lib.util.width = 3;", {"constant lib.util.width"}),
        ("var Hull_1 = require('./Hull');\nHull_1.Hull.of = make_1.make;", {"constant Hull.of"}),
        ("var Hull_1 = require('./Hull');\nHull_1.Hull.prototype.row = row_1.row;", {"field Hull.row"}),
        ("const Hull = require('./Hull');\nHull.of = make;", {"constant Hull.of"}),
        ("let plain = compute(1);", {"constant plain"}),
    ],
    "a.ts": [
        ('declare module "wick" { export function moor(b: Boat): void; }', {"function moor(b: Boat): void"}),
        (
            "declare module '../Hull' { interface Hull<T> { row: typeof row; } namespace Hull { let of: typeof make; } }",
            {"interface Hull", "field Hull.row: typeof row", "constant Hull.of: typeof make"},
        ),
        ("export namespace m { export const k: number = 1; }", {"constant m.k: number"}),
        ("export type Tide = 'a' | 'b';", {"type Tide: 'a' | 'b'"}),
        (
            "export abstract class Actor extends Base<X> { abstract draw(c: Canvas): void; protected age?: number; }",
            {"class Actor", "method Actor.draw(c: Canvas): void", "field Actor.age: number"},
        ),
        (
            "export interface Named { name: string; call(a?: number): void; }",
            {"interface Named", "field Named.name: string", "method Named.call(a: number=?): void"},
        ),
        ("export enum Kind { Wood, Stone = 3 }", {"enum Kind", "enumerator Kind.Wood", "enumerator Kind.Stone"}),
        ("namespace q.r { export class C {} }", {"class q.r.C"}),
        ("export default function (a: number) {}", set()),
        ("export const f = async (a: number): Promise<void> => {};", {"function f(a: number): Promise<void>"}),
        (
            "class P { constructor(private a: number) {} get x(): number { return 1; } }",
            {"class P", "constructor P.constructor(a: number)", "field P.x: number"},
        ),
    ],
    "m/a.lua": [
        ("function M.open(a, b) end", {"function m.a.M.open(a, b)"}),
        ("function M:close(c) end", {"method m.a.M.close(c)"}),
        ("local function hid() end", {"function m.a.hid()"}),
        ("M.width = 3", {"constant m.a.M.width"}),
        (
            "M.names = { one = function(x) end, two = 2 }",
            {"constant m.a.M.names", "function m.a.M.names.one(x)", "field m.a.M.names.two"},
        ),
        ("local limit, depth = 4, 5", {"constant m.a.limit", "constant m.a.depth"}),
    ],
    "src/m/a.rs": [
        (
            "pub trait Actor: Named { fn draw(&self, c: Canvas) -> u8; type Out; const N: u8 = 1; }",
            {"interface m.a.Actor", "method m.a.Actor.draw(self: &self, c: Canvas): u8", "type m.a.Actor.Out", "constant m.a.Actor.N: u8"},
        ),
        ("pub struct Lamp { pub glow: u8 }", {"class m.a.Lamp", "field m.a.Lamp.glow: u8"}),
        ("pub enum Kind { Wood, Stone(u8) }", {"enum m.a.Kind", "enumerator m.a.Kind.Wood", "enumerator m.a.Kind.Stone: (u8)"}),
        ("impl Lamp { pub fn make(n: u8) -> Self { Lamp {} } }", {"method m.a.Lamp.make(n: u8): Self"}),
        ("impl Actor for Lamp { fn draw(&self, c: Canvas) -> u8 { 1 } }", set()),
        ("pub mod inner { pub const K: u8 = 3; }", {"constant m.a.inner.K: u8"}),
        ("#[cfg(test)] mod tests { fn t() {} }", set()),
        ("pub static S: u8 = 1;", {"constant m.a.S: u8"}),
        ("pub type T = u8;", {"type m.a.T: u8"}),
        ("#[macro_export] macro_rules! shine { () => {} }", {"macro shine"}),
        ('unsafe extern "C" { pub fn outer(a: u8) -> u8; static N: u8; }', {"function m.a.outer(a: u8): u8", "constant m.a.N: u8"}),
    ],
    "m/A.java": [
        (
            "public enum Kind { WOOD, STONE { int cost() { return 2; } }; int cost() { return 1; } }",
            {"enum Kind", "enumerator Kind.WOOD", "enumerator Kind.STONE", "method Kind.cost(): int"},
        ),
        (
            "public interface Actor extends Named { void draw(Canvas c); int LIMIT = 3; default void rest(int... many) {} }",
            {"interface Actor", "method Actor.draw(c: Canvas): void", "constant Actor.LIMIT: int", "method Actor.rest(many: int...): void"},
        ),
        (
            "public class Lamp extends Base { protected static final int N = 1, K = 2; Lamp(int a) {} }",
            {"class Lamp", "constant Lamp.N: int", "constant Lamp.K: int", "constructor Lamp.Lamp(a: int)"},
        ),
        ("public @interface Mark { int order(); }", {"interface Mark", "method Mark.order(): int"}),
        ("public record Spot(int x, int y) { int sum() { return x; } }", {"class Spot(x: int, y: int)", "method Spot.sum(): int"}),
        ("class Hid { class In { void deep() {} } }", {"class Hid"}),
    ],
    "a.cs": [
        (
            "namespace m.n { public class Lamp : Base { public int Glow { get; set; } public event Done Ended; public const int K = 3;"
            " public Lamp(int a) {} public void Draw(Canvas c, int n = 2) {} } }",
            {"class m.n.Lamp", "field m.n.Lamp.Glow: int", "field m.n.Lamp.Ended: Done", "constant m.n.Lamp.K: int",
             "constructor m.n.Lamp.Lamp(a: int)", "method m.n.Lamp.Draw(c: Canvas, n: int=2): void"},
        ),
        ("public interface IActor { void Draw(); int Age { get; } }", {"interface IActor", "method IActor.Draw(): void", "field IActor.Age: int"}),
        ("public enum Kind { Wood, Stone = 3 }", {"enum Kind", "enumerator Kind.Wood", "enumerator Kind.Stone"}),
        ("public delegate void Done(int a);", {"type Done(a: int): void"}),
        ("#if DEBUG\npublic class Shown { public void On() {} }\n#endif", {"class Shown", "method Shown.On(): void"}),
    ],
}  # fmt: skip


def _shown(symbol: Symbol) -> str:
    given = ", ".join(
        item.name + (f": {item.type}" if item.type else "") + (f"={item.default}" if item.default else "")
        for item in symbol.parameters
    )
    has_list = bool(symbol.parameters) or symbol.kind in ("function", "method", "constructor")
    words = f"{symbol.kind} {'.'.join(symbol.path)}" + (f"({given})" if has_list else "")
    return words + (f": {symbol.returns}" if symbol.returns else "")


@pytest.mark.parametrize(
    ("path", "text", "wanted"),
    [
        pytest.param(path, *form, id=f"{path} {number}")
        for path, forms in _FORMS.items()
        for number, form in enumerate(forms)
    ],
)
def test_each_form_is_read(path: str, text: str, wanted: set[str]) -> None:
    assert {_shown(symbol) for symbol in read_source(text.encode(), path)} == wanted


@settings(max_examples=60, deadline=None)
@given(st.data(), st.sampled_from(sorted(_FORMS)))
def test_a_declaration_is_read_the_same_among_others(data: st.DataObject, path: str) -> None:
    chosen = data.draw(st.lists(st.sampled_from([text for text, _ in _FORMS[path]]), unique=True))
    together = Counter((_shown(item), item.line) for item in read_source("\n".join(chosen).encode(), path))
    alone: Counter[tuple[str, int]] = Counter()
    line = 0
    for text in chosen:
        alone.update((_shown(item), item.line + line) for item in read_source(text.encode(), path))
        line += text.count("\n") + 1
    assert together == alone


def test_the_table_that_a_lua_file_returns_is_its_module() -> None:
    found = read_source(
        b"local function open(a) end\nreturn { open = open, start = function(b) end, count = 1 }", "m.lua"
    )
    assert {_shown(item) for item in found if not item.is_hidden} == {
        "field m.open", "function m.start(b)", "field m.count"
    }  # fmt: skip
