"""Where to and with whom: the shelf, the plugin x release table, the planner."""
