"""Several projects in one go: each in a process of its own, and one table of how far each came."""
