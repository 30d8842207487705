"""Describing a project: its commands tried in a copy, the answers kept between sittings, the profile written.

HOME/descriptions/KEY.json   the answers about one project, by a digest of its path, and the profile last written from them
"""

from __future__ import annotations

import hashlib
import os
import sys
import tempfile
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import write_atomic, write_synced
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.settings import parallel_jobs
from fernshale.core.base.texts import count, tr
from fernshale.core.base.work import Work
from fernshale.core.build.diagnostics import Diagnostic
from fernshale.core.build.reading.log_reader import read_log
from fernshale.core.crossing.project.shelf_overview import own_shelf
from fernshale.core.process.command import run_command
from fernshale.core.profile.authoring.answers import Answers
from fernshale.core.profile.authoring.description import Description
from fernshale.core.profile.authoring.draft_text import write_draft
from fernshale.core.profile.model import DiagnosticPattern, ProfileCommand
from fernshale.core.profile.read import SUFFIX, fill, read_profile
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.snapshot.working_copy import duplicate_tree, make_writable

_TRIAL_S = 600.0
_MAX_SHOWN = 400


@dataclass(frozen=True, slots=True)
class CommandTrial:
    """A command that was tried in a copy of the project: its status, its diagnostics, and the last lines it printed."""

    status: int
    elapsed_s: float
    diagnostics: tuple[Diagnostic, ...]
    lines: tuple[str, ...]
    output: bytes = field(default=b"", repr=False)

    @property
    def errors(self) -> int:
        return sum(item.count for item in self.diagnostics if item.severity == "error")

    @property
    def words(self) -> str:
        """What came of it, in one sentence."""
        files = {item.place.file for item in self.diagnostics if item.severity == "error" and item.place.file}
        if self.errors:
            return tr(
                "It was understood: {errors} in {files}.",
                errors=count(self.errors, "error"),
                files=count(len(files), "file"),
            )
        if self.status == 0:
            warnings = sum(item.count for item in self.diagnostics if item.severity == "warning")
            return (
                tr("It succeeded, with {warnings}.", warnings=count(warnings, "warning"))
                if warnings
                else tr("It succeeded.")
            )
        return tr(
            "It ended with status {status}, and no line of its output was understood as an error.", status=self.status
        )


def known_engine(description: Description, work: Work) -> Path | None:
    """The folder of the engine's release that the project is on; None if the shelf of its engine does not have it."""
    draft = description.draft
    if draft is None:
        return None
    try:
        shelf = read_shelf([own_shelf(draft.id)])
        return shelf.place(shelf.engine(draft.id, draft.release), work)
    except FernshaleError:
        return None


def read_again(trial: CommandTrial, answers: Answers) -> CommandTrial:
    """The same output with the patterns that a person has made meanwhile."""
    return replace(trial, diagnostics=read_log(trial.output, _patterns(answers)))


def _patterns(answers: Answers) -> tuple[DiagnosticPattern, ...]:
    return tuple(DiagnosticPattern(pattern) for pattern in answers.patterns)


def try_command(
    project: Path, command: ProfileCommand, engine: Path | None, answers: Answers, work: Work
) -> CommandTrial:
    """Run a command in a copy of the project that is removed afterwards. A person has agreed to this very command.

    Raises MisuseError when it needs the engine's folder and none is known, CommandError, OSError, Cancelled.
    """
    with tempfile.TemporaryDirectory(prefix="fernshale-try-") as scratch:
        copy = Path(scratch) / project.name
        duplicate_tree(project, copy, work)
        make_writable(copy)
        places = {"project": str(copy), "jobs": str(parallel_jobs()), "python": sys.executable, "release": ""}
        for name in ("build", "out"):
            (Path(scratch) / f"for-{name}").mkdir()
            places[name] = str(Path(scratch) / f"for-{name}")
        if engine is not None:
            places["engine"] = str(engine)
        try:
            arguments = [fill(part, places) for part in command.run]
            environment = {key: fill(value, places) for key, value in command.environment.items()}
            folder = Path(fill(command.folder, places))
        except MisuseError as error:
            raise MisuseError(
                tr("the command needs the engine's folder, and no release of the engine was added yet"),
                tr(
                    "Use the description, add releases when you begin, and try it again from the list of actions (Ctrl+K)."
                ),
            ) from error
        finished = run_command(arguments, folder, work, environment, _TRIAL_S)
        diagnostics = read_log(finished.output, _patterns(answers))
        lines = finished.text.replace(str(copy), "").splitlines()[-_MAX_SHOWN:]
        return CommandTrial(finished.status, finished.elapsed_s, diagnostics, tuple(lines), finished.output)


@dataclass(frozen=True, slots=True)
class KeptDescription:
    """The answers about a project, and the profile that was last written from them with its digest."""

    answers: Answers
    profile: str = ""
    digest: str = ""


def read_answers(project: Path) -> KeptDescription:
    """The answers of an earlier sitting; none where there was none, or its file is damaged."""
    import pydantic

    try:
        data = _path_of(project).read_bytes()
        kept: KeptDescription = _adapter().validate_json(data)
        return kept
    except (OSError, pydantic.ValidationError):
        return KeptDescription(Answers())


def keep_answers(project: Path, kept: KeptDescription) -> None:
    path = _path_of(project)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomic(path, _adapter().dump_json(kept, indent=1), 0o600)


def save_profile(description: Description, folder: Path | None = None) -> Path:
    """Write the profile for all projects of its engine, or into `folder`; returns its path.

    A profile that was changed by hand, or is of another project, is never written over: the new one gets another name.
    Raises MisuseError when nothing was found yet, OSError.
    """
    draft = description.draft
    if draft is None:
        raise MisuseError(
            tr("the engine's release is not known yet"), tr("Point at the value that is the engine's release.")
        )
    project = description.facts.root
    kept = read_answers(project)
    text = write_draft(draft, description.answers).encode()
    _check(text, draft.id)
    place = folder if folder is not None else home() / "profiles"
    place.mkdir(parents=True, exist_ok=True)
    path = _free_name(place, draft.id, kept)
    if path.exists():
        write_atomic(path, text, 0o644)
    else:
        write_synced(path, text, 0o644)
    keep_answers(project, KeptDescription(description.answers, str(path), _digest(text)))
    return path


def _check(text: bytes, id: str) -> None:
    """Raises FormatError for a profile that could not be read; nothing is written then."""
    with tempfile.TemporaryDirectory(prefix="fernshale-profile-") as scratch:
        path = Path(scratch) / f"{id}{SUFFIX}"
        path.write_bytes(text)
        read_profile(path)


def _free_name(place: Path, id: str, kept: KeptDescription) -> Path:
    number = 1
    while True:
        path = place / f"{id}{'' if number == 1 else f'-{number}'}{SUFFIX}"
        if not path.exists() or (str(path) == kept.profile and _digest(path.read_bytes()) == kept.digest):
            return path
        number += 1


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _path_of(project: Path) -> Path:
    key = hashlib.sha256(os.fsencode(project.resolve())).hexdigest()[:24]
    return home() / "descriptions" / f"{key}.json"


def _adapter() -> Any:
    import pydantic

    return pydantic.TypeAdapter(KeptDescription)
