"""Ids in assets: declarations, uses, and missing references."""
