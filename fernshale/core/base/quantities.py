"""Durations and sizes with their units, the same in window, command line, logbook and report."""

from __future__ import annotations

from fernshale.core.base.texts import count


def seconds(elapsed_s: float) -> str:
    """Format a duration for people; short durations get more digits."""
    return (
        f"{elapsed_s * 1000:.2g} ms"
        if elapsed_s < 0.1
        else f"{elapsed_s:.2f} s"
        if elapsed_s < 1
        else f"{elapsed_s:.1f} s"
        if elapsed_s < 60
        else f"{elapsed_s / 60:.1f} min"
    )


def size_words(size: int) -> str:
    """Bytes for people."""
    amount = float(size)
    for unit in ("bytes", "kB", "MB"):
        if amount < 1000:
            return count(size, "byte") if unit == "bytes" else f"{amount:.1f} {unit}"
        amount /= 1000
    return f"{amount:.1f} GB"
