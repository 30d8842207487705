"""A member of a project's own class gets another name: at its declaration and its uses, and nowhere else."""

from __future__ import annotations

import re

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import find_edits
from fernshale.core.fix.rules import RenameMemberRule

# The names between angle marks are the member's.
_CASES = {
    "a.py": """\
from rush import Stage
hour = 3
class Pier(Stage):
    def __init__(self, hour):
        self.<hour> = hour
        other.hour = 1
    @property
    def <hour>(self): return 1
    @<hour>.setter
    def <hour>(me, to):
        me.<hour> = self.hour
        def later(): return me.<hour> + me.day.hour
        class Inner:
            def up(self): self.hour = 2
class Quay(Pier):
    def go(self): return "self.hour", self.<hour>, super().hour  # self.hour
class Shed:
    def go(self): return self.hour
pier = Pier(2)
pier.<hour> = 4
shed.hour = pier.x.hour
""",
    "b.py": "class Quay(game.Pier):\n    <hour>: int = 3\n    async def go(self): return self.<hour>\n",
    "a.cpp": """\
int hour(int);
class Pier : public Stage {
public:
    Pier(int hour) : Stage(1), <hour>(hour) {}
    Pier() { <hour> = 3; this-><hour>++; other.hour = 4; rush::hour(2); }
    int go(Shed& shed) { int hour = 2; shed.hour = 3; return hour + this-><hour>; }
    int get(int hour) const;
    struct Inner { int hour; void up() { hour = 2; } };
    void late() { if (<hour> > 3) { <hour>--; } }
private:
    int <hour>{4};
};
int Pier::get(int hour) const { return this-><hour> + hour; }
void Pier::end() { <hour> = 0; }
Pier::~Pier() { <hour> = 1; }
struct Quay : Pier { int up() { return <hour>; } };
struct Shed { int hour; int up() { return hour; } };
void test(const Pier& pier, Shed shed) { pier.<hour>; shed.hour; unknown.hour; hour(3); }
""",
    "a.java": """\
class Pier extends Stage {
    private int <hour>;
    int getHour() { return <hour> + this.<hour> + shed.hour; }
    void set(int hour) { this.<hour> = hour; }
    void up() { var hour = 3; use(hour); }
}
class Shed { int hour; int up() { return hour; } }
""",
    "a.ts": """\
import { hour } from "./clock";
class Pier extends Stage {
    <hour> = hour();
    get day(): number { return this.<hour> + this.shed.hour + hour; }
    up = () => { this?.<hour>; }
}
class Shed { hour = 3; up() { return this.hour; } }
const pier = new Pier();
pier.<hour> = 3;
pier.shed.hour = 3;
""",
    "a.cs": "class Pier : Stage { public int <hour> { get; set; } int Up() => <hour> + this.<hour>; }\n",
}


@pytest.mark.parametrize("file", _CASES)
def test_a_member_is_renamed_where_it_is_certainly_that_of_the_class(file: str) -> None:
    marked = _CASES[file]
    text = re.sub(r"<(hour)>", r"\1", marked)
    rule = RenameMemberRule("own", "Stage has it now", old="hour", new="own_hour", of="Pier")
    after = text
    for edit in reversed(find_edits(rule, TreePath(file), text)):
        assert text[edit.start : edit.end] == "hour"
        after = f"{after[: edit.start]}<hour>{after[edit.end :]}"
    assert after == marked


def test_a_class_of_another_name_keeps_its_member() -> None:
    text = "class Shed(Stage):\n    def go(self): self.hour = 3\n"
    rule = RenameMemberRule("own", "Stage has it now", old="hour", new="own_hour", of="Pier")
    assert not find_edits(rule, TreePath("a.py"), text)
