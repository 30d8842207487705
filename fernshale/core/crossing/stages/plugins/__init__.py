"""Plugins: merge the new plugin releases and keep every local edit."""
