"""Links: missing references in assets, and data that the new release wants written differently."""
