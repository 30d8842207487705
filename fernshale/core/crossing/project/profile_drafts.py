"""Profiles for those above: drafted from a project, checked against one."""

from __future__ import annotations

from pathlib import Path

from fernshale.core.base.disk import write_synced
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.authoring.check import Remark, check_profile
from fernshale.core.profile.authoring.draft import draft_profile
from fernshale.core.profile.authoring.draft_text import write_draft
from fernshale.core.profile.authoring.project_facts import read_facts


def draft_text(project: Path, token: CancelToken) -> str:
    """The text of a first profile for a project. Raises ProjectError, MisuseError, Cancelled."""
    return write_draft(draft_profile(read_facts(project, Work(token=token))))


def keep_draft(text: str, path: Path) -> None:
    """Write a draft into a new file. Raises MisuseError when the file exists, OSError."""
    try:
        write_synced(path, text.encode(), 0o644)
    except FileExistsError as error:
        raise MisuseError(
            tr("{path} is there already", path=path), tr("Name another file; a profile is never written over.")
        ) from error


__all__ = ["Remark", "check_profile", "draft_text", "keep_draft"]
