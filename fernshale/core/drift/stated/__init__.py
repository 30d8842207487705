"""A release's own statements about its changes: removal tables, deprecation texts, release notes."""
