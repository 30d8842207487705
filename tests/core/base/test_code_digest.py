"""What was kept by other code is not used: the digest changes with every module and table of its rooms."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from fernshale.core.base import code_digest as module


@pytest.mark.parametrize(
    ("changed", "is_other"),
    [
        ("base/confidence.py", True),
        ("drift/weights.toml", True),
        ("drift/parsing/java.py", True),
        ("merge/align.py", False),
    ],
)
def test_digest(changed: str, is_other: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    core = tmp_path / "core"
    shutil.copytree(Path(module.__file__).parents[1], core, ignore=shutil.ignore_patterns("__pycache__"))
    monkeypatch.setattr(module, "__file__", str(core / "base" / "code_digest.py"))
    before = module.code_digest.__wrapped__("drift")
    (core / changed).write_text((core / changed).read_text() + "\n# later\n")
    assert (module.code_digest.__wrapped__("drift") != before) == is_other
