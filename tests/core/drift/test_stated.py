"""What a release says itself of its successors outranks likeness, and is quoted."""

from __future__ import annotations

import pytest

from fernshale.core.drift.stated.replacements import named_replacements
from fernshale.core.inference.from_api_diff import guess_rules
from tests.conftest import Tree
from tests.core.drift.comparing import best_candidate, changes_between


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("use X instead", "X"),
        ("Use :meth:`Pier.moor_all` instead.", "Pier.moor_all"),
        ("renamed to harbour_of", "harbour_of"),
        ("deprecated in favour of Tide.", "Tide"),
        ("replaced by {@link Harbour#open}", "Harbour#open"),
        ("has been superseded by ``next_tide``", "next_tide"),
    ],
)
def test_deprecation_texts_name_their_successor(text: str, name: str) -> None:
    assert next(named_replacements(text)) == (name, True)


@pytest.mark.parametrize(
    "text",
    [
        "Use `X` with a fresh berth instead.",
        "use X or Y instead",
        "renamed to X(berth)",
        "Use `X.copy(berth)` instead",
        "Use X for boats.",
        "see X(), Y() and Z()",
    ],
)
def test_a_text_that_wants_more_than_a_name_says_so(text: str) -> None:
    name, is_whole = next(named_replacements(text))
    assert name.startswith("X") and not is_whole


def test_what_a_release_says_of_what_it_removed_outranks_likeness(tree: Tree) -> None:
    table = """GONE = {
    "low": "Use `wick.ebb` instead.",
    "count_all": ("Use `wick.count` with every "
                  "pier instead."),
}
"""
    kept_ones = "def ebb(day):\n    return 1\ndef count(x):\n    return 3\n"
    old = f"def low(day):\n    return tide.of(day)\ndef count_all(piers):\n    return 2\n{kept_ones}"
    new = f"def lower(day):\n    return tide.of(day)\n{kept_ones}"
    changes = changes_between(tree("old", {"wick.py": old}), tree("new", {"wick.py": new, "_gone.py": table}))
    assert best_candidate(changes, "wick.low")[:2] == ("ebb", 0.97)
    # It wants more than another name, so it is not sure.
    name, score, _ = best_candidate(changes, "wick.count_all")
    assert name == "count" and score < 0.9


def test_a_text_that_speaks_of_another_thing_is_no_other_name(tree: Tree) -> None:
    harbour = "/// Keeps boats.\nclass Harbour { public: void add(int boat); };\n"
    old = {
        "p.hpp": "class Pier {\n public:\n  /// @deprecated Use Harbour instead.\n  void moor(int boat);\n"
        "  /// @deprecated Use add() instead.\n  void put(int boat);\n  int keeper;\n};\n" + harbour
    }
    changes = changes_between(
        tree("old", old), tree("new", {"p.hpp": "class Pier { public: int keeper; };\n" + harbour})
    )
    found = {item.old.name: item.candidates[0] for item in changes if item.old is not None and item.candidates}
    assert {name: item.symbol.name for name, item in found.items()} == {"moor": "Harbour", "put": "add"}
    assert all(item.score < 0.6 for item in found.values())


def test_what_moved_and_is_on_its_way_out_leads_to_what_is_meant_instead(tree: Tree) -> None:
    body = "    return sorted(set(tides) & set(days))\n"
    old = {"wick/lib.py": f"def in_days(tides, days):\n{body}"}
    new = {
        "wick/_lib.py": f'def in_days(tides, days):\n    """Deprecated: use :func:`within` instead of `in_days`."""\n{body}'
        "def within(tides, days):\n    return 1\n"
    }
    assert best_candidate(changes_between(tree("old", old), tree("new", new)), "wick.lib.in_days")[:2] == (
        "within",
        0.97,
    )


