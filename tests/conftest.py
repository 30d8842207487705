"""What all tests share: a home of their own, trees from a few words, the sample."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

import pytest
from hypothesis import settings

from fernshale.core.base.work import CancelToken

Tree = Callable[..., Path]

# Machines here are noisy: how long an example takes says nothing about the code.
settings.register_profile("house", deadline=None)
settings.load_profile("house")


@pytest.fixture(autouse=True)
def _own_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """No test sees or touches the user's crossings, store and settings."""
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("FERNSHALE_HOME", str(home))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home / "config"))
    yield


@pytest.fixture
def token() -> CancelToken:
    return CancelToken()


@pytest.fixture
def tree(tmp_path: Path) -> Tree:
    """`tree("mine", {"a.h": "..."})` makes a folder with these files; a value of None makes an empty folder."""

    def make(name: str, files: Mapping[str, str | bytes | None]) -> Path:
        root = tmp_path / name
        root.mkdir(parents=True, exist_ok=True)
        for path, content in files.items():
            place = root / path
            if content is None:
                place.mkdir(parents=True, exist_ok=True)
                continue
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(content if isinstance(content, bytes) else content.encode())
        return root

    return make


def listing(root: Path) -> dict[str, object]:
    """Everything below `root` that a restore or an undo has to bring back."""
    found: dict[str, object] = {}
    for folder, folders, files in os.walk(os.fsencode(root)):
        for name in (*folders, *files):
            place = os.path.join(folder, name)
            path = os.fsdecode(os.path.relpath(place, os.fsencode(root)))
            status = os.lstat(place)
            if os.path.islink(place):
                found[path] = ("link", os.readlink(place))
            elif os.path.isdir(place):
                found[path] = ("folder", status.st_mode)
            else:
                with open(place, "rb") as file:
                    found[path] = (file.read(), status.st_mode)
    return found


@contextmanager
def not_root() -> Iterator[None]:
    """As a user whom the modes of files concern."""
    if os.geteuid() != 0:
        yield
        return
    os.seteuid(65534)
    try:
        yield
    finally:
        os.seteuid(0)


# Whole programs, kills and rehearsals, which take seconds each.
_LONG = ("tests/test_sample.py", "tests/test_other_engines.py", "tests/faults/", "tests/hostile/", "tests/core/crossing/flow/",
         "tests/app/test_translations.py")  # fmt: skip


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest goes first, so that no processor waits for it at the end."""
    items.sort(key=lambda item: not item.nodeid.startswith(_LONG))
