"""Draft a profile for an unknown project from its files.

A value that looks like a release scores higher if its key says so (engine, release, sdk) and if other files have the same value.
The file with the highest score, nearest to the root, is proposed as descriptor. The draft's own locators are then used to find all
sites.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from fernshale.core.base.errors import MisuseError, ProjectError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.model import Reach, Role
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.snapshot.tree_walk import list_tree
from fernshale.core.survey.config_values import Leaf, find_leaves

_MAX_BYTES = 200_000
_MAX_DEPTH = 4
_CODE = frozenset(
    """c cc cpp cxx h hh hpp hxx inl ipp cs java kt kts rs go py pyi lua js ts jsx tsx swift m mm d zig nim hx rb php vala
    pas s asm""".split()  # noqa: SIM905 - a table of words reads best as words
)
_DATA = frozenset(
    """png jpg jpeg gif bmp tga dds hdr exr psd svg webp ico wav ogg mp3 flac mid ttf otf fnt fbx obj gltf glb dae stl anim
    mat prefab scene map lvl level tmx shader glsl hlsl vert frag csv tsv bin pak atlas""".split()  # noqa: SIM905 - as above
)
_GENERATED_FOLDERS = ("build", "generated", "gen", "out", "obj", "intermediate", "target", "dist", "cache")
_GENERATED_WORDS = re.compile(
    r"(?i)\b(?:auto-?)?generated\b|do not edit|written by .*generator|changes (?:are|will be) (?:lost|overwritten)"
)
_ENGINE_WORDS = {"engine": 4, "sdk": 2, "runtime": 2, "platform": 1, "release": 2, "version": 1, "framework": 2}
_NAME_KEYS = ("id", "name", "identifier", "key", "package")


@dataclass(frozen=True, slots=True)
class DraftSite:
    """A place that names the engine's release; `files` is a path or a glob, `why` the evidence."""

    files: str
    reach: Reach
    key: str
    notation: str
    why: str


@dataclass(frozen=True, slots=True)
class DraftPlugins:
    """Folders that look like plugins: siblings with a descriptor of the same name."""

    folders: str
    descriptor: str
    id: Reach | None
    version: Reach | None
    accepts: Reach | None
    count: int


@dataclass(frozen=True, slots=True)
class DraftRole:
    role: Role
    files: tuple[str, ...]
    why: str


@dataclass(frozen=True, slots=True)
class ProfileDraft:
    """A drafted profile. The first site is the descriptor; `others` are other candidates for the engine's release."""

    id: str
    recognise: str
    sites: tuple[DraftSite, ...]
    plugins: DraftPlugins | None
    roles: tuple[DraftRole, ...]
    has_makefile: bool
    others: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class _Found:
    file: TreePath
    leaf: Leaf
    score: float


def draft_profile(project: Path, token: CancelToken) -> ProfileDraft:
    """Draft a profile. Raises ProjectError when no value in the project looks like an engine's release, Cancelled."""
    if not project.is_dir():
        raise MisuseError(f"{project} is not a folder")
    tree = list_tree(project.resolve(), EMPTY, Work(token=token))
    texts = _read_small(project.resolve(), tree, token)
    plugins = _find_plugins(texts)
    inside = plugins.folders.removesuffix("*") if plugins else "\0"
    found = [
        _Found(path, leaf, _score(path, leaf))
        for path, text in texts.items()
        if not path.startswith(inside)
        for leaf in find_leaves(path, text, lambda key, value: _is_like_release(value))
    ]
    best = _best(found)
    if best is None:
        raise ProjectError(
            f"nothing in {project} looks like the release of an engine",
            "Write a profile by hand: docs/profile.md has a complete one.",
        )
    release = best.leaf.text
    sites = tuple(_sites(best, found, plugins, texts))
    ranked = sorted(found, key=lambda item: -item.score)
    others = tuple(dict.fromkeys(item.leaf.text for item in ranked if item.leaf.text != release))
    roles = tuple(_roles(tree, texts, plugins))
    name = _engine_name(texts[best.file], best)
    return ProfileDraft(name, _recognise(best.file), sites, plugins, roles, "Makefile" in tree.files, others[:4])


