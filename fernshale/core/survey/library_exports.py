"""The names a library exports: of ELF files, `ar` archives and JAR files, read without running or loading anything."""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Iterator
from pathlib import Path

_AR_MAGIC = b"!<arch>\n"
_MAX_BYTES = 512 << 20


def exported_names(path: Path) -> frozenset[str]:
    """Return the exported names, empty for an unknown kind of file or a damaged library. Raises OSError."""
    if path.stat().st_size > _MAX_BYTES:
        return frozenset()
    with open(path, "rb") as file:
        magic = file.read(8)
    if magic.startswith(b"\x7fELF"):
        return frozenset(_elf(path))
    if magic == _AR_MAGIC:
        return frozenset(_ar(path.read_bytes()))
    if magic.startswith(b"PK"):
        return frozenset(_jar(path))
    return frozenset()


def _elf(path: Path) -> Iterator[str]:
    from elftools.common.exceptions import ELFError
    from elftools.elf.elffile import ELFFile
    from elftools.elf.sections import SymbolTableSection

    try:
        with open(path, "rb") as file:
            for section in ELFFile(file).iter_sections():
                if isinstance(section, SymbolTableSection):
                    for symbol in section.iter_symbols():
                        if _is_exported(symbol):
                            yield str(symbol.name)
    except (ELFError, UnicodeDecodeError, ValueError, struct.error):
        return


def _is_exported(symbol: object) -> bool:
    info = symbol["st_info"]  # type: ignore[index]
    is_defined = symbol["st_shndx"] != "SHN_UNDEF"  # type: ignore[index]
    return is_defined and info["bind"] in ("STB_GLOBAL", "STB_WEAK") and info["type"] in ("STT_FUNC", "STT_OBJECT")


def _ar(data: bytes) -> Iterator[str]:
    """Names of the archive's symbol index, its first member (GNU `/`, BSD `__.SYMDEF`)."""
    name = data[8:24].rstrip()
    try:
        size = int(data[56:66])
    except ValueError:
        return
    body = data[68 : 68 + size]
    if name == b"/" and len(body) >= 4:
        count = int.from_bytes(body[:4], "big")
        names = body[4 + 4 * count :].split(b"\0")
        yield from (text.decode("utf-8", "replace") for text in names[:count] if text)
    elif name.startswith((b"#1/", b"__.SYMDEF")):
        yield from (text.decode("utf-8", "replace") for text in body.split(b"\0") if text.isascii() and len(text) > 3)


def _jar(path: Path) -> Iterator[str]:
    try:
        with zipfile.ZipFile(path) as archive:
            yield from (name for name in archive.namelist() if name.endswith(".class"))
    except (zipfile.BadZipFile, OSError, ValueError):
        return
