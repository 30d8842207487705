"""Fernshale takes a game project from one engine release to a newer one."""

__version__ = "0.2.0"
