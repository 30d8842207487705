"""profile draft, profile check."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from pathlib import Path

from fernshale.api.projects import check_profile, draft_text, keep_draft
from fernshale.cli.output import print_data, print_json, print_lines
from fernshale.core.base.work import CancelToken


def draft(options: argparse.Namespace, token: CancelToken) -> int:
    text = draft_text(Path(options.project), token)
    if options.out:
        keep_draft(text, Path(options.out))
    else:
        print_data(text)
    return 0


def check(options: argparse.Namespace, token: CancelToken) -> int:
    path = Path(options.file)
    remarks = check_profile(path, Path(options.project) if options.project else None, token)
    bad = any(item.severity == "error" for item in remarks)
    if options.json:
        print_json({"ok": not bad, "remarks": [asdict(item) for item in remarks]})
    else:
        print_lines(f"{path}:{item.line}: {item.severity}: {item.text}" for item in remarks)
        if not remarks:
            print(f"{path}: no problems found")
    return 1 if bad else 0
