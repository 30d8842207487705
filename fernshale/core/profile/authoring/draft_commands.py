"""Commands that build or run a project, proposed from its build files. Nothing is run here."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.parse_errors import Malformed, load_json
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.authoring.answers import CommandName
from fernshale.core.profile.authoring.project_facts import ProjectFacts, is_dependency
from fernshale.core.profile.model import ProfileCommand

_KINDS: tuple[CommandName, ...] = ("build", "run")
_TARGET = lazy_pattern(r"(?m)^(?P<name>[\w.-]+)\s*:(?!=)")
_BUILD_SCRIPT = lazy_pattern(r"(?i)(?:.*/)?(?:build|compile|make)\.(?:sh|bash|py)$")
_CMAKE = "cmake -S . -B {build} && cmake --build {build} --parallel {jobs} -- -k"
_MESON = "test -d {build}/meson-info || meson setup {build} . && meson compile -C {build} --ninja-args=-k0"
# The command that builds a project with each of these files at its root, by the file's name in lower case.
_AT_ROOT: Mapping[str, tuple[str, ...]] = {
    "build.gradle": ("gradle", "--console=plain", "--continue", "classes"),
    "build.gradle.kts": ("gradle", "--console=plain", "--continue", "classes"),
    "pom.xml": ("mvn", "--batch-mode", "--fail-at-end", "compile"),
    "cmakelists.txt": ("sh", "-c", _CMAKE),
    "meson.build": ("sh", "-c", _MESON),
    "tsconfig.json": ("npx", "tsc", "--noEmit", "--pretty", "false"),
    "pyproject.toml": ("{python}", "-m", "compileall", "-q", "."),
    "setup.py": ("{python}", "-m", "compileall", "-q", "."),
    "go.mod": ("go", "build", "-gcflags=-e", "./..."),
    "build.zig": ("zig", "build"),
    "package.swift": ("swift", "build"),
    "build.sbt": ("sbt", "compile"),
    "mix.exs": ("mix", "compile"),
    "dune-project": ("dune", "build"),
}
# Files of named tasks: what runs one, and how its name is declared.
_TASK_FILES: Mapping[str, tuple[str, re.Pattern[str]]] = {
    "rakefile": ("rake", lazy_pattern(r"(?m)^\s*task\s+:?[\"']?(?P<name>\w+)")),
    "justfile": ("just", lazy_pattern(r"(?m)^@?(?P<name>[\w-]+)(?:[ \t][^:\n]*)?:(?!=)")),
}
_WRAPPERS = {"gradle": "gradlew", "mvn": "mvnw"}
# The deepest folder in which a build file is looked for.
_MAX_DEPTH = 2


@dataclass(frozen=True, slots=True)
class DraftCommand:
    """A command, and the file it was proposed from."""

    name: CommandName
    command: ProfileCommand
    file: TreePath


def draft_commands(facts: ProjectFacts) -> tuple[DraftCommand, ...]:
    """All proposals, the likeliest of each name first."""
    files = [path for path in facts.tree.files if path.count("/") <= _MAX_DEPTH and not is_dependency(path)]
    found = [_wrapped(item, facts) for path in files for item in _from_file(path, facts.texts.get(path, ""))]
    order = {
        kind: at for at, kind in enumerate(("sh", "bash", "py", "Makefile", "toml", "gradle", "csproj", "json", "txt"))
    }

    def rank(item: DraftCommand) -> tuple[bool, int, int, str]:
        kind = item.file.rsplit("/", 1)[-1].rsplit(".", 1)[-1]
        # A project's own script knows more than a general tool.
        return not _BUILD_SCRIPT.match(item.file), item.file.count("/"), order.get(kind, 9), item.file

    return tuple(sorted(found, key=rank))


def _wrapped(item: DraftCommand, facts: ProjectFacts) -> DraftCommand:
    """The command by the project's own copy of the program, which is of the right release, where it has one."""
    program, *rest = item.command.run
    wrapper = _WRAPPERS.get(program, "")
    if not wrapper or wrapper not in facts.tree.files:
        return item
    return replace(item, command=replace(item.command, run=("sh", wrapper, *rest)))


def _from_file(path: TreePath, text: str) -> Iterator[DraftCommand]:
    folder, _, name = path.rpartition("/")
    where = f"{{project}}/{folder}" if folder else "{project}"

    def command(kind: CommandName, *run: str, at: str = where) -> DraftCommand:
        return DraftCommand(kind, ProfileCommand(run, folder=at), path)

    low = name.lower()
    if _BUILD_SCRIPT.match(path):
        program = "{python}" if low.endswith(".py") else "sh"
        yield command("build", program, path, at="{project}")
    elif low in ("makefile", "gnumakefile"):
        # Rebuild everything: make would keep objects that were compiled for the old release.
        yield command("build", "make", "--always-make", "--keep-going", "--jobs={jobs}")
        if "run" in {found["name"] for found in _TARGET.finditer(text)}:
            yield command("run", "make", "run")
    elif name == "Cargo.toml" and not folder:
        members = ("--workspace",) if "[workspace]" in text else ()
        yield command("build", "cargo", "check", *members, "--keep-going", "--message-format=short")
    elif name == "package.json":
        yield from (command(kind, "npm", "run", "--silent", script) for kind, script in _scripts(text))
    elif low in _TASK_FILES and not folder:
        program, declaration = _TASK_FILES[low]
        tasks = {found["name"] for found in declaration.finditer(text)}
        yield from (command(kind, program, kind) for kind in _KINDS if kind in tasks)
    elif low in _AT_ROOT and not folder:
        yield command("build", *_AT_ROOT[low])
    elif low.endswith((".sln", ".csproj")) and not folder:
        yield command("build", "dotnet", "build", name)


def _scripts(text: str) -> Iterator[tuple[CommandName, str]]:
    try:
        scripts = load_json(text).get("scripts", {})
    except (Malformed, AttributeError):
        return
    if isinstance(scripts, dict):
        if script := next((name for name in ("build", "compile", "check", "typecheck") if name in scripts), ""):
            yield "build", script
        if script := next((name for name in ("start", "run") if name in scripts), ""):
            yield "run", script


def as_words(command: ProfileCommand) -> str:
    """A command as one types it."""
    return " ".join(part if re.fullmatch(r"[\w./={}:@%+,-]+", part) else json.dumps(part) for part in command.run)
