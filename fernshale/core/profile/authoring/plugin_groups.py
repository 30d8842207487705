"""Folders that look like plugins, and the members of a workspace: siblings that each have a descriptor of the same kind."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.globs import matches
from fernshale.core.base.release import is_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.authoring.project_facts import CODE, ProjectFacts, kind_of
from fernshale.core.profile.authoring.subjects import subject_words, words_of
from fernshale.core.profile.model import Reach
from fernshale.core.survey.mentions import NUMBER, Mention, is_range
from fernshale.core.survey.value_access.listing import ListedValue

_ID_KEYS = ("id", "name", "identifier", "key", "package")
_PLUGIN_WORDS = frozenset(
    (
        "plugin",
        "plugins",
        "addon",
        "addons",
        "extension",
        "extensions",
        "ext",
        "mod",
        "mods",
        "package",
        "packages",
        "modules",
    )
)
# Folders whose packages are tried or shown, not used.
_NO_PLUGINS = frozenset(
    ("test", "tests", "spec", "examples", "example", "samples", "demos", "fixtures", "templates", "docs")
)
_ACCEPT_WORDS = frozenset(("accepts", "engine", "requires", "compatible", "compatibility", "supports", "needs"))


@dataclass(frozen=True, slots=True)
class PluginGroup:
    """Sibling folders with a descriptor each. `descriptor` is a file name, or `{plugin}.ending` where files are named after their
    folders; `descriptors` are the files, `values` what each holds."""

    parent: str
    descriptor: str
    descriptors: tuple[TreePath, ...]
    id: Reach | None
    version: Reach
    values: Mapping[TreePath, tuple[ListedValue, ...]]

    @property
    def folders(self) -> str:
        return f"{self.parent}/*" if self.parent else "*"

    @property
    def files(self) -> str:
        """A glob of the descriptors, for sites."""
        return f"{self.folders}/{self.descriptor.replace('{plugin}', '*')}"

    @property
    def ids(self) -> frozenset[str]:
        """The plugins' names."""
        found = (item.value.text for items in self.values.values() for item in items if item.reach == self.id)
        return frozenset((*found, *(path.split("/")[-2] for path in self.descriptors)))

    def holds(self, path: str) -> bool:
        return path.startswith(f"{self.parent}/" if self.parent else "")


def find_plugin_groups(facts: ProjectFacts, members: Sequence[str]) -> tuple[PluginGroup, ...]:
    """All groups that may be plugins, the likeliest first. `members` are globs of a workspace's members, which are none."""
    groups: dict[tuple[str, str], list[TreePath]] = defaultdict(list)
    for path in facts.texts:
        parts = path.split("/")
        if not _NO_PLUGINS.isdisjoint(part.lower() for part in parts[:-1]):
            continue
        if len(parts) < 2 or kind_of(path) in CODE or (members and matches(members, "/".join(parts[:-1]))):
            continue
        stem, dot, kind = parts[-1].rpartition(".")
        name = "{plugin}" + dot + kind if stem and stem.lower() == parts[-2].lower() else parts[-1]
        groups[("/".join(parts[:-2]), name)].append(path)
    found = [_group(parent, name, paths, facts) for (parent, name), paths in groups.items()]
    likely = [(weight, group) for item in found if item is not None for weight, group in [item] if weight > 2]
    return tuple(group for _, group in sorted(likely, key=lambda pair: (-pair[0], pair[1].parent)))


def _group(parent: str, name: str, paths: list[TreePath], facts: ProjectFacts) -> tuple[float, PluginGroup] | None:
    values = {path: facts.values.get(path, ()) for path in paths}
    version = common(values, lambda item: "version" in words_of(item.names[0]) and is_release(item.value.text))
    if version is None:
        return None
    id = common(values, lambda item: item.names[0].lower() in _ID_KEYS and not is_release(item.value.text))
    parent_words = {word for part in parent.split("/") for word in words_of(part)}
    accepted = common(values, lambda item: _may_accept(item) and not item.names[0].lower().startswith("version"))
    is_called_so = bool(parent_words & _PLUGIN_WORDS)
    if not is_called_so and accepted is None and not (id is not None and _has_whole_versions(values, version)):
        return None  # files that happen to have a number
    weight: float = min(len(paths), 4) + 2 * is_called_so + 2 * (accepted is not None) + (id is not None)
    weight -= 1.5 * (len(paths) == 1)
    return weight, PluginGroup(parent, name, tuple(sorted(paths)), id, version, values)


def _has_whole_versions(values: Mapping[TreePath, Sequence[ListedValue]], version: Reach) -> bool:
    """Whether the versions have at least two numbers, as those of something published."""
    texts = [item.value.text for items in values.values() for item in items if item.reach == version]
    return all(NUMBER.fullmatch(text) for text in texts)


def _may_accept(item: ListedValue) -> bool:
    words = {word for name in item.names for word in words_of(name)}
    return is_range(item.value.text) or (bool(words & _ACCEPT_WORDS) and is_release(item.value.text))


def common(values: Mapping[TreePath, Sequence[ListedValue]], fits: Callable[[ListedValue], bool]) -> Reach | None:
    """The locator that finds a fitting value in most of the files, and in at least half; None if there is none."""
    counts = Counter(item.reach for group in values.values() for item in group if item.names and fits(item))
    if not counts:
        return None
    reach, count = min(counts.items(), key=lambda pair: (-pair[1], len(pair[0].text), pair[0].text))
    return reach if 2 * count >= len(values) else None


def accepted_in(group: PluginGroup, mentions: Sequence[Mention], word: str) -> Reach | None:
    """The locator of what the plugins accept: a mention of the engine in at least half of the descriptors."""
    descriptors = set(group.descriptors)
    counts: Counter[Reach] = Counter()
    for mention in mentions:
        if mention.file in descriptors and mention.reach != group.version:
            words = {part for name in mention.names for part in words_of(name)}
            if (word and word in subject_words(mention)) or words & _ACCEPT_WORDS:
                counts[mention.reach] += 1
    if not counts:
        return None
    reach, count = min(counts.items(), key=lambda pair: (-pair[1], pair[0].text))
    return reach if 2 * count >= len(descriptors) else None


def workspace_members(facts: ProjectFacts) -> Iterator[tuple[TreePath, str, str]]:
    """(manifest, glob of members, name of their descriptors) of each workspace that a manifest at the root declares."""
    for path, values in facts.values.items():
        for item in values if "/" not in path else ():
            names = tuple(name.lower() for name in item.names)
            is_members = (
                names[:2] == ("members", "workspace")
                or names[:1] == ("workspaces",)
                or names[:2] == ("packages", "workspaces")
            )
            if is_members and not item.is_list and re.search(r"[*/]", item.value.text):
                glob = item.value.text.strip("/").removeprefix("./")
                yield path, glob, path
