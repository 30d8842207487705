"""merge, identify."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from fernshale.api.merging import (
    Undecided,
    build_ledger,
    build_result,
    disk_sides,
    find_origin,
    folder_texts,
    index_folders,
    ledger_json,
    merge_folders,
    plain_format,
    read_column,
    write_result,
)
from fernshale.api.projects import local_json
from fernshale.cli.output import LEFT_TO_DECIDE, print_json, print_lines
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.merge.folder_merge import FolderMerge
from fernshale.core.merge.ledger import FATE_WORDS, Ledger
from fernshale.core.merge.text_merge import Resolution


def merge(options: argparse.Namespace, token: CancelToken) -> int:
    folders = [_folder(getattr(options, side)) for side in ("base", "mine", "incoming")]
    target = Path(options.result)
    if target.exists() and any(target.iterdir()):
        raise MisuseError(f"{target} is not empty", "Write the result into a new or empty folder.")
    base, mine, incoming = disk_sides(folders, token)
    merged = merge_folders(base, mine, incoming, Work(token=token), plain_format)
    choices: dict[str, Resolution] = {}
    if options.undecided == "incoming":
        choices = {conflict.id: Resolution("incoming") for _, conflict in merged.decisions}
    undecided: Undecided = "marked" if options.undecided == "marked" else "mine"
    result = build_result(merged, choices, undecided)
    ledger = build_ledger(merged, result, choices, undecided)
    write_result(merged, result, target)
    report = _report(merged, ledger)
    if options.report:
        write_atomic(Path(options.report), json.dumps(report, indent=2).encode())
    if options.json:
        print_json(report)
    else:
        print_lines(f"{file.outcome:8} {file.shown}  {file.why}" for file in merged.files if file.outcome != "same")
        fates = ", ".join(f"{ledger.count(fate)} {words}" for fate, words in FATE_WORDS.items())
        print(f"{ledger.edits} local edits: {fates}")
    return LEFT_TO_DECIDE if any(conflict.id not in choices for _, conflict in merged.decisions) else 0


def identify(options: argparse.Namespace, token: CancelToken) -> int:
    folder = _folder(options.folder)
    mine = read_column(folder, token)
    releases = {name: _folder(name) for name in options.candidates}
    contents = {path: raw for path, (raw, _) in mine.items()}
    origin = find_origin(
        contents,
        index_folders(releases, token),
        lambda path: mine[path][1],
        texts=folder_texts(folder, releases, token),
    )
    assert origin is not None  # at least one candidate is always named
    rows = [
        {"candidate": item.name, "score": round(item.score, 4), "same_files": item.same_files}
        for item in origin.ranking
    ]
    if options.json:
        print_json(
            {
                "best": origin.name,
                "ranking": rows,
                "sure": round(origin.confidence, 4),
                "tied": list(origin.tied),
                **local_json(origin),
            }
        )
        return 0
    print_lines(f"{row['score']:.2f}  {row['same_files']} same files  {row['candidate']}" for row in rows)
    by = "lines and runs of words" if origin.by_text else "files"
    detail = f"; {origin.telling:,} {by} distinguish it from {origin.runner_up}" if origin.runner_up else ""
    print(f"{origin.words}{detail}")
    print(f"{len(origin.edited)} edited, {len(origin.own)} own, {len(origin.deleted)} deleted")
    for name, paths in origin.mixture.items():
        print_lines(f"as in {name}: {path}" for path in paths)
    print_lines(f"left over from {name}: {path}" for path, name in origin.leftovers.items())
    return 0


def _folder(name: str) -> Path:
    folder = Path(name)
    if not folder.is_dir():
        raise MisuseError(f"{folder} is not a folder")
    return folder


def _report(merged: FolderMerge, ledger: Ledger) -> dict[str, Any]:
    files = [
        {
            "path": file.shown,
            "from": next((path for path in (file.mine, file.base) if path and path != file.shown), None),
            "outcome": file.outcome,
            "why": file.why,
            "decisions": [
                {
                    "id": conflict.id,
                    "kind": conflict.kind,
                    "mine": list(conflict.mine),
                    "incoming": list(conflict.incoming),
                }
                for conflict in file.decisions
            ],
        }
        for file in merged.files
    ]
    return {"format": "fernshale-merge/1", "files": files, "ledger": ledger_json(ledger)}
