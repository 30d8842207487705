"""The Plugins page: the ledger, the files by outcome, and the woven text with its decisions in place."""

from fernshale.app.pages.plugins.page import PluginsPage

__all__ = ["PluginsPage"]
