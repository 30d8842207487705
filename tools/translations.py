"""Collect the texts of the program for translators, and make its translations loadable.

    translations.py LANGUAGE FILE.ts     write or update the texts of a language; what was translated is kept
    translations.py --compile FILE.ts    make FILE.qm of it, which the window loads
    translations.py --pseudo FILE.qm     make a language that shows which texts are not translated

Texts are the first arguments of `tr`, `tr_parts`, `marked` and `english`, the nouns of `count` and `noun`, and the values of
some types. The files have Qt's format for translations: Qt's own editor opens them.
"""

from __future__ import annotations

import argparse
import ast
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from jinja2 import Environment
from jinja2.ext import extract_from_ast
from lxml import etree

ROOT = Path(__file__).parent.parent
_PACKAGES = ("api", "app", "core", "sample")
_CONTEXT = "Fernshale"
# Types whose values `tr_marked` translates.
_SHOWN_TYPES = {
    "CauseState", "CheckVerdict", "DebtKind", "PlanAction", "Readiness", "ReleaseStage", "Role", "Severity", "Sign",
    "SymbolKind", "TimingVerdict",
}  # fmt: skip
_PSEUDO_LETTERS = str.maketrans("aceghijklnorstuwyzACEGHIJKLNORSTUWYZ", "áčéğĥíĵķĺńőŕśťúŵýžÁČÉĞĤÍĴĶĹŃŐŔŚŤÚŴÝŽ")


@dataclass(frozen=True)
class Message:
    """A text of the program and where it is first used. `has_number` for a noun, whose form depends on its number."""

    text: str
    has_number: bool
    file: str
    line: int


@cache
def messages() -> tuple[Message, ...]:
    """All texts, each once, in the order of files and lines. Raises ValueError for a text that is not written out at its call."""
    found: dict[str, Message] = {}
    for package in _PACKAGES:
        for path in sorted((ROOT / "fernshale" / package).rglob("*")):
            if path.suffix in (".py", ".j2") and "data" not in path.relative_to(ROOT).parts[:3]:
                of_file = _of_code(path) if path.suffix == ".py" else _of_template(path)
                for message in of_file:
                    found.setdefault(message.text, message)
    return tuple(found.values())


def _of_code(path: Path) -> Iterator[Message]:
    file = path.relative_to(ROOT).as_posix()
    nodes = list(ast.walk(ast.parse(path.read_text())))
    ours = {
        name.name
        for node in nodes
        if isinstance(node, ast.ImportFrom) and node.module == "fernshale.core.base.texts"
        for name in node.names
        if name.name in ("tr", "tr_parts", "marked", "english", "count", "noun")
    }
    for node in nodes:
        yield from _of_type(node, file)
        if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ours):
            continue
        is_noun = node.func.id in ("count", "noun")
        text = node.args[1 if is_noun else 0]
        if not (isinstance(text, ast.Constant) and isinstance(text.value, str)):
            raise ValueError(f"{file}:{node.lineno}: the text of {node.func.id} is not written out here")
        yield Message(f"%n {text.value}" if is_noun else text.value, is_noun, file, node.lineno)


def _of_type(node: ast.AST, file: str) -> Iterator[Message]:
    """The values of a type that are shown to people as they are."""
    if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name) and node.targets[0].id in _SHOWN_TYPES:
        for value in ast.walk(node.value):
            if isinstance(value, ast.Constant) and isinstance(value.value, str):
                yield Message(value.value, False, file, node.lineno)


def _of_template(path: Path) -> Iterator[Message]:
    parsed = Environment(autoescape=True).parse(path.read_text())
    for line, _, text in extract_from_ast(parsed, ("tr",)):
        first = text[0] if isinstance(text, tuple) else text  # a tuple where values are given
        if first is not None:
            yield Message(first, False, path.relative_to(ROOT).as_posix(), line)


def write_ts(path: Path, language: str, translated: Mapping[str, list[str]]) -> None:
    """Write the texts with their translations, by text: one, or one for each plural form. The others are left open."""
    root = etree.Element("TS", version="2.1", language=language, sourcelanguage="en")
    context = etree.SubElement(root, "context")
    etree.SubElement(context, "name").text = _CONTEXT
    for item in messages():
        message = etree.SubElement(context, "message", {"numerus": "yes"} if item.has_number else {})
        etree.SubElement(message, "location", filename=item.file, line=str(item.line))
        etree.SubElement(message, "source").text = item.text
        forms = translated.get(item.text, [])
        target = etree.SubElement(message, "translation", {} if any(forms) else {"type": "unfinished"})
        if item.has_number:
            for form in forms or [""]:
                etree.SubElement(target, "numerusform").text = form or None
        elif forms:
            target.text = forms[0] or None
    path.write_bytes(
        etree.tostring(root, pretty_print=True, xml_declaration=True, encoding="utf-8", doctype="<!DOCTYPE TS>")
    )


def read_ts(path: Path) -> dict[str, list[str]]:
    """The translations of a file by their texts. Raises OSError and `lxml.etree.XMLSyntaxError`."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True)
    found = {}
    for message in etree.parse(path, parser).iter("message"):
        target = message.find("translation")
        if target is not None:
            forms = [form.text or "" for form in target.iter("numerusform")] or [target.text or ""]
            found[message.findtext("source") or ""] = forms
    return found


def compile_ts(path: Path, compiled: Path) -> None:
    """Make the file that the window loads. Raises subprocess.CalledProcessError."""
    release = Path(sys.executable).with_name("pyside6-lrelease")
    subprocess.run([release, "-silent", str(path), "-qm", str(compiled)], check=True)


def pseudo(text: str) -> str:
    """`text` with accents on its letters and a third longer; places for values, markup and line ends stay."""
    made, depth = [], 0
    for place, sign in enumerate(text):
        depth += sign in "{<"
        made.append(sign if depth or text[place - 1 : place + 1] == "%n" else sign.translate(_PSEUDO_LETTERS))
        depth -= sign in "}>" and depth > 0
    return "".join(made) + "·" * (len(text.split()) if len(text) > 1 else 0)


def write_pseudo(compiled: Path) -> None:
    """Make the pseudo-language, whose plural forms are those of English."""
    with tempfile.TemporaryDirectory() as folder:
        made = {item.text: [pseudo(item.text)] * (2 if item.has_number else 1) for item in messages()}
        write_ts(Path(folder) / "pseudo.ts", "en", made)
        compile_ts(Path(folder) / "pseudo.ts", compiled)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("language", nargs="?")
    parser.add_argument("file", type=Path)
    parser.add_argument("--compile", action="store_true")
    parser.add_argument("--pseudo", action="store_true")
    options = parser.parse_args()
    if options.pseudo:
        write_pseudo(options.file)
    elif options.compile:
        compile_ts(options.file, options.file.with_suffix(".qm"))
    elif options.language:
        kept = read_ts(options.file) if options.file.exists() else {}
        write_ts(options.file, options.language, kept)
        texts = messages()
        done = sum(any(kept.get(item.text, [])) for item in texts)
        print(f"{options.file}: {len(texts)} texts, {done} translated")
    else:
        parser.error("name the language, as de or pt_BR")


if __name__ == "__main__":
    main()
