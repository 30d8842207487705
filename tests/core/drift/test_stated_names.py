"""Statements of a release about old names: aliases of new ones, comments and change logs."""

from __future__ import annotations

import pytest

from fernshale.core.base.work import Work
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.drift.stated.replacements import named_replacements
from tests.conftest import Tree

_OLD = """\
int oar_up(int a);
int oar_down(int a);
int oar_left(int a);
int oar_right(int a);
int oar_safe(int a);
typedef struct OarBoat { int n; } OarBoat;
enum OarKind { OAR_FAST, OAR_SLOW };
#define OAR_LIMIT 4
#define OAR_SIZE 4
"""
_NEW = """\
int oar_raise(int a);
int oar_lower(int a);
int oar_port(int a);
int oar_starboard(int a);
int oar_check(int a);
typedef struct OarVessel { int n; } OarVessel;
enum OarKind { OAR_QUICK, OAR_SLOW, OAR_FAST = OAR_QUICK };
#define OAR_MAXIMUM 4
#define OAR_SIZE OAR_SLOW
#ifndef OAR_NO_OBSOLETE
#define oar_up oar_raise
#define oar_down(a) oar_lower(a)
static inline int oar_left(int a) { return oar_port(a); }
typedef OarVessel OarBoat;
#define OAR_LIMIT OAR_MAXIMUM
#endif
/* oar_right() has been renamed to oar_starboard(). */
static inline int oar_safe(int a) { if (oar_check(a)) { return 0; } return a + OAR_MAXIMUM; }
"""


def _changes(old: dict[str, str], new: dict[str, str], language: str, tree: Tree) -> dict[str, ApiChange]:
    found = compare_releases(ReleasePlaces(tree("old", old), tree("new", new)), language, Work())
    first: dict[str, ApiChange] = {}
    for item in found:
        first.setdefault(item.symbol.full, item)
    return first


def test_names_that_only_stand_for_new_ones_are_reported_with_them(tree: Tree) -> None:
    found = _changes({"oar.h": _OLD}, {"oar.h": _NEW}, "c++", tree)
    wanted = {
        "oar_up": "oar_raise",
        "oar_down": "oar_lower",
        "oar_left": "oar_port",
        "OarBoat": "OarVessel",
        "OAR_FAST": "OAR_QUICK",
        "OAR_LIMIT": "OAR_MAXIMUM",
    }
    for name, target in wanted.items():
        change = found[name]
        assert change.kind == "deprecated" and change.candidates[0].symbol.full == target
        assert change.what == f"{name} is only another name for {target} now"
    # Members of a class that kept its name are still there.
    assert "OarBoat::n" not in found
    # A guard at the head of a body is no forwarder, and a name of the old release is no new one.
    assert found.get("oar_safe") is None or found["oar_safe"].kind != "deprecated"
    assert found.get("OAR_SIZE") is None or found["OAR_SIZE"].kind != "deprecated"


def test_a_comment_names_what_a_removed_name_became(tree: Tree) -> None:
    change = _changes({"oar.h": _OLD}, {"oar.h": _NEW}, "c++", tree)["oar_right"]
    assert change.kind == "renamed" and change.new is not None and change.new.full == "oar_starboard"
    assert "oar_right() has been renamed to oar_starboard()" in change.candidates[0].evidence[0]


@pytest.mark.parametrize(
    "line", ["oar_right -> oar_starboard", "* `oar_right` => `oar_starboard`", "| oar_right() \u2192 oar_starboard() |"]
)
def test_a_line_of_a_change_log_names_the_new_name(line: str, tree: Tree) -> None:
    new = {
        "oar.h": "int oar_starboard(int a, int b);\nint oar_port(int a);\n",
        "MIGRATION.md": f"# From 1 to 2\n\n{line}\n",
    }
    change = _changes({"oar.h": "int oar_right(int a);\nint oar_port(int a);\n"}, new, "c++", tree)["oar_right"]
    assert change.new is not None and change.new.full == "oar_starboard"
    assert "MIGRATION.md" in change.candidates[0].evidence[0]


def test_prose_about_files_and_people_names_nothing(tree: Tree) -> None:
    new = {
        "oar.h": "int oar_port(int a);\n/* the office was moved to oar_port last year; oar_right was moved to the attic */\n",
        "CHANGES.txt": "oar_right -> nothing\n",
    }
    change = _changes({"oar.h": "int oar_right(char *a, long b);\nint oar_port(int a);\n"}, new, "c++", tree)[
        "oar_right"
    ]
    assert change.kind == "removed"


def test_a_function_that_became_a_macro_with_the_same_parameters_is_no_change(tree: Tree) -> None:
    old = {"oar.h": "void oar_call(int a, int b);\nvoid oar_gone(int a, int b);\n"}
    new = {
        "oar.h": "void oar_callk(int a, int b, int k);\n#define oar_call(a, b) oar_callk(a, (b), 0)\n"
        "#define oar_gone(a) oar_callk(a, 0, 0)\n"
    }
    found = _changes(old, new, "c++", tree)
    assert "oar_call" not in found and found["oar_gone"].kind == "signature"


