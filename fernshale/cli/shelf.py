"""shelf show, shelf serve."""

from __future__ import annotations

import argparse
import tempfile
import time
from dataclasses import asdict
from pathlib import Path

from fernshale.api.projects import ShelfServer, read_shelf
from fernshale.cli.output import print_json, print_lines
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
