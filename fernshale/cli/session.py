"""What commands share: find profile and shelf, print text or JSON, show progress on standard error."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, no_progress
from fernshale.core.crossing.ground import Ground, read_ground
from fernshale.core.crossing.matter import Matter
from fernshale.core.crossing.overview import begin_crossing
from fernshale.core.crossing.state import Crossing, find_crossing, open_crossing
from fernshale.core.crossing.trust import trust
from fernshale.core.profile.model import Profile
from fernshale.core.profile.read import find_profile, read_profile
from fernshale.core.route.sources import read_shelf
from fernshale.core.snapshot.duplicate import duplicate_tree
from fernshale.core.snapshot.store import home

LEFT_TO_DECIDE = 3


def profile_folders() -> tuple[Path, ...]:
    """Where profiles are looked for: the user's own, then those that ship."""
    from fernshale.sample import PROFILES

    return (home() / "profiles", PROFILES)


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


def ground_for(options: argparse.Namespace, token: CancelToken, *, contents: bool = True) -> Ground:
    """The project that was named, with the shelf that was named or that of its crossing; see `read_ground`."""
    project = Path(options.project)
    profile = profile_for(options, project)
    named = getattr(options, "shelf", None)
    crossing = find_crossing(project)
    addresses = named or (crossing.setup.shelves if crossing else ())
    shelf = read_shelf(addresses) if addresses else None
    return read_ground(project, profile, shelf, no_progress, token, contents=contents)


def begun(options: argparse.Namespace, token: CancelToken) -> Crossing:
    """The crossing to the release that was named, begun or resumed."""
    original = str(Path(options.project).resolve()) if options.beside else ""
    project = _copied(Path(original), Path(options.beside), token) if original else Path(options.project)
    known = find_crossing(project)
    if not options.shelf and known is None:
        raise MisuseError("name the shelf the releases lie on with --shelf")
    shelves = options.shelf or (known.setup.shelves if known else ())
    profile = profile_for(options, project)
    # Who goes on with a crossing of some members need not name them again.
    goes_on = known is not None and known.setup.target == options.to
    members = options.member or (known.setup.members if known and goes_on else ())
    return begin_crossing(project, profile, shelves, options.to, no_progress, token, options.via or (), members, original)


def _copied(project: Path, beside: Path, token: CancelToken) -> Path:
    """A copy of the project to cross in its place; the one there is when its crossing was begun already."""
    if find_crossing(beside) is not None:
        return beside
    if find_crossing(project) is not None:
        raise MisuseError(f"a crossing of {project} itself was begun already", "Leave --beside away to go on with it.")
    done = duplicate_tree(project, beside, no_progress, token)
    shared = f", {done.shared} of them sharing their blocks with the original" if done.shared else ""
    to_stderr(f"{beside}: a copy of {done.files} files{shared}")
    for path, why in done.reported:
        to_stderr(f"  left out: {printable(path)}: {why}")
    return beside


def crossing_for(options: argparse.Namespace) -> Crossing:
    """The crossing of the project that was named; its profile is trusted when asked to."""
    crossing = open_crossing(Path(options.project))
    if getattr(options, "trust", False):
        trust(read_profile(crossing.setup.profile))
    return crossing


def to_stderr(line: str) -> None:
    """Live output of a command."""
    print(line, file=sys.stderr)


def print_json(data: Any) -> None:
    print(json.dumps(data, indent=2))


def print_lines(lines: Iterable[str]) -> None:
    for line in lines:
        print(printable(line))


def matter_lines(matters: Iterable[Matter]) -> list[str]:
    """Open matters for people."""
    lines = []
    for matter in matters:
        place = f"  ({matter.place})" if matter.place else ""
        lines.append(f"  {'◆' if matter.needs_you else '·'} {matter.stage.value}: {matter.title}{place}")
        lines += [f"      {way.id or '-'}: {way.title}" for way in matter.proposals]
    return lines
