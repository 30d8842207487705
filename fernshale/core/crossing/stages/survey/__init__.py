"""Survey: the project as it is, where its release is written, whether it builds and runs today."""
