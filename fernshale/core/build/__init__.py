"""Build output into diagnostics, diagnostics into causes, builds into rounds."""
