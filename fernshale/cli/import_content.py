"""import."""

from __future__ import annotations

import argparse
from pathlib import Path

from fernshale.api.crossings import import_content, open_crossing, plan_import, read_assets_for
from fernshale.cli.crossing_lookup import scan_for
from fernshale.cli.output import LEFT_TO_DECIDE, print_json, print_lines
from fernshale.core.base.texts import count
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work

_WORDS = {"copy": "new", "same": "present", "differs": "differs"}


def import_files(options: argparse.Namespace, token: CancelToken) -> int:
    scan = scan_for(options, token)
    source = Path(options.source)
    plan = plan_import(scan, source, options.paths, options.into, token)
    if options.read_assets and plan.unread:
        read_assets_for(open_crossing(scan.project), scan, plan, Work(token=token))
        plan = plan_import(scan, source, options.paths, options.into, token)
    if options.apply:
        crossing = open_crossing(scan.project)
        with crossing.acting():
            import_content(
                crossing, scan, plan, options.over, f"asked for: {', '.join(options.paths)}", Work(token=token)
            )
    if options.json:
        print_json(
            {
                "files": [
                    {"path": item.path, "target": item.target, "state": item.state, "why": item.why}
                    for item in plan.files
                ],
                "unmet": [{"what": item.what, "by": item.by, "line": item.line} for item in plan.unmet],
                "unread": list(plan.unread),
                "applied": options.apply,
            }
        )
    else:
        print_lines(f"{_WORDS[item.state]:8} {printable(item.target)}  {item.why}" for item in plan.files)
        print_lines(f"missing  {item.what}  {printable(item.by)}:{item.line} needs it" for item in plan.unmet)
        print_lines(
            f"unread   {printable(path)}  its ids are not known; read it with --read-assets" for path in plan.unread
        )
        done = "imported" if options.apply else "would be imported"
        number = plan.count("copy") + (plan.count("differs") if options.over else 0)
        print(f"{count(number, 'file')} {done}, {plan.count('same')} are there already")
    left = plan.unmet or plan.unread or (plan.count("differs") and not options.over)
    return LEFT_TO_DECIDE if left else 0
