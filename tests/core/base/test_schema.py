from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

import pytest

from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.toml_schema import STRICT, parse_toml, read_toml


@dataclass(frozen=True, slots=True)
class Item:
    __pydantic_config__: ClassVar = STRICT
    name: str
    size: int = 0


@dataclass(frozen=True, slots=True)
class File:
    __pydantic_config__: ClassVar = STRICT
    item: tuple[Item, ...] = ()


def test_good_file_becomes_frozen_values() -> None:
    file = parse_toml('format = "x/1"\n[[item]]\nname = "a"\n[[item]]\nname = "b"\nsize = 2\n', Path("f"), File, "x/1")
    assert file.item == (Item("a"), Item("b", 2))


def test_all_faults_are_told_at_once_with_their_lines() -> None:
    text = 'format = "x/1"\n[[item]]\nname = "a"\ncolour = "red"\n[[item]]\nsize = "many"\n'
    with pytest.raises(FormatError) as caught:
        parse_toml(text, Path("f.toml"), File, "x/1")
    faults = dict(caught.value.faults)
    assert faults[4] == "unknown key item.0.colour"
    assert sorted(faults) == [4, 5, 6]
    assert "missing key item.1.name" in faults[5]


def test_wrong_format_and_broken_toml_name_file_and_line(tmp_path: Path) -> None:
    with pytest.raises(FormatError, match="x/1"):
        parse_toml("item = []\n", Path("f.toml"), File, "x/1")
    with pytest.raises(FormatError, match=r"f\.toml:2"):
        parse_toml('format = "x/1"\nitem = [\n', Path("f.toml"), File, "x/1")
    with pytest.raises(MisuseError, match="cannot be read"):
        read_toml(tmp_path / "none.toml", File, "x/1")
