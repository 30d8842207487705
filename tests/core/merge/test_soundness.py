"""What is odd about a merged text, and which release each file of a mixture is merged from."""

from __future__ import annotations

from collections.abc import Mapping

import pytest

from fernshale.core.base.treepath import TreePath
from fernshale.core.merge.base_versions import compose_base
from fernshale.core.merge.folder_merge import FolderSide
from fernshale.core.merge.soundness import complaints
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry, digest_of


@pytest.mark.parametrize(
    ("path", "mine", "incoming", "result", "words"),
    [
        ("a.cpp", "f() { }\n", "g() { }\n", "f() { \ng() { }\n", "1 “{” without “}”"),
        ("a.cpp", "f() { }\n", "g() { }\n", 'f() { } // {\n"{" g() { }\n', ""),
        ("a.cpp", "f( { }\n", "g() { }\n", "f( { }\ng() { \n", "1 “{” without “}”"),
        ("a.lua", "x = {1}\n", "x = {2}\n", "x = {1}}\n", "1 “}” without “{”"),
        ("a.py", "x = 1\n", "y = 1\n", "x = (\n", "is no Python"),
        ("a.py", "x = (\n", "y = 1\n", "x = (\n", ""),
        ("a.json", '{"a": 1}', '{"a": 2}', '{"a": 1 "b": 2}', "not valid JSON"),
        ("a.txt", "a\n", "b\n", "~~~ fernshale: end ~~~\n", "undecided place"),
        ("a.txt", "a\n", "b\n", "<<<<<<< x\na\n", "conflict marker"),
        ("a.md", "a\n=======\n", "b\n=======\n", "a\n=======\n", ""),
    ],
)
def test_what_is_odd_about_a_result(path: str, mine: str, incoming: str, result: str, words: str) -> None:
    found = complaints(path, mine, incoming, result)
    assert (not found) if not words else any(words in item for item in found)


def _side(files: Mapping[str, str]) -> FolderSide:
    data = {TreePath(path): text.encode() for path, text in files.items()}
    entries = {path: TreeEntry(EntryKind.FILE, 0o644, digest_of(body), len(body)) for path, body in data.items()}
    return FolderSide(Manifest.of(entries), lambda path: data[path])


def _text(word: str) -> str:
    return "".join(f"{word} line {n}\n" for n in range(20))


def test_each_file_of_a_mixture_is_merged_from_the_release_it_is_of() -> None:
    old = {"a": _text("old a"), "b": _text("old b"), "c": _text("c"), "gone": _text("gone"), "mine deleted": "x"}
    new = {"a": _text("new a"), "b": _text("new b"), "c": _text("c"), "more": _text("more"), "mine deleted": "x"}
    mine = {
        "a": old["a"],
        "b": new["b"].replace("line 3", "my 3"),
        "c": _text("c"),
        "more": new["more"],
        "own": "mine\n",
    }
    base = compose_base(_side(mine), {"1.0": _side(old), "1.1": _side(new)}, "1.0")
    assert base.others == {"b": "1.1", "more": "1.1"}
    read = {path: base.side.read(path).decode() for path in base.side.manifest.entries}
    # What 1.1 has not is no deletion of the user's, in a folder that is partly 1.1; what both have is.
    assert read == {"a": old["a"], "b": new["b"], "c": _text("c"), "more": new["more"], "mine deleted": "x"}


def test_an_own_file_under_the_name_of_another_release_is_the_users_own() -> None:
    mine = {"a": _text("a"), "tool": _text("my tool")}
    base = compose_base(_side(mine), {"1": _side({"a": _text("a")}), "2": _side({"tool": _text("their tool")})}, "1")
    assert list(base.side.manifest.entries) == ["a"]
