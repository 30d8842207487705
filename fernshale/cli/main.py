"""Parse the command line, run one command, turn errors into exit codes."""

from __future__ import annotations

import argparse
import importlib
import os
import signal
import sys
from collections.abc import Sequence
from types import FrameType

from fernshale.cli.arguments import build_parser
from fernshale.cli.display import has_display
from fernshale.cli.output import PlainStream
from fernshale.core.base.crash_report import in_words
from fernshale.core.base.data_folder import move_former_places
from fernshale.core.base.errors import Cancelled, FernshaleError
from fernshale.core.base.log import log_uncaught, logged, start_logging, stop_logging
from fernshale.core.base.settings import usable_settings
from fernshale.core.base.work import CancelToken

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
_WINDOW_COMMANDS = ("open_window", "demo")
_FORMER_OPTIONS = {"--way": "--playbook", "--sure": "--automatic-from", "--beside": "--copy-to"}
_FORMER_COMMANDS = {("carry",): ("import",), ("snapshot", "forget"): ("snapshot", "delete")}


def run(arguments: Sequence[str]) -> int:
    """The exit code of a command line."""
    token = CancelToken()
    _cancel_on_signals(token)
    out, err = sys.stdout, sys.stderr
    sys.stdout, sys.stderr = PlainStream(out), PlainStream(err)
    try:
        options = build_parser().parse_args(_with_current_names(arguments))  # misuse ends here, with 2
        move_former_places()
        start_logging(usable_settings().log.level, is_verbose=options.verbose)
        log_uncaught()
        code = _run(options, token)
        sys.stdout.flush()
    except (Cancelled, KeyboardInterrupt):
        code = _interrupted()
    except BrokenPipeError:
        code = 1  # the reader has closed the pipe
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    finally:
        stop_logging()
        for number in SIGNALS:
            signal.signal(number, signal.SIG_IGN)  # nothing is left that an interrupt could end
        sys.stdout, sys.stderr = out, err
    return code


def _with_current_names(arguments: Sequence[str]) -> list[str]:
    """Replace former names of options and commands, so that scripts keep working. Nothing after `--` is an option."""
    end = arguments.index("--") if "--" in arguments else len(arguments)
    parts = [argument.partition("=") for argument in arguments[:end]]
    current = [_FORMER_OPTIONS.get(name, name) + equals + value for name, equals, value in parts] + [*arguments[end:]]
    for before, now in _FORMER_COMMANDS.items():
        if tuple(current[: len(before)]) == before:
            current[: len(before)] = now
    return current


def _run(options: argparse.Namespace, token: CancelToken) -> int:
    """Raises Cancelled, KeyboardInterrupt, BrokenPipeError."""
    module, name = options.handler
    try:
        if module in _WINDOW_COMMANDS and not getattr(options, "headless", False) and has_display():
            importlib.import_module("fernshale.cli.open_window").use_user_language()
        handler = getattr(importlib.import_module(f"fernshale.cli.{module}"), name)
        with logged("-", f"command {name}"):
            code: int = handler(options, token)
    except (Cancelled, BrokenPipeError):
        raise
    except Exception as error:
        # An error after an interrupt is caused by it.
        if token.is_cancelled:
            return _interrupted()
        print(f"fernshale: {in_words(error)}", file=sys.stderr)
        return error.exit_code if isinstance(error, FernshaleError) else 1
    return _interrupted() if token.is_cancelled and name != "serve" else code


def _interrupted() -> int:
    print("fernshale: interrupted", file=sys.stderr)
    return 130


def _cancel_on_signals(token: CancelToken) -> None:
    """The first signal cancels, so that a change set is finished or not begun; the second one interrupts."""

    def on_signal(_number: int, _frame: FrameType | None) -> None:
        if token.is_cancelled:
            raise KeyboardInterrupt
        token.cancel()

    for number in SIGNALS:
        if signal.getsignal(number) is not signal.SIG_IGN:  # as under nohup
            signal.signal(number, on_signal)
