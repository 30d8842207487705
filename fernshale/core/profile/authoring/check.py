"""Check a profile beyond its grammar: bad globs, slow patterns, and parts that match nothing in a project."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import regex

from fernshale.core.base.errors import FernshaleError, FormatError
from fernshale.core.base.globs import matches
from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import on_disk
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.model import Profile, has_plugin_placeholder
from fernshale.core.profile.read import OF_PLUGIN, PLACEHOLDERS, fits, line_of_text, read_profile
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.snapshot.tree_walk import list_tree
from fernshale.core.survey.plugins import find_plugins
from fernshale.core.survey.release_sites import SitePlace, site_places
from fernshale.core.survey.value_access import find_values

# A pattern that takes longer than this for two thousand characters will hang on a real file.
_TRIAL_S = 0.25
_TRIAL_LENGTH = 2000


@dataclass(frozen=True, slots=True)
class Remark:
    """A finding about a profile; `line` is 1-based, 0 if unknown. With an error, the profile cannot be used."""

    line: int
    severity: Literal["error", "warning"]
    text: str


def check_profile(path: Path, project: Path | None, token: CancelToken) -> tuple[Remark, ...]:
    """Return all findings about the profile at `path`, by line; with `project`, also the parts that match nothing in it.

    Raises MisuseError when the file cannot be read, Cancelled.
    """
    try:
        profile = read_profile(path)
    except FormatError as error:
        return tuple(Remark(line, "error", text) for line, text in error.faults)
    lines = path.read_text("utf-8").split("\n")
    found = [*_bad_globs(profile), *_run_away(profile, token), *_bad_placeholders(profile)]
    if project is not None and not any(remark.severity == "error" for _, remark in found):
        found += _fit_nothing(profile, project, token)
    placed = {Remark(line_of_text(lines, where), remark.severity, remark.text) for where, remark in found}
    return tuple(sorted(placed, key=lambda item: (item.line, item.text)))


_Found = tuple[str, Remark]


def _error(where: str, text: str) -> _Found:
    return where, Remark(0, "error", text)


def _warning(where: str, text: str) -> _Found:
    return where, Remark(0, "warning", text)


def _globs(profile: Profile) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Yield (purpose, globs) for each list of globs."""
    yield "recognise", profile.recognise.files
    for site in profile.site:
        yield tr("the site “{name}”", name=site.name), site.files
    yield tr("the plugin folders"), profile.plugins.folders
    if profile.workspace is not None:
        yield tr("the members of the workspace"), profile.workspace.members
    for standard in profile.standard:
        yield tr("the standard “{name}”", name=standard.name), standard.files
    for rule in profile.role:
        yield tr("the role {role}", role=rule.role), rule.files
        yield tr("what makes the role {role}", role=rule.role), rule.made_from
    yield tr("the libraries"), profile.libraries
    for link in (*profile.links.declare, *profile.links.use):
        yield tr("the links"), link.files


def _bad_globs(profile: Profile) -> Iterator[_Found]:
    for what, globs in _globs(profile):
        for glob in globs:
            trouble = _glob_trouble(glob)
            if trouble:
                yield _error(glob, tr("bad glob {glob!r} for {what}: {trouble}", glob=glob, what=what, trouble=trouble))


def _glob_trouble(glob: str) -> str:
    parts = glob.lstrip("!").split("/")
    if not glob.strip("!/ "):
        return tr("it is empty")
    if ".." in parts:
        return tr("it leads out of the project")
    if "\\" in glob:
        return tr("parts are separated by /, not by a backslash")
    if glob.count("[") != glob.count("]"):
        return tr("a bracket is not closed")
    if any("**" in part and part != "**" for part in parts):
        return "** stands for whole folders, between two slashes"
    return ""


def _patterns(profile: Profile) -> Iterator[str]:
    if profile.workspace and profile.workspace.override and profile.workspace.override.after:
        yield profile.workspace.override.after
    yield from (pattern for reach in profile.locators for pattern in reach.patterns)
    yield from profile.log.volatile
    yield from (rule.pattern for rule in profile.log.severity)
    yield from (rule.pattern for rule in (*profile.links.declare, *profile.links.use))
    yield from (rule.pattern for rule in profile.diagnostic)
    yield from (need.pattern for need in profile.requirement if need.pattern)


def _run_away(profile: Profile, token: CancelToken) -> Iterator[_Found]:
    for pattern in dict.fromkeys(_patterns(profile)):
        token.check()
        trial = _hard_text(pattern)
        if trial is not None:
            yield _error(
                pattern,
                tr(
                    "the pattern {pattern!r} runs away: it takes too long on many times {trial!r}",
                    pattern=pattern,
                    trial=trial,
                ),
            )


