"""Build: rounds of building, causes of the errors, and fixes applied everywhere at once."""
