"""Trial: run the game and compare it with the baseline: logs, checks, timings, pictures."""
