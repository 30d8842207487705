"""Install the program and the packages it needs into a folder, without anything that only development needs."""

from __future__ import annotations

import compileall
import shutil
import subprocess
import sys
import tomllib
from collections.abc import Sequence
from importlib.metadata import requires
from pathlib import Path

from packaging.requirements import Requirement
from packaging.utils import NormalizedName, canonicalize_name

from package.shared_files import ROOT

# Parts of Qt that the window does not use, by their folders and files in its package.
_UNUSED = (
    "Qt/qml", "Qt/translations/[!q]*", "Qt/translations/qt_*", "Qt/translations/qtdeclarative*",
    "Qt/plugins/qmltooling", "Qt/plugins/sqldrivers", "Qt/plugins/qmllint", "Qt/libexec",
    "Qt/lib/libQt6Qml*", "Qt/lib/libQt6Quick*", "Qt/lib/libQt6Designer*", "Qt/lib/libQt6Sql*", "Qt/lib/libQt6Test*",
    "Qt/lib/libQt6Help*", "QtQml*", "QtQuick*", "QtDesigner*", "QtSql*", "QtTest*", "QtHelp*", "QtUiTools*", "QtConcurrent*",
    "assistant*", "designer*", "linguist*", "lrelease*", "lupdate*", "qml*", "balsam*", "rcc", "uic", "svgtoqml",
    "Assistant*", "Designer*", "Linguist*", "typesystems", "include", "glue", "doc", "scripts", "metatypes", "*.pyi",
)  # fmt: skip


def build_wheel(into: Path) -> Path:
    """Build the wheel and return its path."""
    for old in into.glob("fernshale-*.whl"):
        old.unlink()
    _run([sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--wheel-dir", str(into), str(ROOT)])
    return next(into.glob("fernshale-*.whl"))


def install_into(site: Path, wheel: Path) -> None:
    """Install the wheel and its pinned dependencies into a folder of packages."""
    pins = {
        canonicalize_name(line.partition("==")[0]): line for line in (ROOT / "requirements.txt").read_text().split()
    }
    needed = _closure(_dependencies())
    lines = [pins[name] for name in sorted(needed)]  # a KeyError names what has no pinned version
    pip = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "-q",
        "--disable-pip-version-check",
        "--no-deps",
        "--target",
        str(site),
    ]
    _run([*pip, *lines, str(wheel)])
    for pattern in _UNUSED:
        for path in (site / "PySide6").glob(pattern):
            shutil.rmtree(path) if path.is_dir() else path.unlink()
    for name in ("bin", "share"):  # scripts with the paths of this machine; files for the desktop are put elsewhere
        shutil.rmtree(site / name, ignore_errors=True)
    for path in site.glob("*/tests"):
        shutil.rmtree(path)
    compileall.compile_dir(site, quiet=2, workers=0, stripdir=str(site))


def _dependencies() -> list[str]:
    found: list[str] = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    return found


def _closure(requirements: Sequence[str]) -> set[NormalizedName]:
    """The names of the packages of some requirements and of all that these need, as they are installed here."""
    found: set[NormalizedName] = set()
    todo = list(requirements)
    while todo:
        wanted = Requirement(todo.pop())
        name = canonicalize_name(wanted.name)
        if name not in found and (wanted.marker is None or wanted.marker.evaluate({"extra": ""})):
            found.add(name)
            todo += requires(name) or []
    return found


def _run(command: list[str]) -> None:
    subprocess.run(command, check=True)
