"""A conflict as a person sees it: the question, the versions, the earlier decision, the number of conflicts that are alike."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from fernshale.core.base.quantities import size_words
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.decision_memory import Remembered
from fernshale.core.crossing.stages.plugins.choices import alike
from fernshale.core.merge.folder_merge import FileMerge, FolderMerge, FolderSide
from fernshale.core.merge.keyed import KeyedMerge
from fernshale.core.merge.text_merge import Conflict, Resolution, TextMerge, part_of
from fernshale.core.snapshot.manifest import EntryKind

_PICTURES = (".png", ".jpg", ".jpeg", ".bmp", ".gif", ".ppm", ".pgm", ".webp", ".svg", ".xpm")
_LARGEST_PICTURE = 24_000_000


@dataclass(frozen=True, slots=True)
class Version:
    """One version: its lines, or its facts in words; `picture` has the bytes of an image."""

    name: str  # before, yours, incoming, by tokens
    lines: tuple[str, ...]
    picture: bytes | None = None


@dataclass(frozen=True, slots=True)
class Question:
    """A conflict, ready to be shown. `alike` counts the other open ones like it; `start` is the initial text of the editor."""

    conflict: Conflict
    title: str
    path: str
    versions: tuple[Version, ...]
    alike: int
    start: str
    remembered: Remembered | None
    mine_words: str = tr("Keep yours")
    incoming_words: str = tr("Use the vendor's")


def ask(
    merge: FolderMerge,
    file: FileMerge,
    conflict: Conflict,
    choices: Mapping[str, Resolution],
    known: Mapping[str, Remembered],
) -> Question:
    """The question a decision puts."""
    others = sum(item.id != conflict.id and item.id not in choices for _, item in alike(merge, conflict.id))
    before = known.get(conflict.id)
    if isinstance(file.merge, TextMerge):
        olds, ours, theirs = (part_of(file.merge, conflict, side) for side in ("base", "mine", "incoming"))
        versions = [Version("before", olds)] if olds else []
        versions += [Version("yours", ours), Version("incoming", theirs)]
        if conflict.finer is not None:
            versions.append(Version(tr("by tokens"), tuple(conflict.finer.split("\n"))))
        title = tr("Both changed these lines") if olds else tr("Both added something here")
        return Question(conflict, title, file.shown, tuple(versions), others, "\n".join(ours), before)
    if isinstance(file.merge, KeyedMerge):
        names = ("before", "yours", "incoming")
        texts = file.merge.versions(conflict)
        shown = (
            Version(name, tuple((text or tr("(not there)")).split("\n")))
            for name, text in zip(names, texts, strict=True)
        )
        title = tr("Both changed {key}", key=conflict.at.lstrip("/"))
        return Question(conflict, title, file.shown, tuple(shown), others, file.merge.value(conflict), before)
    title = file.why[0].upper() + file.why[1:]
    mine = tr("Keep yours") if file.mine else tr("Leave it deleted")
    incoming = tr("Use the vendor's") if file.incoming else tr("Remove it")
    return Question(conflict, title, file.shown, tuple(_facts(merge, file)), others, "", before, mine, incoming)


def _facts(merge: FolderMerge, file: FileMerge) -> Iterator[Version]:
    """The facts of each version of a file that is decided as a whole."""
    places = (
        ("before", merge.base, file.base),
        ("yours", merge.mine, file.mine),
        ("incoming", merge.incoming, file.incoming),
    )
    for name, side, path in places:
        if name != "before" or path is not None:
            yield _version(name, side, path)


def _version(name: str, side: FolderSide, path: TreePath | None) -> Version:
    entry = side.entry(path)
    if path is None or entry is None:
        return Version(name, (tr("(not there)"),))
    if entry.kind is EntryKind.LINK:
        return Version(name, (tr("a link to {content}", content=entry.content),))
    words = tr(
        "{size} · digest {content} · mode {mode:o}",
        size=size_words(entry.size),
        content=entry.content[:10],
        mode=entry.mode,
    )
    is_picture = path.lower().endswith(_PICTURES) and entry.size <= _LARGEST_PICTURE
    return Version(name, (words,), side.read(path) if is_picture else None)
