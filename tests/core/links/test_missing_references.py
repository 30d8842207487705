"""What dangles is given its right new name, and nothing that is unsure is called sure."""

from __future__ import annotations

import json
import random

import pytest
from orchard import Format, Grove, make_grove, profile_text

from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.missing_references import MissingReference, find_missing_references
from fernshale.core.links.reference_reader import with_includes
from fernshale.core.links.relink import replacements, rewrite
from fernshale.core.links.renamed_targets import AUTOMATIC_SCORE, StatedRenames, TargetEvidence
from fernshale.core.links.targets import LinkSide
from fernshale.core.profile.model import IdPattern, LinkShape, PathPattern
from fernshale.core.profile.read import read_profile

Files = dict[str, bytes]
_JSON = LinkShape((IdPattern(("**/*.json",), key=("uid",)),), (IdPattern(("**/*.json",), key=("ref", "mesh", "skin")),))


def side(shape: LinkShape, files: Files) -> LinkSide:
    index = LinkIndex(shape)
    there = {TreePath(path): data for path, data in files.items()}
    index.update({path: hash(data) for path, data in there.items()}, there.get, Work())
    return LinkSide(index, there, there.get)


def missing(
    shape: LinkShape, before: Files, now: Files, told: StatedRenames | None = None
) -> dict[str, MissingReference]:
    found = find_missing_references(side(shape, before), side(shape, now), {}, told or {}, CancelToken())
    return {item.id: item for item in found}


def relinked(shape: LinkShape, now: Files, found: dict[str, MissingReference]) -> Files:
    here = side(shape, now)
    chosen = [(item, way) for item in found.values() for way in item.automatic]
    changed = rewrite(here.index.rules, replacements(chosen), here.read)
    return {**now, **{str(path): data for path, data in changed.items()}}


def _file(uid: str, **more: object) -> bytes:
    return json.dumps({"uid": uid, **more}, indent=1).encode()


@pytest.mark.parametrize("named", [False, True], ids=["random ids", "names"])
@pytest.mark.parametrize("format", ["json", "xml", "yaml", "gltf", "own"])
def test_a_grove_after_an_update(format: Format, named: bool, tmp_path) -> None:
    profile = tmp_path / "grove.profile.toml"
    profile.write_text(profile_text(format))
    shape = read_profile(profile).links
    right = asked = 0
    for seed in (11, 12, 13):
        grove = make_grove(format, 400, 20, seed, named)
        found = missing(shape, grove.before, grove.now)
        assert found.keys() == grove.right.keys()
        for _id, item in found.items():
            right += _is_right(item, grove)
            asked += 1
        wanted = dict(grove.wanted.items())
        result = relinked(shape, grove.now, found)
        wrong = [path for path, data in wanted.items() if result[path] != data]
        # What was not sure was left as it was, byte for byte.
        assert all(_differs_only_in_ids(result[path], grove.now[path]) for path in wrong)
        assert len(wrong) <= 6
        assert result.keys() == grove.now.keys()
    assert right >= 0.98 * asked


def _is_right(item: MissingReference, grove: Grove) -> bool:
    """Whether the first proposals are right; one that is sure and wrong fails the test."""
    wanted = grove.right[item.id]
    for way in item.automatic:
        for use, slot in zip(item.uses, item.slots, strict=True):
            if use in item.uses_in(way.slots):
                assert way.id == (wanted[slot.split()[0]] if isinstance(wanted, dict) else wanted), item
    if wanted is None:
        return not item.automatic
    if isinstance(wanted, dict):
        parts = [way for way in item.candidates if way.slots]
        return bool(parts) and all(wanted[slot.split()[0]] == way.id for way in parts for slot in way.slots)
    return bool(item.candidates) and item.candidates[0].id == wanted


def _differs_only_in_ids(one: bytes, other: bytes) -> bool:
    return len(one.split()) == len(other.split())


def test_one_registry_that_declares_everything() -> None:
    rng = random.Random(5)
    rows = [
        {"uid": f"{rng.getrandbits(64):016x}", "name": f"thing {n}", "cost": rng.randrange(999)} for n in range(200)
    ]
    old = json.dumps({"things": rows}, indent=1).encode()
    changed = rng.sample(range(200), 12)
    right = {}
    for at in changed[:8]:
        right[rows[at]["uid"]] = new = f"{rng.getrandbits(64):016x}"
        rows[at] = {**rows[at], "uid": new}
    gone = {rows[at]["uid"] for at in changed[8:]}
    rows = [row for row in rows if row["uid"] not in gone]
    rows += [
        {"uid": f"{rng.getrandbits(64):016x}", "name": f"novelty {n}", "cost": rng.randrange(999)} for n in range(3)
    ]
    scene = json.dumps({"parts": [{"ref": id} for id in (*right, *gone)]}).encode()
    found = missing(
        _JSON,
        {"all.json": old, "s.json": scene},
        {"all.json": json.dumps({"things": rows}, indent=1).encode(), "s.json": scene},
    )
    assert found.keys() == {*right, *gone}
    assert {id: found[id].automatic[0].id for id in right if found[id].automatic} == right
    assert not any(found[id].automatic for id in gone)


