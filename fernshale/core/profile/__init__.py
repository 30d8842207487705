"""Engine profiles: all knowledge about one engine."""
