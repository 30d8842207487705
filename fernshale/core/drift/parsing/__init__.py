"""Source files into symbols, one module per family of languages, all by tree-sitter's grammars.

Only declarations are walked; of a body the names in it are taken by a plain word scan. A file with errors gives what could
be read of it.
"""

from fernshale.core.drift.parsing.languages import read_both, read_source

__all__ = ["read_both", "read_source"]
