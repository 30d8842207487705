"""For which engine releases the compiled parts of plugins were built."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.globs import matches
from fernshale.core.base.release import is_release, same_release
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath, on_disk, under
from fernshale.core.crossing.project.scan import Ground
from fernshale.core.profile.model import Compiled
from fernshale.core.survey.plugins import Plugin
from fernshale.core.survey.value_access import find_values


@dataclass(frozen=True, slots=True)
class Built:
    """A plugin with compiled parts: the releases its stamps name, by the folder each stands in."""

    plugin: Plugin
    stamps: tuple[tuple[TreePath, str], ...]

    def is_built_for(self, release: str) -> bool:
        return any(is_built_for(stamp, release) for _, stamp in self.stamps)

    @property
    def words(self) -> str:
        names = ", ".join(stamp or "nobody knows what" for _, stamp in self.stamps)
        return f"built for {names}" if names else "never built here"


def find_built(ground: Ground) -> tuple[Built, ...]:
    """The plugins that have compiled parts, with their stamps."""
    shape = ground.profile.plugins.compiled
    if shape is None:
        return ()
    return tuple(
        Built(plugin, tuple(read_stamps(ground, shape, plugin)))
        for plugin in ground.plugins
        if any(matches(shape.sources, path[len(plugin.folder) + 1 :]) for path in _inside(ground, plugin))
    )


def _inside(ground: Ground, plugin: Plugin) -> Iterator[TreePath]:
    return (path for path in ground.paths if under(path, plugin.folder))


def read_stamps(ground: Ground, shape: Compiled, plugin: Plugin) -> Iterator[tuple[TreePath, str]]:
    """Each folder of output there is, with the release its stamp names ("" where it cannot be read)."""
    pattern = f"{shape.output.replace('{release}', '*').strip('/')}/{shape.stamp}"
    for path in _inside(ground, plugin):
        if matches((pattern,), path[len(plugin.folder) + 1 :]):
            folder = TreePath(path[: -len(shape.stamp) - 1])
            yield folder, read_stamp(shape, on_disk(ground.project, path).read_bytes(), path)


def read_stamp(shape: Compiled, data: bytes | None, path: str) -> str:
    text = read_text(data) if data is not None else None
    if text is None:
        return ""
    try:
        found = find_values(text.text, shape.at, path)
    except FernshaleError:
        return ""
    return found[0].text if found else ""


def is_built_for(stamp: str, release: str) -> bool:
    return is_release(stamp) and same_release(stamp, release)
