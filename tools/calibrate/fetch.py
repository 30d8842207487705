"""Fetch the releases of the libraries with the clients of their registries and unpack their sources."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tarfile
import tomllib
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

_LIST = Path(__file__).with_name("libraries.toml")
_SECONDS = 900


@dataclass(frozen=True)
class Library:
    """A library and its releases, oldest first, as their client names them."""

    name: str
    language: str
    client: str
    releases: tuple[str, ...]
    inside: tuple[str, ...] = ()


def list_libraries(only: frozenset[str] = frozenset()) -> tuple[Library, ...]:
    """The libraries of `libraries.toml`, or those of them that are named."""
    read = tomllib.loads(_LIST.read_text())["pair"]
    made = [
        Library(**{**item, "releases": tuple(item["releases"]), "inside": tuple(item.get("inside", ()))})
        for item in read
    ]
    return tuple(item for item in made if not only or item.name in only)


def fetch(library: Library, folder: Path) -> tuple[Path, ...]:
    """Return the folder of each release, fetched if it is not there. Raises RuntimeError if the client fails."""
    return tuple(
        _fetch_release(library, release, folder / library.name / _safe(release)) for release in library.releases
    )


def _fetch_release(library: Library, release: str, place: Path) -> Path:
    if place.is_dir():
        return place
    raw = place.with_name(place.name + ".raw")
    shutil.rmtree(raw, ignore_errors=True)
    raw.mkdir(parents=True)
    archive = _CLIENTS[library.client](release, raw)
    unpacked = raw / "unpacked"
    _unpack(archive, unpacked)
    inner = list(unpacked.iterdir())
    if archive.suffix != ".deb" and archive.suffix != ".whl" and len(inner) == 1 and inner[0].is_dir():
        unpacked = inner[0]  # sources have a folder with the number of the release
    half = place.with_name(place.name + ".half")
    shutil.rmtree(half, ignore_errors=True)
    half.mkdir()
    for part in library.inside or (".",):
        source = unpacked / part
        if source.is_dir():
            shutil.copytree(source, half / part, symlinks=True, dirs_exist_ok=True)
        elif source.is_file():
            (half / part).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(source, half / part)
    shutil.rmtree(raw)
    half.rename(place)
    return place


_SOURCES = ("--no-binary=:all:",)
_WHEELS = tuple(("--only-binary=:all:", "--python-version", version) for version in ("3.11", "3.8", "3.7"))


def _pip(release: str, folder: Path, ways: Sequence[Sequence[str]] = (*_WHEELS, _SOURCES)) -> Path:
    """Fetch with the first of some sets of options that finds the release."""
    pip = [sys.executable, "-m", "pip", "download", "-q", "--no-deps", "--disable-pip-version-check", "-d", str(folder)]
    said = ""
    for options in ways:
        done = _run([*pip, *options, release], folder)
        if done.returncode == 0:
            return _only_file(folder)
        said = done.stderr
    raise RuntimeError(f"{release} cannot be fetched: {said[-300:]}")


def _only_file(folder: Path) -> Path:
    return next(path for path in folder.iterdir() if path.is_file())


def _npm(release: str, folder: Path) -> Path:
    done = _run(["npm", "pack", "--silent", release], folder)
    if done.returncode:
        raise RuntimeError(f"{release} cannot be fetched: {done.stderr[-300:]}")
    return next(folder.glob("*.tgz"))


def _apt(release: str, folder: Path) -> Path:
    done = _run(["apt-get", "download", "-qq", release], folder)
    if done.returncode:
        raise RuntimeError(f"{release} cannot be fetched: {done.stderr[-300:]}")
    return next(folder.glob("*.deb"))


_CLIENTS: Mapping[str, Callable[[str, Path], Path]] = {
    "pip": _pip,
    "pip-sources": partial(_pip, ways=(_SOURCES,)),
    "npm": _npm,
    "apt": _apt,
}


def _unpack(archive: Path, into: Path) -> None:
    into.mkdir()
    if archive.suffix == ".deb":
        subprocess.run(["dpkg-deb", "-x", str(archive), str(into)], check=True, timeout=_SECONDS)
    elif archive.suffix in (".whl", ".zip"):
        with zipfile.ZipFile(archive) as opened:
            opened.extractall(into)
    else:
        with tarfile.open(archive) as opened:
            opened.extractall(into, filter="data")


def _run(command: list[str], folder: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        command, cwd=folder, capture_output=True, text=True, timeout=_SECONDS, stdin=subprocess.DEVNULL
    )


def _safe(release: str) -> str:
    return release.replace("/", "_").replace("==", "-").replace("@", "-").strip("-")
