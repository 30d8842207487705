"""C and C++ declarations behind macros are read as the compiler reads them."""

from __future__ import annotations

import re
import shutil
import subprocess
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.parsing.cfamily import prepare
from fernshale.core.drift.symbols import Symbol

_HEADER = """\
#include <stdarg.h>
#ifdef _WIN32
#  define EXPORT __declspec(dllexport)
#  define CALL __stdcall
#else
#  define EXPORT __attribute__((visibility("default")))
#  define CALL
#endif
#define OAR_API(type) EXPORT type
#define OAR(name) oar_ ## name
#define OF(list) list
#define OAR_FUNCTION(number, type, name, list) EXPORT type name list
#define OAR_FUNCTION_A(number, type, name, list, more) more EXPORT type name list;
#define OAR_LIKE_PRINTF(a, b) __attribute__((format(printf, a, b)))
#define OAR_GONE_FOR(other) __attribute__((deprecated))
#define OAR_PURE __attribute__((pure))
#define OAR_BEGIN
#define OAR_END
#define oar_public EXPORT
typedef struct Boat_ { int length; } Boat;
typedef unsigned long DWORD;
typedef struct oar_boat oar_boat_t;
OAR_BEGIN
extern EXPORT Boat * CALL oar_launch(int length, const char *name);
extern EXPORT void CALL
oar_sink (Boat *boat);
EXPORT DWORD CALL oar_ticks(void);
EXPORT int (oar_top) (Boat *boat);
EXPORT Boat *(oar_next) (Boat *boat, int by);
OAR_API(const char *) oar_name(Boat *boat);
int OF2(void);
EXPORT int CALL oar_row OF((Boat *boat, int strokes));
OAR_FUNCTION(1, unsigned int, oar_length, (Boat *boat));
OAR_FUNCTION_A(2, void *, oar_alloc,
    (unsigned long size), OAR_PURE)
OAR_FUNCTION_A(3, void, oar_free, (void *data), )
OAR_GONE_FOR(oar_launch)
Boat *oar_open(int length);
EXPORT int oar_say(const char *format, ...) OAR_LIKE_PRINTF(1, 2);
int oar_count(const Boat *boat) OAR_PURE;
oar_public oar_boat_t * oar_make (Boat *target);
extern EXPORT int CALL oar_wait(Boat *boat,
#ifdef OAR_WITH_LIMIT
    int limit,
#endif
    int seconds);
#ifdef _WIN32
extern EXPORT int CALL oar_thread(int (CALL *run)(void *), void *data,
    void *begin);
#else
extern EXPORT int CALL oar_thread(int (CALL *run)(void *), void *data);
#endif
extern EXPORT
#ifdef _WIN32
DWORD
#else
int
#endif
CALL oar_mode(void);
static inline int oar_twice(int a) { return 2 * a; }
typedef int (CALL *oar_callback)(Boat *boat, int event);
struct oar_table { unsigned fast : 1, deep : 2; void (CALL *done)(int x); int (*order)(const void *, const void *); int v[4], *w; };
enum OAR_STATE { OAR_UP = 1, OAR_DOWN OAR_PURE2 };
OAR_END
"""


def _read(text: str, name: str = "oar.h") -> dict[str, str]:
    return {item.full: item.signature for item in read_source(text.encode(), name)}


@pytest.mark.skipif(shutil.which("gcc") is None, reason="needs a C compiler that lists declarations")
def test_every_declaration_that_the_compiler_sees_is_read(tmp_path: Path) -> None:
    text = _HEADER.replace(" OAR_PURE2", "")
    (tmp_path / "oar.c").write_text(text)
    listed = tmp_path / "listed"
    subprocess.run(["gcc", "-w", "-fsyntax-only", "-aux-info", listed, tmp_path / "oar.c"], check=True)
    lines = [line for line in listed.read_text().splitlines() if "oar.c:" in line]
    wanted = {}
    for line in lines:
        said = re.sub(r"\(\*\)\s*\([^()]*\)", "callback", line.split("*/ ", 1)[1])
        found = re.search(r"(\w+) \(([^()]*)\)", said)
        assert found is not None, line
        wanted[found[1]] = 0 if found[2] == "void" else found[2].count(",") + 1
    assert len(wanted) >= 18
    have = {item.name: len(item.parameters) for item in read_source(text.encode(), "oar.h") if item.kind == "function"}
    assert have == wanted


