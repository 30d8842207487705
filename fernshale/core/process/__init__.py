"""External commands: run, stream, end with the whole process group."""
