"""Change sets: the only way anything is written into a project."""
