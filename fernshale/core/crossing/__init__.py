"""One project's way from a release to another: matters, decisions, logbook, and the stages that tie everything together."""
