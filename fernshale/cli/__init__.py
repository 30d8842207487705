"""The command line: one module per group of commands, no logic of its own.

Nothing heavy is imported until a command runs, so that `--help` and `--version` answer at once.
"""
