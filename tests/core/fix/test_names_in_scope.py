"""Variables that code at a place can use."""

from __future__ import annotations

import pytest

from fernshale.core.fix.names_in_scope import names_in_scope


@pytest.mark.parametrize(
    ("path", "text", "names"),
    [
        ("a.cpp", "void f(Fog& fog, int n) { Fog near; { Fog inner; } HERE(); Fog later; }", ("near", "fog")),
        ("a.cpp", "void g(Fog& other) {} void f() { if (x) { Fog a; } HERE(); }", ()),
        ("a.cpp", "class A { void f() { HERE(); } Fog fog_; };  class B { Fog no; };", ("fog_",)),
        ("a.cpp", "Lamp HERE();", ()),
        ("A.java", "class A { private Fog fog; int f(Fog now) throws E { return HERE(); } }", ("now", "fog")),
        ("A.cs", "class A { Fog fog; int F(Lamp l) { foreach (Fog f in all) { HERE(); } } }", ("f", "fog")),
        ("a.ts", "class A { fog: Fog; f(near: Fog): void { const made = new Fog(1); HERE(); } }", ("made", "near", "this.fog")),
        ("a.rs", "fn f(fog: &mut Fog) { let made = Fog::new(); HERE(); }", ("made", "fog")),
        ("a.py", "def f(fog: w.Fog, n):\n    made = Fog(1)\n    HERE()\n    later = Fog()\n\ndef g(no: Fog): pass\n", ("made", "fog")),
        ("a.py", "def f(:\n  HERE()", ()),
    ],
)  # fmt: skip
def test_names_of_a_type_are_found_where_they_can_be_used(path: str, text: str, names: tuple[str, ...]) -> None:
    assert names_in_scope(text, path, text.index("HERE"), "Fog") == names
