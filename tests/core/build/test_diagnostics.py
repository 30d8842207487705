"""Reading what real tools print, and what several other tools are known to print."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from string import Formatter

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import find_causes
from fernshale.core.build.diagnostics import Diagnostic, SourcePlace
from fernshale.core.build.message_patterns import WORDINGS, last_name
from fernshale.core.build.owners import Owned, OwnerContext, find_owners
from fernshale.core.build.path_mapping import ProjectFiles
from fernshale.core.build.reading import read_diagnostics, read_log
from fernshale.core.build.round_history import Round, cause_states
from fernshale.core.profile.model import DiagnosticPattern
from tests.conftest import Tree


def _scan(project: Path, engine: Path | None = None) -> OwnerContext:
    role = lambda path: "generated" if path.startswith("gen/") else "own"  # noqa: E731
    names = [str(path.relative_to(project)) for path in project.rglob("*") if path.is_file()]
    files = ProjectFiles(project, names)
    return OwnerContext(
        project, files, engine, (), (("tide", TreePath("plugins/tide")),), role, lambda path, line: line
    )


def _compile(root: Path, *files: str) -> str:
    text = ""
    for file in files:
        done = subprocess.run(
            ["g++", "-Wall", "-Iinclude", "-c", file, "-o", "/dev/null"], cwd=root, capture_output=True, text=True
        )
        text += done.stderr
    return text


def test_real_compiler_errors_with_notes_chains_and_owners(tree: Tree) -> None:
    root = tree(
        "game",
        {
            "include/base.hpp": "#pragma once\nstruct Base { virtual void describe() = 0; };\nstruct Pier { int keeper() const; };\n",
            "include/broken.hpp": "#pragma once\nint x = missing_name;\n",
            "src/a.cpp": '#include <memory>\n#include "base.hpp"\n#include "broken.hpp"\n'
            "struct Boat : Base {};\nauto boat = std::make_shared<Boat>();\nint k(Pier& p) { return p.keepr; }\n",
            "src/b.cpp": '#include "broken.hpp"\n',
            "plugins/tide/b.cpp": '#include "gone.hpp"\n',
            "gen/c.cpp": "int f() { int unused; }\n",
        },
    )
    found = read_diagnostics(
        _compile(root, "src/a.cpp", "src/b.cpp", "plugins/tide/b.cpp", "gen/c.cpp").splitlines(), ()
    )
    owned = find_owners(found, _scan(root))
    errors = {item.diagnostic.message.split("(")[0][:40]: item for item in owned if item.diagnostic.severity == "error"}
    abstract = next(item for text, item in errors.items() if "abstract" in text)
    assert abstract.place.file == "src/a.cpp" and abstract.place.line == 4  # the class, not the library's header
    assert next(item.owner for text, item in errors.items() if "gone.hpp" in text) == "plugin tide"
    twice = next(item for text, item in errors.items() if "missing_name" in text)
    assert twice.diagnostic.count == 2  # one error of a header, reported by each file that includes it
    warnings = [item for item in owned if item.diagnostic.severity == "warning"]
    assert {item.owner for item in warnings} == {"generated"} and all(
        item.diagnostic.code.startswith("-W") for item in warnings
    )
    keys = {cause.key for cause in find_causes(owned)}
    assert {"must implement:describe", "missing header::gone.hpp", "missing member:struct Pier:keepr"} & keys >= {
        "must implement:describe",
        "missing header::gone.hpp",
    }


def test_real_linker_errors_are_read(tree: Tree) -> None:
    root = tree(
        "game",
        {
            "a.cpp": "int start_entries();\nint main() { return start_entries(); }\n",
            "b.cpp": "int x;\n",
            "c.cpp": "int x;\n",
        },
    )
    done = subprocess.run(["g++", "a.cpp", "b.cpp", "c.cpp", "-o", "game"], cwd=root, capture_output=True, text=True)
    causes = find_causes(find_owners(read_diagnostics(done.stderr.splitlines(), ()), _scan(root)))
    assert {cause.key for cause in causes} == {"link::start_entries", "link twice::x"}


def test_other_tools_lines(tree: Tree) -> None:
    log = """\
