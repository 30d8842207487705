"""What real tools print for small faults, and what is to be read there: (file, line, column, severity, code)."""

from __future__ import annotations

from typing import NamedTuple


class Snippet(NamedTuple):
    tool: str
    text: str
    expected: tuple[tuple[str, int, int, str, str], ...]
    notes: int = 0


SNIPPETS = (
    Snippet(
        "gcc",
        """\
In file included from b.cpp:1:
h.hpp: In instantiation of ‘int V<T>::n() [with T = int]’:
b.cpp:6:58:   required from here
h.hpp:4:54: error: request for member ‘nothing’ in ‘((V<int>*)this)->V<int>::t’, which is of non-class type ‘int’
    4 | template<class T> struct V { T t; int n() { return t.nothing(); } };
      |                                                    ~~^~~~~~~
b.cpp: In function ‘int unused()’:
b.cpp:5:46: error: too few arguments to function ‘int f(int, int)’
    5 | int unused() { int q; return f(1); }
      |                              ~^~~
b.cpp:4:5: note: declared here
    4 | int f(int a, int b);
      |     ^
b.cpp:5:20: warning: unused variable ‘q’ [-Wunused-variable]
    5 | int unused() { int q; return f(1); }
      |                    ^
""",
        (
            ("h.hpp", 4, 54, "error", ""),
            ("b.cpp", 5, 46, "error", ""),
            ("b.cpp", 5, 20, "warning", "-Wunused-variable"),
        ),
        1,
    ),
    Snippet(
        "clang",
        """\
In file included from a.cpp:1:
./h.hpp:2:10: fatal error: 'gone.hpp' file not found
#include "gone.hpp"
         ^~~~~~~~~~
1 error generated.
c.cpp:3:30: error: non-virtual member function marked 'override' hides virtual member function
struct D : B { void go(long) override; };
                             ^
./h2.hpp:3:25: note: hidden overloaded virtual function 'B::go' declared here
struct B { virtual void go(int) = 0; };
                        ^
""",
        (("./h.hpp", 2, 10, "error", ""), ("c.cpp", 3, 30, "error", "")),
        1,
    ),
    Snippet(
        "gcc as JSON",
        """\
[{"kind": "error", "children": [{"kind": "note", "locations": [{"caret": {"line": 3, "file": "h.hpp", "column": 8}}], \
"message": "  here"}], "locations": [{"caret": {"line": 5, "file": "j.cpp", "column": 23}}], "message": "‘x’ was not declared"}, \
{"kind": "warning", "locations": [{"caret": {"line": 6, "file": "j.cpp", "column": 2}}], "option": "-Wall", "children": [], \
"message": "w"}]
""",
        (("j.cpp", 5, 23, "error", ""), ("j.cpp", 6, 2, "warning", "-Wall")),
        1,
    ),
    Snippet(
        "SARIF",
        """\
{
  "version": "2.1.0",
  "runs": [
    {"tool": {"driver": {"name": "t", "rules": [{"id": "R1", "defaultConfiguration": {"level": "error"}}]}},
     "results": [
      {"ruleId": "R1", "message": {"text": "a [bracket] \\"quoted\\" }"},
       "locations": [{"physicalLocation": {"artifactLocation": {"uri": "src/a%20b.c"}, "region": {"startLine": 7}}}]},
      {"ruleId": "R2", "level": "note", "message": {"text": "n"}, "locations": []}
     ]}
  ]
}
""",
        (("src/a b.c", 7, 0, "error", "R1"),),
    ),
    Snippet(
        "GNU ld",
        """\
/usr/bin/ld: l2.o: in function `two()':
/game/l2.cpp:1: multiple definition of `two()'; l.o:/game/l.cpp:2: first defined here
/usr/bin/ld: l.o: in function `main':
/game/l.cpp:3: undefined reference to `miss()'
/usr/bin/ld: /game/l.cpp:4: undefined reference to `gone'
/usr/bin/ld: m.o:(.data+0x0): undefined reference to `late'
collect2: error: ld returned 1 exit status
""",
        (
            ("/game/l2.cpp", 1, 0, "error", ""),
            ("/game/l.cpp", 3, 0, "error", ""),
            ("/game/l.cpp", 4, 0, "error", ""),
            ("m.o", 0, 0, "error", ""),
        ),
    ),
    Snippet(
        "GNU ld, without lines",
        """\
/usr/bin/ld: /tmp/cc1.o: in function `lamp':
l.c:(.text+0xa): undefined reference to `miss'
/usr/bin/ld: l.o: in function `lamp':
(.text+0xa): undefined reference to `gone'
/usr/bin/ld: /tmp/cc2.ltrans0.ltrans.o: in function `lamp':
<artificial>:(.text+0xa): undefined reference to `late'
collect2: error: ld returned 1 exit status
""",
        (("l.c", 0, 0, "error", ""), ("", 0, 0, "error", ""), ("", 0, 0, "error", "")),
    ),
    Snippet(
        "a linker that lists symbols",
        """\
Undefined symbols for architecture x86_64:
  "_miss", referenced from:
      _lamp in l.o
      _main in m.o
  "rush::gone(int)", referenced from:
      _main in m.o
ld: symbol(s) not found for architecture x86_64
clang: error: linker command failed with exit code 1 (use -v to see invocation)
""",
        (("l.o", 0, 0, "error", ""), ("m.o", 0, 0, "error", "")),
        3,
    ),
    Snippet(
        "lld",
        """\
ld.lld: error: undefined symbol: miss()
>>> referenced by l.cpp:3 (/game/l.cpp:3)
>>>               l.o:(main)
ld.lld: error: duplicate symbol: two()
>>> defined at l.cpp:2 (/game/l.cpp:2)
>>>            l.o:(two())
>>> defined at l2.cpp:1 (/game/l2.cpp:1)
>>>            l2.o:(.text+0x0)
""",
        (("/game/l.cpp", 3, 0, "error", ""), ("/game/l2.cpp", 1, 0, "error", "")),
        1,
    ),
    Snippet(
        "characters",
        """\
src/Main.hx:12: characters 8-20 : Unknown identifier : glow
src/Main.hx:14: lines 14-16 : Type not found : wick.Lamp
src/Main.hx:22: characters 1-4 : Warning : Unused
""",
        (
            ("src/Main.hx", 12, 8, "error", ""),
            ("src/Main.hx", 14, 0, "error", ""),
            ("src/Main.hx", 22, 1, "warning", ""),
        ),
    ),
    Snippet(
        "build wrapper",
        """\
FAILURE: Build failed with an exception.

* Where:
Build file '/game/build.gradle' line: 12

* What went wrong:
A problem occurred evaluating root project 'game'.
> Could not find method compile() for arguments [wick] on object of type Handler.

* Try:
> Run with --stacktrace
""",
        (("/game/build.gradle", 12, 0, "error", ""),),
    ),
    Snippet(
        "brackets",
        """\
1>src\\pier.cpp(12): error C2065: 'keepr': undeclared identifier [game.vcxproj]
2>pier.obj : error LNK2019: unresolved external symbol "void __cdecl miss(void)" referenced in function main
Program.cs(12,5): warning CS0618: 'A.Old()' is obsolete: 'Use New' [/game/game.csproj]
sky.hlsl(3,5-9): error X3004: undeclared identifier 'glow'
""",
        (
            ("src\\pier.cpp", 12, 0, "error", "C2065"),
            ("pier.obj", 0, 0, "error", "LNK2019"),
            ("Program.cs", 12, 5, "warning", "CS0618"),
            ("sky.hlsl", 3, 5, "error", "X3004"),
        ),
    ),
    Snippet(
        "TypeScript",
        """\
a.ts(3,7): error TS2741: Property 'b' is missing in type '{ a: number; }' but required in type 'P'.
b.ts(4,1): error TS2345: Argument of type 'A' is not assignable to parameter of type 'B'.
  Types of property 'x' are incompatible.
    Type 'number' is not assignable to type 'string'.
\x1b[96mc.ts\x1b[0m:\x1b[93m5\x1b[0m:\x1b[93m1\x1b[0m - \x1b[91merror\x1b[0m\x1b[90m TS2554: \x1b[0mExpected 2 arguments, but got 1.

\x1b[7m5\x1b[0m f(1);
\x1b[7m \x1b[0m \x1b[91m~\x1b[0m

  \x1b[96mc.ts\x1b[0m:\x1b[93m4\x1b[0m:\x1b[93m23\x1b[0m
    \x1b[7m4\x1b[0m function f(a: number, b: string) { return a; }
    \x1b[7m \x1b[0m \x1b[96m                      ~~~~~~~~~\x1b[0m
    An argument for 'b' was not provided.

Found 1 error in c.ts\x1b[90m:5\x1b[0m
""",
        (("a.ts", 3, 7, "error", "TS2741"), ("b.ts", 4, 1, "error", "TS2345"), ("c.ts", 5, 1, "error", "TS2554")),
        3,
    ),
    Snippet(
        "javac",
        """\
Foo.java:2: error: cannot find symbol
public class Foo extends Bar {
                         ^
  symbol: class Bar
Foo.java:4: error: cannot find symbol
    int x() { return undefined + s.foo(); }
                     ^
  symbol:   variable undefined
  location: class Foo
Foo.java:4: error: cannot find symbol
    int x() { return undefined + s.foo(); }
                                  ^
  symbol:   method foo()
  location: variable s of type String
Note: Some input files use unchecked or unsafe operations.
3 errors
""",
        (("Foo.java", 2, 26, "error", ""), ("Foo.java", 4, 22, "error", ""), ("Foo.java", 4, 35, "error", "")),
        5,
    ),
    Snippet(
        "a JVM build tool",
        """\
[INFO] --- compile ---
[ERROR] COMPILATION ERROR :
[ERROR] /game/src/Pier.java:[3,5] cannot find symbol
[ERROR]   symbol:   class Keeper
[ERROR]   location: package harbour
[WARNING] /game/src/Pier.java:[9,1] [deprecation] old() in Foo has been deprecated
[ERROR] Failed to execute goal x:compile (default-compile) on project game: Compilation failure
[error] /game/src/Sea.scala:7:3: value wave is not a member of Tide
e: file:///game/src/Net.kt:3:5 Unresolved reference: mesh
w: /game/src/Net.kt: (4, 6): Variable 'y' is never used
    [javac] /game/src/Old.java:1: error: class, interface, or enum expected
    [javac] import java
    [javac] ^
""",
        (
            ("/game/src/Pier.java", 3, 5, "error", ""),
            ("/game/src/Pier.java", 9, 1, "warning", ""),
            ("/game/src/Sea.scala", 7, 3, "error", ""),
            ("/game/src/Net.kt", 3, 5, "error", ""),
            ("/game/src/Net.kt", 4, 6, "warning", ""),
            ("/game/src/Old.java", 1, 1, "error", ""),
        ),
        2,
    ),
    Snippet(
        "rustc",
        """\
   Compiling game v0.1.0 (/game)
error[E0308]: mismatched types
 --> src/main.rs:8:7
  |
8 |     f("a");
  |     - ^^^ expected `i32`, found `&str`
  |
note: function defined here
 --> src/main.rs:3:4
  |
3 | fn f(x: i32) -> i32 { x }
  |    ^ ------

warning: unused variable: `unused`
 --> src/main.rs:6:9
  |
6 |     let unused = 3;
  |         ^^^^^^ help: if this is intentional, prefix it with an underscore: `_unused`
  |
  = note: `#[warn(unused_variables)]` on by default

error[E0425]: cannot find function `g` in this scope
 --> src/main.rs:9:5
...
9 |     g();
  |     ^

error: aborting due to 2 previous errors; 1 warning emitted

error: could not compile `game` (bin "game") due to 2 previous errors
""",
        (
            ("src/main.rs", 8, 7, "error", "E0308"),
            ("src/main.rs", 6, 9, "warning", ""),
            ("src/main.rs", 9, 5, "error", "E0425"),
        ),
        2,
    ),
    Snippet(
        "rustc as JSON",
        """\
{"$message_type":"diagnostic","message":"no field `b` on type `S`","code":{"code":"E0609","explanation":"x"},"level":"error",\
"spans":[{"file_name":"m.rs","line_start":7,"line_end":7,"column_start":22,"column_end":23,"is_primary":true,"label":"unknown"}],\
"children":[],"rendered":"..."}
{"$message_type":"diagnostic","message":"aborting due to 1 previous error","code":null,"level":"error","spans":[],"children":[],\
"rendered":"..."}
{"reason":"build-finished","success":false}
""",
        (("m.rs", 7, 22, "error", "E0609"),),
    ),
    Snippet(
        "mypy",
        """\
m.py:10: error: Signature of "g" incompatible with supertype "A"  [override]
m.py:10: note:      Superclass:
m.py:10: note:          def g(self) -> int
n.py:4:12:4:12: error: Incompatible return value type (got "int", expected
"str")  [return-value]
        return a
               ^
{"file": "o.py", "line": 5, "column": 2, "message": "Argument 1", "hint": null, "code": "arg-type", "severity": "error"}
Found 3 errors in 3 files (checked 3 source files)
""",
        (
            ("m.py", 10, 0, "error", "override"),
            ("n.py", 4, 12, "error", "return-value"),
            ("o.py", 5, 3, "error", "arg-type"),
        ),
        2,
    ),
    Snippet(
        "pyright",
        """\
/game/m.py
  /game/m.py:4:12 - error: Type "int" is not assignable to return type "str"
    "int" is not assignable to "str" (reportReturnType)
  /game/m.py:11:1 - warning: Expression value is unused (reportUnusedExpression)
1 error, 1 warning, 0 informations
""",
        (
            ("/game/m.py", 4, 12, "error", "reportReturnType"),
            ("/game/m.py", 11, 1, "warning", "reportUnusedExpression"),
        ),
        1,
    ),
    Snippet(
        "Python",
        """\
Traceback (most recent call last):
  File "/game/tb.py", line 5, in f
    g(1)
  File "/game/tb.py", line 2, in g
    return {}[x]
           ~~^^^
KeyError: 1

The above exception was the direct cause of the following exception:

Traceback (most recent call last):
  File "/game/tb.py", line 8, in <module>
    f()
  File "/game/tb.py", line 7, in f
    raise ValueError("bad") from e
ValueError: bad
  File "/game/syn.py", line 3
    def f(:
          ^
SyntaxError: invalid syntax
""",
        (("/game/tb.py", 7, 0, "error", "ValueError"), ("/game/syn.py", 3, 0, "error", "SyntaxError")),
        1,
    ),
    Snippet(
        "node",
        """\
/game/e.js:1
function a(x) { return x.y.z; }
                           ^

TypeError: Cannot read properties of undefined (reading 'z')
    at a (/game/e.js:1:28)
    at Object.<anonymous> (/game/e.js:3:1)
    at node:internal/main/run_main_module:28:49

Node.js v20.20.2
""",
        (("/game/e.js", 1, 28, "error", "TypeError"),),
    ),
    Snippet(
        "JVM",
        """\
Exception in thread "main" java.lang.IllegalStateException: wrapped
\tat Crash.main(Crash.java:4)
Caused by: java.lang.NullPointerException: Cannot invoke "Object.toString()"
\tat Crash.f(Crash.java:1)
\t... 1 more
""",
        (("Crash.java", 4, 0, "error", "IllegalStateException"),),
        1,
    ),
    Snippet(
        "cmake",
        """\
CMake Deprecation Warning at CMakeLists.txt:1 (cmake_minimum_required):
  Compatibility with CMake < 2.8.12 will be removed from a future version of
  CMake.

  Update the VERSION argument.


-- Detecting CXX compile features - done
CMake Error at sub.cmake:4 (message):
  inner error here
Call Stack (most recent call first):
  sub.cmake:6 (foo)
  CMakeLists.txt:4 (include)


-- Configuring incomplete, errors occurred!
""",
        (("CMakeLists.txt", 1, 0, "warning", ""), ("sub.cmake", 4, 0, "error", "")),
    ),
    Snippet(
        "make and ninja",
        """\
make: *** No rule to make target 'nothing', needed by 'c'.  Stop.
Makefile3:2: *** missing separator.  Stop.
[1/2] g++ -c a.cpp -o a.o
FAILED: a.o
ninja: error: bad.ninja:1: unknown build rule 'nope'
ninja: error: 'z', needed by 'q', missing and no known rule to make it
""",
        (
            ("", 0, 0, "error", ""),
            ("Makefile3", 2, 0, "error", ""),
            ("bad.ninja", 1, 0, "error", ""),
            ("", 0, 0, "error", ""),
        ),
    ),
    Snippet(
        "shader checkers",
        """\
sky.vert
ERROR: 0:2: 'x' : undeclared identifier
ERROR: lamp.frag:9: 'y' : undeclared identifier
glow.glim:3:7: error: no function 'glow'
error: no definition in scope for identifier: `foo`
  ┌─ mist.wgsl:3:5
  │
3 │     foo();
  │     ^^^ unknown identifier
""",
        (
            ("sky.vert", 2, 0, "error", ""),
            ("lamp.frag", 9, 0, "error", ""),
            ("glow.glim", 3, 7, "error", ""),
            ("mist.wgsl", 3, 5, "error", ""),
        ),
    ),
)
