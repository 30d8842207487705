"""Whether there is a display to show a window on."""

from __future__ import annotations

import os


def has_display() -> bool:
    """Whether a window can be shown: a display server, or a platform that was chosen on purpose."""
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))