a.glim:3:7: error: no function 'glow'
src\\game.cs(12,5): error CS0117: 'Pier' does not contain 'Keeper' [game.csproj]
main.ts(4,1): error TS2304: Cannot find name 'tide'.
clang.cpp:9:3: error: use of undeclared identifier 'tide'
\x1b[1mcolour.cpp:1:2:\x1b[0m \x1b[31merror: \x1b[0mstray
make: *** No rule to make target 'gone.cpp', needed by 'game'.  Stop.
make: *** [Makefile:3: game] Error 1
not an error: at all
"""
    found = read_diagnostics(log.splitlines(), ())
    assert [(item.place.file, item.place.line, item.code) for item in found] == [
        ("a.glim", 3, ""),
        ("src\\game.cs", 12, "CS0117"),
        ("main.ts", 4, "TS2304"),
        ("clang.cpp", 9, ""),
        ("colour.cpp", 1, ""),
        ("", 0, ""),
    ]


def test_profile_can_add_a_shape() -> None:
    pattern = DiagnosticPattern(r"^!! (?P<file>\S+) @(?P<line>\d+) (?P<message>.*)", "warning")
    (found,) = read_diagnostics(["!! scene.txt @7 odd lamp"], (pattern,))
    assert (found.place.file, found.place.line, found.severity, found.message) == (
        "scene.txt",
        7,
        "warning",
        "odd lamp",
    )


def test_a_long_log_is_read_in_linear_time() -> None:
    log = (f"src/f{n % 50}.cpp:{n}:1: error: ‘thing{n % 7}’ was not declared in this scope" for n in range(40_000))
    found = read_diagnostics(log, ())
    assert len(found) == 40_000
    causes = find_causes(find_owners(found, _scan(Path("/game"))))
    assert len(causes) == 7 and sum(cause.count for cause in causes) == 40_000


def test_names_are_found_in_signatures() -> None:
    assert last_name("const std::string& m::Pier::keeper() const") == "keeper"
    assert last_name("m::World::spawn(std::shared_ptr<m::Actor>, int)") == "spawn"
    assert last_name("std::vector<int>") == "vector"


def test_diagnostics_are_values() -> None:
    (one,) = read_diagnostics(["a.c:1:2: error: x"], ())
    assert isinstance(one, Diagnostic) and one == read_diagnostics(["a.c:1:2: error: x"], ())[0]


def test_a_cause_keeps_its_identity_over_the_rounds() -> None:
    rounds = [Round(n, False, 1.0, {}, 0, dict.fromkeys(keys, 1)) for n, keys in enumerate(("ab", "bc", "ac"), 1)]
    assert cause_states(rounds) == {"a": "came back", "b": "gone", "c": "still there"}
    assert cause_states(rounds[:1]) == {"a": "new", "b": "new"}


def test_what_only_follows_stands_under_its_cause() -> None:
    lines = {("a.cpp", 3): "    Tide tide = almanac.now();", ("a.cpp", 5): "    use(tide);"}
    log = [
        "a.cpp:3:5: error: ‘Tide’ was not declared in this scope",
        "a.cpp:3:9: error: expected ‘;’ before ‘tide’",
        "a.cpp:5:9: error: ‘tide’ was not declared in this scope",
        "b.cpp:9:2: error: ‘far’ was not declared in this scope",
    ]
    owned = find_owners(read_diagnostics(log, ()), _scan(Path("/game")))
    causes = find_causes(owned, lambda file, line: lines.get((file, line), ""))
    under = {cause.symbol or cause.kind: cause.under for cause in causes}
    tide = next(cause.key for cause in causes if cause.symbol == "Tide")
    assert under == {"Tide": "", "syntax": tide, "tide": tide, "far": ""}
    # A leader comes before its followers, and what clears most before the rest.
    assert [cause.symbol for cause in causes] == ["Tide", "tide", "", "far"]


def test_without_a_column_the_words_of_a_checker_name_the_variable() -> None:
    lines = {
        1: "hits = wick.check(self.boat, self.ropes)",
        2: "hits = wick.check(",
        3: "    self.boat, self.scene['Ropes']",
        4: "self.lamp.draw(self.boat)",
        5: "x = self.mouse[1]",
        6: "f(check(a, self.ropes), self.boat)",
        7: "check(self.boat + 1, check(self.ropes, b))",
    }
    wrong = 'has incompatible type "Any | None"; expected "Sprite"  [arg-type]'
    log = [
        f'a.py:1: error: Argument 1 to "check" {wrong}',
        f'a.py:1: error: Argument 2 to "check" {wrong}',
        f'a.py:3: error: Argument 1 to "check" {wrong}',
        'a.py:4: error: Item "None" of "Any | None" has no attribute "draw"  [union-attr]',
        'a.py:5: error: Value of type "Any | None" is not indexable  [index]',
        f'a.py:6: error: Argument 2 to "f" {wrong}',
        f'a.py:6: error: Argument 2 to "check" {wrong}',
    ]
    owned = [Owned(item, "own", item.place) for item in read_diagnostics(log, ())]
    causes = find_causes(owned, lambda file, line: lines.get(line, ""))
    assert {cause.symbol: sorted(error.place.line for error in cause.errors) for cause in causes} == {
        "boat": [1, 3, 6], "ropes": [1, 6], "lamp": [4], "mouse": [5],
    }  # fmt: skip
    # A sum is no variable, and of two calls of the function one may be meant as well as the other.
    unsure = read_diagnostics([f'a.py:7: error: Argument 1 to "check" {wrong}'], ())
    (cause,) = find_causes([Owned(unsure[0], "own", unsure[0].place)], lambda file, line: lines.get(line, ""))
    assert cause.kind == "call"


def test_a_condition_declares_nothing() -> None:
    lines = {("a.c", 3): "    if (event.lane & OAR_FAST)", ("a.c", 5): "    if (lanes & OAR_FAST)"}
    log = [
        "a.c:3:14: error: ‘Event’ has no member named ‘lane’",
        "a.c:5:17: error: ‘OAR_FAST’ undeclared (first use in this function)",
    ]
    owned = find_owners(read_diagnostics(log, ()), _scan(Path("/game")))
    causes = find_causes(owned, lambda file, line: lines.get((file, line), ""))
    assert [(cause.symbol, cause.under) for cause in causes] == [("lane", ""), ("OAR_FAST", "")]


@pytest.mark.parametrize(
    "message",
    [
        "member access into incomplete type 'm::Pier'",
        "incomplete type 'm::Pier' named in nested name specifier",
        "incomplete result type 'm::Pier' in function definition",
        "variable has incomplete type 'm::Pier'",
        "invalid application of 'sizeof' to an incomplete type 'Pier'",
        "arithmetic on a pointer to an incomplete type 'struct m::Pier'",
        "invalid use of incomplete typedef 'Pier' {aka 'struct _Pier'}",
        "incomplete definition of type 'struct Pier'",
        "use of undefined type 'm::Pier'",
        "'Shore::held' uses undefined class 'm::Pier'",
    ],
)
def test_a_class_that_is_only_announced_is_one_cause(message: str) -> None:
    owned = find_owners(read_diagnostics([f"a.cpp:3:5: error: {message}"], ()), _scan(Path("/game")))
    (cause,) = find_causes(owned)
    assert (cause.kind, cause.symbol, cause.title) == ("incomplete type", "Pier", "Pier is only announced here")


@pytest.mark.parametrize(
    "message",
    [
        'Property "hour" defined in "Stage" is read-only',
        'Cannot override final attribute "hour" (previously declared in base class "Stage")',
        'Cannot assign to attribute "hour" for class "Pier*"\n    Attribute "hour" is read-only',
        "AttributeError: can't set attribute 'hour'",
        "AttributeError: property 'hour' of 'Pier' object has no setter",
        "'hour' is defined as an accessor in class 'Stage', but is overridden here in 'Pier' as an instance property.",
        "virtual function 'virtual int Pier::hour()' overriding final function",
        "declaration of 'hour' overrides a 'final' function",
        "hour() in Pier cannot override hour() in Stage\n  overridden method is final",
        "'Pier.hour()': cannot override inherited member 'Stage.hour()' because it is sealed",
    ],
)
def test_a_member_that_its_base_has_now_is_one_cause(message: str) -> None:
    owned = find_owners(
        read_diagnostics([f"a.cpp:3:5: error: {line}" for line in message.splitlines()[:1]], ()), _scan(Path("/game"))
    )
    (cause,) = find_causes([replace(item, diagnostic=replace(item.diagnostic, message=message)) for item in owned])
    assert (cause.kind, cause.symbol) == ("member clash", "hour")


def test_every_wording_can_be_told() -> None:
    for wording in WORDINGS:
        wanted = {name for _, name, _, _ in Formatter().parse(wording.title) if name}
        assert wanted <= {*wording.pattern.groupindex, "symbol"}, wording.pattern.pattern


_JAVAC = """\
src/Heron.java:3: error: Heron is not abstract and does not override abstract method act(int,Stage) in Actor
public class Heron extends Actor {
       ^
src/Heron.java:4: error: method does not override or implement a method from a supertype
    @Override
    ^
src/Heron.java:9: error: cannot find symbol
    String far(Stage stage) { }
               ^
  symbol:   class Stage
  location: class Heron
src/Heron.java:10: error: cannot find symbol
    String near(Actor.Hand hand) { }
                     ^
  symbol:   class Hand
  location: class Actor
4 errors
"""
_TSC = """\
src/heron.ts(5,14): error TS2420: Class 'Heron' incorrectly implements interface 'Ticker'.
  Property 'label' is missing in type 'Heron' but required in type 'Ticker'.
src/heron.ts(6,3): error TS2416: Property 'act' in type 'Heron' is not assignable to the same property in base type 'Actor'.
  Type '(hour: number) => string' is not assignable to type '(hour: Hour) => string'.
src/main.ts(12,1): error TS2322: Type 'number' is not assignable to type '() => number'.
src/main.ts(15,13): error TS2345: Argument of type 'string' is not assignable to parameter of type 'number'.
"""
_RUSTC = """\
error[E0599]: no variant or associated item named `Calm` found for enum `Mood` in the current scope
 --> src/heron.rs:11:32
error[E0308]: arguments to this method are incorrect
  --> src/main.rs:16:11
error[E0046]: not all trait items implemented, missing: `label`
  --> src/heron.rs:15:1
error[E0050]: method `act` has 2 parameters but the declaration in trait `act` has 3
  --> src/heron.rs:16:12
"""


def test_what_is_concerned_is_told_by_what_stands_round_the_message() -> None:
    code = {4: "    @Override", 5: '    @SuppressWarnings("x") @Deprecated', 6: "    public String act(int hour) {",
            16: '    stage.write("Fen", 0, 0);', 9: "    String far(Stage stage) { }", 10: "    String near(Actor.Hand hand) { }"}  # fmt: skip
    told = {}
    for log in (_JAVAC, _TSC, _RUSTC):
        owned = find_owners(read_diagnostics(log.splitlines(), ()), _scan(Path("/game")))
        causes = find_causes(owned, lambda file, line: "" if file.endswith(".ts") else code.get(line, ""))
        told.update({(cause.title, cause.scope): cause.under for cause in causes})
    assert told == {
        ("act must be implemented", ""): "",
        ("no act to override any more", ""): "must implement::act",
        ("Stage is not declared", ""): "",
        ("Actor has no Hand", "Actor"): "",
        ("label must be implemented", ""): "",
        ("act is not as in its base", ""): "",
        ("() => number is wanted", ""): "",
        ("Mood has no Calm", "Mood"): "",
        ("write takes other arguments", ""): "",
        ("number is wanted", ""): "",
    }


_OAR = """\
typedef struct Boat { int length; } Boat;
int oar_row(Boat *boat, int strokes, int side);
"""
_ROWER = """\
#include "oar.h"
static int flags = OAR_FAST;
int both(void) {
    const BoatInfo *info;
\tBoat *boat = oar_launch(OAR_FAST | OAR_DEEP);
\tinfo = oar_info();
\treturn boat->length + info->length + info->depth + boat->mast;
}
int once(Boat *boat) {
    if (OAR_DEEP) { oar_launch(0); }
    return oar_row(boat, 2);
}
int again(void) { return lanes[1].width + lanes[0].width; }
"""


@pytest.mark.parametrize("compiler", ["gcc", "clang"])
def test_what_compilers_of_c_say_falls_into_one_cause_for_each_name(compiler: str, tmp_path: Path) -> None:
    if shutil.which(compiler) is None:
        pytest.skip(f"needs {compiler}")
    (tmp_path / "oar.h").write_text(_OAR)
    (tmp_path / "rower.c").write_text(_ROWER)
    words = [compiler, "-std=gnu99", "-fsyntax-only", "rower.c"]
    log = subprocess.run(
        words, cwd=tmp_path, capture_output=True, env={"PATH": os.environ["PATH"], "LC_ALL": "C.UTF-8"}
    ).stderr
    lines = _ROWER.split("\n")
    owned = [Owned(item, "own", item.place) for item in read_log(log, ())]
    causes = {item.key: item for item in find_causes(owned, lambda file, line: lines[line - 1])}
    assert not [item for item in causes.values() if item.kind == "other"], log.decode()
    wanted = {
        "missing name::OAR_FAST", "missing name::OAR_DEEP", "missing name::oar_launch", "missing name::oar_info",
        "missing name::lanes", "missing member:Boat:mast", "call::oar_row",
    }  # fmt: skip
    assert wanted <= causes.keys(), log.decode()
    assert "missing type::BoatInfo" in causes
    if compiler == "gcc":
        # Variables of the missing type have no members.
        info = causes["no structure::BoatInfo"]
        assert info.count == 2 and info.under == "missing type::BoatInfo"
    # A call on a line with another error declares nothing.
    assert not causes["missing name::oar_launch"].under


def test_implicit_declarations_are_errors_only_next_to_others() -> None:
    warning = "a.c:3:5: warning: implicit declaration of function ‘oar_up’ [-Wimplicit-function-declaration]\n"
    error = "a.c:4:5: error: ‘OAR’ undeclared (first use in this function)\n"
    assert [item.severity for item in read_log(warning.encode(), ())] == ["warning"]
    both = read_log((warning + error).encode(), ())
    assert [item.severity for item in both] == ["error", "error"]
    assert {item.key for item in find_causes([Owned(item, "own", item.place) for item in both])} == {
        "missing name::oar_up",
        "missing name::OAR",
    }


def test_the_last_words_of_a_build_wrapper_count_unless_they_only_refer_to_errors() -> None:
    log = """FAILURE: Build failed with an exception.

* What went wrong:
{said}

* Try:
> Run with --info
"""
    own = "Could not resolve all files.\n> Could not find org.kiln:kiln-api:5.0.\n  Searched in:\n    - file:/x"
    (found,) = read_log(log.format(said=own).encode(), ())
    assert found.message == "Could not find org.kiln:kiln-api:5.0." and found.severity == "error"
    refers = "Execution failed for task ':c'.\n> Compilation failed; see the compiler error output for details."
    assert not read_log(log.format(said=refers).encode(), ())


def test_the_version_of_a_symbol_is_no_part_of_its_name() -> None:
    (found,) = read_log(b"/usr/bin/ld: build/main.o: undefined reference to symbol 'oar_up@@OAR_1.2'\n", ())
    (cause,) = find_causes([Owned(found, "own", found.place)])
    assert cause.key == "link::oar_up"


@pytest.mark.parametrize(
    ("first", "second", "chain", "line"),
    [
        ("import wick_gone", "raise RuntimeError('cannot load') from error", "from", 3),
        ("math.gone()", "raise RuntimeError('cannot load')", "during", 3),
        # Both name a missing symbol: the second was tried because the first failed.
        ("import wick_gone", "math.gone()", "during", 5),
        ("{}['a']", "raise RuntimeError('no a')", "during", 5),
    ],
)
def test_of_chained_exceptions_the_one_that_names_what_is_gone_counts(
    first: str, second: str, chain: str, line: int, tmp_path: Path
) -> None:
    (tmp_path / "game.py").write_text(f"import math\ntry:\n    {first}\nexcept Exception as error:\n    {second}\n")
    log = subprocess.run([sys.executable, "game.py"], cwd=tmp_path, capture_output=True).stderr
    assert (b"direct cause" if chain == "from" else b"During handling") in log
    (found,) = read_log(log, ())
    assert found.place.line == line and len(found.notes) == 1


@pytest.mark.parametrize(
    ("lines", "symbol"),
    [
        (
            [
                "a.cpp:1:2: error: ‘class m::Crab’ has no member named ‘moor’",
                "a.cpp:2:2: error: ‘const m::Crab’ has no member named ‘moor’",
                "a.cpp:3:2: error: no member named 'moor' in 'm::Crab'",
            ],
            "moor",
        ),
        (
            [
                'a.py:1:2: error: "Crab" has no attribute "moor"  [attr-defined]',
                'a.py:2:2: error: "type[Crab]" has no attribute "moor"  [attr-defined]',
            ],
            "moor",
        ),
        (
            [
                "a.ts(1,2): error TS2339: Property 'moor' does not exist on type 'Crab<number>'.",
                "a.ts(2,2): error TS2339: Property 'moor' does not exist on type 'typeof Crab'.",
            ],
            "moor",
        ),
    ],
)
def test_one_class_written_in_several_ways_is_one_cause(lines: list[str], symbol: str) -> None:
    (cause,) = find_causes([Owned(item, "own", item.place) for item in read_diagnostics(lines, ())])
    assert cause.symbol == symbol and cause.count == len(lines) and cause.scope.endswith("Crab")


def test_what_several_classes_lack_since_their_base_lost_it_is_one_cause() -> None:
    lines = [
        f"a.cpp:{at}:2: error: ‘class {name}’ has no member named ‘moor’"
        for at, name in enumerate(("Crab", "Boat", "Quay"), 1)
    ]
    errors = [Owned(item, "own", item.place) for item in read_diagnostics(lines, ())]
    causes = find_causes(errors, owner_of=lambda scope: "" if scope == "Quay" else "m::Actor")
    assert [(item.title, item.count) for item in causes] == [("m::Actor has no moor", 2), ("Quay has no moor", 1)]


@pytest.mark.parametrize(
    ("message", "scope", "symbol"),
    [
        ("no method named `moor` found for struct `Pier<'_, '_>` in the current scope", "Pier", "moor"),
        ("no method named `moor` found for reference `&'a Pier<'a, u8>` in the current scope", "Pier", "moor"),
        ("no method named `moor` found for struct `Pier` in the current scope", "Pier", "moor"),
    ],
)
def test_lifetimes_are_no_part_of_a_type(message: str, scope: str, symbol: str) -> None:
    at = SourcePlace("src/a.rs", 1)
    (cause,) = find_causes([Owned(Diagnostic(at, "error", "E0599", message, "compiler"), "own", at)])
    assert (cause.scope, cause.symbol) == (scope, symbol)
