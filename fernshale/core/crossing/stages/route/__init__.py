"""Route: which plugins can move to the target, over which stops, and what each option costs."""