def _read_small(root: Path, tree: Manifest, token: CancelToken) -> dict[TreePath, str]:
    texts = {}
    for path, entry in tree.files.items():
        token.check()
        parts = path.split("/")
        if len(parts) > _MAX_DEPTH or entry.size > _MAX_BYTES or any(part.startswith(".git") for part in parts):
            continue
        if parts[-1].rsplit(".", 1)[-1].lower() in _CODE - {"py", "kts"}:
            continue
        try:
            text = read_text(on_disk(root, path).read_bytes())
        except OSError:
            continue
        if text is not None:
            texts[path] = text.text
    return texts


def _is_like_release(value: str) -> bool:
    return bool(re.fullmatch(r"[vV]?\d{1,4}(?:\.\d{1,5}){1,3}(?:[-.+]?[A-Za-z][\w.-]*)?", value)) and is_release(value)


def _score(path: TreePath, leaf: Leaf) -> float:
    """Score how likely a value is the engine's release, by the words in its data path and its distance from the root."""
    words = re.split(r"[^a-z]+", f"{leaf.reach.text} {leaf.key}".lower().replace("_", " "))
    score = float(sum(points for word, points in _ENGINE_WORDS.items() if any(word in part for part in words)))
    return score - path.count("/") - 2.0 * any(word in ("dependencies", "packages", "plugins") for word in words)


def _best(found: Sequence[_Found]) -> _Found | None:
    agree = Counter(parse_release(text) for _, text in {(item.file, item.leaf.text) for item in found})
    likely = [item for item in found if item.score > 0 or agree[parse_release(item.leaf.text)] > 2]
    # A project with one release at its root and no other hint: this is the best candidate.
    likely = likely or [item for item in found if "/" not in item.file]

    def weight(item: _Found) -> tuple[float, str, str]:
        others = min(agree[parse_release(item.leaf.text)] - 1, 3)
        # A file type that occurs only here is probably the engine's project file.
        own_kind = 1.5 * _recognise(item.file).startswith("*")
        return (-(item.score + 2.0 * others + own_kind), item.file, item.leaf.reach.text)

    return min(likely, key=weight, default=None)


def _sites(
    best: _Found, found: Sequence[_Found], plugins: DraftPlugins | None, texts: Mapping[TreePath, str]
) -> Iterator[DraftSite]:
    release = best.leaf.text
    same = [item for item in found if item is not best and same_release(item.leaf.text, release)]
    agreeing = ", ".join(dict.fromkeys(item.file for item in same if item.file != best.file)) or "no other file"
    yield DraftSite(
        _recognise(best.file), best.leaf.reach, best.leaf.key, "exact", f"says {release}; so says {agreeing}"
    )
    for item in same:
        yield DraftSite(item.file, item.leaf.reach, item.leaf.key, "exact", f"says {item.leaf.text}, too")
    if plugins is not None and plugins.accepts is not None:
        files = f"{plugins.folders}/{plugins.descriptor}"
        yield DraftSite(
            files, plugins.accepts, "accepts", "range", f"a range that holds {release}, in {plugins.count} plugins"
        )


def _recognise(path: TreePath) -> str:
    """A glob for files of the same kind at the root; a name every tool uses is kept whole."""
    name = path.rsplit("/", 1)[-1]
    stem, dot, kind = name.rpartition(".")
    common = ("json", "toml", "yaml", "yml", "xml", "ini", "cfg", "properties", "txt", "gradle", "kts", "cmake", "sh")
    return path if "/" in path or not dot or not stem or kind.lower() in common else f"*.{kind}"


def _engine_name(text: str, best: _Found) -> str:
    """Return a name found next to the release, else a placeholder."""
    where = best.leaf.reach.text
    around = re.split(r"[/.]", where)[:-1]
    for leaf in find_leaves(best.file, text, lambda key, value: key.lower() in _NAME_KEYS):
        if re.split(r"[/.]", leaf.reach.text)[:-1] == around and any(part for part in around):
            return re.sub(r"[^a-z0-9-]+", "-", leaf.text.lower()).strip("-") or "engine"
    return "engine"


