"""What a project that no profile describes consists of: its files, the texts worth reading, and what its code imports."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, TypeVar

import pathspec

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.limits import limits
from fernshale.core.base.textfile import text_of
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import Work
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.snapshot.tree_walk import list_tree
from fernshale.core.survey.mentions import Mention, mentions_among
from fernshale.core.survey.value_access.listing import ListedValue, list_values

T = TypeVar("T")

_MAX_BYTES = 300_000
# So many files of one kind in one folder are read.
_MANY = 40
CODE = frozenset(
    """c cc cpp cxx h hh hpp hxx inl ipp cs java kt kts rs go py pyi lua js mjs cjs ts jsx tsx swift m mm d zig nim hx rb
    php vala pas s asm gd""".split()  # noqa: SIM905 - a table of words reads best as words
)
DATA = frozenset(
    """png jpg jpeg gif bmp tga dds hdr exr psd svg webp ico wav ogg mp3 flac mid ttf otf fnt fbx obj gltf glb dae stl anim
    mat prefab scene map lvl level tmx shader glsl hlsl vert frag csv tsv bin pak atlas""".split()  # noqa: SIM905 - as above
)
# Endings that every tool uses; a file of another ending is probably the engine's own project file.
_COMMON = frozenset(
    """json jsonc toml yaml yml xml ini cfg conf properties txt md rst html htm css gradle kts cmake settings lock
    mk csproj sln""".split()  # noqa: SIM905 - a table of words reads best as words
)
# Folders into which the usual package tools put what other people wrote.
_DEPENDENCIES = frozenset(("node_modules", "bower_components", "site-packages", ".venv", "venv", "vendor", ".yarn"))
_SETTINGS_STEMS = frozenset(("conf", "config", "configuration", "settings", "project"))
_LOCK_FILES = lazy_pattern(
    r"(?i)^(?:package-lock\.json|yarn\.lock|pnpm-lock\.yaml|npm-shrinkwrap\.json|.*\.lock|.*lock\.json)$"
)
# Change logs name earlier releases.
_HISTORIES = lazy_pattern(r"(?i)^(?:change(?:s|log)|history|news|release[-_ ]?notes)\b")
_SAYS_GENERATED = lazy_pattern(
    r"(?i)\b(?:auto-?)?generated (?:by|from|file|with)\b|^\W*generated\b|do not edit|don't edit"
    r"|written by [\w.-]*(?:generator|editor)|changes (?:are|will be) (?:lost|overwritten)"
)
_IMPORT = lazy_pattern(
    r"""(?mx)^[ \t]*(?:
      \#[ \t]*include[ \t]*[<"](?P<include>[^>"\n]+)[>"]
    | (?:import|export)\b[^\n;]*?\bfrom[ \t]*(?P<module>["'][^"'\n]+["'])
    | (?:import|from|using|use|require|extern[ \t]+crate|@import)\b(?P<named>[^\n;{]*)
    | .*?(?:\brequire|@import)\(?[ \t]*(?P<required>["'][^"'\n]+["'])
    )"""
)
_WORD = lazy_pattern(r"[A-Za-z][A-Za-z0-9]*(?:[-_][A-Za-z0-9]+)*")


@dataclass(frozen=True)
class ProjectFacts:
    """A project as read. `texts` are the files that may name releases; `code` maps a word to the source files importing it.

    `ignored` are the files that git leaves out, `generated` those that say that a tool writes them. `unread` counts the
    texts that were not read, because there are many like them, or too many.
    """

    root: Path
    tree: Manifest
    texts: Mapping[TreePath, str]
    code: Mapping[str, int]
    code_files: int
    ignored: frozenset[TreePath]
    generated: frozenset[TreePath]
    unread: int
    _memo: dict[object, Any] = field(default_factory=dict, init=False, repr=False, compare=False)

    def remember(self, key: object, make: Callable[[], T]) -> T:
        """What was worked out from these facts before, or is now. Each answer of a person makes a new draft of the same facts."""
        if key not in self._memo:
            self._memo[key] = make()
        found: T = self._memo[key]
        return found

    @cached_property
    def file_words(self) -> str:
        """The names of all files, for a search of words in them."""
        return "\n".join({path.rpartition("/")[2].lower() for path in self.tree.files})

    @cached_property
    def values(self) -> Mapping[TreePath, tuple[ListedValue, ...]]:
        """The values of each text that has keys."""
        listed = ((path, list_values(path, text)) for path, text in self.texts.items() if kind_of(path) not in CODE)
        return {path: values for path, values in listed if values is not None}

    @cached_property
    def mentions(self) -> tuple[Mention, ...]:
        """Every mention in the texts, file by file."""
        values = self.values
        return tuple(
            mention for path, text in self.texts.items() for mention in mentions_among(path, text, values.get(path))
        )


def read_facts(project: Path, work: Work) -> ProjectFacts:
    """Raises MisuseError when `project` is no folder, Cancelled."""
    if not project.is_dir():
        raise MisuseError(tr("{project} is not a folder", project=project))
    root = project.resolve()
    tree = list_tree(root, EMPTY, work)
    ignored = _ignored(root, tree)
    texts: dict[TreePath, str] = {}
    imports: Counter[str] = Counter()
    generated: set[TreePath] = set()
    code_files = unread = 0
    many: Counter[tuple[str, str]] = Counter()
    most = limits().draft_files
    # Files near the root say most, so they are read first; beyond the limits, files are only counted.
    for path in sorted(tree.files, key=lambda item: (item.count("/"), item)):
        work.token.check()
        alike = path.rpartition("/")[0], kind_of(path)
        if tree.files[path].size > _MAX_BYTES or is_dependency(path) or path.startswith(".git/"):
            continue
        if kind_of(path) in DATA - {"scene", "prefab", "csv"}:
            continue
        many[alike] += 1
        if many[alike] > _MANY or len(texts) >= most:
            unread += 1
            continue
        text = _read(root, path)
        if text is None:
            continue
        if _SAYS_GENERATED.search("\n".join(text[:2000].split("\n")[:5])):
            generated.add(path)
        if kind_of(path) in CODE:
            code_files += 1
            imports.update(_imported(text))
        if path not in generated and not (ignored and path in ignored) and not _names_no_releases(path):
            texts[path] = text
    return ProjectFacts(root, tree, texts, imports, code_files, ignored, frozenset(generated), unread)


def kind_of(path: str) -> str:
    """The ending of a file's name in lower case, without the dot; "" for none and for `.name`."""
    stem, dot, kind = path.rpartition("/")[2].rpartition(".")
    return kind.lower() if dot and stem else ""


def is_telling(path: str, word: str) -> bool:
    """Whether a file's name identifies a project of the engine called `word`."""
    name = path.rsplit("/", 1)[-1].lower()
    kind = kind_of(name)
    return bool(kind and kind not in _COMMON | CODE | {"sh", "bat"}) or (bool(word) and word in name)


def is_settings_code(path: str) -> bool:
    """Whether a file is a program that only holds settings, as its name at the root of a project says."""
    return "/" not in path and kind_of(path) in CODE and path.rpartition(".")[0].lower() in _SETTINGS_STEMS


def is_dependency(path: str) -> bool:
    """Whether a file is in a folder of downloaded packages."""
    return not _DEPENDENCIES.isdisjoint(path.split("/")[:-1])


def is_lock_file(path: str) -> bool:
    return bool(_LOCK_FILES.match(path.rsplit("/", 1)[-1]))


def _names_no_releases(path: str) -> bool:
    """Whether the numbers of a file are no releases to follow: locks, histories, tables."""
    return (
        is_lock_file(path) or bool(_HISTORIES.match(path.rsplit("/", 1)[-1])) or kind_of(path) in ("csv", "tsv", "log")
    )


def _read(root: Path, path: TreePath) -> str | None:
    try:
        return text_of(on_disk(root, path).read_bytes())
    except OSError:
        return None


def _ignored(root: Path, tree: Manifest) -> frozenset[TreePath]:
    """The files that the `.gitignore` files of the project leave out."""
    found: set[TreePath] = set()
    for path in tree.files:
        folder, _, name = path.rpartition("/")
        text = _read(root, path) if name == ".gitignore" else None
        if text is None:
            continue
        spec = pathspec.GitIgnoreSpec.from_lines(text.splitlines())
        below = f"{folder}/" if folder else ""
        found.update(item for item in tree.files if item.startswith(below) and spec.match_file(item[len(below) :]))
    return frozenset(found)


def _imported(text: str) -> set[str]:
    """The words of the names that a source file imports, in lower case."""
    words: set[str] = set()
    for found in _IMPORT.finditer(text):
        name = next(group for group in found.groups() if group is not None)
        words.update(word.lower() for word in _WORD.findall(name))
    return words