def _hard_text(pattern: str) -> str | None:
    """A piece of text that makes a pattern backtrack without end when repeated, None when none was found."""
    letters: list[str] = list(dict.fromkeys([*re.findall(r"[A-Za-z0-9]", pattern), *'a0 /._-",:=']))[:24]
    pieces = [*letters, *(f"{one}{other}" for one in letters[:8] for other in letters[:8] if one != other)]
    compiled = regex.compile(pattern, flags=regex.MULTILINE)
    for piece in pieces:
        text = piece * (_TRIAL_LENGTH // len(piece)) + "\x01"
        try:
            compiled.search(text, timeout=_TRIAL_S)
        except TimeoutError:
            return piece
    return None


def _bad_placeholders(profile: Profile) -> Iterator[_Found]:
    named: list[tuple[str, Sequence[str], tuple[str, ...]]] = []
    for name, command in profile.commands.named:
        known: tuple[str, ...] = (*PLACEHOLDERS, *OF_PLUGIN) if name == "rebuild" else PLACEHOLDERS
        named.append((tr("a command"), (*command.run, command.folder, *command.environment.values()), known))
    if profile.plugins.compiled is not None:
        named.append(
            (tr("the output of compiled plugins"), (profile.plugins.compiled.output,), ("release", *OF_PLUGIN))
        )
    named += [(tr("a check"), (check.produced, check.expected), PLACEHOLDERS) for check in profile.check]
    named += [(tr("a requirement"), need.run, ("project", "python")) for need in profile.requirement]
    named += [(tr("a binary format"), item.print, (*PLACEHOLDERS, "file")) for item in profile.binary]
    named += [(tr("a binary format"), item.write, (*PLACEHOLDERS, "file", "changes", "out")) for item in profile.binary]
    named += [("installed", profile.installed, ("shelf", "release"))]
    for what, texts, known in named:
        for text in texts:
            for name in re.findall(r"\{(\w+)\}", text):
                if name not in known:
                    yield _error(
                        text,
                        tr(
                            "{what} uses {{{name}}}, which has no value; known are {known}",
                            what=what,
                            name=name,
                            known=", ".join(known),
                        ),
                    )


def _fit_nothing(profile: Profile, project: Path, token: CancelToken) -> Iterator[_Found]:
    if not fits(profile, project):
        files = ", ".join(profile.recognise.files)
        yield _error(
            profile.recognise.files[0],
            tr("{project} is not recognised: its root has nothing for {files}", project=project, files=files),
        )
        return
    tree = list_tree(project, EMPTY, Work(token=token))
    folders = [path for path in tree.entries if path not in tree.files]
    for what, globs in _globs(profile):
        for glob in globs:
            places: Sequence[str] = folders if what.startswith(("the plugin", "the members")) else list(tree.files)
            if (
                not glob.startswith("!")
                and not has_plugin_placeholder(glob)
                and not any(matches((glob,), path) for path in places)
            ):
                yield _warning(
                    glob,
                    tr("the glob {glob!r} for {what} fits nothing in {name}", glob=glob, what=what, name=project.name),
                )
    yield from _reaches_that_find_nothing(profile, project, tree)


def _reaches_that_find_nothing(profile: Profile, project: Path, tree: Manifest) -> Iterator[_Found]:
    plugins = find_plugins(profile, project, tree)
    for site in profile.site:
        places = list(site_places(site, tree, plugins))
        said, hits = "", 0
        for place in places:
            count, trouble = _count(project, place)
            said, hits = said or trouble, hits + count
        where = getattr(site.at, site.at.syntax)
        files = list(dict.fromkeys(place.file for place in places))
        if said:
            yield _error(where, said)
        elif files and not hits:
            yield _warning(
                where,
                tr(
                    "the site “{name}” finds nothing at {words} in {files}",
                    name=site.name,
                    words=site.at.text,
                    files=", ".join(files[:3]),
                ),
            )
    for plugin in plugins:
        if profile.plugins.version and not plugin.version:
            where = getattr(profile.plugins.version, profile.plugins.version.syntax)
            yield _warning(where, tr("the plugin in {folder} names no version", folder=plugin.folder))


def _count(project: Path, place: SitePlace) -> tuple[int, str]:
    try:
        text = read_text(on_disk(project, place.file).read_bytes())
        return (len(find_values(text.text, place.at, place.file)), "") if text else (0, "")
    except OSError as error:
        return 0, tr("{file} cannot be read: {strerror}", file=place.file, strerror=error.strerror)
    except FernshaleError as error:
        return 0, error.message
