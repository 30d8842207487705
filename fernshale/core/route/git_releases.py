"""A git repository as a source of releases: a tag that names a version is a release, the tip of a branch a revision."""

from __future__ import annotations

import os
import re
import shutil
import uuid
from dataclasses import replace
from pathlib import Path

from fernshale.core.base.errors import CommandError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.release_notation import read_written
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.process.git import ask_git
from fernshale.core.process.git_tree import GitName, git_contents, git_entries, git_names
from fernshale.core.profile.model import Profile
from fernshale.core.route.release_recognition import FoundRelease, with_stage
from fernshale.core.route.shelf_file import is_inside

_VERSION_TAG = lazy_pattern(r"(?:.*[-_/])?(?P<version>[vV]?\d+(?:[._]\d+)*(?:[-.+]?[A-Za-z][\w.]*)?)")


def find_git_releases(repository: Path, profile: Profile | None, token: CancelToken) -> tuple[FoundRelease, ...]:
    """The releases of a repository, the newest last; then its branches. Raises CommandError, Cancelled."""
    names = git_names(repository)
    id = _id_of(repository, profile)
    kind = "engine" if profile is not None and id == profile.id else "plugin"
    found = []
    for name in names:
        token.check()
        version = _version_of(repository, name)
        if version:
            what = "tag" if name.is_tag else "branch"
            why = tr("the {what} {name}", what=what, name=name.name)
            found.append(
                FoundRelease(
                    "engine" if kind == "engine" else "plugin", id, version, repository, why, commit=name.commit,
                    stage="stable" if name.is_tag else "revision",
                )
            )  # fmt: skip
    return tuple(with_stage(item, profile) for item in sorted(found, key=_by_version))


def _by_version(item: FoundRelease) -> tuple[bool, object]:
    release = read_written(item.version)
    return item.stage == "revision", release if release is not None else 0


def _id_of(repository: Path, profile: Profile | None) -> str:
    name = repository.name.removesuffix(".git") or repository.parent.name
    return profile.id if profile is not None and name.lower() == profile.id.lower() else name


def _version_of(repository: Path, name: GitName) -> str:
    """The version of a tag from its name; of a branch, the release before its tip and the number of commits since."""
    if name.is_tag:
        found = _VERSION_TAG.fullmatch(name.name)
        written = read_written(found["version"]) if found is not None else None
        return written.text if written is not None else ""
    said = ask_git(repository, "describe", "--tags", "--match=*[0-9]*", "--long", "--abbrev=8", name.commit)
    described = re.fullmatch(r"(?P<tag>.*)-(?P<since>\d+)-g[0-9a-f]+", os.fsdecode(said or b"").strip())
    if described is None or described["since"] == "0":
        return ""  # the tag itself is the release
    found = _VERSION_TAG.fullmatch(described["tag"])
    written = read_written(found["version"]) if found is not None else None
    return f"{written.text}.post{described['since']}" if written is not None and not written.is_preview else ""


def export_commit(found: FoundRelease, folder: Path, work: Work) -> FoundRelease:
    """Write the files of a release's commit into the new `folder`; returns the release with that place.

    Links that lead outside are left out. Raises CommandError, OSError, Cancelled; the folder does not exist then.
    """
    entries = git_entries(found.place, found.commit)
    folder.parent.mkdir(parents=True, exist_ok=True)
    staging = folder.with_name(f".exporting-{uuid.uuid4().hex}")
    staging.mkdir()
    try:
        links = []
        for entry, data in git_contents(found.place, entries, work.token):
            if data is None:
                raise CommandError(
                    tr("{place} lacks the object of {path}", place=found.place, path=entry.path),
                    tr("It may be a partial clone."),
                )
            target = staging / entry.path
            if entry.mode == "120000":
                links.append((target, os.fsdecode(data)))
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
            if entry.mode == "100755":
                target.chmod(0o755)
        # Links are made last, so that nothing is written through one.
        for target, to in links:
            inner = os.path.normpath(target.parent.relative_to(staging) / to)
            if not to.startswith("/") and is_inside(inner):
                target.parent.mkdir(parents=True, exist_ok=True)
                target.symlink_to(to)
        os.rename(staging, folder)
    except BaseException:
        shutil.rmtree(staging, ignore_errors=True)
        raise
    return replace(found, place=folder)
