"""Structured text as trees whose every node knows its place: JSON, TOML, YAML, XML, INI, properties, and formats of lines."""
