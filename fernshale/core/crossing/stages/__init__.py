"""One package per stage, named as on the screen, and the overview of all of them. A stage never imports another."""
