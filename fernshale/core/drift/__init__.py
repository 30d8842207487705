"""API differences between two releases: symbols of both are read from their sources, matched and compared.

`parsing` reads files, `release_symbols` the differing files of two releases, `matching` pairs removed symbols with added ones,
`comparison` describes the changes, `stated` reads what the release says about them.
"""
