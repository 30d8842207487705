"""Widgets that pages share."""
