"""One project on its way from one release to another: what is recorded, read, decided, carried out and reported."""
