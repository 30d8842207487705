"""One module per kind of fix rule: `find` lists the places of a text that a rule of the kind changes.

A place is `(start, end, new)`: characters `start` to `end` become `new`. Places are in order and do not overlap.
"""
