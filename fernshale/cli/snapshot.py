"""snapshot take, list, compare, restore, verify, delete."""

from __future__ import annotations

import argparse
import time
from dataclasses import asdict
from pathlib import Path

from fernshale.api.snapshots import (
    Store,
    compare_snapshots,
    default_store,
    delete_by_policy,
    delete_snapshots,
    restore_tree,
)
from fernshale.cli.output import print_json, print_lines
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.snapshot.deletion import Policy


def take(options: argparse.Namespace, token: CancelToken) -> int:
    done = _store(options).take(Path(options.tree), options.note, Work(token=token))
    if options.json:
        reported = [{"path": path, "why": why} for path, why in done.reported]
        data = {"id": done.id, "files": done.files, "bytes": done.bytes, "stored": done.stored, "reported": reported}
        print_json(data)
    else:
        print(f"{done.id}  {done.files} files, {done.bytes} bytes, {done.stored} added to the store")
        print_lines(f"  left out: {path}: {why}" for path, why in done.reported)
    return 0


def list(options: argparse.Namespace, token: CancelToken) -> int:
    found = _store(options).list()
    if options.json:
        print_json([asdict(item) for item in found])
    else:
        for item in found:
            when = time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(item.taken))
            print(printable(f"{item.id}  {when}  {item.files} files  {item.tree}  {item.note}"))
    return 0


def compare(options: argparse.Namespace, token: CancelToken) -> int:
    found = compare_snapshots(_store(options), options.before, options.after, token)
    if options.json:
        print_json(asdict(found))
        return 0
    finer = dict.fromkeys(found.mode_only, "mode") | dict.fromkeys(found.line_ends_only, "line ends")
    print_lines(f"added     {path}" for path in found.added)
    print_lines(f"removed   {path}" for path in found.removed)
    print_lines(f"{finer.get(path, 'changed'):9} {path}" for path in found.changed)
    for pair in found.moved:
        print_lines([f"moved     {pair[0]} → {pair[1]}" + (", edited" if pair in found.moved_edited else "")])
    return 0


def restore(options: argparse.Namespace, token: CancelToken) -> int:
    store = _store(options)
    manifest = store.manifest(options.id)
    done = restore_tree(store, manifest, Path(options.destination), options.paths, Work(token=token))
    if options.json:
        print_json(
            {
                "restored": done.paths,
                "destination": options.destination,
                "without_attributes": [*done.without_attributes],
            }
        )
    else:
        print(f"{done.paths} entries restored into {options.destination}")
        print_lines(f"  without its extended attributes: {path}" for path in done.without_attributes)
    return 0


def verify(options: argparse.Namespace, token: CancelToken) -> int:
    verdict = _store(options).verify(Work(token=token))
    if options.json:
        damaged = [{"what": what, "snapshots": [*ids]} for what, ids in verdict.damaged]
        print_json({"ok": verdict.ok, "damaged": damaged})
    else:
        print("everything reads back as it was put in" if verdict.ok else "damaged:")
        for what, ids in verdict.damaged:
            print(f"  {what}; touches {', '.join(ids) or 'no snapshot'}")
    return 0 if verdict.ok else 1


def delete(options: argparse.Namespace, token: CancelToken) -> int:
    store = _store(options)
    if options.ids:
        freed = delete_snapshots(store, options.ids, Work(token=token))
    else:
        tree = str(Path(options.tree).resolve()) if options.tree else ""
        policy = Policy(options.keep_last, options.keep_daily)
        freed = delete_by_policy(store, policy, tree, Work(token=token), dry_run=options.dry_run)
    if options.json:
        print_json({"forgotten": [*freed.forgotten], "freed": freed.bytes, "done": not options.dry_run})
    else:
        print_lines(freed.forgotten)
        word = "would be deleted" if options.dry_run else f"deleted, {freed.bytes} bytes freed"
        print(f"{len(freed.forgotten)} {word}")
    return 0


def _store(options: argparse.Namespace) -> Store:
    return Store(Path(options.store) if options.store else default_store())
