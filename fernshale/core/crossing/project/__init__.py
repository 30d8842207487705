"""The project and its releases as read: scan, texts, plugin origins, commands, runs. Nothing here decides."""
