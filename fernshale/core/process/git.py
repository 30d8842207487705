"""Query the installed git. No command named in a repository's settings is run, and reading takes no locks.

Settings of a repository can name commands: filters that convert files, diff and merge drivers, hooks, monitors, helpers for
credentials and signatures, transports. Git reads them from files that come with a project, so every such setting is overridden by
name for each call. Filters are the one exception: a call may name those that the user has agreed to.
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.dry_run import before_running
from fernshale.core.base.errors import CommandError
from fernshale.core.base.lazy_pattern import lazy_pattern

GIT = ("git", "--no-pager")
# `GIT_ALLOW_PROTOCOL` lists the allowed transports, and none has this name. So git fetches nothing, even if a partial clone
# names a server for missing objects.
_QUIET = {
    "GIT_NO_LAZY_FETCH": "1",
    "GIT_ALLOW_PROTOCOL": "none",
    "GIT_TERMINAL_PROMPT": "0",
    "GIT_ASKPASS": "true",
    "GIT_EDITOR": "true",
    "LC_ALL": "C.UTF-8",
}
# Variables of the caller's environment that may select another repository, as in a hook.
_ELSEWHERE = lazy_pattern(
    r"GIT_(?:DIR|WORK_TREE|INDEX_FILE|OBJECT_DIRECTORY|COMMON_DIR|NAMESPACE|PREFIX|EXTERNAL_DIFF)"
    r"|GIT_CONFIG_(?:COUNT|KEY_\d+|VALUE_\d+|PARAMETERS)"
)
# Switched off whether or not they are set.
_ALWAYS = {"core.fsmonitor": "false", "core.hooksPath": "/dev/null", "core.sshCommand": "false", "core.askPass": "true"}
# Settings that name a command, and their replacements. Git treats an empty command as none; for programs use `false`.
_COMMANDS = (
    (lazy_pattern(r"(?i)filter\..+\.(?:clean|smudge|process)"), ""),
    (lazy_pattern(r"(?i)filter\..+\.required"), "false"),
    (lazy_pattern(r"(?i)(?:diff|trailer|difftool|mergetool|guitool|tar)\..+\.(?:command|cmd|textconv)"), ""),
    (lazy_pattern(r"(?i)diff\.external|interactive\.difffilter|core\.(?:gitproxy|alternaterefscommand)"), ""),
    (lazy_pattern(r"(?i)merge\..+\.driver"), "false"),
    (lazy_pattern(r"(?i)credential(?:\..+)?\.helper"), ""),
    (
        lazy_pattern(
            r"(?i)gpg(?:\..+)?\.(?:program|defaultkeycommand)|(?:core|sequence)\.editor|core\.pager|pager\..+"
        ),
        "false",
    ),
    (lazy_pattern(r"(?i)uploadpack\.packobjectshook|remote\..+\.(?:uploadpack|receivepack|vcs|proxy)"), "false"),
    (lazy_pattern(r"(?i)submodule\..+\.update"), "none"),
    (lazy_pattern(r"(?i)(?:commit|tag|push)\.gpgsign"), "false"),
)
_FILTER = lazy_pattern(r"(?i)filter\.(?P<name>.+)\.(?P<what>clean|smudge|process)")
_TIMEOUT_S = 120


@dataclass(frozen=True, slots=True)
class Filter:
    """A filter that git's settings name, with the command lines it would run: (when, command), in order."""

    name: str
    commands: tuple[tuple[str, str], ...]


def ask_git(folder: Path, *words: str, given: bytes = b"", filters: Collection[str] = ()) -> bytes | None:
    """Return git's output, or None if it fails or is not installed; for queries only. `filters` are the names of the allowed
    filters."""
    try:
        done = subprocess.run(
            [*GIT, *words], cwd=folder, env=git_environment(folder, filters=filters), input=given, capture_output=True,
            timeout=_TIMEOUT_S, check=False, process_group=0,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return None
    return done.stdout if done.returncode == 0 else None


def tell_git(
    folder: Path, *words: str, given: bytes = b"", more: Mapping[str, str] | None = None, filters: Collection[str] = ()
) -> str:
    """Run a git command that changes something; return its output, stripped. `more` are additional environment variables.

    `filters` are the names of the allowed filters. Raises CommandError with git's own message.
    """
    before_running(("git", *words))
    environment = {**git_environment(folder, is_reading=False, filters=filters), **(more or {})}
    try:
        done = subprocess.run(
            [*GIT, *words],
            cwd=folder,
            env=environment,
            input=given,
            capture_output=True,
            timeout=_TIMEOUT_S,
            check=False,
            process_group=0,
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        raise CommandError(f"git could not be run: {error}") from error
    if done.returncode != 0:
        said = done.stderr.decode("utf-8", "replace").strip() or f"status {done.returncode}"
        raise CommandError(f"git {words[0]} failed: {said}")
    return done.stdout.decode("utf-8", "surrogateescape").strip()


def git_environment(folder: Path, *, is_reading: bool = True, filters: Collection[str] = ()) -> dict[str, str]:
    """An environment in which git runs no program that its settings for `folder` name, except the filters of these names.

    `is_reading` also keeps it from taking locks.
    """
    off = dict(_ALWAYS)
    for key, _ in _settings(folder):
        filter_name = key[len("filter.") :].rpartition(".")[0] if key.lower().startswith("filter.") else None
        if filter_name is None or filter_name not in filters:
            off.update((key, value) for pattern, value in _COMMANDS if pattern.fullmatch(key))
    pairs: dict[str, str] = {}
    for number, (key, value) in enumerate(off.items()):
        pairs |= {f"GIT_CONFIG_KEY_{number}": key, f"GIT_CONFIG_VALUE_{number}": value}
    return {**_plain_environment(is_reading), "GIT_CONFIG_COUNT": str(len(off)), **pairs}


def find_filters(folder: Path) -> tuple[Filter, ...]:
    """The filters that git's settings for `folder` name, by name."""
    found: dict[str, dict[str, str]] = {}
    for key, value in _settings(folder):
        if (match := _FILTER.fullmatch(key)) and value.strip():
            found.setdefault(match["name"], {})[match["what"].lower()] = value  # the last one counts
    return tuple(Filter(name, tuple(sorted(commands.items()))) for name, commands in sorted(found.items()))


def _settings(folder: Path) -> Iterator[tuple[str, str]]:
    """All settings of git for `folder` with their values; reading them runs nothing."""
    try:
        done = subprocess.run(
            [*GIT, "config", "--list", "-z"], cwd=folder, env=_plain_environment(is_reading=True), capture_output=True,
            timeout=_TIMEOUT_S, check=False, process_group=0,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return
    for item in done.stdout.split(b"\0"):
        key, _, value = os.fsdecode(item).partition("\n")
        if key:
            yield key, value


def _plain_environment(is_reading: bool) -> dict[str, str]:
    kept = {key: value for key, value in os.environ.items() if not _ELSEWHERE.fullmatch(key)}
    return {**kept, **_QUIET, **({"GIT_OPTIONAL_LOCKS": "0"} if is_reading else {})}
