"""What is there: roles of files, places that name a release, plugins and where they came from, the baseline."""
