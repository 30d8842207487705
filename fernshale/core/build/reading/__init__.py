"""Readers for what compilers, linkers, build tools and interpreters print.

`heads` knows the lines a diagnostic begins with, `blocks` what goes over several lines (tracebacks, arrows, call stacks),
`documents` machine-readable output, `wrappers` what build tools put round other tools' lines; `reader` feeds
them, `log` reads a whole log.
"""

from fernshale.core.build.reading.line_reader import Reader, read_diagnostics
from fernshale.core.build.reading.log_reader import read_log

__all__ = ["Reader", "read_diagnostics", "read_log"]
