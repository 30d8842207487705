"""Recognise releases in folders and archives that a person points at: their ids, versions, and the releases that they accept.

A plugin is recognised by the profile's descriptor, an engine by the profile's `[engine]`, anything else by the manifest of the
usual package tools, a file that holds just a version, or the name of its folder. A folder that is no release itself is searched
for some.
"""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.globs import literal, matches
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.release import is_release, parse_release
from fernshale.core.base.release_notation import read_written
from fernshale.core.base.textfile import text_of
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.profile.model import Profile, Reach
from fernshale.core.route.shelf import ReleaseStage
from fernshale.core.route.unpack import unpack
from fernshale.core.survey.plugins import descriptor_glob
from fernshale.core.survey.value_access import find_values

ReleaseKind = Literal["engine", "plugin"]

_ARCHIVES = (".zip", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tar.xz", ".whl", ".jar", ".crate")
_POM = "/*[local-name()='project']/*[local-name()='{}']"
# Manifests of the usual package tools, with where each has its name and its version.
_MANIFESTS: tuple[tuple[str, Reach, Reach], ...] = (
    ("package.json", Reach(json="/name"), Reach(json="/version")),
    ("Cargo.toml", Reach(toml="package.name"), Reach(toml="package.version")),
    ("pyproject.toml", Reach(toml="project.name"), Reach(toml="project.version")),
    ("pom.xml", Reach(xml=_POM.format("artifactId")), Reach(xml=_POM.format("version"))),
    ("PKG-INFO", Reach(pattern=r"(?m)^Name: (?P<value>\S+)"), Reach(pattern=r"(?m)^Version: (?P<value>\S+)")),
    (
        "*.dist-info/METADATA",
        Reach(pattern=r"(?m)^Name: (?P<value>\S+)"),
        Reach(pattern=r"(?m)^Version: (?P<value>\S+)"),
    ),
)
_VERSION_FILES = ("VERSION", "version", "VERSION.txt", "version.txt", "RELEASE")
_NAMED = lazy_pattern(r"(?P<id>[A-Za-z][\w.-]*?)[-_ ]?(?P<version>[vV]?\d+(?:[._]\d+)+(?:[-.+]?[A-Za-z][\w.]*)?)")
_MAX_MANIFEST = 1 << 20
# Below a folder that is no release, releases are looked for this deep, and this many are taken.
_DEEPEST = 3
_MOST = 2000


@dataclass(frozen=True, slots=True)
class FoundRelease:
    """A release that a person can put on a shelf. `place` is its folder, its archive or its git repository.

    `inside` is the folder within an archive, `commit` the commit of a repository. `why` says how it was recognised. Without a
    version, a person has to name one.
    """

    kind: ReleaseKind
    id: str
    version: str
    place: Path
    why: str
    inside: str = ""
    commit: str = ""
    accepts: str = ""
    stage: ReleaseStage = "stable"

    @property
    def is_complete(self) -> bool:
        return bool(self.id) and is_release(self.version)


def recognise_releases(source: Path, profile: Profile | None, work: Work) -> tuple[FoundRelease, ...]:
    """The releases at `source`: itself, or those in it. Raises BadArchive, OSError, Cancelled."""
    if source.is_file():
        found = _in_archive(source, profile, work)
        return (found,) if found is not None else ()
    itself = _in_folder(source, profile)
    if itself is not None and itself.is_complete:
        return (itself,)
    inside = tuple(_below(source, profile, work, _DEEPEST))
    if inside:
        return inside
    return (itself,) if itself is not None else ()


def _below(folder: Path, profile: Profile | None, work: Work, depth: int) -> Iterator[FoundRelease]:
    count = 0
    for child in sorted(folder.iterdir(), key=lambda path: path.name):
        work.token.check()
        if child.name.startswith(".") or count >= _MOST:
            continue
        if child.is_file() and child.name.lower().endswith(_ARCHIVES):
            found = _in_archive(child, profile, work)
        elif child.is_dir() and not child.is_symlink():
            found = _in_folder(child, profile)
            if found is None or not found.is_complete:
                if depth > 1:
                    yield from _below(child, profile, work, depth - 1)
                continue
        else:
            continue
        if found is not None:
            count += 1
            yield found


def _in_folder(folder: Path, profile: Profile | None) -> FoundRelease | None:
    found = _by_profile(folder, profile) or _by_manifest(folder)
    named = _by_name(folder)
    if found is None:
        found = named
    elif not found.is_complete and named is not None:
        found = replace(
            found, id=found.id or named.id, version=found.version if is_release(found.version) else named.version
        )
    if found is None:
        return None
    is_engine = profile is not None and found.id.lower() == profile.id.lower()
    found = replace(found, id=profile.id, kind="engine") if is_engine and profile is not None else found
    return with_stage(found, profile)


def with_stage(found: FoundRelease, profile: Profile | None) -> FoundRelease:
    """A release with the stage that its number says: by the suffixes that the profile names, else by the usual ones."""
    if not is_release(found.version) or found.stage != "stable":
        return found
    word = re.search(r"[A-Za-z]+(?=[\d.]*$)", found.version)
    if profile is not None and word is not None and word[0] in profile.suffixes:
        return replace(found, stage=profile.suffixes[word[0]])
    release = parse_release(found.version)
    return replace(found, stage="preview" if release.is_preview else "revision" if release.is_revision else "stable")


def _by_profile(folder: Path, profile: Profile | None) -> FoundRelease | None:
    if profile is None:
        return None
    engine = profile.engine
    if engine is not None and (text := _text(folder / engine.descriptor)) is not None:
        version = _value(text, engine.version, engine.descriptor)
        return FoundRelease(
            "engine", profile.id, version, folder, tr("its {descriptor} says so", descriptor=engine.descriptor)
        )
    shape = profile.plugins
    if not shape.descriptor:
        return None
    # A release's folder may be called otherwise than the plugin's in a project.
    glob = (
        shape.descriptor.replace("{plugin}", "*")
        if "{plugin}" in shape.descriptor
        else descriptor_glob(shape, folder.name)
    )
    names = sorted(path.name for path in folder.iterdir() if path.is_file())
    name = next((name for name in names if matches((glob,), name) or name == literal(glob)), None)
    text = _text(folder / name) if name is not None else None
    if name is None or text is None:
        return None
    own = name.rpartition(".")[0] if "{plugin}" in shape.descriptor else folder.name

    def value(reach: Reach | None) -> str:
        return _value(text, reach.filled(plugin=own), name) if reach is not None else ""

    id = value(shape.id) or own
    return FoundRelease(
        "plugin", id, value(shape.version), folder, tr("its {name} says so", name=name), accepts=value(shape.accepts)
    )


def _by_manifest(folder: Path) -> FoundRelease | None:
    for pattern, id, version in _MANIFESTS:
        paths = sorted(folder.glob(pattern)) if "*" in pattern else [folder / pattern]
        for path in paths:
            text = _text(path)
            if text is not None and (name := _value(text, id, path.name)):
                return FoundRelease(
                    "plugin", name, _value(text, version, path.name), folder, tr("its {name} says so", name=path.name)
                )
    for name in _VERSION_FILES:
        text = _text(folder / name)
        if text is not None and is_release(text.strip()):
            id_ = _id_of(folder.name) or folder.parent.name
            return FoundRelease("plugin", id_, text.strip(), folder, tr("its {name} says so", name=name))
    return None


def _by_name(path: Path) -> FoundRelease | None:
    """By a folder's or archive's name: `tides-1.3.0`, or `1.3.0` in a folder `tides`."""
    name = path.name
    for ending in _ARCHIVES:
        name = name.removesuffix(ending)
    if ((written := read_written(name)) is not None and name[:1].isdigit()) or (
        name[:1] in "vV" and written is not None
    ):
        return FoundRelease(
            "plugin", path.parent.name, written.text, path, tr("its name and that of its parent folder")
        )
    found = _NAMED.fullmatch(re.sub(r"-(?:py\d.*|src|sources?)$", "", name))
    if found is None or (written := read_written(found["version"])) is None:
        return None
    return FoundRelease("plugin", found["id"], written.text, path, tr("its name says so"))


def _id_of(name: str) -> str:
    found = _NAMED.fullmatch(name)
    return found["id"] if found is not None else "" if read_written(name) is not None else name


def _in_archive(archive: Path, profile: Profile | None, work: Work) -> FoundRelease | None:
    """An archive is unpacked into a scratch folder, inspected and removed again."""
    with tempfile.TemporaryDirectory(prefix="fernshale-look-") as scratch:
        folder = Path(scratch) / "in"
        unpack(archive, folder, work)
        inside = _only_folder(folder)
        found = _in_folder(folder / inside if inside else folder, profile)
        named = _by_name(archive)
        if found is None or not found.is_complete:
            found = named or found
        if found is None:
            return FoundRelease("plugin", "", "", archive, tr("no version in its name or contents"), inside)
        is_engine = profile is not None and found.id.lower() == profile.id.lower()
        kind: ReleaseKind = "engine" if is_engine else found.kind
        return with_stage(replace(found, kind=kind, place=archive, inside=inside), profile)


def _only_folder(folder: Path) -> str:
    """The folder that holds everything, as archives often have; "" where there is none."""
    children = list(folder.iterdir())
    return children[0].name if len(children) == 1 and children[0].is_dir() else ""


def _value(text: str, reach: Reach, name: str) -> str:
    try:
        found = find_values(text, reach, TreePath(name))
    except FernshaleError:
        return ""
    return found[0].text.strip() if found else ""


def _text(path: Path) -> str | None:
    try:
        if path.is_symlink() or not path.is_file() or path.stat().st_size > _MAX_MANIFEST:
            return None
        return text_of(path.read_bytes())
    except OSError:
        return None