def test_a_replacement_over_another_member_is_written_so(tree: Tree) -> None:
    doc = '"""Old.\n\n        .. deprecated:: 2\n            This method has been renamed to :func:`name.ending`.\n        """'
    old = f"class Sign:\n    def ending(self, text):\n        {doc}\n        return self.x\n"
    new = (
        "class Names:\n    def ending(self, text):\n        return self.y\n"
        "class Sign:\n    @property\n    def name(self):\n        return Names()\n"
    )
    before, after = tree("old", {"wick.py": old}), tree("new", {"wick.py": new})
    changes = changes_between(before, after)
    assert best_candidate(changes, "wick.Sign.ending") == ("ending", 0.97, "name.ending")
    rules = guess_rules(changes, before, after, "t", ()).rules
    assert ("ending", "name.ending") in {(rule.old, rule.new) for rule in rules if rule.kind == "rename"}


def test_what_stayed_elsewhere_on_its_way_out_tells_what_to_take(tree: Tree) -> None:
    body = "    return sum(depth * width for depth, width in zip(depths, widths)) / len(depths)\n"
    doc = '    """How much water a hull of such depths and widths takes."""\n'
    old = tree("old", {"w/hulls.py": f"def hull(depths, widths):\n{doc}{body}"})
    gone = '    """.. deprecated:: 2.0\n    Use `displacement` instead, or a function of your own."""\n    warn()\n    return displacement(depths, widths)\n'
    new = tree(
        "new", {"w/_sea.py": f"def displacement(depths, widths):\n{doc}{body}\ndef hull(depths, widths):\n{gone}"}
    )
    (change,) = (
        item
        for item in changes_between(old, new)
        if item.old is not None and item.old.full == "w.hulls.hull" and item.candidates
    )
    best = change.candidates[0]
    assert (
        best.symbol.name == "displacement"
        and best.score >= 0.6
        and best.evidence[0].startswith("the new release says: ")
    )


def test_an_alias_made_by_a_function_names_its_successor(tree: Tree) -> None:
    old = "class Sheet:\n    def loadSheet(self, path):\n        return path.read()\ndef dropSheet(sheet):\n    return sheet.drop()\n"
    new = (
        "class Sheet:\n    def load_from(self, path):\n        return path.read()\n"
        '    loadSheet = other_name("loadSheet", load_from)\n'
        'def discard(sheet):\n    return sheet.drop()\ndropSheet = legacy.other_name("dropSheet", discard)\n'
        'COLOUR = setting("colour", discard)\n'
    )
    changes = changes_between(tree("old", {"wick.py": old}), tree("new", {"wick.py": new}))
    found = {c.old.full: (c.kind, c.candidates[0].symbol.name) for c in changes if c.old and c.candidates}
    assert found == {
        "wick.Sheet.loadSheet": ("deprecated", "load_from"),
        "wick.dropSheet": ("deprecated", "discard"),
    }


def test_a_text_on_one_overload_is_no_answer_for_the_others(tree: Tree) -> None:
    old = "struct Tide { int of(int day); int of(int day, Clock clock); };"
    new = 'struct Tide { int of(int day); [[deprecated("Use at instead.")]] int of(int day, Clock clock); int at(int day); };'
    (change,) = (
        item
        for item in changes_between(tree("old", {"t.hpp": old}), tree("new", {"t.hpp": new}))
        if item.kind == "deprecated"
    )
    (candidate,) = change.candidates
    assert candidate.score < 0.5 and candidate.evidence[-1] == "only 1 of 2 overloads are deprecated"


def test_a_chain_of_calls_is_more_than_a_name() -> None:
    assert next(named_replacements("Use layout().size() instead.")) == ("layout", False)
    assert next(named_replacements("Use layout(). It is faster.")) == ("layout", True)


def test_a_constant_declared_as_another_function_is_another_name_for_it(tree: Tree) -> None:
    old = {
        "lamp.d.ts": "export declare function glow(at: number): void;\nexport declare function dim(at: number): void;\n"
    }
    new = {
        "lamp.d.ts": (
            "/** @deprecated Renamed to {@link shine}. */\nexport declare const glow: typeof shine;\n"
            "export declare function shine(at: number): void;\nexport declare const dim: (at: number) => void;\n"
        )
    }
    changes = changes_between(tree("old", old), tree("new", new))
    (change,) = (item for item in changes if item.symbol.name != "shine")
    assert (change.kind, change.candidates[0].symbol.full, change.candidates[0].score >= 0.9) == (
        "deprecated",
        "shine",
        True,
    )


