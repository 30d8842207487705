"""A profile draft as the text of a profile, with its evidence as comments."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator

from fernshale.core.profile.authoring.draft import DraftPlugins, DraftRole, DraftSite, ProfileDraft
from fernshale.core.profile.model import Reach
from fernshale.core.profile.read import FORMAT


def write_draft(draft: ProfileDraft) -> str:
    """The text of a profile that `read_profile` reads."""
    return "\n".join(_lines(draft)) + "\n"


def _lines(draft: ProfileDraft) -> Iterator[str]:
    yield "# Drafted from what the project looks like. Read each part, correct it, then check it with"
    yield "# `fernshale profile check FILE --project PROJECT`."
    yield f"format = {_text(FORMAT)}"
    yield f"id = {_text(draft.id)}"
    yield f"title = {_text(draft.id.replace('-', ' ').title())}"
    yield f'installed = ["{{shelf}}/{draft.id}/{{release}}"]   # where releases of the engine are; correct this'
    yield ""
    yield "[recognise]"
    yield f"files = [{_text(draft.recognise)}]"
    if draft.others:
        yield f"# Also seen, and taken for something else: {', '.join(draft.others)}"
    for number, site in enumerate(draft.sites):
        yield from _site(site, number)
    if draft.plugins is not None:
        yield from _plugins(draft.plugins)
    for role in draft.roles:
        yield from _role(role)
    yield ""
    if draft.has_makefile:
        yield "# There is a Makefile; correct its arguments."
        yield "[commands.build]"
        yield 'run = ["make", "--keep-going", "--jobs={jobs}"]'
    else:
        yield "# [commands.build]"
        yield '# run = ["how", "to", "build", "{project}"]'


def _site(site: DraftSite, number: int) -> Iterator[str]:
    yield ""
    yield f"# {site.why}"
    yield "[[site]]"
    yield f"name = {_text('descriptor' if number == 0 else _site_name(site))}"
    yield f"files = [{_text(site.files)}]"
    yield f"at = {_reach(site.reach)}"
    if site.notation != "exact":
        yield f"notation = {_text(site.notation)}"
    if number == 0:
        yield "required = true"


def _site_name(site: DraftSite) -> str:
    return "what a plugin accepts" if site.notation != "exact" else f"{site.files.rsplit('/', 1)[-1]} {site.key}"


def _plugins(plugins: DraftPlugins) -> Iterator[str]:
    yield ""
    yield f"# {plugins.count} folders side by side, each with a {plugins.descriptor}"
    yield "[plugins]"
    yield f"folders = [{_text(plugins.folders)}]"
    yield f"descriptor = {_text(plugins.descriptor)}"
    for name in ("id", "version", "accepts"):
        reach = getattr(plugins, name)
        yield f"{name} = {_reach(reach)}" if reach else f"# {name} was not found"
    if plugins.accepts is not None:
        yield 'accepts_notation = "range"'


def _role(role: DraftRole) -> Iterator[str]:
    yield ""
    yield f"# {role.why}"
    yield "[[role]]"
    yield f"role = {_text(role.role)}"
    yield f"files = [{', '.join(_texts(role.files))}]"


def _reach(reach: Reach) -> str:
    return f"{{ {reach.syntax} = {_text(getattr(reach, reach.syntax))} }}"


def _texts(items: Iterable[str]) -> list[str]:
    return [_text(item) for item in items]


def _text(value: str) -> str:
    return f"'{value}'" if "\\" in value and "'" not in value else json.dumps(value, ensure_ascii=False)
