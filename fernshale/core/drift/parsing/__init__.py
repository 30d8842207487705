"""Parse source files into symbols, one module per family of languages, all with tree-sitter grammars.

Only declarations are walked; names in bodies are found by a plain scan for words. From a file with errors, all readable symbols
are returned.
"""

from fernshale.core.drift.parsing.languages import count_faults, read_both, read_source

__all__ = ["count_faults", "read_both", "read_source"]
