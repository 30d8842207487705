"""Survey of a project: roles of files, release sites, plugins and their origins, the baseline."""
