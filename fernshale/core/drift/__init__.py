"""How one release's interface differs from another's, as far as its notes say so."""
