"""What a release says of its own changes: removal tables, deprecation texts, release notes."""
