"""Read profiles and find the one that fits a project."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import blake3
import regex

from fernshale.core.base.bounded_regex import pattern_trouble
from fernshale.core.base.errors import FormatError, MisuseError, ProjectError
from fernshale.core.base.globs import matches
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import parse_toml, read_utf8
from fernshale.core.profile.model import Profile

FORMAT = "fernshale-profile/1"
SUFFIX = ".profile.toml"
# Size of the part of a file that is searched for the text that identifies an engine's projects, bytes.
_MAX_RECOGNISED = 1 << 20
# Placeholders for commands and checks; `{members}` is an argument of its own.
PLACEHOLDERS = ("project", "release", "shelf", "engine", "build", "out", "jobs", "python", "members")
# Additional placeholders for the command that rebuilds a plugin.
OF_PLUGIN = ("plugin", "id")


def read_profile(path: Path) -> Profile:
    """The profile at `path`. Raises MisuseError, or FormatError with every fault and its line."""
    # One reading: the digest, and so a person's trust, is of the very bytes that are parsed.
    data, text = read_utf8(path)
    profile = parse_toml(text, path, Profile, FORMAT)
    faults = list(_bad_patterns(profile))
    if faults:
        lines = text.split("\n")
        raise FormatError(path, [(line_of_text(lines, pattern), message) for pattern, message in faults])
    return replace(profile, path=path.resolve(), digest=blake3.blake3(data).hexdigest())


class NoProfileFits(ProjectError):
    """No known profile describes the project; it can be described in the window."""


def find_profile(project: Path, folders: Iterable[Path]) -> Profile:
    """Return the one profile in `folders` whose `recognise` globs match `project`.

    Raises ProjectError when none or several match, FormatError when a profile is broken.
    """
    if not project.is_dir():
        raise ProjectError(tr("{project} is not a folder", project=project))
    known = [read_profile(path) for folder in folders for path in sorted(folder.glob("*" + SUFFIX))]
    fitting = [profile for profile in known if fits(profile, project)]
    if not fitting:
        names = ", ".join(sorted({profile.title for profile in known})) or "none"
        raise NoProfileFits(
            tr("no engine profile fits {project}; profiles known: {names}", project=project, names=names),
            tr(
                "Describe the project in the window, draft a profile with `fernshale profile draft PROJECT --out FILE`, name one"
                " with --profile FILE, or open the folder that holds the project's descriptor."
            ),
        )
    if len({profile.id for profile in fitting}) > 1:
        raise ProjectError(
            tr(
                "several profiles fit {project}: {fitting}",
                project=project,
                fitting=", ".join(profile.title for profile in fitting),
            ),
            tr("Name the one to use with --profile FILE."),
        )
    return fitting[0]


def fits(profile: Profile, project: Path) -> bool:
    """Whether `project` is the root of a project of this profile's engine."""
    here: Sequence[str] = [path.name for path in project.iterdir() if path.is_file()]

    def found(glob: str) -> Iterator[Path]:
        if "/" in glob.strip("/"):
            yield from (path for path in project.glob(glob) if path.is_file())
        else:
            yield from (project / name for name in here if matches((glob,), name))

    if not all(any(found(glob)) for glob in profile.recognise.files):
        return False
    wanted = profile.recognise.holds.encode()
    return not wanted or any(_holds(path, wanted) for glob in profile.recognise.files for path in found(glob))


def _holds(path: Path, wanted: bytes) -> bool:
    try:
        with path.open("rb") as file:
            return wanted in file.read(_MAX_RECOGNISED)
    except OSError:
        return False


def fill(text: str, places: dict[str, str]) -> str:
    """Replace `{name}` in `text` by the values in `places`. Raises MisuseError for an unknown name."""

    def value(found: regex.Match[str]) -> str:
        name = found[1]
        if name not in places:
            raise MisuseError(
                tr("the profile uses the placeholder {{{name}}}, which has no value here", name=name),
                tr("Known here: ") + ", ".join(sorted(places)),
            )
        return places[name]

    return regex.sub(r"\{(\w+)\}", value, text)


def fill_arguments(parts: Sequence[str], places: dict[str, str], members: Sequence[str]) -> list[str]:
    """Fill in the placeholders of an argument list; `{members}` becomes one argument for each member."""
    filled: list[str] = []
    for part in parts:
        filled += members if part == "{members}" else [fill(part, places)]
    return filled


def _bad_patterns(profile: Profile) -> Iterable[tuple[str, str]]:
    """(pattern, message) for each regular expression that cannot be used."""
    wanted: list[tuple[str, tuple[str, ...]]] = [(text, ()) for text in profile.log.volatile]
    wanted += [(rule.pattern, ()) for rule in profile.log.severity] + [(profile.log.started, ())]
    wanted += [(text, ()) for check in profile.check for text in (check.prints, check.never)]
    wanted += [(rule.pattern, ("id",)) for rule in (*profile.links.declare, *profile.links.use) if rule.pattern]
    wanted += [(rule.object, ()) for rule in profile.data] + [(rule.field, ("key", "value")) for rule in profile.data]
    wanted += [(rule.pattern, ("path",)) for rule in profile.links.include]
    wanted += [(rule.pattern, ("message",)) for rule in profile.diagnostic]
    wanted += [(need.pattern, ("version",)) for need in profile.requirement if need.pattern]
    if profile.workspace and profile.workspace.override and profile.workspace.override.after:
        wanted.append((profile.workspace.override.after, ()))
    wanted += [(pattern, ("value",)) for reach in profile.locators for pattern in reach.patterns]
    for pattern, groups in wanted:
        if trouble := pattern_trouble(pattern):
            yield pattern, trouble
            continue
        compiled = regex.compile(pattern)
        for group in groups:
            if group not in compiled.groupindex:
                yield pattern, f"the pattern {pattern!r} needs a group named {group}, as (?P<{group}>...)"


def line_of_text(lines: Sequence[str], pattern: str) -> int:
    """1-based line that has `pattern` as a TOML string, in either kind of quotes."""
    shown = (f"'{pattern}'", '"' + pattern.replace("\\", "\\\\").replace('"', '\\"') + '"')
    return next((number for number, line in enumerate(lines, 1) if any(text in line for text in shown)), 0)
