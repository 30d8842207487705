"""Which reader a file wants."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from fernshale.core.data.jsontext import read_json
from fernshale.core.data.linetext import read_ini, read_properties
from fernshale.core.data.tomltext import read_toml_tree
from fernshale.core.data.tree import Document
from fernshale.core.data.xmltext import read_xml_tree
from fernshale.core.data.yamltext import read_yaml_tree

Read = Callable[[str], Document]

_BY_ENDING: Mapping[str, Read] = {
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


def find_reader(path: str, text: str) -> Read | None:
    """How a file is read by key, by its ending; for other endings by how it begins. None for what has no keys."""
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
