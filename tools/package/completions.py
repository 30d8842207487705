"""Completions for bash, zsh and fish, from the commands of the command line."""

from __future__ import annotations

from package.commands import Command, Option, commands


def bash_completion() -> str:
    """A function for bash: commands, options, and the choices of values; other values are files."""
    lines = [
        "# Completion of fernshale for bash.",
        "_fernshale() {",
        '    local cur=${COMP_WORDS[COMP_CWORD]} prev=${COMP_WORDS[COMP_CWORD-1]} path="" word i',
        "    COMPREPLY=()",
        "    for ((i = 1; i < COMP_CWORD; i++)); do",
        "        word=${COMP_WORDS[i]}",
        '        case "$path $word" in',
    ]
    for command in commands()[1:]:
        outer, name = " ".join(command.words[:-1]), command.words[-1]
        lines.append(f'            "{outer} {name}") path="{" ".join(command.words)}" ;;')
    lines += ["        esac", "    done", '    case "$path:$prev" in']
    for command in commands():
        for option in command.options:
            if option.choices:
                keys = "|".join(f'"{" ".join(command.words)}:{flag}"' for flag in option.flags)
                lines += [f"        {keys})", f"            {_reply(option.choices)}", "            return ;;"]
    lines += ["    esac", '    case "$path" in']
    for command in commands():
        flags = [flag for option in command.options for flag in option.flags]
        key = " ".join(command.words)
        lines.append(f'        "{key}")')
        lines += ["            if [[ $cur == -* ]]; then", f"                {_reply(flags)}"]
        if command.inner:
            lines += ["            else", f"                {_reply(command.inner)}"]
        lines += ["            fi ;;"]
    lines += ["    esac", "}", "complete -o bashdefault -o default -F _fernshale fernshale", ""]
    return "\n".join(lines)


def _reply(words: tuple[str, ...] | list[str]) -> str:
    return f"COMPREPLY=($(compgen -W '{' '.join(words)}' -- \"$cur\"))"


def zsh_completion() -> str:
    """A function for zsh: a state for each group of commands."""
    lines = ["#compdef fernshale", ""]
    for command in commands():
        lines += _zsh_function(command)
    lines += [f'{_zsh_name(())} "$@"', ""]
    return "\n".join(lines)


def _zsh_name(words: tuple[str, ...]) -> str:
    return "_fernshale" + "".join(f"_{word.replace('-', '_')}" for word in words)


def _zsh_function(command: Command) -> list[str]:
    every = {item.words: item for item in commands()}
    lines = [f"{_zsh_name(command.words)}() {{"]
    specs = [_zsh_option(option, flag) for option in command.options for flag in option.flags]
    if command.inner:
        lines += ["    local context state line", "    typeset -A opt_args", "    _arguments -C \\"]
        lines += [f"        {spec} \\" for spec in specs]
        lines += [
            "        '1: :->command' '*:: :->rest'",
            "    case $state in",
            "    command)",
            "        local -a names=(",
        ]
        lines += [f"            {_quoted(name, every[(*command.words, name)].help)}" for name in command.inner]
        lines += ["        )", "        _describe command names ;;", "    rest)", "        case $line[1] in"]
        lines += [f"        {name}) {_zsh_name((*command.words, name))} ;;" for name in command.inner]
        lines += ["        esac ;;", "    esac"]
    else:
        lines += ["    _arguments \\", *(f"        {spec} \\" for spec in specs), "        '*:file:_files'"]
    return [*lines, "}", ""]


def _zsh_option(option: Option, flag: str) -> str:
    words = _plain(option.help)
    value = ""
    if option.value:
        value = f":{option.value.lower()}:" + (f"({' '.join(option.choices)})" if option.choices else "_files")
    return f"'{flag}[{words}]{value}'"


def _quoted(name: str, words: str) -> str:
    return f"'{name}:{_plain(words)}'"


def _plain(words: str) -> str:
    """Words without what means something inside of a quoted specification."""
    return words.replace("'", "’").replace("[", "(").replace("]", ")").replace(":", ",")


def fish_completion() -> str:
    """Lines for fish: each names the commands that have to be there already."""
    lines = ["# Completion of fernshale for fish.", "complete -c fernshale -e"]
    for command in commands():
        condition = _fish_condition(command)
        for name in command.inner:
            inner = next(item for item in commands() if item.words == (*command.words, name))
            lines.append(f"complete -c fernshale -f -n '{condition}' -a {name} -d '{_plain(inner.help)}'")
        for option in command.options:
            names = " ".join(f"-l {flag[2:]}" if flag.startswith("--") else f"-s {flag[1:]}" for flag in option.flags)
            value = f" -x -a '{' '.join(option.choices)}'" if option.choices else " -r" if option.value else ""
            lines.append(f"complete -c fernshale -n '{condition}' {names}{value} -d '{_plain(option.help)}'")
    return "\n".join(lines) + "\n"


def _fish_condition(command: Command) -> str:
    seen = "; and ".join(f"__fish_seen_subcommand_from {word}" for word in command.words)
    none = f"not __fish_seen_subcommand_from {' '.join(command.inner)}" if command.inner else ""
    return "; and ".join(part for part in (seen, none) if part)
