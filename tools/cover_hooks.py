"""A pytest plugin for `cover.py`: each process saves what it measured as soon as its last test has ended."""

from __future__ import annotations

import coverage


def pytest_sessionfinish() -> None:
    """Save the measurement: a worker that takes long to end is killed, and its measurement would be lost."""
    measured = coverage.Coverage.current()
    if measured is not None:
        measured.save()
