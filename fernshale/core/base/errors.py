"""The base classes of all errors that a user can understand and act on.

FernshaleError
├── MisuseError        wrong arguments, or a key that a format does not have
│   └── FormatError    a Fernshale file that breaks its format (all errors of the file at once)
├── ProjectError       the project cannot be read or written as requested
├── ChangedUnderneath  a file has changed since the preview; nothing was written
├── StoreError         an error of the snapshot store (subclasses in `snapshot`)
├── CommandError       an external command could not be run
└── Cancelled          the user stopped the operation
"""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.base.texts import tr


class FernshaleError(Exception):
    """An error that the user can understand and act on; `hint` says what to do."""

    exit_code = 1

    def __init__(self, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint

    def __str__(self) -> str:
        return f"{self.message}\n  {self.hint}" if self.hint else self.message


class MisuseError(FernshaleError):
    exit_code = 2


class FormatError(MisuseError):
    """A file breaks its format; `faults` are (line, message), line 1-based or 0 where unknown."""

    def __init__(self, path: object, faults: Sequence[tuple[int, str]], hint: str = "") -> None:
        self.path = str(path)
        self.faults = tuple(faults)
        lines = [f"{path}:{line}: {text}" if line else f"{path}: {text}" for line, text in faults]
        super().__init__("\n".join(lines), hint)


class ProjectError(FernshaleError):
    pass


class ChangedUnderneath(FernshaleError):
    """Files have changed since the preview."""

    def __init__(self, paths: Sequence[str]) -> None:
        self.paths = tuple(paths)
        shown = ", ".join(self.paths[:5]) + (tr(" and {number} more", number=len(paths) - 5) if len(paths) > 5 else "")
        super().__init__(
            tr("changed on disk since the preview: {shown}; nothing was written", shown=shown),
            tr("Open the step again; it is computed from the current files."),
        )


class StoreError(FernshaleError):
    pass


class CommandError(FernshaleError):
    pass


class Cancelled(FernshaleError):
    exit_code = 130

    def __init__(self) -> None:
        super().__init__("cancelled")