def _find_plugins(texts: Mapping[TreePath, str]) -> DraftPlugins | None:
    """The group of sibling folders that most agree in having a descriptor with a version of their own."""
    groups: dict[tuple[str, str], list[TreePath]] = {}
    for path in texts:
        parts = path.split("/")
        if len(parts) >= 3:
            groups.setdefault(("/".join(parts[:-2]), parts[-1]), []).append(path)
    best: tuple[int, DraftPlugins] | None = None
    for (parent, name), paths in groups.items():
        if len(paths) < 2 and not re.search(r"(?i)plugin|addon|extension|package|module", parent):
            continue
        leaves = {path: find_leaves(path, texts[path], _is_descriptor_leaf) for path in paths}
        version = _common(leaves, lambda leaf: "version" in leaf.key.lower() and is_release(leaf.text))
        if version is None:
            continue
        id = _common(leaves, lambda leaf: leaf.key.lower() in _NAME_KEYS and not is_release(leaf.text))
        accepts = _common(leaves, _is_like_range)
        draft = DraftPlugins(f"{parent}/*", name, id, version, accepts, len(paths))
        weight = len(paths) + 2 * (accepts is not None) + (id is not None)
        if best is None or weight > best[0]:
            best = (weight, draft)
    return best[1] if best else None


def _is_descriptor_leaf(key: str, value: str) -> bool:
    return key.lower() in _NAME_KEYS or (bool(re.search(r"\d", value)) and len(value) < 60)


def _is_like_range(leaf: Leaf) -> bool:
    if not re.search(r"[\[(<>=^~*,x]", leaf.text) or not re.search(r"\d", leaf.text):
        return False
    try:
        parse_range(leaf.text)
    except MisuseError:
        return False
    return True


def _common(leaves: Mapping[TreePath, Sequence[Leaf]], fits: Callable[[Leaf], bool]) -> Reach | None:
    """Return the locator that finds a matching value in most of the files, and in at least half of them."""
    counts = Counter(leaf.reach for group in leaves.values() for leaf in group if fits(leaf))
    if not counts:
        return None
    reach, count = min(counts.items(), key=lambda pair: (-pair[1], len(pair[0].text)))
    return reach if 2 * count >= len(leaves) else None


def _roles(tree: Manifest, texts: Mapping[TreePath, str], plugins: DraftPlugins | None) -> Iterator[DraftRole]:
    tops: dict[str, list[TreePath]] = {}
    for path in tree.files:
        tops.setdefault(path.split("/")[0] if "/" in path else "", []).append(path)
    plugin_top = plugins.folders.split("/")[0] if plugins else ""
    generated = [path for path in texts if _GENERATED_WORDS.search("\n".join(texts[path].split("\n")[:5]))]
    folders = [top for top in tops if top.lower() in _GENERATED_FOLDERS]
    alone = [path for path in generated if path.split("/")[0] not in (*folders, plugin_top) or "/" not in path]
    if folders or alone:
        why = "by the names of the folders, and by files that say so in their first lines"
        yield DraftRole("generated", (*(f"{top}/**" for top in folders), *alone[:20]), why)
    if plugins is not None:
        yield DraftRole(
            "plugin", (plugins.folders + "/**",), f"{plugins.count} folders with a {plugins.descriptor} each"
        )
    kinds: dict[Role, list[str]] = {"own": [], "asset": []}
    for top, paths in tops.items():
        if not top or top in folders or top == plugin_top or top.startswith("."):
            continue
        code = sum(_kind(path) in _CODE for path in paths)
        data = sum(_kind(path) in _DATA for path in paths)
        if code or data:
            kinds["own" if code >= data else "asset"].append(f"{top}/**")
    own = [f"*.{kind}" for kind in sorted({_kind(path) for path in tops.get("", ())} & _CODE)]
    if kinds["own"] or own:
        yield DraftRole("own", (*kinds["own"], *own), "most files there are source code")
    if kinds["asset"]:
        yield DraftRole("asset", tuple(kinds["asset"]), "most files there are data")
    settings = [path for path in tops.get("", ()) if path in texts and path not in generated]
    if settings:
        yield DraftRole("settings", tuple(settings[:20]), "text files at the root")


def _kind(path: str) -> str:
    return PurePosixPath(path).suffix[1:].lower()
