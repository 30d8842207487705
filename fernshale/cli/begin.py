"""Beginning or resuming a crossing, in place or on a copy."""

from __future__ import annotations

import argparse
from pathlib import Path

from fernshale.api.crossings import Crossing, begin_crossing, find_crossing
from fernshale.api.projects import duplicate_tree
from fernshale.cli.crossing_lookup import profile_for, shelves_for
from fernshale.cli.output import to_stderr
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.start import Extent


def begun(options: argparse.Namespace, token: CancelToken) -> Crossing:
    """The crossing to the release that was named, begun or resumed."""
    original = str(Path(options.project).resolve()) if options.copy_to else ""
    project = _copied(Path(original), Path(options.copy_to), token) if original else Path(options.project)
    known = find_crossing(project)
    shelves = shelves_for(options, known)
    profile = profile_for(options, project)
    # A crossing of some members can be resumed without naming them again.
    goes_on = known is not None and known.setup.target == options.to
    members = options.member or (known.setup.members if known and goes_on else ())
    return begin_crossing(
        project, profile, shelves, options.to, Work(token=token), Extent(options.via or (), members, original)
    )


def _copied(project: Path, copy_folder: Path, token: CancelToken) -> Path:
    """A copy of the project to cross instead; the existing one when its crossing was begun already."""
    if find_crossing(copy_folder) is not None:
        return copy_folder
    if find_crossing(project) is not None:
        raise MisuseError(f"a crossing of {project} itself was begun already", "Leave out --copy-to to resume it.")
    done = duplicate_tree(project, copy_folder, Work(token=token))
    shared = f", {done.shared} of them sharing their blocks with the original" if done.shared else ""
    to_stderr(f"{copy_folder}: a copy of {done.files} files{shared}")
    for path, why in done.reported:
        to_stderr(f"  left out: {printable(path)}: {why}")
    return copy_folder
