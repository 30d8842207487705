"""Rules for what derives from a release, in each language that has them: taken from two releases, applied to a game."""

from __future__ import annotations

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.drift.comparison import ApiChange, compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rules import Rule
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree

# File, what the old release has, what the new one has, the rule's kind, a game's code before and after.
_CASES = {
    "java, more parameters": (
        "w/Actor.java", "package w;\npublic abstract class Actor { public abstract String act(int hour); }\n",
        "package w;\npublic abstract class Actor { public abstract String act(int hour, Stage stage); }\n", "rewrite",
        "class Heron extends Actor {\n    @Override\n    public String act(int now) { return Clock.act(now); }\n}\n",
        "class Heron extends Actor {\n    @Override\n    public String act(int now, Stage stage) { return Clock.act(now); }\n}\n",
    ),
    "java, a parameter with another name": (
        "w/Actor.java", "package w;\npublic abstract class Actor { public abstract String act(int hour); }\n",
        "package w;\npublic abstract class Actor { public abstract String act(int time, Stage stage); }\n", "rewrite",
        "class Heron extends Actor {\n    public String act(int now) { return Clock.act(now); }\n}\n",
        "class Heron extends Actor {\n    public String act(int now, Stage stage) { return Clock.act(now); }\n}\n",
    ),
    "rust, one more before one with another name": (
        "src/actor.rs", "pub trait Actor { fn act(&self, hour: u32) -> String; }\n",
        "pub trait Actor { fn act(&self, stage: &Stage, time: u32) -> String; }\n", "rewrite",
        "impl Actor for Heron {\n    fn act(&self, now: u32) -> String { clock.act(now) }\n}\n",
        "impl Actor for Heron {\n    fn act(&self, stage: &Stage, now: u32) -> String { clock.act(now) }\n}\n",
    ),
    "typescript, two of a type and one that came": (
        "w/actor.ts", "export abstract class Actor { abstract act(hour: number, day: number): string; }\n",
        "export abstract class Actor { abstract act(who: string, at: number, on: number): string; }\n", "rewrite",
        "class Heron extends Actor { act(now: number, d: number): string { return now + d; } }\n",
        "class Heron extends Actor { act(who: string, now: number, d: number): string { return now + d; } }\n",
    ),
    "java, two overloads": (
        "w/Actor.java", "package w;\npublic abstract class Actor { public abstract void act(int n); public abstract void act(String s); }\n",
        "package w;\npublic abstract class Actor { public abstract void act(int n, Stage stage); public abstract void act(String s, long hour); }\n",
        "rewrite", "class Heron extends Actor {\n  public void act(int now) { }\n  public void act(String name) { }\n}\n",
        "class Heron extends Actor {\n  public void act(int now, Stage stage) { }\n  public void act(String name, long hour) { }\n}\n",
    ),
    "java, none before": (
        "w/Actor.java", "package w;\npublic interface Actor { String act(); }\n",
        "package w;\npublic interface Actor { String act(int hour); }\n", "rewrite",
        "class Heron implements Actor {\n    public String act() { return other.act(); }\n}\n",
        "class Heron implements Actor {\n    public String act(int hour) { return other.act(); }\n}\n",
    ),
    "java, a stub": (
        "w/Ticker.java", "package w;\npublic interface Ticker { void tick(int hour); }\n",
        "package w;\npublic interface Ticker { void tick(int hour); int weigh(String of); }\n", "add-member",
        "class Ledger implements Ticker {\n  private int n;\n  public void tick(int hour) {\n  }\n}\n",
        "class Ledger implements Ticker {\n  private int n;\n  public void tick(int hour) {\n  }\n\n  @Override\n"
        "  public int weigh(String of) {\n      return 0;\n  }\n}\n",
    ),
    "java, a maker": (
        "w/Lamp.java", "package w;\npublic class Lamp { public Lamp(int oil) { } }\n",
        "package w;\npublic class Lamp { public static Lamp of(int oil) { return new Lamp(oil); } private Lamp(int oil) { } }\n",
        "rewrite", "Lamp lamp = new Lamp(f(4));", "Lamp lamp = Lamp.of(f(4));",
    ),
    "java, another result": (
        "w/Actor.java", "package w;\npublic abstract class Actor { public abstract int weigh(int hour); }\n",
        "package w;\npublic abstract class Actor { public abstract long weigh(int hour); }\n", "rewrite",
        "class Heron extends Actor {\n  public int weigh(int now) { return far.weigh(now); }\n}\nclass Hut { int weigh(int a) { return a; } }\n",
        "class Heron extends Actor {\n  public long weigh(int now) { return far.weigh(now); }\n}\nclass Hut { int weigh(int a) { return a; } }\n",
    ),
    "c++, another result": (
        "w/actor.hpp", "namespace w { class Actor { public: virtual int weigh(int of) const = 0; }; }\n",
        "namespace w { class Actor { public: virtual long weigh(int of) const = 0; }; }\n", "rewrite",
        "class Heron : public w::Actor {\n    int weigh(int now) const override { return now; }\n};\nint weigh(int a);\n",
        "class Heron : public w::Actor {\n    long weigh(int now) const override { return now; }\n};\nint weigh(int a);\n",
    ),
    "rust, another result": (
        "src/actor.rs", "pub trait Actor { fn weigh(&self, of: u32) -> u32; }\n",
        "pub trait Actor { fn weigh(&self, of: u32) -> u64; }\n", "rewrite",
        "impl Actor for Heron { fn weigh(&self, at: u32) -> u32 { at } }\nfn weigh(at: u32) -> u32 { at }\n",
        "impl Actor for Heron { fn weigh(&self, at: u32) -> u64 { at } }\nfn weigh(at: u32) -> u32 { at }\n",
    ),
    "typescript, another result": (
        "w/actor.ts", "export abstract class Actor { abstract act(hour: number): string; }\n",
        "export abstract class Actor { abstract act(hour: number): Deed; }\n", "rewrite",
        "class Heron extends Actor { act(now: number): string { return far.act(now); } }\n",
        "class Heron extends Actor { act(now: number): Deed { return far.act(now); } }\n",
    ),
    "python, another result": (
        "w/actor.py", "class Actor:\n    def weigh(self, of: int) -> int:\n        return of\n",
        "class Actor:\n    def weigh(self, of: int) -> float:\n        return of\n", "rewrite",
        "class Heron(Actor):\n    def weigh(self, of: int) -> int:\n        return 3\n\ndef weigh(of: int) -> int: ...\n",
        "class Heron(Actor):\n    def weigh(self, of: int) -> float:\n        return 3\n\ndef weigh(of: int) -> int: ...\n",
    ),
    "c#, a changed type": (
        "w/Actor.cs", "namespace W { public abstract class Actor { public abstract void Act(int hour, string who); } }\n",
        "namespace W { public abstract class Actor { public abstract void Act(long hour, string who); } }\n", "rewrite",
        "class Heron : Actor { public override void Act(int now, string name) { } }\n",
        "class Heron : Actor { public override void Act(long now, string name) { } }\n",
    ),
    "c#, a stub of an interface": (
        "w/ITide.cs", "namespace W { public interface ITide { void Flow(int day); } }\n",
        "namespace W { public interface ITide { void Flow(int day); bool Ebb(int day); } }\n", "add-member",
        "class Tide : ITide\n{\n    public void Flow(int day) { }\n}\n",
        "class Tide : ITide\n{\n    public void Flow(int day) { }\n\n    public bool Ebb(int day) { return default; }\n}\n",
    ),
    "c#, a stub of a class": (
        "w/Tide.cs", "namespace W { public abstract class Tide { protected abstract void Flow(int day); } }\n",
        "namespace W { public abstract class Tide { protected abstract void Flow(int day); protected abstract void Ebb(); } }\n",
        "add-member", "class Spring : Tide { }\n", "class Spring : Tide {\n    protected override void Ebb() { }\n }\n",
    ),
    "typescript, a changed type": (
        "w/actor.ts", "export abstract class Actor { abstract act(hour: number, who: string): string; }\n",
        "export abstract class Actor { abstract act(hour: Hour, who: string): string; }\n", "rewrite",
        "class Heron extends Actor { act(now: number, name: string): string { return name; } }\n",
        "class Heron extends Actor { act(now: Hour, name: string): string { return name; } }\n",
    ),
    "typescript, a stub": (
        "w/ticker.ts", "export interface Ticker { tick(hour: number): void; }\n",
        "export interface Ticker { tick(hour: number): void; label(of: string): string; }\n", "add-member",
        "class Ledger implements Ticker {\n  tick(hour: number): void {}\n}\n",
        "class Ledger implements Ticker {\n  tick(hour: number): void {}\n\n  label(of: string): string {\n"
        '      throw new Error("label is not written yet");\n  }\n}\n',
    ),
    "rust, more parameters": (
        "src/actor.rs", "pub trait Actor { fn act(&self, hour: u32) -> String; }\n",
        "pub trait Actor { fn act(&self, hour: u32, stage: &Stage) -> String; }\n", "rewrite",
        "impl Actor for Heron {\n    fn act(&self, now: u32) -> String { clock.act(now) }\n}\n",
        "impl Actor for Heron {\n    fn act(&self, now: u32, stage: &Stage) -> String { clock.act(now) }\n}\n",
    ),
    "rust, a stub": (
        "src/ticker.rs", "pub trait Ticker { fn tick(&mut self, hour: u32); }\n",
        "pub trait Ticker { fn tick(&mut self, hour: u32); fn label(&self) -> String; }\n", "add-member",
        "impl<T> w::Ticker for Ledger<T> {\n    fn tick(&mut self, hour: u32) {}\n}\n",
        "impl<T> w::Ticker for Ledger<T> {\n    fn tick(&mut self, hour: u32) {}\n\n    fn label(&self) -> String {\n        todo!()\n    }\n}\n",
    ),
    "python, a stub": (
        "w.py", "from abc import ABC, abstractmethod\nclass Ticker(ABC):\n    @abstractmethod\n    def tick(self, hour): ...\n",
        "from abc import ABC, abstractmethod\nclass Ticker(ABC):\n    @abstractmethod\n    def tick(self, hour): ...\n"
        "    @abstractmethod\n    def label(self, of: str = 'x') -> str: ...\n", "add-member",
        "class Ledger(Ticker):\n    def tick(self, hour):\n        pass\n",
        "class Ledger(Ticker):\n    def tick(self, hour):\n        pass\n\n    def label(self, of: str = 'x') -> str:\n"
        '        raise NotImplementedError("label is not written yet")\n',
    ),
    "c++, a hook with a line before its name": (
        "w/actor.hpp", "class Actor { public: virtual void _tick(float step); };\n",
        "class Actor { public: virtual void _tick(double step, int frame); };\n", "rewrite",
        "class Heron : public Actor { void _tick(float dt) override; };\n",
        "class Heron : public Actor { void _tick(double dt, int frame) override; };\n",
    ),
    "c++, more parameters": (
        "w/actor.hpp", "namespace w { class Actor { public: virtual int act(int hour) const; }; }\n",
        "namespace w { class Stage; class Actor { public: virtual int act(int hour, Stage& stage) const; }; }\n", "rewrite",
        "class Heron : public w::Actor { int act(int now) const; };\nstruct Other { int act(int now); };\n",
        "class Heron : public w::Actor { int act(int now, Stage& stage) const; };\nstruct Other { int act(int now); };\n",
    ),
}  # fmt: skip


