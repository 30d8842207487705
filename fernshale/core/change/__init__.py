"""Change sets: the only way to write into a project."""
