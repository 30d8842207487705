"""Fix rules: what changed between two releases, and how code follows."""
