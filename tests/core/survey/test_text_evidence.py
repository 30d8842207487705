"""Small plugins of which every file was edited or respelled still tell which release they came from, or say that they cannot."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from pathlib import Path

import pytest

from fernshale.core.base.work import CancelToken
from fernshale.core.survey.release_index import index_folders, read_column
from fernshale.core.survey.release_origin import Origin, find_origin
from fernshale.core.survey.text_evidence import folder_texts
from tests.conftest import Tree

_WORDS = [
    "tide",
    "lamp",
    "quay",
    "rope",
    "bell",
    "fog",
    "pier",
    "gull",
    "wave",
    "crane",
    "harbour",
    "signal",
    "light",
    "horn",
    "anchor",
    "buoy",
]


def _function(rng: random.Random, number: int) -> list[str]:
    name = f"{rng.choice(_WORDS)}_{rng.choice(_WORDS)}_{number}"
    body = [f"    {rng.choice(_WORDS)} = {rng.choice(_WORDS)}({rng.randrange(99)})" for _ in range(rng.randrange(2, 7))]
    return [f"def {name}({rng.choice(_WORDS)}, {rng.choice(_WORDS)}):", *body, f"    return {rng.choice(_WORDS)}", ""]


def _releases(rng: random.Random, files: int, count: int) -> dict[str, dict[str, list[str]]]:
    """Releases in a row; each changes a little of the one before."""
    now = {f"part{at}.py": [line for n in range(12) for line in _function(rng, n)] for at in range(files)}
    found = {}
    for number in range(count):
        found[f"1.{number}"] = {name: list(lines) for name, lines in now.items()}
        for name in rng.sample(sorted(now), k=max(1, files // 2)):
            at = rng.randrange(len(now[name]))
            now[name][at : at + rng.randrange(3)] = _function(rng, 100 + number)
    return found


def _edited(rng: random.Random, lines: list[str], share: float) -> list[str]:
    out = []
    for line in lines:
        chance = rng.random()
        if chance < share / 3:
            continue
        out.append(line + "  # mine" if chance < share * 2 / 3 else line)
        if share * 2 / 3 < chance < share:
            out.append(f"    mine = {rng.random()}")
    return out


def _respelled(lines: list[str]) -> list[str]:
    return [line.replace("    ", "\t") + " \r" for line in lines]


_HANDS: Mapping[str, Callable[[random.Random, list[str]], list[str]]] = {
    "a few lines": lambda rng, lines: _edited(rng, lines, 0.1),
    "many lines": lambda rng, lines: _edited(rng, lines, 0.4),
    "respelled": lambda rng, lines: _respelled(lines),
    "respelled and edited": lambda rng, lines: _respelled(_edited(rng, lines, 0.2)),
}


def _origin(
    tree: Tree, releases: Mapping[str, Mapping[str, list[str]]], mine: Mapping[str, list[str]], said: str = ""
) -> Origin:
    def text(files: Mapping[str, list[str]]) -> dict[str, str | bytes]:
        return {name: "\n".join(lines) + "\n" for name, lines in files.items()}

    places: dict[str, Path] = {name: tree(f"vendor/{name}", text(files)) for name, files in releases.items()}
    folder = tree("mine", text(mine))
    column = read_column(folder, CancelToken())
    contents = {path: raw for path, (raw, _) in column.items()}
    texts = folder_texts(folder, places, CancelToken())
    found = find_origin(contents, index_folders(places, CancelToken()), lambda path: column[path][1], said, texts)
    assert found is not None
    return found


@pytest.mark.parametrize("hand", _HANDS)
@pytest.mark.parametrize("seed", range(6))
def test_every_file_edited_is_right_or_honestly_undecided(hand: str, seed: int, tree: Tree) -> None:
    rng = random.Random(f"{hand} {seed}")
    releases = _releases(rng, files=rng.choice((1, 3, 5)), count=6)
    true = rng.choice(sorted(releases))
    mine = {name: _HANDS[hand](rng, lines) for name, lines in releases[true].items()}
    found = _origin(tree, releases, mine)
    assert found.name == true or true in found.tied or found.confidence < 0.7, found.words
    if hand == "a few lines":
        assert found.name == true and found.confidence > 0.9 and "likely" in found.words


def test_releases_with_the_same_texts_are_tied_and_the_descriptor_decides(tree: Tree) -> None:
    rng = random.Random(1)
    one = _releases(rng, files=2, count=1)["1.0"]
    releases = {"1.0": {**one, "version": ["1.0"]}, "1.1": {**one, "version": ["1.1"]}}
    mine = {name: _edited(rng, lines, 0.2) for name, lines in one.items()}
    found = _origin(tree, releases, {**mine, "version": ["mine"]})
    assert {found.name, *found.tied} == {"1.0", "1.1"} and "or" in found.words
    told = _origin(tree, releases, {**mine, "version": ["mine"]}, "1.0")
    assert told.name == "1.0" and not told.tied


def test_a_folder_of_something_else_is_not_claimed(tree: Tree) -> None:
    releases = _releases(random.Random(2), files=2, count=3)
    other = _releases(random.Random(99), files=2, count=1)["1.0"]
    found = _origin(tree, releases, {name: [f"{line} x" for line in lines] for name, lines in other.items()})
    assert found.words.startswith("not certain") or found.tied


def test_of_a_mixture_the_descriptor_says_which_release_is_meant(tree: Tree) -> None:
    rng = random.Random(3)
    old = _releases(rng, files=4, count=1)["1.0"]
    new = {name: _edited(rng, lines, 0.2) for name, lines in old.items()}
    names = sorted(old)
    mine = {names[0]: old[names[0]], **{name: new[name] for name in names[1:]}}
    found = _origin(tree, {"1.0": old, "1.1": new}, mine, "1.0")
    assert found.name == "1.0" and set(found.mixture) == {"1.1"} and not found.by_text
