"""Merge settings by key: JSON, TOML, YAML, XML, INI and properties, with the local file's comments and formatting kept."""

from fernshale.core.merge.keyed.settings_merge import Identities, KeyedMerge, merge_keyed

__all__ = ["Identities", "KeyedMerge", "merge_keyed"]
