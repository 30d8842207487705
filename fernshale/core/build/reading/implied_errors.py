"""Warnings that are errors once a build fails: calls to C functions that nothing declares any more.

Such a call breaks the language's rules since 1999. Older compilers only warn, and the linker then reports the function without a
place, or the compiler reports what the assumed result does not fit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fernshale.core.build.diagnostics import Diagnostic
from fernshale.core.build.message_patterns import is_undeclared_call


def with_implied_errors(found: Sequence[Diagnostic]) -> tuple[Diagnostic, ...]:
    """The diagnostics of a log; its implicit declarations count as errors if it has other errors."""
    if not any(item.severity == "error" for item in found):
        return tuple(found)
    return tuple(
        replace(item, severity="error") if item.severity == "warning" and is_undeclared_call(item.message) else item
        for item in found
    )
