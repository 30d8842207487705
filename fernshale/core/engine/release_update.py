"""Change the release in every place it is written, and nothing else in those files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.range_dialects import follow_range
from fernshale.core.base.release import parse_release
from fernshale.core.base.release_notation import is_series_of, read_written, series_like, written_like
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.change.draft import Draft
from fernshale.core.survey.release_sites import FoundSite, read_project_text
from fernshale.core.survey.value_access import replace_values


@dataclass(frozen=True, slots=True)
class SiteChange:
    """A site before and after. `trouble` is the reason why it is not changed although it may need to be, `why` that of a change
    that is not simply the new release."""

    site: FoundSite
    after: str
    trouble: str = ""
    why: str = ""

    @property
    def before(self) -> str:
        return self.site.value.text

    @property
    def changes(self) -> bool:
        return self.before != self.after


@dataclass(frozen=True, slots=True)
class NewReleases:
    """What a leg moves to: the engine's releases, the plugins' by id, and the values that belong to each engine release.

    `given` are values of the new release that a person said; they come before the shelf's.
    """

    from_: str
    to: str
    plugins: Mapping[str, str] = field(default_factory=dict)
    old_values: Mapping[str, str] = field(default_factory=dict)
    new_values: Mapping[str, str] = field(default_factory=dict)
    given: Mapping[str, str] = field(default_factory=dict)


def plan_sites(sites: Sequence[FoundSite], releases: NewReleases) -> tuple[SiteChange, ...]:
    """Return the change of each site."""
    return tuple(_plan(site, releases) for site in sites)


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


def _plan(site: FoundSite, releases: NewReleases) -> SiteChange:
    before = site.value.text
    if site.belonging:
        return _plan_belonging(site, releases)
    if site.plugin:
        new = releases.plugins.get(site.plugin)
        is_known = new is not None and read_written(before) is not None and read_written(new) is not None
        return SiteChange(site, before if new is None else written_like(before, new) if is_known else new)
    if site.notation == "exact" or site.notation == "series":
        return _plan_release(site, releases)
    try:
        after = follow_range(before, releases.to, site.notation, site.policy)
    except MisuseError as error:
        return SiteChange(site, before, error.message)
    return SiteChange(site, after, why=_WHYS[site.policy] if after != before else "")


_WHYS = {
    "widen": "",
    "next bound": tr("its upper end moves to the next bound of its kind"),
    "move": tr("both ends move: what the project is made of now will not run on the old release"),
}


def _plan_release(site: FoundSite, releases: NewReleases) -> SiteChange:
    before, from_, to = site.value.text, releases.from_, releases.to
    own = read_written(before)
    if own is None:
        return SiteChange(
            site, before, tr("says {before}, which is not a release number; left as it is", before=before)
        )
    old, new = parse_release(from_), parse_release(to)
    if own == old:
        return SiteChange(site, written_like(before, to))
    if own == new:
        return SiteChange(site, before)
    if site.notation == "series":
        if is_series_of(own, old):
            return SiteChange(site, series_like(before, to))
        if is_series_of(own, new):
            return SiteChange(site, before)
    return SiteChange(
        site,
        before,
        tr("names {found}, which is neither {before} nor {to}; left as it is", found=before, before=from_, to=to),
    )


def _plan_belonging(site: FoundSite, releases: NewReleases) -> SiteChange:
    """A value that belongs to the engine's release: the shelf has it for each release, or a person has to say it."""
    before, name = site.value.text, site.belonging
    if name in releases.given:
        return SiteChange(
            site, releases.given[name], why=tr("you said that this is the {name} of {to}", name=name, to=releases.to)
        )
    new, old = releases.new_values.get(name), releases.old_values.get(name)
    if new is None:
        return SiteChange(
            site,
            before,
            tr(
                "has {name} {before}, and no shelf has the one of {to}; not changed",
                name=name,
                before=before,
                to=releases.to,
            ),
        )
    if before == new:
        return SiteChange(site, before)
    if old is not None and before != old:
        return SiteChange(
            site,
            before,
            tr(
                "has {name} {before}, which is neither {old} nor {new}; not changed",
                name=name,
                before=before,
                old=old,
                new=new,
            ),
        )
    return SiteChange(site, new, why=tr("the {name} of {to}", name=name, to=releases.to))
