"""Files for the desktop and the shell that are made: the manual page, completions, icons in all sizes."""

from __future__ import annotations

import os
import re
import shutil
from pathlib import Path

from package.completions import bash_completion, fish_completion, zsh_completion
from package.man_page import man_page

ROOT = Path(__file__).parents[2]
PACKAGING = ROOT / "packaging"
APP_ID = "org.fernshale.Fernshale"
_ICON = ROOT / "fernshale/app/icons/fernshale.svg"
_SIZES = (16, 24, 32, 48, 64, 128, 256, 512)
_METAINFO = PACKAGING / f"{APP_ID}.metainfo.xml"


def release_date() -> str:
    """The date of the newest release, from the data for software centres."""
    found = re.search(r'<release version="[^"]+" date="([^"]+)"', _METAINFO.read_text())
    assert found is not None
    return found[1]


def made_files() -> dict[Path, str]:
    """The text of every file in `packaging` that is made from the command line."""
    return {
        PACKAGING / "man/fernshale.1": man_page(release_date()),
        PACKAGING / "completions/fernshale": bash_completion(),
        PACKAGING / "completions/_fernshale": zsh_completion(),
        PACKAGING / "completions/fernshale.fish": fish_completion(),
    }


def refresh() -> None:
    """Write the made files again."""
    for path, text in made_files().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)


def put_icons(share: Path) -> None:
    """Put the icon into a `share` folder, as SVG and in all sizes."""
    scalable = share / "icons/hicolor/scalable/apps"
    scalable.mkdir(parents=True, exist_ok=True)
    shutil.copy(_ICON, scalable / f"{APP_ID}.svg")
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtGui import QGuiApplication, QImage, QPainter
    from PySide6.QtSvg import QSvgRenderer

    app = QGuiApplication.instance() or QGuiApplication(["icons"])
    renderer = QSvgRenderer(str(_ICON))
    for size in _SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        renderer.render(painter)
        painter.end()
        folder = share / f"icons/hicolor/{size}x{size}/apps"
        folder.mkdir(parents=True, exist_ok=True)
        image.save(str(folder / f"{APP_ID}.png"))
    del app
