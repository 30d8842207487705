"""Actions as values: each is found again from the two texts it is stored or typed as, and each has somebody to carry it out."""

from __future__ import annotations

from dataclasses import MISSING, fields
from typing import Any, Literal, get_args, get_origin, get_type_hints

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.crossing.flow import actions
from fernshale.core.crossing.flow.actions import KINDS, parse_action
from fernshale.core.crossing.record.actions import Action, Choose
from fernshale.core.crossing.record.items import Item, Option, choose
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.actions import AcceptSilent, SwitchCodeOff, UseRule
from fernshale.core.crossing.stages.engine.actions import ResolveStaleFiles
from fernshale.core.crossing.stages.links.actions import Relink
from fernshale.core.crossing.stages.plugins.actions import ResolveConflict, UpdatePlugin
from fernshale.core.crossing.stages.survey.actions import CommitSteps, LeaveGitAlone

# Names as they occur: no colon but in the last field of a text, and no blank, which parts a word from its object.
_NAMES = st.text(st.characters(exclude_characters=": \n", exclude_categories=["Cs"]), min_size=1).map(
    lambda text: f"n{text}"
)


def _values(kind: type[Action]) -> st.SearchStrategy[Action]:
    hints: dict[str, Any] = get_type_hints(kind)
    parts = {}
    for item in fields(kind):
        hint = hints[item.name]
        if get_origin(hint) is Literal:
            parts[item.name] = st.sampled_from(get_args(hint))
        elif hint is int:
            parts[item.name] = st.integers(0, 10**9)
        elif item.default is MISSING or item.default != "":
            parts[item.name] = _NAMES
        else:
            parts[item.name] = _NAMES | st.just("")
    return st.builds(kind, **parts)


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_an_action_is_read_back_from_its_two_texts(kind: type[Action]) -> None:
    @given(_values(kind))
    def check(action: Action) -> None:
        assert parse_action(action.key, action.option, getattr(action, "text", "")) == action

    check()


def test_every_kind_is_carried_out_by_somebody() -> None:
    assert set(actions._HANDLERS) == {Choose, *KINDS}


def test_words_of_their_own_come_before_names() -> None:
    assert parse_action("cause:x:y", "aside line") == SwitchCodeOff("x:y", "line")
    assert parse_action("cause:x", "aside nothing") == UseRule("x", "aside nothing")
    assert parse_action("silent:a", "noted") == AcceptSilent("a")
    assert parse_action("git:steps", "leave") == LeaveGitAlone()
    assert parse_action("git:steps", "commit 12ab") == CommitSteps("commit 12ab")
    assert parse_action("engine:stale:a/*.h, b/*", "keep") == ResolveStaleFiles("a/*.h, b/*", "keep")
    assert parse_action("merge:1f", "text", "mine\n") == ResolveConflict("1f", "text", "mine\n")
    assert parse_action("links:a", "") == Choose("links:a", "")
    assert parse_action("links:a", "b") == Relink("a", "b")


def test_an_option_gives_its_action_with_what_was_typed() -> None:
    keep = Option(Choose("note:1", ""), "Leave it")
    run = Option(ResolveStaleFiles("*.h", "run"), "Run a command…", asks="The command")
    item = Item("note:1", Stage.ROUTE, "Something changed", options=(keep, run))
    assert choose(item, "") == Choose("note:1", "")
    assert choose(item, "").words == "Something changed · Leave it"  # type: ignore[union-attr]
    assert choose(item, "run", "make all") == ResolveStaleFiles("*.h", "run", "make all")
    assert choose(item, "nothing of the kind") is None
    assert item.option("run") is run and item.option("x") is None
    assert UpdatePlugin("winch").decision(actions.Author("you", "because")).stage is Stage.PLUGINS
