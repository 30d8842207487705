"""The ground: errors, paths in a tree, text files, progress, schema-checked TOML, safe writing."""
