"""Crossings: move one project from one release to another."""
