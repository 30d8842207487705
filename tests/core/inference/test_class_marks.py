"""Marks that classes of a kind need now, as the examples of the releases show."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.class_marks import marked_classes
from fernshale.core.inference.class_marks import mark_rules
from tests.conftest import Tree

# A class of an example before and after, a game's file before and after.
_CASES = {
    "a.cpp": (
        "class {0} : public Actor {{\n    void tick() override;\n}};\n",
        "class {0} : public Actor {{\n    WICK_ACTOR({0})\n    void tick() override;\n}};\n",
        "class Crab final : public w::Actor {\npublic:\n    void tick() override;\n};\n",
        "class Crab final : public w::Actor {\n    WICK_ACTOR(Crab)\npublic:\n    void tick() override;\n};\n",
    ),
    "a.py": (
        "class {0}(Actor):\n    pass\n",
        "@wick.registered('{0}')\nclass {0}(Actor):\n    pass\n",
        "@mine\nclass Crab(wick.Actor):\n    pass\n",
        "@mine\n@wick.registered('Crab')\nclass Crab(wick.Actor):\n    pass\n",
    ),
    "A.java": (
        "class {0} extends Actor {{ }}\n",
        "@Named\npublic class {0} extends Actor {{ }}\n",
        "@Deprecated public final class Crab extends Actor {\n}\n",
        "@Named\n@Deprecated public final class Crab extends Actor {\n}\n",
    ),
    "A.cs": (
        "class {0} : Actor {{ }}\n",
        "[Named(typeof({0}))]\nclass {0} : Actor {{ }}\n",
        "    internal sealed class Crab : Actor\n    {\n    }\n",
        "    [Named(typeof(Crab))]\n    internal sealed class Crab : Actor\n    {\n    }\n",
    ),
    "a.ts": (
        "export class {0} extends Actor {{ }}\n",
        "@named\nexport class {0} extends Actor {{ }}\n",
        "export class Crab extends Actor { }\n",
        "@named\nexport class Crab extends Actor { }\n",
    ),
    "a.rs": (
        "struct {0};\nimpl Actor for {0} {{ }}\n",
        "#[derive(Clone)]\nstruct {0};\nimpl Actor for {0} {{ }}\n",
        "#[derive(Debug)]\npub(crate) struct Crab;\nimpl Actor for Crab { }\n",
        "#[derive(Debug)]\n#[derive(Clone)]\npub(crate) struct Crab;\nimpl Actor for Crab { }\n",
    ),
}  # fmt: skip


def _examples(tree: Tree, name: str, path: str, text: str, classes: tuple[str, ...]) -> object:
    return tree(name, {f"examples/{item}/{path}": text.format(item) for item in classes})


@pytest.mark.parametrize("path", _CASES)
def test_what_all_examples_have_now_is_put_at_the_others(path: str, tree: Tree) -> None:
    old, new, before, after = _CASES[path]
    folders = (
        tree("old", {f"examples/{item}/{path}": old.format(item) for item in ("Boat", "Net")}),
        tree("new", {f"examples/{item}/{path}": new.format(item) for item in ("Boat", "Net", "Quay")}),
    )
    (rule,) = mark_rules(*folders)
    assert rule.silent and "all 3 of the new release's examples" in rule.why
    made = apply_edits(before, find_edits(rule, TreePath(path), before))
    if path not in ("a.py", "A.java", "a.rs"):
        assert made == after
    # Whatever comes before or after another mark, the class has both.
    assert sorted(made.split("\n")) == sorted(after.split("\n"))
    assert find_edits(rule, TreePath(path), made) == ()
    other = before.replace("Actor", "Prop")
    assert find_edits(rule, TreePath(path), other) == ()


def test_a_mark_that_some_lack_or_had_before_is_no_rule(tree: Tree) -> None:
    plain, marked = "class {0}(Actor):\n    pass\n", "@registered\nclass {0}(Actor):\n    pass\n"
    bare = tree("bare", {f"examples/{item}.py": plain.format(item) for item in ("A", "B")})
    some = tree("some", {"examples/a.py": marked.format("A"), "examples/b.py": plain.format("B")})
    every = tree("every", {f"examples/{item}.py": marked.format(item) for item in ("A", "B")})
    alone = tree("alone", {"examples/a.py": marked.format("A")})
    none = tree("none", {"a.py": "x = 1\n"})
    assert [*mark_rules(bare, every)]
    for pair in ((bare, some), (some, every), (bare, alone), (none, every), (every, bare)):
        assert not [*mark_rules(*pair)]


@pytest.mark.parametrize(
    "text",
    ["class A(B:\n", "class A : public B {", "impl X for Y {", "@\nclass A extends B {}", "] class A extends B { }"],
)
@pytest.mark.parametrize("path", _CASES)
def test_broken_code_has_no_marks_and_ends(text: str, path: str) -> None:
    assert all(not item.marks for item in marked_classes(text, path))
