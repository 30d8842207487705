"""crossing list, export, import, archive."""

from __future__ import annotations

import argparse
from pathlib import Path

from fernshale.api.crossings import (
    IS_ARCHIVED,
    ImportPlan,
    all_crossings,
    archive_crossing,
    export_crossing,
    import_crossing,
    open_crossing,
)
from fernshale.cli.output import print_json, print_lines
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work


def list_crossings(options: argparse.Namespace, token: CancelToken) -> int:
    rows = [
        {
            "project": str(crossing.setup.project),
            "from": crossing.setup.start,
            "to": crossing.setup.target,
            "archived": crossing.read(IS_ARCHIVED),
        }
        for crossing in all_crossings()
    ]
    if options.json:
        print_json({"crossings": rows})
    else:
        print_lines(
            printable(f"{row['from']} → {row['to']}  {row['project']}{'  archived' if row['archived'] else ''}")
            for row in rows
        )
    return 0


def export(options: argparse.Namespace, token: CancelToken) -> int:
    file = Path(options.file).absolute()
    size = export_crossing(open_crossing(Path(options.project)), file, Work(token=token))
    if options.json:
        print_json({"file": str(file), "bytes": size})
    else:
        print(printable(f"{file}: {size} bytes"))
    return 0


def import_file(options: argparse.Namespace, token: CancelToken) -> int:
    plan = ImportPlan(Path(options.project), tuple(options.shelf or ()), options.with_commands)
    crossing = import_crossing(Path(options.file), plan, Work(token=token))
    setup = crossing.setup
    if options.json:
        print_json(
            {"project": str(setup.project), "profile": str(setup.profile), "from": setup.start, "to": setup.target}
        )
    else:
        print(printable(f"{setup.project}: {setup.start} → {setup.target}; its profile is {setup.profile}"))
    return 0


def archive(options: argparse.Namespace, token: CancelToken) -> int:
    freed = archive_crossing(open_crossing(Path(options.project)))
    if options.json:
        print_json({"freed": freed})
    else:
        print(f"archived; {freed} bytes were freed")
    return 0