def test_what_became_a_function_and_is_deprecated_is_told_with_both(tree: Tree) -> None:
    old = {"wick.py": "class Lamp:\n    glow = 3\n    warmth = 2\n"}
    new = {
        "wick.py": (
            "class Lamp:\n    warmth = 2\n\n    def glow(self):\n"
            '        """\n        .. deprecated:: 2.0\n            Use :attr:`brightness` instead.\n        """\n        return 3\n\n'
            "    brightness = 3\n"
        )
    }
    kinds = {
        change.kind for change in changes_between(tree("old", old), tree("new", new)) if change.symbol.name == "glow"
    }
    assert kinds == {"signature", "deprecated"}


def test_a_name_in_the_documentation_of_a_function_is_not_what_it_passes_on_to(tree: Tree) -> None:
    old = 'def low(day):\n    """How low the water is."""\n    return compute(day, -1)\n\ndef pier(): pass\n'
    new = "def water(day):\n    return Sea.of(day)[0]\n\ndef pier(): pass\n"
    changes = changes_between(tree("old", {"wick.py": old}), tree("new", {"wick.py": new}))
    evidence = [text for item in changes for candidate in item.candidates for text in candidate.evidence]
    assert evidence and not any("passed on" in text for text in evidence)


def test_the_call_of_one_overload_is_not_written_with_the_parameters_of_another(tree: Tree) -> None:
    old = "class Row { public: void swap(Row& row); };\nvoid swap(Row& one, Row& two);\n"
    new = (
        "class Row { public: void swap(Row& row); };\nvoid swap(Row& one, Row& two);\n"
        "[[deprecated]] inline void swap(Row& left, Row* right) { left.swap(*right); }\n"
    )
    before, after = tree("old", {"w.hpp": old}), tree("new", {"w.hpp": new})
    changes = changes_between(before, after)
    assert any(item.kind == "deprecated" for item in changes)
    for rule in guess_rules(changes, before, after, "t", ()).rules:
        assert "left" not in getattr(rule, "new", "")


def test_a_type_named_in_place_of_a_constant_has_a_constant_of_that_name(tree: Tree) -> None:
    says = "/** @deprecated As of version 2.0, use {@link WickMode} instead. */"
    old = {
        "w/Wick.java": f"package w; public class Wick {{ {says} public static final int DIM = 1; {says} public static final int OUT = 2; }}",
        "w/WickMode.java": "package w; public class WickMode { public static final WickMode DIM = new WickMode(1); }",
    }
    new = {"w/Wick.java": "package w; public class Wick { }", "w/WickMode.java": old["w/WickMode.java"]}
    changes = changes_between(tree("old", old), tree("new", new))
    by_name = {item.old.name: item.candidates[0] for item in changes if item.old is not None and item.candidates}
    assert by_name["DIM"].symbol.path == ("w", "WickMode", "DIM") and by_name["DIM"].score >= 0.9
    assert by_name["OUT"].symbol.path == ("w", "WickMode") and by_name["OUT"].score < 0.9


def test_a_method_that_ended_by_telling_others_is_not_replaced_by_that(tree: Tree) -> None:
    names = ("Fill", "Glow", "Wick", "Flame", "Mast", "Buoy")
    tell = "    public void tellAll() { count = 1; }\n    private int count;\n"

    def lamp(word: str) -> str:
        body = "".join(
            f"    /** The {name.lower()} of all lamps that have none of their own. */\n"
            f"    public void set{word}{name}(int {name.lower()}) {{ this.{word.lower()}{name} = {name.lower()}; tellAll(); }}\n"
            f"    private int {word.lower()}{name};\n"
            for name in names
        )
        return f"package w;\npublic class Lamp {{\n{tell}{body}}}\n"

    changes = changes_between(tree("old", {"w/Lamp.java": lamp("Base")}), tree("new", {"w/Lamp.java": lamp("Default")}))
    for name in names:
        found, score, _ = best_candidate(changes, f"w.Lamp.setBase{name}")
        assert found == f"setDefault{name}" and score >= 0.9
