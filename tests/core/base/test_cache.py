"""The cache of an open project: what was made is made once while there is room, and the oldest goes first."""

from __future__ import annotations

from collections import OrderedDict

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.cache import Cache

_ACTS = st.lists(st.tuples(st.sampled_from(["get", "put", "find"]), st.integers(0, 5), st.integers(0, 6)), max_size=60)


@given(_ACTS)
def test_it_holds_what_a_plain_list_of_the_newest_would(acts: list[tuple[str, int, int]]) -> None:
    cache, model = Cache(max_weight=10), OrderedDict[int, int]()

    def put(key: int, weight: int) -> None:
        model.pop(key, None)
        model[key] = weight
        while sum(model.values()) > 10:
            model.popitem(last=False)

    for act, key, weight in acts:
        if act == "put":
            cache.put("t", key, ("value", weight), weight)
            put(key, weight)
        elif act == "find":
            assert cache.find("t", key) == (("value", model[key]) if key in model else None)
            if key in model:
                model.move_to_end(key)
        else:
            made = []

            def make(weight: int = weight, made: list[int] = made) -> tuple[str, int]:
                made.append(weight)
                return "value", weight

            assert cache.get("t", key, make, lambda value: value[1]) == ("value", model.get(key, weight))
            assert bool(made) == (key not in model)
            if key in model:
                model.move_to_end(key)
            else:
                put(key, weight)
        assert cache._weight == sum(model.values()) <= 10


def test_topics_are_apart_and_what_fails_is_not_kept() -> None:
    cache = Cache()
    cache.put("a", 1, "one")
    assert cache.find("b", 1) is None

    def fail() -> str:
        raise ValueError("no")

    with pytest.raises(ValueError, match="no"):
        cache.get("b", 1, fail)
    assert cache.get("b", 1, lambda: "other") == "other" and cache.find("a", 1) == "one"
    cache.put("a", 2, "too large", 10**9)
    assert cache.find("a", 2) is None and cache.find("a", 1) == "one"
