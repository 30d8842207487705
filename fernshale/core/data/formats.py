"""Select the reader for a file."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial

from fernshale.core.base.globs import FirstFit
from fernshale.core.base.texts import tr
from fernshale.core.data.custom_format import ObjectPatterns, read_objects
from fernshale.core.data.ini_tree import read_ini, read_properties
from fernshale.core.data.json_tree import read_json
from fernshale.core.data.json_values import json_values
from fernshale.core.data.paths import DataPath, walk
from fernshale.core.data.toml_tree import read_toml_tree
from fernshale.core.data.tree import DataDocument, NotKeyed, Span
from fernshale.core.data.xml_tree import read_xml_tree
from fernshale.core.data.xml_values import xml_values
from fernshale.core.data.yaml_tree import read_yaml_tree
from fernshale.core.data.yaml_values import yaml_values

# Files that are written as JSON or XML under a name of their own.
_LIKE = {"gltf": "json", "svg": "xml"}

FormatReader = Callable[[str], DataDocument]

_BY_ENDING: Mapping[str, FormatReader] = {
    "json": read_json,
    "jsonc": read_json,
    "toml": read_toml_tree,
    "yaml": read_yaml_tree,
    "yml": read_yaml_tree,
    "xml": read_xml_tree,
    "csproj": read_xml_tree,
    "props": read_xml_tree,
    "targets": read_xml_tree,
    "plist": read_xml_tree,
    "ini": read_ini,
    "cfg": read_ini,
    "properties": read_properties,
}

_QUICK: Mapping[FormatReader, Callable[[str], Iterator[tuple[DataPath, Span]]]] = {
    read_json: json_values,
    read_xml_tree: xml_values,
    read_yaml_tree: yaml_values,
}


def find_reader(path: str, text: str) -> FormatReader | None:
    """Return the reader for a file, by its ending or else by its first bytes. None for a file without keys."""
    name = path.rsplit("/", 1)[-1].lower()
    known = _BY_ENDING.get(name.rpartition(".")[2])
    if known is not None:
        return known
    start = text[:200].lstrip("\ufeff \t\r\n")
    if start.startswith("{"):
        return read_json
    return (
        read_xml_tree if start.startswith(("<?xml", "<!--")) and not name.endswith((".html", ".htm", ".svg")) else None
    )


class Formats:
    """Read files as trees: first by an engine's own formats (globs with patterns), then by the standard ones."""

    def __init__(self, own: Sequence[tuple[Sequence[str], ObjectPatterns]] = ()) -> None:
        self._fits = FirstFit([globs for globs, _ in own])
        self._own = [patterns for _, patterns in own]

    def is_own(self, path: str) -> bool:
        return self._fits.find(path) is not None

    def document(self, path: str, text: str) -> DataDocument | None:
        """Return a file as a tree, None for an unknown format. Raises NotKeyed."""
        own = self._fits.find(path)
        read = find_reader(usual_name(path), text) if own is None else partial(read_objects, patterns=self._own[own])
        return replace(read(text), read=read) if read is not None else None

    def values(self, path: str, text: str) -> Iterator[tuple[DataPath, Span]]:
        """Return the plain values of a file with their data paths and positions; faster than a tree.

        Raises NotKeyed.
        """
        read = None if self.is_own(path) else find_reader(usual_name(path), text)
        if read is not None and read in _QUICK:
            return _QUICK[read](text)
        document = self.document(path, text)
        if document is None:
            raise NotKeyed(tr("{path} is of no format whose keys are known", path=path))
        return ((data_path, node.span) for data_path, node in walk(document) if node.kind == "value")


USUAL = Formats()


def usual_name(path: str) -> str:
    """Return a path with the standard ending of its format, if it has a different one."""
    stem, dot, ending = path.rpartition(".")
    return stem + dot + _LIKE.get(ending.lower(), ending)
