"""Variables that code at a place can use."""

from __future__ import annotations

import pytest

from fernshale.core.fix.names_in_scope import is_own_variable, names_in_scope


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


@pytest.mark.parametrize(
    ("text", "is_own"),
    [
        ("void f() {\n  Gone fog = w.fog();\n  HERE == fog;\n}", True),
        ("void f() {\n  Gone *fog = new Gone();\n  if (a) { HERE(fog); }\n}", True),
        ("void f() {\n  const Gone& fog = x;\n  HERE = fog;\n}", True),
        ("void f() {\n  auto fog = gone();\n  HERE = fog;\n}", True),
        ("void f(Gone fog) {\n  HERE = fog;\n}", True),
        ("void f() {\n  /* HERE */ Gone *fog = new Gone();\n}", True),
        ("void f() {\n  { Gone fog = 3; }\n  HERE = fog;\n}", False),
        ("void g(Gone fog) {}\nvoid f() {\n  HERE = fog;\n}", False),
        ("void f() {\n  HERE = fog;\n  Gone fog;\n}", False),
        # A function of that name, and a member of another object.
        ("void f() {\n  Gone fog = w;\n  HERE = fog();\n}", False),
        ("void f() {\n  Gone fog = w;\n  HERE = x.fog;\n}", False),
        ("void f(Mods mods) {\n    if (mods & fog) HERE();\n}", False),
        ("int f(int n) {\n    HERE(); return n * fog;\n}", False),
    ],
)
def test_a_variable_of_the_file_is_told_from_a_name_that_is_missing(text: str, is_own: bool) -> None:
    line = text[: text.index("HERE")].count("\n") + 1
    assert is_own_variable(text, "a.cpp", line, "fog") is is_own
