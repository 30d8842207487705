"""Files of the project that were copied from the engine and edited: found by content, and merged with the new release.

A copy descends from a file of the old release when most of their lines are equal. Where that file changed in the new release,
the copy is merged like a plugin's file: old release, copy, new release.
"""

from __future__ import annotations

import stat
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from fernshale.core.base.cache import Cache
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.handles import Below
from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.actions import CopyChoice, UpdateForkedFile
from fernshale.core.drift.release_symbols import EXAMPLE_FOLDERS
from fernshale.core.merge.text_merge import Resolution, TextMerge, merge_text, result_text
from fernshale.core.survey.release_sites import read_project_text
from fernshale.core.survey.roles import EDITED_ROLES, role_of

KEY = "copy:"
_PROSE = (".md", ".txt", ".rst", ".html", ".adoc")
# Short lines are common to all files; a file with few long lines is no evidence.
_MIN_LINE_LENGTH = 8
_MIN_LINES = 6
# The minimum share of equal lines, and the share from which the origin is certain.
_MIN_SHARE = 0.5
_CERTAIN_SHARE = 0.7
_MAX_FILES_OF_LINE = 40
_MAX_BYTES = 1 << 20


@dataclass(frozen=True, slots=True)
class ForkedFile:
    """A file of the project with its origin. `alike` is the share of equal lines, `merge` the merge with the new release."""

    path: TreePath
    engine: str
    alike: float
    merge: TextMerge

    @property
    def clashes(self) -> int:
        return len(self.merge.conflicts)

    @property
    def key(self) -> str:
        return f"{KEY}{self.path}"