def test_results_parameters_and_the_words_of_macros_are_those_of_the_declaration() -> None:
    found = _read(_HEADER)
    assert found["oar_launch"] == "(int length, const char * name) -> Boat*"
    assert found["oar_ticks"] == "() -> DWORD" and found["oar_top"] == "(Boat * boat) -> int"
    assert found["oar_next"] == "(Boat * boat, int by) -> Boat*"
    assert found["oar_row"] == "(Boat * boat, int strokes) -> int"
    assert found["oar_alloc"] == "(unsigned long size) -> void*"
    assert found["oar_wait"] == "(Boat * boat, int seconds) -> int" and found["oar_mode"] == "() -> int"
    assert found["oar_make"] == "(Boat * target) -> oar_boat_t*"
    fields = {name.rpartition("::")[2]: type_ for name, type_ in found.items() if name.startswith("oar_table::")}
    assert fields["done"] == "void(int x)" and fields["v"] == "int[]" and fields["w"] == "int*"
    assert {"fast", "deep", "order"} <= fields.keys()
    assert {"OAR_UP", "OAR_DOWN"} <= found.keys() and "OAR_PURE2" not in found


def test_deprecation_in_a_macro_is_kept_wherever_it_is_written() -> None:
    text = """\
KEEL_DEPRECATED_FOR(keel_new)
void keel_old(int a);
int keel_gone(int a) KEEL_DEPRECATED("use keel_here() instead");
KEEL_API void keel_fine(void);
"""
    found = {item.name: item.deprecated for item in read_source(text.encode(), "keel.h")}
    assert found == {"keel_old": "Use keel_new instead.", "keel_gone": "use keel_here() instead", "keel_fine": ""}


def test_classes_templates_and_operators_keep_their_names() -> None:
    text = """\
class EXPORT_ME Quay : public Pier { MARK_OBJECT
public:
  MARK_CALLABLE int go(int a);
  QUAY_API static Quay *make();
  void both() const OVERRIDE_MARK;
};
template <typename T> QUAY_API T most(T a, T b);
QUAY_API bool operator==(const Quay& a, const Quay& b);
QUAY_API Quay::Quay(int a) : x(a) { }
namespace docks { QUAY_API std::string name_of(const std::vector<int>& v); }
constexpr QUAY_INLINE int k() noexcept { return MAX(1, 2); }
"""
    found = _read(text)
    assert found["Quay::go"] == "(int a) -> int" and found["Quay::make"] == "() -> Quay*"
    assert found["Quay::both"] == "() -> void" and found["most"] == "(T a, T b) -> T"
    assert found["docks::name_of"] == "(const std::vector<int>& v) -> std::string" and found["k"] == "() -> int"
    assert found["operator=="].endswith("-> bool") and "Quay::Quay" in found


def test_parameters_declared_after_the_brackets_are_read() -> None:
    text = "int tie(a, b) int a; char *b; { return 1; }\nstatic long loosen(n)\n    long n;\n{\n  return n;\n}\n"
    found = {item.name: [one.name or one.type for one in item.parameters] for item in read_source(text.encode(), "a.c")}
    assert found == {"tie": ["a", "b"], "loosen": ["n"]}


_PIECES = st.sampled_from(
    ["EXPORT ", "CALL ", "int ", "Boat ", "*", "name", "(", ")", "{", "}", ";", ",", "\n", "\r\n", "#if A\n", "#else\n", "#endif\n",
     "/* c */", "// c\n", '"s"', "'c'", "class ", "enum ", "OF((int a))", "template <", ">", "::", "=", "public:", "\\\n", "é"]
)  # fmt: skip


@given(st.lists(_PIECES, max_size=40).map("".join))
@example("EXPORT int f(\n#if A\nint a\n")
@example("OAR(1, int, f, (void))\n#endif\n")
def test_lengths_and_line_ends_stay_whatever_the_text(text: str) -> None:
    data = text.encode()
    done = prepare(data)
    assert len(done) == len(data)
    assert [at for at, one in enumerate(done) if one in b"\r\n"] == [
        at for at, one in enumerate(data) if one in b"\r\n"
    ]


