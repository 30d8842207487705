"""The window, from the command line."""

from __future__ import annotations

import argparse
import sys
from contextlib import suppress
from pathlib import Path

from fernshale.cli.display import has_display
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.settings import usable_settings
from fernshale.core.base.work import CancelToken


def open_window(options: argparse.Namespace, token: CancelToken) -> int:
    project = Path(options.project) if options.project else None
    if project is not None and not project.exists():
        raise MisuseError(f"{project} does not exist", "Name the folder of a project, or a file of Fernshale.")
    if not has_display():
        raise FernshaleError(
            "there is no display to show the window on", "`fernshale --help` lists what can be done without one."
        )
    return show(project, None, "")


def use_user_language() -> None:
    """Have the window in the user's language. To be called before the modules that hold its texts are imported."""
    with suppress(ImportError):  # reported when the window is to be shown
        from fernshale.app.language import chosen_language, use_language

        use_language(chosen_language(usable_settings().look.language))


def show(project: Path | None, shelf: Path | None, target: str) -> int:
    """Run the window until it is closed. With `shelf` and `target` the crossing is begun at once."""
    try:
        from fernshale.app.main import run_app
    except ImportError as error:
        raise FernshaleError(
            f"the window cannot be loaded: {error}", "`./dev setup` installs what it needs."
        ) from error
    return run_app(sys.argv[:1], project, shelf, target)
