"""The places of files that a build names, and their owners."""

from __future__ import annotations

from collections.abc import Callable

from fernshale.core.build.owners import OwnerContext
from fernshale.core.build.path_mapping import ProjectFiles
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.survey.roles import role_of


def project_files(scan: ProjectScan) -> ProjectFiles:
    """The project's files by the ends of their paths; kept with the manifest they are of."""
    manifest = scan.manifest
    return manifest.derived("project files", lambda: ProjectFiles(scan.project, manifest.files))


def owner_context(
    scan: ProjectScan, crossing: Crossing, line_now: Callable[[str, int], int] = lambda _path, line: line
) -> OwnerContext:
    """The context for the output of a build of this crossing; `line_now` gives the current line of a place."""
    plugins = tuple((item.id, item.folder) for item in scan.plugins)
    engine = engine_folder(scan, scan.release)
    scratch = (crossing.folder.resolve(),)
    return OwnerContext(
        scan.project,
        project_files(scan),
        engine,
        scratch,
        plugins,
        lambda path: role_of(scan.profile, path).role,
        line_now,
    )
