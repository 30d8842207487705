"""Rehearsals: a whole crossing carried out automatically on a scratch copy, to learn what it would cost."""
