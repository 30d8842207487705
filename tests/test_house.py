"""The rules of the house: who may import whom, and what the core must not know."""

from __future__ import annotations

import ast
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

import fernshale

_ROOT = Path(fernshale.__file__).parent
_FLOORS = (
    ("base",),
    ("data",),
    ("process", "profile"),
    ("snapshot",),
    ("change", "survey"),
    ("profile.authoring",),
    ("route", "merge", "engine", "build", "drift", "fix", "links", "trial"),
    ("inference",),
    ("crossing.record",),
    ("crossing.project",),
    ("crossing.rules", "crossing.deferred"),
    tuple(f"crossing.stages.{name}" for name in ("survey", "route", "plugins", "engine", "build", "links", "trial")),
    ("crossing.stages.overview",),
    ("crossing.reporting",),
    ("crossing.flow",),
)
_FLOOR = {name: number for number, names in enumerate(_FLOORS) for name in names}


def _room(module: str) -> str:
    """The room of a core module: the longest name of a floor that its path begins with."""
    inside = module.removeprefix("fernshale.core.")
    return max((name for name in _FLOOR if f"{inside}.".startswith(f"{name}.")), key=len)


def _imports(path: Path) -> Iterator[str]:
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield node.module
        elif isinstance(node, ast.Import):
            yield from (name.name for name in node.names)


def _core_modules() -> list[Path]:
    return [path for path in sorted((_ROOT / "core").rglob("*.py")) if path.parent.name != "core"]


@pytest.mark.parametrize("path", _core_modules(), ids=lambda path: str(path.relative_to(_ROOT)))
def test_core_room_imports_only_rooms_below_it(path: Path) -> None:
    module = ".".join(path.relative_to(_ROOT.parent).with_suffix("").parts).removesuffix(".__init__")
    if module in ("fernshale.core.crossing", "fernshale.core.crossing.stages"):
        assert not list(_imports(path)), "a folder of rooms holds no code"
        return
    here = _room(module)
    for name in _imports(path):
        parts = name.split(".")
        if parts[:2] != ["fernshale", "core"]:
            assert parts[0] not in ("PySide6", "shiboken6")
            assert parts[:2] not in (["fernshale", "app"], ["fernshale", "cli"], ["fernshale", "sample"])
        elif _room(name) != here:
            assert _FLOOR[_room(name)] < _FLOOR[here], f"{here} must not import {name}"


def test_pages_do_not_import_one_another() -> None:
    pages = _ROOT / "app" / "pages"
    for path in pages.rglob("*.py"):
        own = path.relative_to(pages).with_suffix("").parts[0]
        others = {name.split(".")[3] for name in _imports(path) if name.startswith("fernshale.app.pages.")}
        assert others <= {"base", own}, path.name


def test_widgets_and_session_know_no_page() -> None:
    for path in [*(_ROOT / "app" / "widgets").glob("*.py"), _ROOT / "app" / "session.py", _ROOT / "app" / "jobs.py"]:
        assert not [name for name in _imports(path) if ".pages" in name or name.endswith(".window")]


def test_every_test_module_is_collected(pytestconfig: pytest.Config) -> None:
    tests = _ROOT.parent / "tests"
    folders = {part for path in tests.rglob("test_*.py") for part in path.relative_to(tests).parts[:-1]}
    assert "build" in folders and not folders & set(pytestconfig.getini("norecursedirs"))


# More parameters than this are values that belong together and lack a name.
_MAX_PARAMETERS = 6


def test_no_function_has_many_parameters() -> None:
    found = []
    for path in sorted(_ROOT.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                given = [item.arg for item in (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs)]
                count = len(given) - (given[:1] in (["self"], ["cls"]))
                if count > _MAX_PARAMETERS:
                    found.append(f"{path.relative_to(_ROOT)}:{node.lineno} {node.name} has {count}")
    assert not found


def test_core_prints_nothing() -> None:
    for path in _core_modules():
        calls = [node for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.Call)]
        assert not [call for call in calls if isinstance(call.func, ast.Name) and call.func.id == "print"], path


def test_core_and_command_line_work_without_qt() -> None:
    blocked = (
        "import sys\n"
        "class Block:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in ('PySide6', 'shiboken6'): raise ImportError(name)\n"
        "sys.meta_path.insert(0, Block())\n"
        "import importlib, pkgutil, fernshale.core, fernshale.cli\n"
        "for package in (fernshale.core, fernshale.cli):\n"
        "    for found in pkgutil.walk_packages(package.__path__, package.__name__ + '.'):\n"
        "        importlib.import_module(found.name)\n"
    )
    done = subprocess.run([sys.executable, "-c", blocked], capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stderr


def test_core_knows_no_engine_by_name() -> None:
    """What ships as the sample is known to its own folder alone."""
    for folder in ("core", "cli", "app"):
        for path in (_ROOT / folder).rglob("*.py"):
            text = path.read_text().lower()
            assert not [
                word
                for word in ("merelith", "tidetable", "gullvoice", "nine-piers", "osier", "quayside")
                if word in text
            ], path


def test_light_commands_import_nothing_heavy() -> None:
    code = (
        "import sys; sys.argv = ['fernshale', '--help']\n"
        "try:\n    import fernshale.__main__ as m; m.main()\nexcept SystemExit: pass\n"
        "heavy = {'PySide6', 'numpy', 'scipy', 'pydantic', 'tree_sitter', 'rapidfuzz'} & set(sys.modules)\n"
        "assert not heavy, heavy"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stderr


def _modules() -> dict[str, set[str]]:
    """The modules of Fernshale with the modules each imports, also those that a function or a type check imports."""
    names = {}
    for path in _ROOT.rglob("*.py"):
        if "data" not in path.relative_to(_ROOT).parts[1:2] or "sample" not in path.parts:
            names[".".join(path.relative_to(_ROOT.parent).with_suffix("").parts).removesuffix(".__init__")] = path
    graph = {}
    for name, path in names.items():
        found = set()
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module:
                found |= {
                    f"{node.module}.{item.name}" if f"{node.module}.{item.name}" in names else node.module
                    for item in node.names
                }
            elif isinstance(node, ast.Import):
                found |= {item.name for item in node.names}
        graph[name] = {item for item in found if item in names and item != name}
    return graph


def test_no_module_imports_itself_by_way_of_others() -> None:
    graph, seen = _modules(), set()

    def walk(name: str, way: tuple[str, ...]) -> None:
        assert name not in way, " -> ".join((*way[way.index(name) :], name))
        if name not in seen:
            for other in sorted(graph[name]):
                walk(other, (*way, name))
            seen.add(name)

    for name in sorted(graph):
        walk(name, ())