def test_names_that_are_only_there_for_old_code_are_followed_to_what_they_stand_for(tree: Tree) -> None:
    old = {
        "reed.h": "long reed_checklong(int a);\nint reed_objlen(int a);\n"
        "#define reed_checkint(a) ((int)reed_checklong((a)))\n#define reed_getn(a) ((int)reed_objlen(a))\nint reed_usual(int a);\n"
    }
    new = {
        "reed.h": "#ifndef REED_H\n#define REED_H\nlong reed_checklong(int a);\nint reed_rawlen(int a);\nint reed_usual(int a);\n"
        "#if defined(REED_COMPAT_CASTS)\n#define reed_checkint(a) ((int)reed_checklong((a)))\n#define reed_objlen(a) reed_rawlen(a)\n"
        "#endif\n#endif\n"
    }
    found = _changes(old, new, "c++", tree)
    for name, target in (("reed_checkint", "reed_checklong"), ("reed_objlen", "reed_rawlen")):
        assert found[name].kind == "deprecated" and found[name].candidates[0].symbol.full == target
    # An alias of one of them is reported with the last name of the chain.
    assert found["reed_getn"].candidates[0].symbol.full == "reed_rawlen"
    # Without its cast a result may have another size, so that is for a person.
    assert found["reed_getn"].candidates[0].score < 0.9 and found["reed_checkint"].candidates[0].score < 0.9
    assert found["reed_objlen"].candidates[0].score > 0.9
    # The guard of a header is no such condition.
    assert "reed_usual" not in found and "reed_checklong" not in found


@pytest.mark.parametrize(
    ("text", "is_whole"),
    [
        ("Renamed. Use {@link moor} instead. Will be removed in 3.", True),
        ("Replaced by {@link moor}.", True),
        ("To moor a boat by the day, use {@link moor}.", False),
        ("Will be removed. If you need the day, use {@link moor} instead.", False),
        ("Most likely you want to use {@link moor}.", False),
        ("Replaced with {@link moor}. Instead of `tie(boat, day)`, use `moor({ boat, day })`.", False),
    ],
)
def test_a_replacement_for_one_case_only_is_not_the_whole_change(text: str, is_whole: bool) -> None:
    assert next(whole for name, whole in named_replacements(text) if name == "moor") is is_whole


def test_members_of_a_class_that_is_another_name_now_are_still_there(tree: Tree) -> None:
    old = {"a.ts": "export class Boat { get mast() { return 1; } row(n: number) {} sink() {} }\n"}
    new = {
        "a.ts": "export class Vessel { get mast() { return 1; } row(n: number, side: string) {} }\n"
        "export type Boat = Vessel;\nexport const Boat = Vessel;\n"
    }
    found = _changes(old, new, "typescript", tree)
    assert "Boat.mast" not in found and found["Boat.row"].kind == "signature" and found["Boat.sink"].kind == "removed"


@pytest.mark.parametrize(
    ("condition", "is_for_old_code"),
    [
        ("#ifdef REED_COMPAT", True),
        ("#if !defined(REED_NO_OLD_NAMES)", True),
        ("#if defined(REED_THRESHOLD_ON)", False),
        ("#ifdef _WIN32", False),
    ],
)
def test_only_conditionals_for_old_code_say_that_a_name_is_kept(
    condition: str, is_for_old_code: bool, tree: Tree
) -> None:
    old = {"reed.h": "int reed_raise(int a);\nint reed_up(int a);\n"}
    new = {"reed.h": f"int reed_raise(int a);\n{condition}\n#define reed_up reed_raise\n#endif\n"}
    found = _changes(old, new, "c++", tree)
    assert ("reed_up" in found and found["reed_up"].kind == "deprecated") is is_for_old_code


@pytest.mark.parametrize(("outer", "is_for_old_code"), [("#if 1", False), ("#ifdef REED_LEGACY", True)])
def test_the_other_branches_of_a_conditional_for_old_code_are_as_what_is_around_it(
    outer: str, is_for_old_code: bool, tree: Tree
) -> None:
    old = {"reed.h": "int reed_raise(int a);\nint reed_up(int a);\nint reed_on(int a);\n"}
    new = {
        "reed.h": f"int reed_raise(int a);\n{outer}\n#ifdef REED_COMPAT\nint reed_old(int a);\n#elif REED_B\n#define reed_on reed_raise\n"
        "#else\n#define reed_up reed_raise\n#endif\n#endif\n"
    }
    found = _changes(old, new, "c++", tree)
    told = {name for name, item in found.items() if item.kind == "deprecated"}
    assert told == ({"reed_up", "reed_on"} if is_for_old_code else set())
