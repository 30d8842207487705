"""The profile, the shelf, the project and the crossing that a command names or finds."""

from __future__ import annotations

import argparse
from pathlib import Path

from fernshale.api import profile_folders
from fernshale.api.crossings import Crossing, choose_attempts, choose_confidence, find_crossing, open_crossing
from fernshale.api.projects import find_profile, read_profile, read_shelf, scan_project, trust
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan, ScanOptions
from fernshale.core.profile.model import Profile


def profile_for(options: argparse.Namespace, project: Path) -> Profile:
    """The profile that was named, or that of the project's crossing, or the one that fits; trusted when asked to."""
    named = getattr(options, "profile", None)
    crossing = find_crossing(project) if not named and project.is_dir() else None
    if named:
        profile = read_profile(Path(named))
    elif crossing is not None:
        profile = read_profile(crossing.setup.profile)
    else:
        profile = find_profile(project, profile_folders())
    if getattr(options, "trust", False):
        trust(profile)
    return profile


def shelves_for(options: argparse.Namespace, crossing: Crossing | None) -> tuple[str, ...]:
    """The shelves that were named, or those of the project's crossing. Raises MisuseError where there are none."""
    shelves = tuple(options.shelf or (crossing.setup.shelves if crossing is not None else ()))
    if not shelves:
        raise MisuseError("no shelf was named", "Name the folder or server of the releases with --shelf.")
    return shelves


def scan_for(options: argparse.Namespace, token: CancelToken, *, contents: bool = True) -> ProjectScan:
    """The project that was named, with the shelf that was named or that of its crossing; see `scan_project`."""
    project = Path(options.project)
    profile = profile_for(options, project)
    named = getattr(options, "shelf", None)
    crossing = find_crossing(project)
    addresses = named or (crossing.setup.shelves if crossing else ())
    shelf = read_shelf(addresses) if addresses else None
    return scan_project(project, profile, shelf, Work(token=token), ScanOptions(contents=contents))


def crossing_for(options: argparse.Namespace) -> Crossing:
    """The crossing of the project that was named; its profile is trusted when asked to."""
    crossing = open_crossing(Path(options.project))
    if getattr(options, "trust", False):
        trust(read_profile(crossing.setup.profile))
    return crossing


def choose_fix_settings(options: argparse.Namespace, crossing: Crossing) -> None:
    """Keep what the options say about automatic fixes. Raises MisuseError."""
    if options.apply_from is not None:
        choose_confidence(crossing, options.apply_from)
    if options.attempts is not None:
        choose_attempts(crossing, options.attempts)
