"""Change the release in every place it is written, and nothing else in those files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import parse_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.change.draft import Draft
from fernshale.core.survey.release_sites import FoundSite, read_project_text
from fernshale.core.survey.value_access import replace_values


@dataclass(frozen=True, slots=True)
class SiteChange:
    """A site before and after. `trouble` is the reason why it is not changed although it may need to be."""

    site: FoundSite
    after: str
    trouble: str = ""

    @property
    def before(self) -> str:
        return self.site.value.text

    @property
    def changes(self) -> bool:
        return self.before != self.after


def plan_sites(sites: Sequence[FoundSite], from_: str, to: str, plugins: Mapping[str, str]) -> tuple[SiteChange, ...]:
    """Return the change of each site. `plugins` are the plugins' releases on this leg."""
    return tuple(_plan(site, from_, to, plugins) for site in sites)


def draft_sites(project: Path, changes: Sequence[SiteChange]) -> Draft:
    """The draft that changes the values and leaves every other byte of the files alone."""
    draft = Draft(project)
    by_file: dict[TreePath, list[SiteChange]] = {}
    for change in changes:
        if change.changes:
            by_file.setdefault(change.site.file, []).append(change)
    for path, group in by_file.items():
        file = read_project_text(project, path)
        text = replace_values(file.text, [(change.site.value, change.after) for change in group])
        draft.write(path, file.with_text(text).encode())
    return draft


def _plan(site: FoundSite, from_: str, to: str, plugins: Mapping[str, str]) -> SiteChange:
    before = site.value.text
    if site.plugin:
        return SiteChange(site, plugins.get(site.plugin, before))
    try:
        if site.notation != "exact":
            return SiteChange(site, _widen(before, to))
        if parse_release(before) == parse_release(from_):
            return SiteChange(site, to)
        if parse_release(before) == parse_release(to):
            return SiteChange(site, before)
    except MisuseError as error:
        return SiteChange(site, before, error.message)
    return SiteChange(site, before, f"names {before}, which is neither {from_} nor {to}; left as it is")


def _widen(text: str, to: str) -> str:
    """Return `text` itself if it contains `to` already: a range is rewritten only if necessary."""
    range_ = parse_range(text)
    release = parse_release(to)
    return text if range_.contains(release) else str(range_.widened(release))
