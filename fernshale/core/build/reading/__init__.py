"""Readers for what compilers, linkers, build tools and interpreters print.

`heads` knows the lines a diagnostic begins with, `blocks` what goes over several lines (tracebacks, arrows, call stacks),
`documents` machine-readable output, `wrappers` what build tools put round other tools' lines; `reader` feeds
them, `log` reads a whole log.
"""

from fernshale.core.build.reading.log import read_log
from fernshale.core.build.reading.reader import Reader, read_diagnostics

__all__ = ["Reader", "read_diagnostics", "read_log"]