@pytest.mark.parametrize("first", ["class Fog;", "struct Fog;", "enum class Fog : int;"])
def test_a_word_before_a_type_that_is_only_named_leaves_the_next_class_its_name(first: str) -> None:
    text = f"#include <list>\nOAR_BEGIN_NAMESPACE\n\n{first}\n\nclass OAR_EXPORT Boat : public Hull\n{{\n    OAR_OBJECT\npublic:\n    void row(int);\n}};\nOAR_END_NAMESPACE\n"
    found = {item.path: item.kind for item in read_source(text.encode(), "boat.h")}
    assert found["Boat",] == "class" and found["Boat", "row"] == "method"
    assert found.get(("Fog",)) != "constant"


def test_macros_for_access_and_at_the_end_of_a_class_leave_its_members() -> None:
    text = """\
class Boat : public Hull {
public:
    explicit Boat(int a);
OAR_SIGNALS:
    void launched();
public OAR_SLOTS:
    void launch(int at);
private:
    int length;
    OAR_NO_COPY(Boat)
};
class Raft {
    void sink();
    OAR_NO_COPY(Raft, Boat)
};
enum Way { OAR_UP, OAR_DOWN };
"""
    found = {item.path: item.kind for item in read_source(text.encode(), "boat.hpp")}
    assert {"launched", "launch", "length"} == {path[1] for path in found if path[0] == "Boat" and len(path) == 2} - {
        "Boat"
    }
    assert found["Raft", "sink"] == "method" and found["OAR_DOWN",] == "enumerator"
    assert {path[0] for path in found} == {"Boat", "Raft", "Way", "OAR_UP", "OAR_DOWN"}


def test_a_method_without_a_class_is_called_like_a_function() -> None:
    method = Symbol("method", "row", (), "a.hpp", 1, marks=frozenset({"virtual"}))
    assert not method.needs_object and not method.is_overridable
    assert replace(method, scope=("Boat",)).needs_object and replace(method, scope=("Boat",)).is_overridable


def test_a_conditional_among_the_values_of_an_enum_leaves_the_class_after_it() -> None:
    text = """\
class Boat : public Hull {
public:
    enum Sail {
#if OAR_SINCE(5, 14)
        Lug OAR_DEPRECATED("Use Gaff") = 0x1, // old
#endif
        Gaff = 0x2
#ifdef OAR_MORE
        , Jib
#endif
    };
    OAR_FLAGS(Sails, Sail)

    Boat(Pier *pier = nullptr);
    int row() const;
private:
    OAR_PRIVATE(Boat)
#ifndef OAR_SMALL
    OAR_SLOT(d(), void turned(const Tide &))
    OAR_SLOT(d(), void moored())
#endif
    friend class Harbour;
};
int after();
"""
    found = {item.path for item in read_source(text.encode(), "boat.h")}
    assert {("Boat", "Sail"), ("Boat", "Gaff"), ("Boat", "Lug"), ("Boat", "row"), ("Boat", "Boat"), ("after",)} <= found


@pytest.mark.parametrize(
    "beginning",
    [
        "#ifndef OAR_DOC\n    template<char = 0>\n#endif\n",
        "#if OAR_VERSION >= OAR_CHECK(6, 0)\n    virtual\n#endif\n",
        "#ifdef OAR_STRICT\n    explicit inline\n#else\n    inline\n#endif\n",
        "#if A\n    void other();\n#else\n    static\n#endif\n",
    ],
)
def test_a_declaration_that_begins_under_a_condition_and_ends_after_it_is_read(beginning: str) -> None:
    text = f"""\
class Boat {{
public:
    int bow();
#if OAR_OLD
{beginning}    void row(int at) const;
#endif
    int stern();
}};
int after();
"""
    found = {item.path: item for item in read_source(text.encode(), "boat.h")}
    assert {("Boat", "bow"), ("Boat", "row"), ("Boat", "stern"), ("after",)} <= found.keys()
    assert [item.name for item in found["Boat", "row"].parameters] == ["at"]
    done = prepare(text.encode())
    assert done.count(b"#if") == done.count(b"#endif")


