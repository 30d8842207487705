from __future__ import annotations

from fernshale.core.base.work import CancelToken
from fernshale.core.survey.plugins import find_mixture, rank_origins, read_folder
from tests.conftest import Tree


def test_origin_edits_and_own_files_are_told_apart(tree: Tree, token: CancelToken) -> None:
    releases = {
        "1.0": read_folder(tree("v1", {"a": "1", "b": "1", "c": "1"}), token),
        "2.0": read_folder(tree("v2", {"a": "2", "b": "1", "c": "2", "d": "2"}), token),
    }
    mine = read_folder(tree("mine", {"a": "1", "b": "edited", "own/x": "!"}), token)
    best, _ = rank_origins(mine, releases)
    assert (best.version, best.same, best.edited, best.own, best.deleted) == ("1.0", ("a",), ("b",), ("own/x",), ("c",))


def test_half_finished_update_is_a_mixture(tree: Tree, token: CancelToken) -> None:
    releases = {
        "1.0": read_folder(tree("v1", {"a": "1", "b": "1", "c": "1", "e": "same"}), token),
        "2.0": read_folder(tree("v2", {"a": "2", "b": "2", "c": "2", "e": "same"}), token),
    }
    mine = read_folder(tree("mine", {"a": "1", "b": "1", "c": "2", "e": "same"}), token)
    assert find_mixture(mine, rank_origins(mine, releases), releases) == ("1.0", "2.0")
    pure = read_folder(tree("pure", {"a": "1", "b": "edited", "c": "1", "e": "same"}), token)
    assert find_mixture(pure, rank_origins(pure, releases), releases) == ()
