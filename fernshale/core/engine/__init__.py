"""Point the project at another release: sites, and generated files that went stale."""
