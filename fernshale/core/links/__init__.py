"""Ids in assets: what is declared, what is used, what dangles."""
