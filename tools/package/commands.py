"""The commands of the command line as data, from its parser."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from dataclasses import dataclass

from fernshale.cli.arguments import build_parser


@dataclass(frozen=True)
class Option:
    """An option, or an argument by its place (then it has no flags). `value` is the name of its value, "" for a switch."""

    flags: tuple[str, ...]
    value: str
    choices: tuple[str, ...]
    help: str


@dataclass(frozen=True)
class Command:
    """A command by its words, as ("snapshot", "take"); () is the program itself. `inner` are the commands below it."""

    words: tuple[str, ...]
    help: str
    options: tuple[Option, ...]
    arguments: tuple[Option, ...]
    inner: tuple[str, ...]


def commands() -> tuple[Command, ...]:
    """All commands, the program first, each before those below it."""
    return tuple(_walk(build_parser(), (), ""))


def _walk(parser: argparse.ArgumentParser, words: tuple[str, ...], text: str) -> Iterator[Command]:
    options, arguments, below = [], [], []
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            helps = {item.dest: item.help or "" for item in action._choices_actions}
            below = [(name, inner, helps.get(name, "")) for name, inner in action.choices.items()]
        elif action.option_strings:
            options.append(_option(action))
        else:
            arguments.append(_option(action))
    yield Command(words, text, tuple(options), tuple(arguments), tuple(name for name, _, _ in below))
    for name, inner, said in below:
        yield from _walk(inner, (*words, name), said)


def _option(action: argparse.Action) -> Option:
    name = action.metavar if isinstance(action.metavar, str) else action.dest
    takes = action.nargs != 0 and not isinstance(action, argparse._StoreTrueAction)
    choices = tuple(map(str, action.choices or ()))
    return Option(tuple(action.option_strings), name if takes else "", choices, (action.help or "").replace("%%", "%"))
