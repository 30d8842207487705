"""Everything that is kept of a crossing on disk: items, decisions, logbook, undo plans, trust, retention."""
