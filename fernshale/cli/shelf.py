"""shelf show, shelf serve."""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

from fernshale.cli.session import print_json, print_lines
from fernshale.core.base.work import CancelToken, no_progress
from fernshale.core.crossing.shelves import open_server, read_shelf, shelf_json


def show(options: argparse.Namespace, token: CancelToken) -> int:
    shelf = read_shelf(options.shelf)
    if options.json:
        print_json(shelf_json(shelf))
        return 0
    print(shelf.title)
    print_lines(f"  {item.id} {item.version}  {item.stage}" for item in shelf.engines)
    print_lines(f"  {item.id} {item.version}  {item.stage}  accepts {item.accepts or 'unknown'}" for item in shelf.plugins)
    print_lines(f"  {notice}" for notice in shelf.notices)
    return 0


def serve(options: argparse.Namespace, token: CancelToken) -> int:
    with tempfile.TemporaryDirectory(prefix="fernshale-shelf-") as packed:
        server = open_server(Path(options.folder), Path(packed), options.host, options.port, no_progress, token)
        try:
            print(f"{options.folder} is given out at {server.address} until you interrupt it", flush=True)
            while not token.is_cancelled:
                time.sleep(0.1)
        finally:
            server.close()
    return 0
