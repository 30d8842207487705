"""The manual page fernshale(1), written in the macros of man(7)."""

from __future__ import annotations

from fernshale import __version__
from package.commands import Command, Option, commands

_CODES = (
    ("0", "done"),
    ("1", "failed"),
    ("2", "misuse"),
    ("3", "open items need a decision"),
    ("130", "interrupted"),
)
_FILES = (
    ("~/.config/fernshale/settings.toml", "settings"),
    ("~/.local/share/fernshale", "crossings, the snapshot store, profiles, what is trusted"),
    ("~/.cache/fernshale", "downloads and comparisons; can be deleted"),
    ("~/.local/state/fernshale/log", "the log"),
)
_VARIABLES = (
    ("FERNSHALE_HOME", "one folder for all files named above"),
    ("FERNSHALE_EDITOR", "the command of the editor, where the settings name none"),
)


def man_page(date: str) -> str:
    """The page as roff; `date` is that of the release."""
    every = commands()
    program = every[0]
    lines = [
        f'.TH FERNSHALE 1 {date} "Fernshale {__version__}" "User Commands"',
        ".SH NAME",
        "fernshale \\- move a game project to a newer engine release",
        ".SH SYNOPSIS",
        ".B fernshale",
        r"[\fB\-\-verbose\fR] [\fICOMMAND\fR [\fIARGUMENT\fR ...]]",
        ".SH DESCRIPTION",
        "Fernshale keeps the original safe, merges updated plugin folders without losing a local edit, points the project at",
        "the new release everywhere, and builds in rounds until the game compiles, runs and behaves as before.",
        "Without a command it opens the window.",
        "The guide is in the window (F1).",
        ".SH OPTIONS",
        *_options(program.options),
        ".SH COMMANDS",
    ]
    for command in every[1:]:
        if not command.inner:
            lines += _command(command)
    lines += [".SH EXIT STATUS", *_terms(_CODES), ".SH FILES", *_terms(_FILES)]
    lines += [".SH ENVIRONMENT", *_terms(_VARIABLES)]
    return "\n".join(lines) + "\n"


def _command(command: Command) -> list[str]:
    words = " ".join(command.words)
    places = " ".join(f"\\fI{_escaped(item.value)}\\fR" for item in command.arguments)
    own = [item for item in command.options if "--help" not in item.flags]
    return [f'.SS "{words}"', f".B fernshale {words}", places, ".PP", f"{_sentence(command.help)}", *_options(own)]


def _options(options: list[Option] | tuple[Option, ...]) -> list[str]:
    lines = []
    for item in options:
        names = ", ".join(f"\\fB{_escaped(flag)}\\fR" for flag in item.flags)
        value = f" \\fI{_escaped(item.value)}\\fR" if item.value else ""
        lines += [".TP", f"{names}{value}", _sentence(item.help)]
    return lines


def _terms(rows: tuple[tuple[str, str], ...]) -> list[str]:
    return [line for name, words in rows for line in (".TP", f"\\fB{_escaped(name)}\\fR", _sentence(words))]


def _sentence(text: str) -> str:
    made = _escaped(text[:1].upper() + text[1:]).rstrip(".")
    return f"{made}." if made else ""


def _escaped(text: str) -> str:
    made = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{made}" if made.startswith((".", "'")) else made
