"""The window: thin over the core. Widgets show values and send intents; nothing here reads or writes a project."""
