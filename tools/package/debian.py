"""A Debian package: the program with its packages in a virtual environment below /usr/lib, run by the system's Python."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

from fernshale import __version__
from package.installed import install_into
from package.shared_files import APP_ID, PACKAGING, put_icons

_HOME = "usr/lib/fernshale"
_LIBRARIES = (
    "libegl1", "libgl1", "libxkbcommon0", "libdbus-1-3", "libfontconfig1", "libglib2.0-0", "libxkbcommon-x11-0", "libxcb-cursor0",
    "libxcb-icccm4", "libxcb-keysyms1", "libxcb-shape0", "libxcb-image0", "libxcb-render-util0", "libxcb-xinerama0",
    "libxcb-randr0",
)  # fmt: skip
_SCRIPT = f"""#!/bin/sh
exec /{_HOME}/bin/python3 -m fernshale "$@"
"""
_TRIGGER = """#!/bin/sh
set -e
run() { if command -v "$1" >/dev/null 2>&1; then "$@" || true; fi; }
run update-desktop-database -q
run update-mime-database /usr/share/mime
run gtk-update-icon-cache -qf /usr/share/icons/hicolor
"""


def build_deb(wheel: Path, work: Path, into: Path) -> Path:
    """Build the package from the wheel in a work folder and return its path."""
    shutil.rmtree(work, ignore_errors=True)
    version = f"{sys.version_info.major}.{sys.version_info.minor}"
    home = work / _HOME
    site = home / f"lib/python{version}/site-packages"
    site.mkdir(parents=True)
    install_into(site, wheel)
    (home / "bin").mkdir()
    (home / "bin/python3").symlink_to(f"/usr/bin/python{version}")
    (home / "pyvenv.cfg").write_text(f"home = /usr/bin\ninclude-system-site-packages = false\nversion = {version}\n")
    script = work / "usr/bin/fernshale"
    script.parent.mkdir(parents=True)
    script.write_text(_SCRIPT)
    script.chmod(0o755)
    put_shared(work / "usr/share")
    _write_control(work, version)
    target = into / f"fernshale_{__version__}_{_architecture()}.deb"
    subprocess.run(["dpkg-deb", "--root-owner-group", "-Zxz", "-z2", "--build", str(work), str(target)], check=True)
    return target


def put_shared(share: Path) -> None:
    """Put the desktop entry, its data, the manual page, completions and icons into a `share` folder."""
    for source, place in (
        (f"{APP_ID}.desktop", "applications"),
        (f"{APP_ID}.metainfo.xml", "metainfo"),
        (f"{APP_ID}.mime.xml", "mime/packages"),
        ("man/fernshale.1", "man/man1"),
        ("completions/fernshale", "bash-completion/completions"),
        ("completions/_fernshale", "zsh/vendor-completions"),
        ("completions/fernshale.fish", "fish/vendor_completions.d"),
    ):
        folder = share / place
        folder.mkdir(parents=True, exist_ok=True)
        shutil.copy(PACKAGING / source, folder)
    put_icons(share)


def _write_control(work: Path, version: str) -> None:
    size = sum(path.stat().st_size for path in work.rglob("*") if path.is_file() and not path.is_symlink()) // 1024
    major, minor = map(int, version.split("."))
    needs = [f"python3 (>= {version})", f"python3 (<< {major}.{minor + 1})", *_LIBRARIES]
    folder = work / "DEBIAN"
    folder.mkdir()
    (folder / "control").write_text(
        f"""Package: fernshale
Version: {__version__}
Section: devel
Priority: optional
Architecture: {_architecture()}
Installed-Size: {size}
Maintainer: Fernshale <fernshale@fernshale.example>
Depends: {", ".join(needs)}
Recommends: git, g++, make, fonts-dejavu-core
Description: move a game project to a newer engine release
 Fernshale keeps the original safe, merges updated plugin folders without losing
 a local edit, points the project at the new release everywhere, and builds in
 rounds until the game compiles, runs and behaves as before.
"""
    )
    for name in ("postinst", "postrm"):
        (folder / name).write_text(_TRIGGER)
        (folder / name).chmod(0o755)
    document = work / "usr/share/doc/fernshale"
    document.mkdir(parents=True)
    shutil.copy(PACKAGING.parent / "LICENSE", document / "copyright")


def _architecture() -> str:
    done = subprocess.run(["dpkg", "--print-architecture"], capture_output=True, text=True, check=True)
    return done.stdout.strip()
