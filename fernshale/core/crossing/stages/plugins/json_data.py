"""Ledgers as the command line prints them."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from fernshale.core.merge.ledger import FATES, Ledger


def ledger_json(ledger: Ledger) -> dict[str, Any]:
    """A ledger as data."""
    return {
        "edits": ledger.edits,
        **{fate: ledger.count(fate) for fate in FATES},
        "entries": [asdict(entry) for entry in ledger.entries],
    }
