"""Does it still behave: logs compared, checks, timings."""
