"""How one release's interface differs from another's: symbols of both read from their sources, matched and compared.

`parsing` reads files, `release` two releases as far as they differ, `matching` finds what became of what, `compare` says it
as changes. `notes` reads what the release notes say.
"""
