"""A profile draft as the text of a profile, with its evidence as comments."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping

from fernshale.core.profile.authoring.answers import Answers
from fernshale.core.profile.authoring.draft import DraftPlugins, DraftWorkspace, ProfileDraft
from fernshale.core.profile.authoring.draft_links import DraftLink
from fernshale.core.profile.authoring.draft_roles import DraftRole
from fernshale.core.profile.authoring.release_places import BelongingValue, DraftSite
from fernshale.core.profile.model import Notation, ProfileCommand, Reach
from fernshale.core.profile.read import FORMAT


def write_draft(draft: ProfileDraft, answers: Answers = Answers()) -> str:  # noqa: B008 - a frozen value
    """The text of a profile that `read_profile` reads."""
    return "\n".join(_lines(draft, answers)) + "\n"


def _lines(draft: ProfileDraft, answers: Answers) -> Iterator[str]:
    yield "# A draft from the project's files. Each part has its evidence in a comment. Correct mistakes in the window under"
    yield "# “Describe this project” or in this file, and check it with `fernshale profile check FILE --project PROJECT`."
    if draft.unread:
        yield f"# {draft.unread} text files were not read: there are many like them, or more than draft_files (limits.toml)."
    yield f"format = {_text(FORMAT)}"
    yield f"id = {_text(draft.id)}"
    yield f"title = {_text(draft.engine)}"
    yield f'installed = ["{{shelf}}/{draft.id}/{{release}}"]   # where releases of the engine are'
    yield ""
    yield f"# The project is on {draft.release}" + (f": {'; '.join(draft.evidence)}." if draft.evidence else ".")
    if not draft.is_sure:
        yield "# Little evidence: check that this is the engine."
    if draft.rivals:
        rivals = ", ".join(f"{item.spelling} {item.release}" for item in draft.rivals)
        yield f"# Almost as likely as the engine: {rivals}."
    yield "[recognise]"
    yield f"files = [{', '.join(_texts(draft.recognise))}]"
    if draft.holds:
        yield f"holds = {_text(draft.holds)}   # the file's name is too general"
    for number, site in enumerate(draft.sites):
        yield from _site(site, is_first=number == 0)
    for value in draft.belonging:
        yield from _belonging(value)
    if draft.plugins is not None:
        yield from _plugins(draft.plugins)
    if draft.workspace is not None:
        yield from _workspace(draft.workspace)
    for role in draft.roles:
        yield from _role(role)
    for link in draft.links:
        yield from _link(link)
    yield from _commands(draft, answers)
    for pattern in answers.patterns:
        yield ""
        yield "# you pointed at such a line"
        yield "[[diagnostic]]"
        yield f"pattern = {_text(pattern)}"


def _site(site: DraftSite, *, is_first: bool) -> Iterator[str]:
    yield ""
    yield f"# {_one_line(site.why)}"
    yield "[[site]]"
    yield f"name = {_text(site.name)}"
    yield f"files = [{', '.join(_texts(site.files))}]"
    yield f"at = {_reach(site.reach)}"
    notation = dialect_of(site)
    if notation != "exact":
        yield f"notation = {_text(notation)}"
    if notation not in ("exact", "series"):
        yield f"policy = {_text(site.policy)}"
    if is_first:
        yield "required = true"


def dialect_of(site: DraftSite) -> Notation:
    """The notation of a site; of a range, the dialect of its file."""
    if site.notation != "range":
        return site.notation
    name = site.files[0].rsplit("/", 1)[-1].lower()
    text = site.places[0].text.strip()
    if text.startswith(("[", "(")):
        return "interval"
    if name == "cargo.toml":
        return "cargo"
    if name == "package.json":
        return "npm"
    return "pep440" if name in ("pyproject.toml", "setup.cfg") or name.startswith("requirements") else "range"


def _belonging(value: BelongingValue) -> Iterator[str]:
    yield ""
    if value.said:
        yield f"# {_one_line(value.text)} belongs to the engine's release; the shelf says the new one under this name"
        mark = ""
    else:
        yield f"# {_one_line(value.text)} may belong to the engine's release. If it does, remove the marks of these lines."
        mark = "# "
    yield f"{mark}[[release_value]]"
    yield f"{mark}name = {_text(value.name)}"
    yield f"{mark}files = [{_text(value.file)}]"
    yield f"{mark}at = {_reach(value.reach)}"


def _plugins(plugins: DraftPlugins) -> Iterator[str]:
    group = plugins.group
    yield ""
    yield f"# {len(group.descriptors)} folders, each with {group.descriptor.replace('{plugin}', 'NAME')}"
    yield "[plugins]"
    yield f"folders = [{_text(group.folders)}]"
    yield f"descriptor = {_text(group.descriptor)}"
    for name, reach in (("id", plugins.id), ("version", plugins.version), ("accepts", plugins.accepts)):
        yield f"{name} = {_reach(reach)}" if reach else f"# {name} was not found"
    if plugins.accepts is not None:
        yield 'accepts_notation = "range"'


def _workspace(workspace: DraftWorkspace) -> Iterator[str]:
    yield ""
    yield "# the members that the manifest at the root lists"
    yield "[workspace]"
    yield f"members = [{', '.join(_texts(workspace.members))}]"
    yield f"descriptor = {_text(workspace.descriptor)}"
    for name, reach in (("name", workspace.name), ("release", workspace.release), ("pin", workspace.pin)):
        if reach is not None:
            yield f"{name} = {_reach(reach)}"


def _role(role: DraftRole) -> Iterator[str]:
    yield ""
    yield f"# {role.why}"
    yield "[[role]]"
    yield f"role = {_text(role.role)}"
    yield f"files = [{', '.join(_texts(role.files))}]"


def _link(link: DraftLink) -> Iterator[str]:
    yield ""
    yield f"# you pointed at such a value; {link.count} files are like that one"
    yield f"[[{link.table}]]"
    yield f"files = [{', '.join(_texts(link.files))}]"
    yield f"key = [{_text(link.key)}]" if link.key else f"pattern = {_text(link.pattern)}"
    if link.names_files:
        yield 'names = "file"'


def _commands(draft: ProfileDraft, answers: Answers) -> Iterator[str]:
    for name in ("build", "run", "regenerate"):
        proposed = [item for item in draft.commands if item.name == name]
        if name in answers.commands:
            command = answers.commands[name]
            yield ""
            if command is None:
                yield f"# You said that there is no command to {name}."
            else:
                yield "# you confirmed it"
                yield from _command(name, command)
        elif proposed:
            yield ""
            yield f"# proposed from {proposed[0].file}"
            yield from _command(name, proposed[0].command)
        elif name == "build":
            yield ""
            yield "# No build file was recognised."
            yield "# [commands.build]"
            yield '# run = ["how", "to", "build", "{project}"]'


def _command(name: str, command: ProfileCommand) -> Iterator[str]:
    yield f"[commands.{name}]"
    yield f"run = [{', '.join(_texts(command.run))}]"
    if command.folder != "{project}":
        yield f"folder = {_text(command.folder)}"
    if command.environment:
        yield f"environment = {_table(command.environment)}"


def _table(values: Mapping[str, str]) -> str:
    return "{ " + ", ".join(f"{_text(key)} = {_text(value)}" for key, value in values.items()) + " }"


def _reach(reach: Reach) -> str:
    part = f", part = {_text(reach.part)}" if reach.part else ""
    return f"{{ {reach.syntax} = {_text(getattr(reach, reach.syntax))}{part} }}"


def _texts(items: Iterable[str]) -> list[str]:
    return [_text(item) for item in items]


def _text(value: str) -> str:
    is_plain = "\\" in value and "'" not in value and value.isprintable()
    return f"'{value}'" if is_plain else json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007f")


def _one_line(text: str) -> str:
    """A text that fits a comment."""
    shown = "".join(letter if letter.isprintable() else "�" for letter in text)
    return shown if len(shown) <= 200 else shown[:199] + "…"
