"""shelf show, shelf add, shelf serve."""

from __future__ import annotations

import argparse
import tempfile
import time
from dataclasses import asdict, replace
from pathlib import Path

from fernshale.api.projects import ShelfServer, add_releases, find_releases, read_profile, read_shelf
from fernshale.cli.output import print_json, print_lines
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count
from fernshale.core.base.work import CancelToken, Work


def show(options: argparse.Namespace, token: CancelToken) -> int:
    shelf = read_shelf(options.shelf)
    if options.json:
        said = {"title": shelf.title, "addresses": list(shelf.addresses), "notices": list(shelf.notices)}
        releases = {
            "engines": [asdict(item) for item in shelf.engines],
            "plugins": [asdict(item) for item in shelf.plugins],
            "successions": [asdict(item) for item in shelf.successions],
        }
        print_json({**said, **releases})
        return 0
    print(shelf.title)
    print_lines(f"  {item.id} {item.version}  {item.stage}" for item in shelf.engines)
    print_lines(
        f"  {item.id} {item.version}  {item.stage}  accepts {item.accepts or 'unknown'}" for item in shelf.plugins
    )
    print_lines(f"  {notice}" for notice in shelf.notices)
    return 0


def add(options: argparse.Namespace, token: CancelToken) -> int:
    work = Work(token=token)
    profile = read_profile(Path(options.profile)) if options.profile else None
    found = [item for source in options.sources for item in find_releases(Path(source), profile, work)]
    if options.version and len(found) != 1:
        raise MisuseError(f"--version is for a single release, and {len(found)} were found")
    said = {"id": options.id, "version": options.version, "kind": "engine" if options.engine else None}
    found = [replace(item, **{name: value for name, value in said.items() if value}) for item in found]
    new = () if options.dry_run else add_releases(Path(options.shelf), found, work, in_place=options.in_place)
    if options.json:
        rows = [{**asdict(item), "place": str(item.place)} for item in found]
        print_json({"found": rows, "added": [asdict(item) for item in new]})
        return 0
    if not found:
        print("no releases were found there")
    for item in found:
        print(f"{item.kind} {item.id} {item.version or '?'}  {item.why}  {item.place}")
    if not options.dry_run:
        print(f"{count(len(new), 'release')} added to {options.shelf}")
    return 0 if found else 1


def serve(options: argparse.Namespace, token: CancelToken) -> int:
    with tempfile.TemporaryDirectory(prefix="fernshale-shelf-") as packed:
        server = ShelfServer(Path(options.folder), Path(packed), options.host, options.port, Work(token=token))
        try:
            print(f"{options.folder} is given out at {server.address} until you interrupt it", flush=True)
            while not token.is_cancelled:
                time.sleep(0.1)
        finally:
            server.close()
    return 0
