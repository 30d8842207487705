"""Drawn things that pages share."""
