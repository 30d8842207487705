"""One module per stage: what it sees (a view with its matters), and what it does."""
