"""Packages of Fernshale: a wheel, a Debian package, and an archive that needs nothing else; its manual page and completions."""
