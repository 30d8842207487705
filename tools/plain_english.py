"""List turns of phrase that have to be read twice, in docstrings, comments and texts of the code, in the docs, and in the
subjects of the newest commits. Exits with 1 where there are any.

A place where such a phrase is right is listed in `plain_english_allowed.txt`, one `path: phrase` a line.
"""

from __future__ import annotations

import ast
import io
import re
import subprocess
import sys
import tokenize
from collections.abc import Iterator
from pathlib import Path

_ROOT = Path(__file__).parent.parent
_ALLOWED = Path(__file__).with_name("plain_english_allowed.txt")
# How many of the newest commits are checked.
_COMMITS = 20
_MAX_SUBJECT = 72
# What people write instead is in CONTRIBUTING.md: the trade's word, a subject and an active verb.
_PHRASES = re.compile(
    r"\b(?:anew|thereby|matters? of (?:the|a) (?:stage|build)|told (?:apart|from|of)|tells? (?:apart|of)|held against"
    r"|(?:set|sets|setting) (?:\w+ )?aside|dangl\w+|goes? round|went round|go round|go by themselves|gone by itself"
    r"|stands? for (?:itself|themselves)|takes? up again|taken up again|come along|comes along|came along"
    r"|is due again|are due|brought in|brings? in|what stands (?:there|where|in)|what comes|what is there twice"
    r"|nothing to say against|whoever|what it came to be|by themselves|at a glance|behind all others)\b",
    re.IGNORECASE,
)
_SUBJECT_START = re.compile(r"(?:what|which|whether|who|where|that|a|an|the)\b", re.IGNORECASE)


def texts_of_code(path: Path) -> Iterator[tuple[int, str]]:
    """Comments and strings of a module with their 1-based lines; docstrings are strings."""
    source = path.read_text()
    for token in tokenize.generate_tokens(io.StringIO(source).readline):
        if token.type == tokenize.COMMENT:
            yield token.start[0], token.string
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            for offset, line in enumerate(node.value.split("\n")):
                yield node.lineno + offset, line


def found_in(path: Path) -> Iterator[tuple[int, str]]:
    """The phrases in a file with their 1-based lines."""
    lines = texts_of_code(path) if path.suffix == ".py" else enumerate(path.read_text().splitlines(), 1)
    for number, line in lines:
        yield from ((number, found[0]) for found in _PHRASES.finditer(line))


def subjects() -> Iterator[str]:
    """The subjects of the newest commits, without those of merges; none outside a repository."""
    command = ["git", "-C", str(_ROOT), "log", f"-{_COMMITS}", "--no-merges", "--format=%s"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    yield from done.stdout.splitlines()


def main() -> int:
    allowed = {tuple(line.split(": ", 1)) for line in _ALLOWED.read_text().splitlines() if ": " in line}
    found = 0
    files = [path for path in (_ROOT / "fernshale").rglob("*.py") if "data" not in path.relative_to(_ROOT).parts[1:3]]
    files += list((_ROOT / "fernshale" / "core" / "data").glob("*.py"))
    files += [*(_ROOT / "tools").glob("*.py"), *_ROOT.glob("*.md"), *(_ROOT / "docs").rglob("*.md")]
    for path in sorted(set(files) - {Path(__file__), _ROOT / "CHANGELOG.md"}):
        name = path.relative_to(_ROOT).as_posix()
        for line, phrase in found_in(path):
            if (name, phrase.lower()) not in allowed:
                print(f"{name}:{line}: “{phrase}”")
                found += 1
    for subject in subjects():
        if len(subject) > _MAX_SUBJECT or _SUBJECT_START.match(subject) or _PHRASES.search(subject):
            print(f"commit subject: {subject}")
            found += 1
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