def _changes(tree: Tree, file: str, old: str, new: str) -> tuple[ApiChange, ...]:
    token = CancelToken()
    return compare(read_pair(tree("old", {file: old}), tree("new", {file: new}), "", Work(token=token)), token)


def _rules(tree: Tree, file: str, old: str, new: str) -> list[Rule]:
    changes = _changes(tree, file, old, new)
    # Beside the rule that is meant the calls may have one of their own.
    root = tree("none", {})
    return [rule for rule in guess_rules(changes, root, root, "t", ()).rules if not rule.named]


@pytest.mark.parametrize("name", _CASES)
def test_what_derives_follows_its_base(name: str, tree: Tree) -> None:
    file, old, new, kind, before, after = _CASES[name]
    rules = [rule for rule in _rules(tree, file, old, new) if rule.kind == kind]
    assert len(rules) == (2 if "overloads" in name else 1)
    path = TreePath("game/own." + file.rpartition(".")[2])
    changed = before
    for rule in rules:
        changed = apply_edits(changed, find_edits(rule, path, changed))
        assert not find_edits(rule, path, after), "a rule may be applied again"
        # Where nobody has to say that a method overrides another, no compiler tells.
        is_unsaid = rule.kind == "rewrite" and bool(rule.member) and file.endswith((".java", ".hpp"))
        assert rule.silent == (is_unsaid and "result" not in name)
    assert changed == after


