"""Names that users of Rust crates write, and where they go."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.names.rust_crates import shown_names
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree

_CARGO = '[package]\nname = "wick-lamps"\n'
_CRATE = {
    "Cargo.toml": _CARGO,
    "src/lib.rs": """\
pub mod lamps;
mod inner;
mod hidden { pub struct Never; }
pub mod here { pub use super::inner::deep::Fog as Mist; pub fn at() {} }
pub use crate::lamps::{Glow, shade::{self, Shade as Dark}};
pub use inner::deep::*;
pub use other_crate::Elsewhere;
pub(crate) use lamps::Warmth;
pub use self::lamps as lights;
""",
    "src/lamps/mod.rs": "pub mod shade;\nmod glow;\npub use self::glow::Glow;\npub struct Warmth;\nstruct Own;\n",
    "src/lamps/glow.rs": "pub struct Glow { pub of: u8 }\nimpl Glow { pub fn go(&self) {} }\n",
    "src/lamps/shade.rs": "pub enum Shade { Deep }\npub fn draw() {}\n",
    "src/inner/mod.rs": "pub mod deep;\n",
    "src/inner/deep.rs": "pub const FOG: u8 = 1;\npub struct Fog;\n#[macro_export]\nmacro_rules! fogs { () => {} }\n",
}


def _shown(folder: Path) -> dict[str, str]:
    return {"::".join(shown): "::".join(there.path) for shown, there in shown_names(folder).items()}


def test_names_are_followed_through_modules_lists_and_other_names(tree: Tree) -> None:
    assert _shown(tree("crate", _CRATE)) == {
        "wick_lamps::Glow": "lamps::glow::Glow",
        "wick_lamps::Dark": "lamps::shade::Shade",
        "wick_lamps::shade::Shade": "lamps::shade::Shade",
        "wick_lamps::shade::draw": "lamps::shade::draw",
        "wick_lamps::FOG": "inner::deep::FOG",
        "wick_lamps::Fog": "inner::deep::Fog",
        "wick_lamps::fogs": "fogs",
        "wick_lamps::here::Mist": "inner::deep::Fog",
        "wick_lamps::here::at": "here::at",
        **{
            f"wick_lamps::{module}::{name}": path
            for module in ("lamps", "lights")
            for name, path in (
                ("Glow", "lamps::glow::Glow"), ("Warmth", "lamps::Warmth"), ("shade::Shade", "lamps::shade::Shade"),
                ("shade::draw", "lamps::shade::draw"),
            )
        },
    }  # fmt: skip


def test_crates_of_a_workspace_are_kept_apart_and_loops_end(tree: Tree) -> None:
    folder = tree("engine", {
        "a/Cargo.toml": '[package]\nname = "a"\n', "a/src/lib.rs": "pub mod x;\npub use x::*;\n",
        "a/src/x.rs": "pub use super::*;\npub use crate::x as again;\npub use self::y as z;\npub use self::z as y;\npub struct A;\n",
        "b/Cargo.toml": '[package]\nname = "b"\n[lib]\nname = "bee"\n', "b/src/lib.rs": "pub use missing::Gone;\npub struct B;\n",
        "c/Cargo.toml": "no toml [", "c/src/lib.rs": "pub struct C;\n",
    })  # fmt: skip
    shown = _shown(folder)
    assert shown["a::A"] == shown["a::x::A"] == "x::A"
    assert {name for name in shown if not name.startswith("a::")} == {"bee::B"}


def _fixed(tree: Tree, old: Mapping[str, str], new: Mapping[str, str], text: str) -> str:
    before, after = tree("old", {"Cargo.toml": _CARGO, **old}), tree("new", {"Cargo.toml": _CARGO, **new})
    changes = compare(read_pair(before, after, "", Work()), CancelToken())
    for rule in guess_rules(changes, before, after, "t", ()).rules:
        if rule.confidence >= 0.9 and not rule.silent:
            text = apply_edits(text, find_edits(rule, TreePath("src/main.rs"), text))
    return text


def test_a_name_that_is_shown_elsewhere_is_imported_from_there(tree: Tree) -> None:
    old = {
        "src/lib.rs": "pub mod build;\npub use build::{Glow, Lamp};\n",
        "src/build.rs": "pub struct Glow;\npub struct Lamp;\n",
    }
    new = {
        "src/lib.rs": "pub mod build;\npub use build::Lamp;\n",
        "src/build.rs": "pub struct Glow;\npub struct Lamp;\n",
    }
    text = "use wick_lamps::{Glow, Lamp};\nfn go(a: Glow, b: wick_lamps::Glow, c: other::Glow, d: build::Glow) {}\n"
    assert _fixed(tree, old, new, text) == (
        "use wick_lamps::{build::Glow, Lamp};\nfn go(a: Glow, b: wick_lamps::build::Glow, c: other::Glow, d: build::Glow) {}\n"
    )


def test_a_name_for_a_name_that_stayed_is_replaced_by_it(tree: Tree) -> None:
    old = {
        "src/lib.rs": "mod build;\npub use build::Lamp;\npub use Lamp as Light;\n",
        "src/build.rs": "pub struct Lamp;\n",
    }
    new = {"src/lib.rs": "mod build;\npub use build::Lamp;\n", "src/build.rs": "pub struct Lamp;\n"}
    text = "use wick_lamps::Light;\nfn go(a: Light) {}\n"
    assert _fixed(tree, old, new, text) == "use wick_lamps::Lamp;\nfn go(a: Lamp) {}\n"
