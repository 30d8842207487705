"""Structured text as trees with source positions: JSON, TOML, YAML, XML, INI, properties, and line-based formats."""
