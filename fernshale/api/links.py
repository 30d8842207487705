"""Ids and paths in assets, and data that has to be rewritten."""

from __future__ import annotations

from fernshale.core.crossing.stages.links.data_rules import constraint_of, preview_data, preview_mending
from fernshale.core.crossing.stages.links.data_rules import key_of as constraint_key
from fernshale.core.crossing.stages.links.items import key_of as link_key
from fernshale.core.crossing.stages.links.items import relink
from fernshale.core.crossing.stages.links.reference_index import (
    binary_assets,
    compare_trees,
    is_binary_asset,
    unread_assets,
)
from fernshale.core.crossing.stages.links.relinking import declaration, preview_relink
from fernshale.core.links.index import LinkIndex

__all__ = [
    "LinkIndex",
    "binary_assets",
    "compare_trees",
    "constraint_key",
    "constraint_of",
    "declaration",
    "is_binary_asset",
    "link_key",
    "preview_data",
    "preview_mending",
    "preview_relink",
    "relink",
    "unread_assets",
]