@pytest.mark.parametrize(
    "declared",
    [
        "template <typename F> static enable_if<int(P<F>::Count) >= 0, Rope>::type tie(const F *s) { return f(s); }",
        "template <typename F> enable_if<P<F>::Count >= 2 && !P<F>::Is, Rope>::type tie(const F *s);",
        "template <int N, bool = (N >= 3)> Rope tie(Array<N> s);",
        "friend bool operator>=(const Boat &a, const Boat &b); Rope tie(Array<int> s);",
        "bool operator>=(const Boat &b) const; Rope tie(int s = A >= 3);",
    ],
)
def test_a_comparison_in_angle_brackets_leaves_the_rest_of_the_class(declared: str) -> None:
    text = f"class Boat {{\npublic:\n    int bow();\n    {declared}\n    int stern();\n}};\n"
    found = {item.path for item in read_source(text.encode(), "boat.hpp")}
    assert {("Boat", "bow"), ("Boat", "tie"), ("Boat", "stern")} <= found
    assert ("Boat", "operator>=") in found or "bool operator" not in declared or "friend" in declared


@pytest.mark.parametrize("macros", ["OAR_API", "OAR_OLD(5, 15)", "OAR_OLD(5, 15) OAR_API", "OAR_API OAR_LATE"])
@pytest.mark.parametrize("name", ["Boat", "BOAT"])
def test_a_class_keeps_its_name_behind_several_macros(macros: str, name: str) -> None:
    text = (
        f"class {macros} {name} : public Hull\n{{\npublic:\n    virtual void row(int at);\n}};\nclass {macros} Fog;\n"
    )
    found = {item.path: item.kind for item in read_source(text.encode(), "boat.hpp")}
    assert found[name,] == "class" and found[name, "row"] == "method" and len(found) == 2


@pytest.mark.parametrize(
    ("text", "fields"),
    [
        ("struct Lamp { Object_HEAD\n  char kind; };", "kind: char"),
        ("struct Lamp { Object_HEAD\n  int near, *far; };", "near: int, far: int*"),
        ("struct Lamp { Object_VAR_HEAD struct Wick *wick; };", "wick: struct Wick*"),
        ("struct Lamp {\n  int glow;\n  OBJECT_TAIL\n};", "glow: int"),
        ("struct Lamp { Object_HEAD }; struct Wick { int length; };", "length: int"),
        ("typedef struct Lamp { Object_HEAD } Lamp; struct Wick { int length; };", "length: int"),
    ],
)
def test_a_macro_that_stands_for_fields_hides_no_other(text: str, fields: str) -> None:
    found = [item for item in read_source(text.encode(), "w.h") if item.kind == "field"]
    assert ", ".join(f"{item.name}: {item.returns}" for item in found) == fields


def test_values_of_an_enum_are_no_macros() -> None:
    text = b"enum { ONLY_ONE }; enum class Mode { FAST }; struct Lamp { enum Kind { OIL_LAMP }; int glow; };"
    names = [item.name for item in read_source(text, "w.hpp")]
    assert names == ["ONLY_ONE", "Mode", "FAST", "Lamp", "Kind", "OIL_LAMP", "glow"]


def test_functions_that_a_macro_declares_are_read() -> None:
    text = b"""\
#define LAMP_GETTER(NAME, field, type) \\
    static inline type \\
    lamp_get_##NAME(const Lamp *lamp) { \\
        return lamp->field; \\
    }

LAMP_GETTER(glow, glow_, int)
LAMP_GETTER(wick, wick_, struct Wick *);
int after(int a);
"""
    found = {item.name: item for item in read_source(text, "w.h") if item.kind == "function"}
    assert {name: item.line for name, item in found.items()} == {"lamp_get_glow": 7, "lamp_get_wick": 8, "after": 9}
    assert found["lamp_get_wick"].returns == "struct Wick*"
    assert [item.type for item in found["lamp_get_glow"].parameters] == ["const Lamp *"]


@pytest.mark.parametrize(
    "written", ["(*light_fn)(int *a, struct Wick *b)", "(light_fn)(int *a)", "light_fn(int a)", "*(light_fn)(int a)"]
)
def test_a_type_of_functions_has_its_plain_name(written: str) -> None:
    found = read_source(f"typedef int {written};\nint after;".encode(), "w.h")
    assert [item.name for item in found] == ["light_fn", "after"]
