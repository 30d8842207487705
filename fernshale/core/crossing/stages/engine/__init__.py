"""Engine: write the new release everywhere, regenerate files, update copies of engine files."""