def test_an_id_that_lies_beside_a_picture_follows_the_picture() -> None:
    shape = LinkShape(
        (IdPattern(("**/*.meta",), r"(?m)^guid: (?P<id>\w+)"),), (IdPattern(("**/*.scene",), r"guid=(?P<id>\w+)"),)
    )
    pictures = {f"p{n}": bytes([137, 80, 78, 71, 0, n]) * 9 for n in range(5)}
    before = {f"a/{name}.png": data for name, data in pictures.items()}
    before |= {f"a/{name}.png.meta": f"guid: aa{name}aa\n".encode() for name in pictures}
    now = {f"b/{n}-new.png": data for n, data in enumerate(pictures.values())}
    now |= {f"b/{n}-new.png.meta": f"guid: bb{name}bb\n".encode() for n, name in enumerate(pictures)}
    scene = {"own.scene": b" ".join(b"guid=aa%baa" % name.encode() for name in pictures)}
    found = missing(shape, before | scene, now | scene)
    assert {id: item.automatic[0].id for id, item in found.items()} == {f"aap{n}aa": f"bbp{n}bb" for n in range(5)}


def test_paths_follow_files_and_are_spelled_as_they_were() -> None:
    shape = LinkShape((), (IdPattern(("**/*.json",), key=("uri",), names="file"),))
    bark, leaf, far = b"\0bark" * 20, b"\0leaf" * 20, b"\0far" * 20
    before = {"kit/tex/bark.png": bark, "kit/tex/my leaf.png": leaf, "kit/far.bin": far}
    now = {"kit/v2/bark_01.png": bark, "kit/v2/my leaf.png": leaf, "kit/far.bin": far}
    own = {
        "mine/a.json": b'{"uri": "../kit/tex/bark.png", "x": {"uri": "../kit/far.bin"}}',
        "mine/b.json": b'{ "uri":"/kit/tex/my%20leaf.png" }',
        "c.json": b'{"uri": "kit\\\\tex\\\\bark.png", "y": {"uri": "https://example.org/z.png"}, "z": {"uri": "./kit/tex/bark.png"}}',
    }
    found = missing(shape, before | own, now | own)
    assert {id: item.automatic[0].id for id, item in found.items()} == {
        "kit/tex/bark.png": "kit/v2/bark_01.png",
        "kit/tex/my leaf.png": "kit/v2/my leaf.png",
    }
    result = relinked(shape, now | own, found)
    assert result["mine/a.json"] == b'{"uri": "../kit/v2/bark_01.png", "x": {"uri": "../kit/far.bin"}}'
    assert result["mine/b.json"] == b'{ "uri":"/kit/v2/my%20leaf.png" }'
    assert result["c.json"] == own["c.json"].replace(b"tex\\\\bark", b"v2\\\\bark_01").replace(
        b"./kit/tex/bark", b"./kit/v2/bark_01"
    )


def test_shipped_assets_say_what_stands_at_the_same_key_now() -> None:
    before = {
        "kit/a.json": _file("old-1", q=1),
        "kit/use.json": b'{"mesh": "old-1", "skin": "s"}',
        "kit/s.json": _file("s"),
    }
    now = {
        "kit/z.json": _file("brand-new", other="words"),
        "kit/use.json": b'{"mesh": "brand-new", "skin": "s"}',
        "kit/s.json": _file("s"),
    }
    own = {"mine.json": b'{"mesh": "old-1"}'}
    item = missing(_JSON, before | own, now | own)["old-1"]
    assert item.candidates[0].id == "brand-new" and "kit/use.json" in item.candidates[0].evidence[0]


def test_two_that_are_equally_good_are_not_sure() -> None:
    before = {"kit/a.json": _file("one", look="stone", size=4, height=9)}
    now = {
        "kit/b.json": _file("two", look="stone", size=4, height=9),
        "kit/c.json": _file("three", look="stone", size=4, height=9),
    }
    own = {"mine.json": b'{"mesh": "one"}'}
    item = missing(_JSON, before | own, now | own)["one"]
    assert len(item.candidates) == 2 and not item.automatic


