"""demo: the sample in a fresh folder, in the window or as text."""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
import time
from pathlib import Path

from fernshale.api.crossings import begin_crossing, read_decisions
from fernshale.api.projects import read_profile, trust
from fernshale.api.reports import report_data, report_markdown
from fernshale.cli.cross import exit_code, run_crossing
from fernshale.cli.display import has_display
from fernshale.cli.open_window import show
from fernshale.cli.output import item_lines, print_json, print_lines
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.sample import unpack


def demo(options: argparse.Namespace, token: CancelToken) -> int:
    folder = Path(options.folder) if options.folder else Path(tempfile.mkdtemp(prefix="fernshale-demo-"))
    if folder.exists() and any(folder.iterdir()):
        raise MisuseError(f"{folder} is not empty", "The sample is unpacked into a new or empty folder.")
    # Next to the sample, so that a demo leaves nothing among the crossings of real projects.
    os.environ.setdefault("FERNSHALE_HOME", str(folder / "fernshale-home"))
    sample = unpack(folder, options.sample)
    profile = read_profile(sample.profile)
    trust(profile)  # it ships with the program that is asking
    if not options.headless and has_display():
        print(f"the sample is in {folder}", file=sys.stderr)
        return show(sample.project, sample.shelf, sample.target)
    if not options.headless:
        print("there is no display here; the whole example follows as text\n", flush=True)
    started = time.monotonic()
    if not options.json:
        print(f"{sample.project}: {profile.title}, to {sample.target}\n", flush=True)
    crossing = begin_crossing(sample.project, profile, [sample.shelf], sample.target, Work(token=token))
    recorded = {} if options.by_hand else read_decisions(sample.decisions)
    overview, _ = run_crossing(crossing, recorded, options.json, token)
    if options.json:
        print_json(report_data(overview, crossing))
        return exit_code(overview)
    print()
    if overview.is_done:
        print(f"It compiles and runs on {sample.target}, and what it writes is as expected.")
    else:
        print("left to do")
        print_lines(item_lines(overview.items))
    report = folder / "report.md"
    report.write_text(report_markdown(report_data(overview, crossing)), encoding="utf-8")
    print(f"{time.monotonic() - started:.0f} s; the report is {report}")
    return exit_code(overview)
