"""One module per page; pages never import one another."""
