"""Any two releases are compared, and rules derived from them, whatever their declarations look like."""

from __future__ import annotations

import logging
import re
import tempfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.base.log import LOGGER
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import find_edits
from fernshale.core.fix.rule_file import write_rules
from fernshale.core.inference import from_api_diff
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree

# Declarations of each language. `N` is a name, `C` that of a class, `T` a type, `P` parameters, `V` a value, `A` arguments.
_FORMS = {
    "a.hpp": [
        "class C : public C { public: T N(P); static T N(P); virtual T N(P) const = 0; T N; C(P); operator bool(); };",
        "namespace N { T N(P); inline T N(P) { return N(A); } extern T N; typedef T N; using N::N; }",
        "enum class C { N, N, N = V };", "#define N V", "#define N(a, b) N(b, a)", "T C::N(P) { N(A); N(A); }",
        "[[deprecated(\"use N instead\")]] T N(P);", "template <class U> class C { U N(const U& N, P); };", "EXPORT class API C {",
        "struct C { T N = V; T N[V]; T (*N)(P); }; // N is N now", "}", "friend T operator==(P);",
    ],
    "a.h": [
        "T N(P);", "extern EXPORT T * CALL N(P);", "struct N { T N; unsigned N : 3; };", "#ifndef N\n#define N(a) N(a, V)\n#endif",
        "typedef struct C *N;", "/* Deprecated: use N() */\nT N(P) __attribute__((deprecated));", "enum { N, N = V };", "extern struct C N;",
    ],
    "a.py": [
        "class C(C):\n    N = V\n    def N(self, P): return self.N(A)\n    @property\n    def N(self): return V\n    @staticmethod\n    def N(P): pass",
        "def N(P):\n    \"\"\"Deprecated: use N instead.\"\"\"\n    return N(A)", "N = N", "from .a import N as N", "class C: pass", "def N(",
        "import warnings\ndef N(*args, **kw):\n    warnings.warn('use C.N instead', DeprecationWarning)\n    return C.N(*args, **kw)",
    ],
    "a.ts": [
        "export class C extends C { N(P): T { return this.N(A); } static N: T; private N?: T; get N(): T { return V } [Symbol.iterator]() {} }",
        "export function N(P): T;", "export const N = V;", "export namespace N { export function N(P): T; }", "export { N as N };",
        "/** @deprecated use {@link C#N} */ export function N(P): T;", "export interface C { N(P): T; N: T }", "export type N = T;", "export {",
    ],
    "A.java": [
        "public class C extends C { public C(P) {} public T N(P) { return N(A); } static final int N = V; /** @deprecated use {@link #N} */ public T N(P); }",
        "public interface C { T N(P); }", "public enum C { N, N; }", "public class C {",
    ],
    "a.rs": [
        "pub struct C { pub N: T }", "impl C { pub fn N(&self, P) -> T { self.N(A) } pub fn new(P) -> Self {} }", "pub fn N(P) -> T { N(A) }",
        "pub trait C { fn N(&self, P) -> T; }", "#[deprecated(note = \"use N\")] pub fn N(P) {}", "pub use a::N;", "pub const N: T = V;", "impl",
    ],
}  # fmt: skip
_NAMES = st.sampled_from("sail sails hoist_sail HoistSail hour hours_of Tide tide_ TIDE_MAX get_tide _x".split())  # noqa: SIM905
_CLASSES = st.sampled_from(("Boat", "Boats", "OldBoat", "Pier"))
_TYPES = {
    "a.hpp": ("int", "const Boat&", "std::vector<Pier*>", "void"), "a.h": ("int", "Boat *", "const char *", "void"), "a.py": ("int",),
    "a.ts": ("number", "Boat | null", "Pier[]"), "A.java": ("int", "List<Boat>", "void"), "a.rs": ("i32", "&mut Boat", "Vec<Pier>"),
}  # fmt: skip
_PARAMETER = {
    "a.hpp": "T N = V", "a.h": "T N", "a.py": "N=V", "a.ts": "N: T = V", "A.java": "T N", "a.rs": "N: T",
}  # fmt: skip
_WORD = re.compile(r"\b[NCTPVA]\b")


@st.composite
def _releases(draw: st.DrawFn) -> tuple[str, str, str]:
    """The name of a file, and its texts in two releases; the new one has some of the old declarations."""
    file = draw(st.sampled_from(sorted(_FORMS)))

    def fill(form: str) -> str:
        def word(found: re.Match[str]) -> str:
            values = {
                "N": _NAMES,
                "C": _CLASSES,
                "T": st.sampled_from(_TYPES[file]),
                "V": st.sampled_from(("3", "7", "0")),
            }
            if found[0] in values:
                return draw(values[found[0]])
            count = draw(st.integers(0, 3))
            return ", ".join(fill(_PARAMETER[file]) if found[0] == "P" else draw(_NAMES) for _ in range(count))

        return _WORD.sub(word, form)

    forms = st.sampled_from(_FORMS[file])
    old = [fill(form) for form in draw(st.lists(forms, min_size=1, max_size=6))]
    kept = draw(st.lists(st.sampled_from(old), max_size=3))
    new = [*kept, *(fill(form) for form in draw(st.lists(forms, max_size=6)))]
    return file, "\n".join(old), "\n".join(new)


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(_releases())
def test_rules_are_derived_from_any_two_releases(releases: tuple[str, str, str]) -> None:
    file, old, new = releases
    heard: list[logging.LogRecord] = []
    handler = logging.Handler()
    handler.emit = heard.append  # type: ignore[method-assign]
    LOGGER.addHandler(handler)
    try:
        with tempfile.TemporaryDirectory() as folder:
            sides = [Path(folder, side) for side in ("old", "new")]
            for side, text in zip(sides, (old, new), strict=True):
                side.mkdir()
                (side / file).write_text(text + "\n")
            changes = compare(read_pair(*sides, "", Work()), CancelToken())
            rules = guess_rules(changes, *sides, "t", ())
    finally:
        LOGGER.removeHandler(handler)
    assert not heard
    assert write_rules(rules.rules, "t", "*", "*")
    for rule in rules.rules:
        for text in (old, new):
            assert all(edit.old == text[edit.start : edit.end] for edit in find_edits(rule, TreePath(file), text))


def test_a_rule_that_cannot_be_made_costs_only_itself(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    old, new = (
        tree(side, {"a.py": f"def {name}hour(day, *, tide=3): pass\ndef boats(pier, *, {name}load=1): pass\n"})
        for side, name in (("old", ""), ("new", "late_"))
    )
    changes = compare(read_pair(old, new, "", Work()), CancelToken())
    whole = guess_rules(changes, old, new, "t", ()).rules
    heard: list[str] = []
    monkeypatch.setattr(LOGGER, "exception", lambda words, *more: heard.append(words % more))

    def fail(*_: object) -> None:
        raise IndexError

    monkeypatch.setattr(from_api_diff, "_follow", fail)
    some = guess_rules(changes, old, new, "t", ()).rules
    assert heard and some and set(some) < set(whole)
