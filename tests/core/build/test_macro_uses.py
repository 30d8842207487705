"""Errors in the code of a macro of the engine belong to the places where the project uses the macro."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause, find_causes
from fernshale.core.build.owners import Owned, OwnerContext, find_owners
from fernshale.core.build.path_mapping import ProjectFiles
from fernshale.core.build.reading import log_reader, read_log

# A release can leave a name behind that only says, in a compiler's error, what became of it.
_ENGINE = """\
typedef struct OarCondition OarCondition;
#define OAR_CLOSE OAR_CLOSE_is_now_OAR_EVENT_CLOSE
#define OarSignal OarSignal_is_now_OarCondition
#define oar_wait oar_wait_is_now_oar_await
#define OAR_FLAGS (OAR_CLOSE | 1)
#define OAR_CALL(value) ((value) + 1)
"""
_LOCAL = """\
#define LOCAL_CLOSE OUR_CLOSE
"""
_GAME = """\
#include "oar.h"
#include "local.h"
OarSignal *signal_of(int event) {
    switch (event) {
        case OAR_CLOSE: return 0;
    }
\tif (event == OAR_CLOSE) return 0;
    int both = OAR_FLAGS | LOCAL_CLOSE;
    int more = LOCAL_CLOSE;
    oar_wait(OAR_CALL(unknown_here));
    OarSignal *third;
    return 0;
}
void later(OarSignal *first, OarSignal *second) { int both = OAR_CLOSE; }
"""


def _project(folder: Path) -> OwnerContext:
    (folder / "engine").mkdir()
    (folder / "game").mkdir()
    (folder / "engine" / "oar.h").write_text(_ENGINE)
    (folder / "game" / "local.h").write_text(_LOCAL)
    for name in ("a.c", "b.c"):
        (folder / "game" / name).write_text(_GAME)
    game = folder / "game"
    files = ProjectFiles(game, ["a.c", "b.c", "local.h"])
    return OwnerContext(
        game, files, folder / "engine", (), (("tide", TreePath("tide")),), lambda path: "own", lambda path, line: line
    )


def _log(compiler: str, folder: Path) -> bytes:
    words = [compiler, "-std=gnu99", "-fsyntax-only", "-Werror=implicit-function-declaration", "-I../engine"]
    run = lambda name: subprocess.run(  # noqa: E731
        [*words, name], cwd=folder / "game", capture_output=True, env={"PATH": os.environ["PATH"], "LC_ALL": "C.UTF-8"}
    )
    return b"".join(run(name).stderr for name in ("a.c", "b.c"))


def _causes(owned: tuple[Owned, ...], folder: Path, lines: bool) -> dict[str, Cause]:
    def line_of(file: str, line: int) -> str:
        return (folder / "game" / file).read_text().split("\n")[line - 1] if lines and line else ""

    return {cause.key: cause for cause in find_causes(owned, line_of)}


@pytest.mark.parametrize("compiler", ["gcc", "clang"])
@pytest.mark.parametrize("is_long", [False, True])
def test_a_name_that_a_macro_of_the_engine_lacks_is_reported_where_the_project_uses_the_macro(
    compiler: str, is_long: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if shutil.which(compiler) is None:
        pytest.skip(f"needs {compiler}")
    if is_long:
        monkeypatch.setattr(log_reader, "_LONG", 0)
    context = _project(tmp_path)
    owned = find_owners(read_log(_log(compiler, tmp_path), ()), context)
    causes = _causes(owned, tmp_path, lines=True)
    assert {error.owner for cause in causes.values() for error in cause.errors} == {"own"}
    places = {
        key: {(error.place.file, error.place.line) for error in cause.errors if error.place.file != "b.c"}
        for key, cause in causes.items()
    }
    signal = causes["missing type::OarSignal"]
    assert signal.title == "OarSignal expands to OarSignal_is_now_OarCondition, which is not declared"
    assert places["missing type::OarSignal"] >= {("a.c", 3), ("a.c", 11), ("a.c", 14)}
    assert "missing name::OarSignal" not in causes
    assert places["missing name::oar_wait"] == {("a.c", 10)}
    assert places["missing name::unknown_here"] == {("a.c", 10)}
    # Compilers of C report an undeclared name once in each function.
    assert ("a.c", 5) in places["missing name::OAR_CLOSE"]
    # The project's own macro is changed where it is defined.
    own = causes["missing name::OUR_CLOSE"]
    assert own.title == "OUR_CLOSE is not declared"
    if compiler == "gcc":
        assert {error.place.file for error in own.errors} == {"local.h"} and own.count == 1


def test_a_long_log_is_read_like_a_short_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    _project(tmp_path)
    log = _log("gcc", tmp_path) * 3
    short = read_log(log, ())
    monkeypatch.setattr(log_reader, "_LONG", 0)
    assert sorted(map(repr, read_log(log, ()))) == sorted(map(repr, short))


def test_without_the_sources_the_note_of_the_compiler_names_the_macro(tmp_path: Path) -> None:
    context = _project(tmp_path)
    owned = find_owners(read_log(_log("gcc", tmp_path), ()), context)
    assert {"missing type::OarSignal", "missing name::OAR_CLOSE", "missing name::oar_wait"} <= _causes(
        owned, tmp_path, lines=False
    ).keys()
