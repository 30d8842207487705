"""Drafting an engine profile from a project, and checking one."""
