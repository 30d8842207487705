"""How users of a release write its names: packages, re-exports, namespaces, and parts of names."""
