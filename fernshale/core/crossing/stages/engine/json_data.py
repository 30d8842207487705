"""The sites as the command line prints them."""

from __future__ import annotations

from fernshale.core.crossing.record.items import Item
from fernshale.core.engine.release_update import SiteChange


def engine_json(sites: tuple[SiteChange, ...], items: tuple[Item, ...]) -> dict[str, object]:
    """The sites as the command line prints them."""
    return {
        "sites": [
            {
                "file": item.site.file,
                "line": item.site.line,
                "at": item.site.at.text,
                "before": item.before,
                "after": item.after,
                "trouble": item.trouble,
                "why": item.why,
            }
            for item in sites
        ],
        "items": [{"key": open_item.key, "title": open_item.title} for open_item in items],
    }
