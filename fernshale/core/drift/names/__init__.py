"""How users of a release write its names: packages, re-exports, namespaces, and what names have in common."""