def test_what_dangled_before_is_told_apart_and_a_note_outranks_likeness() -> None:
    before = {"kit/a.json": _file("one", look="stone", size=4, height=9)}
    now = {"kit/a.json": _file("two", look="stone", size=4, height=9), "kit/c.json": _file("three", look="glass")}
    own = {"mine.json": b'{"mesh": "one", "skin": "nobody"}'}
    found = missing(_JSON, before | own, now | own, {("one", "three"): TargetEvidence(0.97, "the notes say so")})
    assert found["nobody"].before and not found["nobody"].candidates
    assert not found["one"].before
    assert {way.id: way.score >= AUTOMATIC_SCORE for way in found["one"].candidates}["three"] or not found[
        "one"
    ].automatic


def test_all_assets_removed_and_none_like_them() -> None:
    before = {f"kit/{n}.json": _file(f"id{n:04}", look="stone", size=n) for n in range(30)}
    now = {f"new/{n}.json": _file(f"zz{n:04}", sound="bell", volume=n * 7) for n in range(30)}
    own = {"mine.json": json.dumps({"parts": [{"mesh": f"id{n:04}"} for n in range(30)]}).encode()}
    assert not any(item.automatic for item in missing(_JSON, before | own, now | own).values())


def test_what_assets_include_is_followed_and_what_code_includes_is_left_to_its_compiler() -> None:
    rule = PathPattern(("**/*.scene", "**/*.cpp"), r'"(?P<path>[^"]+)"')
    shape = with_includes(LinkShape(include=(rule,)), of_code=False)
    before, now = {"kit/a.mesh": b"\0mesh" * 9}, {"kit/v2/a.mesh": b"\0mesh" * 9}
    own = {"s.scene": b'use "kit/a.mesh"', "m.cpp": b'#include "kit/a.mesh"'}
    found = missing(shape, before | own, now | own)
    assert relinked(shape, now | own, found)["s.scene"] == b'use "kit/v2/a.mesh"'
    assert [use.file for item in found.values() for use in item.uses] == ["s.scene"]


def test_one_vote_against_a_near_twin_is_not_sure() -> None:
    """Somebody edited the one file that used it, and the vendor has two targets that are as like it."""
    boat = {"tons": 12, "mast": "pine", "sail": "tan", "keel": "oak", "crew": "three hands"}
    before = {"a/boat.json": _file("boat-1", **boat), "use/pier.json": _file("p", ref="boat-1")}
    now = {
        "a/cutter.json": _file("boat-2", **{**boat, "tons": 13}),
        "a/ketch.json": _file("boat-3", **{**boat, "tons": 14}),
        "use/pier.json": _file("p", ref="boat-3"),
        "use/quay.json": _file("q", ref="boat-1"),
    }
    found = missing(_JSON, {**before, "use/quay.json": _file("q", ref="boat-1")}, now)["boat-1"]
    assert {item.id for item in found.candidates[:2]} == {"boat-2", "boat-3"} and not found.automatic


def test_descriptions_that_are_all_alike_do_not_say_which_it_was() -> None:
    plain = {"kind": "picture", "quality": "high quality", "wrap": "repeat always"}
    kept = {f"art/{name}.json": _file(f"id-{name}", **plain) for name in ("elm", "oak", "ash")}
    before = {**kept, "art/fir.json": _file("id-fir", **plain), "use.json": _file("u", ref="id-fir")}
    now = {**kept, "kit/anchor.json": _file("id-anchor", **plain), "use.json": _file("u", ref="id-fir")}
    found = missing(_JSON, before, now)["id-fir"]
    assert not found.automatic and not any("says the same" in words for c in found.candidates for words in c.evidence)


def test_an_unchanged_asset_is_ahead_of_a_changed_one_at_the_same_path() -> None:
    lamp = {"light": "warm", "height": 7, "iron": "cast iron post", "glass": "four panes"}
    before = {"art/lamp.json": _file("lamp-1", **lamp), "use.json": _file("u", ref="lamp-1")}
    now = {
        "art/lamp.json": _file("lamp-2", **{**lamp, "light": "cold", "glass": "one pane"}),
        "art/old/lamp.json": _file("lamp-3", **lamp),
        "use.json": _file("u", ref="lamp-1"),
    }
    found = missing(_JSON, before, now)["lamp-1"]
    assert found.candidates[0].id == "lamp-3"
