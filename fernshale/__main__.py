"""`fernshale`: the window without arguments, else the command line."""

from __future__ import annotations

import sys


def main() -> None:
    from fernshale.cli.main import run

    sys.exit(run(sys.argv[1:]))


if __name__ == "__main__":
    main()
