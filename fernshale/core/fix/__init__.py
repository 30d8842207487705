"""Fix rules: changes between two releases, and how to apply them to code."""