def find_copies(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> tuple[ForkedFile, ...]:
    """The copies whose origin changed in the leg's new release. Raises Cancelled."""
    try:
        old, new = (engine_folder(scan, release) for release in (crossing.setup.from_, crossing.setup.to))
    except FernshaleError:
        return ()
    if not (old.is_dir() and new.is_dir()):
        return ()
    return scan.manifest.derived(("copies", old, new), lambda: tuple(_find(scan, old, new, token)))


def copy_items(copies: tuple[ForkedFile, ...], crossing: Crossing) -> Iterator[Item]:
    """One item for each copy without a decision on this leg."""
    decided = crossing.decisions()
    to = crossing.setup.to
    for item in copies:
        if item.key in decided and decided[item.key].text == to:
            continue
        evidence = (
            tr("{alike:.0%} of its lines are the engine's {engine}", alike=item.alike, engine=item.engine),
            tr("which changed in {to}", to=to),
        )
        leave = Option(UpdateForkedFile(item.path, "leave"), tr("Leave it as it is"), (tr("it stays as it was"),))
        if item.clashes:
            places = count(item.clashes, "place")
            options: tuple[Option, ...] = (
                Option(
                    UpdateForkedFile(item.path, "mine"),
                    tr("Merge, yours in the {places} both changed", places=places),
                    evidence,
                ),
                Option(
                    UpdateForkedFile(item.path, "incoming"),
                    tr("Merge, the engine's in the {places} both changed", places=places),
                    evidence,
                ),
                leave,
            )
        else:
            automatic = item.alike >= _CERTAIN_SHARE
            options = (
                Option(
                    UpdateForkedFile(item.path, "merge"),
                    tr("Update it to {to} and keep your edits", to=to),
                    evidence,
                    is_automatic=automatic,
                ),
                leave,
            )
        title = tr(
            "{path} is a copy of the engine's {engine}, which changed", path=printable(item.path), engine=item.engine
        )
        yield Item(item.key, Stage.ENGINE, title, "own", item.path, "", bool(item.clashes), options, blocks=False)


def update_copy(crossing: Crossing, scan: ProjectScan, action: UpdateForkedFile, author: Author, work: Work) -> None:
    """Merge a copy, taking one side where both changed, or leave it. Raises MisuseError when it is none any more."""
    path, to = action.path, crossing.setup.to
    if action.choice != "leave":
        item = next((item for item in find_copies(scan, crossing, work.token) if item.path == path), None)
        if item is None:
            raise MisuseError(
                tr("{path} has no engine changes to merge any more", path=printable(path)), tr("Look again.")
            )
        changes = preview_copy(scan, item, action.choice)
        title = tr("{path} follows the engine's {engine}", path=printable(path), engine=item.engine)
        reason = author.why or tr("it was copied from {engine}", engine=item.engine)
        write_step(crossing, EntryText(Stage.ENGINE, title, reason, action.key), changes, work)
    else:
        crossing.decide(replace(action.decision(author), text=to))


def preview_copy(scan: ProjectScan, copy: ForkedFile, choice: CopyChoice) -> ChangeSet:
    """What a choice writes: the merge, with one side's lines where both changed; nothing if the copy is left as it is."""
    draft = Draft(scan.project)
    if choice != "leave":
        side = Resolution("incoming") if choice == "incoming" else Resolution("mine")
        result = result_text(copy.merge, {conflict.id: side for conflict in copy.merge.conflicts.values()}, "nothing")
        assert result is not None
        draft.write(copy.path, result.encode())
    return draft.change_set()


@dataclass(frozen=True, slots=True)
class _Engine:
    """The files that a copy may descend from: texts of both releases by path, their long lines, and the files with each line."""

    texts: Mapping[str, tuple[TextFile, TextFile]]
    lines: Mapping[str, frozenset[str]]
    known: Mapping[str, Sequence[str]]


def _engine_of(old: Path, new: Path, cache: Cache, token: CancelToken) -> _Engine:
    """The files that copies may descend from, read once for each pair of releases, since releases do not change."""

    def read() -> _Engine:
        texts = dict(_changed(old, new, token))
        lines = {path: _telling(before.text) for path, (before, _) in texts.items()}
        known: dict[str, list[str]] = defaultdict(list)
        for path, found in lines.items():
            for line in found:
                known[line].append(path)
        return _Engine(texts, lines, known)

    key = (old, old.stat().st_mtime_ns, new, new.stat().st_mtime_ns)
    return cache.get("engine texts", key, read, lambda found: len(found.known))


def _find(scan: ProjectScan, old: Path, new: Path, token: CancelToken) -> Iterator[ForkedFile]:
    engine = _engine_of(old, new, scan.cache, token)
    starters = {source[at:] for source in engine.texts for at in ((0,) if _is_example(source) else _starts(source))}
    for path in scan.paths:
        token.check()
        # A file at the path of a file of the release came with it, whatever role the profile gives it and however short it is.
        role, is_there = role_of(scan.profile, path).role, path in starters
        if role == "generated" or not (is_there or role in EDITED_ROLES):
            continue
        text = scan.read(path)
        if text is None:
            continue
        own = _telling(text)
        shared: Counter[str] = Counter()
        for line in own:
            if len(engine.known.get(line, ())) <= _MAX_FILES_OF_LINE:
                shared.update(
                    source for source in engine.known.get(line, ()) if source == path or not _is_example(source)
                )
        if not shared:
            continue
        source, common = max(
            shared.items(), key=lambda item: (2 * item[1] / (len(own) + len(engine.lines[item[0]])), item[0])
        )
        alike = 2 * common / (len(own) + len(engine.lines[source]))
        if alike < _MIN_SHARE or (common < _MIN_LINES and not is_there):
            continue
        mine = read_project_text(scan.project, path)
        before, after = engine.texts[source]
        merge = merge_text(before, mine, after)
        result = result_text(merge, {}, "mine")
        if merge.conflicts or (result is not None and result.text != mine.text):
            yield ForkedFile(path, source, alike, merge)


def _is_example(path: str) -> bool:
    """Whether a file of a release shows how to use it: code that began as an example does not follow it."""
    return not EXAMPLE_FOLDERS.isdisjoint(part.lower() for part in path.split("/")[:-1])


def _starts(path: str) -> Iterator[int]:
    """The offsets at which path parts begin: a starter file is kept in a folder of the release and copied out of it."""
    yield 0
    yield from (at + 1 for at, mark in enumerate(path) if mark == "/")


def _changed(old: Path, new: Path, token: CancelToken) -> Iterator[tuple[str, tuple[TextFile, TextFile]]]:
    """Text files that both releases have and that differ."""
    with Below(old) as olds, Below(new) as news:
        for place in sorted(old.rglob("*")):
            token.check()
            path = place.relative_to(old).as_posix()
            if place.suffix.lower() in _PROSE or not (_is_read(olds, path) and _is_read(news, path)):
                continue
            before, after = olds.read(path), news.read(path)
            if before != after:
                texts = read_text(before), read_text(after)
                if texts[0] is not None and texts[1] is not None:
                    yield path, (texts[0], texts[1])


def _is_read(release: Below, path: str) -> bool:
    """Whether a release has a regular file there that is not too large."""
    try:
        status = release.status(path)
    except OSError:
        return False
    return status is not None and stat.S_ISREG(status.st_mode) and status.st_size <= _MAX_BYTES


def _telling(text: str) -> frozenset[str]:
    return frozenset(line for raw in text.splitlines() if len(line := raw.strip()) >= _MIN_LINE_LENGTH)