def test_a_definition_outside_of_its_class_is_followed_where_a_compiler_names_it(tree: Tree) -> None:
    old = "class Actor { public: virtual int act(int hour, float x); };\n"
    changes = _changes(tree, "a.hpp", old, old.replace("float x", "float x, long y"))
    root = tree("none", {})
    (rule,) = (
        rule for rule in guess_rules(changes, root, root, "t", ()).rules if rule.named and rule.kind == "rewrite"
    )
    text = "int Heron::act(int h, float f) { return actor.act(h, f); }\n"
    assert apply_edits(text, find_edits(rule, TreePath("h.cpp"), text)) == text.replace("float f)", "float f, long y)")


@pytest.mark.parametrize(
    ("file", "old"),
    [
        (
            "w.py",
            "class Actor:\n    def on_start(self):\n        pass\n    def act(self):\n        return run(self, 4)\n",
        ),
        ("W.java", "public class Actor { public void on_start() { } public void act() { run(4); } }\n"),
        ("w.ts", "export class Actor { on_start(): void {} act(): void { run(4); } }\n"),
    ],
)
def test_what_is_there_to_be_overridden_overrides_nothing_under_its_old_name(file: str, old: str, tree: Tree) -> None:
    changes = _changes(tree, file, old, old.replace("on_start", "on_begin"))
    told = [change for change in changes if change.kind == "no-longer-overrides"]
    assert [(change.symbol.name, change.new and change.new.name) for change in told] == [("on_start", "on_begin")]
    # What does something by itself may be overridden by nobody.
    assert not [c for c in _changes(tree, file, old, old.replace("act", "play")) if c.kind == "no-longer-overrides"]


def test_a_field_is_set_by_what_came_with_its_getter(tree: Tree) -> None:
    field, getter = "public class Prop { public double weight; }\n", "public double weight() { return w; }"
    for come, setter in (
        (" public void setWeight(double w) { }", "setWeight"),
        (" public void weigh(double w) { }", ""),
    ):
        (rule,) = _rules_of_getter(tree, field, f"public class Prop {{ private double w; {getter}{come} }}\n")
        assert rule.setter == setter


def _rules_of_getter(tree: Tree, old: str, new: str) -> list[Rule]:
    root = tree("none", {})
    return [
        rule
        for rule in guess_rules(_changes(tree, "Prop.java", old, new), root, root, "t", ()).rules
        if rule.kind == "getter"
    ]
