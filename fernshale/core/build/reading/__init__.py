"""Parsers for the output of compilers, linkers, build tools and interpreters.

`line_patterns` has the first lines of diagnostics, `multiline` those over several lines (tracebacks, arrows, call stacks),
`structured` machine-readable output, `prefixes` the prefixes of build tools; `line_reader` parses lines as they arrive,
`log_reader` a complete log.
"""

from fernshale.core.build.reading.line_reader import Reader, read_diagnostics
from fernshale.core.build.reading.log_reader import read_log

__all__ = ["Reader", "read_diagnostics", "read_log"]
