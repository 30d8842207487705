"""The new release in, every local edit kept: lines, texts, moves, folders, and the ledger of edits."""
