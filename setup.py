"""The parts of the build that pyproject.toml cannot say: the guide inside of the package, and files for the desktop."""

from __future__ import annotations

import shutil
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

_ROOT = Path(__file__).parent
_ID = "org.fernshale.Fernshale"
# Folders below the prefix, and the files in them.
_SHARED = {
    "share/applications": [f"packaging/{_ID}.desktop"],
    "share/metainfo": [f"packaging/{_ID}.metainfo.xml"],
    "share/mime/packages": [f"packaging/{_ID}.mime.xml"],
    "share/man/man1": ["packaging/man/fernshale.1"],
    "share/bash-completion/completions": ["packaging/completions/fernshale"],
    "share/zsh/site-functions": ["packaging/completions/_fernshale"],
    "share/fish/vendor_completions.d": ["packaging/completions/fernshale.fish"],
}


class BuildWithGuide(build_py):
    """Puts the guide and its pictures into the package: the window shows them offline."""

    def run(self) -> None:
        super().run()
        if self.editable_mode:
            return
        docs = Path(self.build_lib) / "fernshale" / "docs"
        shutil.rmtree(docs, ignore_errors=True)
        for name in ("guide", "screenshots"):
            shutil.copytree(_ROOT / "docs" / name, docs / name)
        for path in (_ROOT / "docs").glob("*.md"):
            shutil.copy(path, docs)


setup(cmdclass={"build_py": BuildWithGuide}, data_files=list(_SHARED.items()))
