"""`fernshale`: the window without arguments, else the command line."""

from __future__ import annotations

import os
import signal
import sys


def main() -> None:
    # Until a command looks after signals itself, nothing was begun that would have to be ended well.
    signal.signal(signal.SIGINT, lambda _number, _frame: os._exit(130))
    from fernshale.cli.main import SIGNALS, run

    try:
        code = run(sys.argv[1:])
    except KeyboardInterrupt:
        code = 130  # a second interrupt, while the first was being answered
    # While the interpreter shuts down a further interrupt has nothing left to end.
    signal.pthread_sigmask(signal.SIG_BLOCK, SIGNALS)
    sys.exit(code)


if __name__ == "__main__":
    main()
