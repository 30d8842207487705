"""Everything Fernshale knows and does, without a window and without printing."""
