"""A made-up asset tree, and the same after a vendor's update: ids changed, moved, removed, split; and what is right.

Assets are written in the way of several formats. The vendor's part is `kit/`, the own assets that use it are `mine/`.
"""

from __future__ import annotations

import json
import random
import uuid
from dataclasses import dataclass, field
from typing import Literal

Format = Literal["json", "xml", "yaml", "gltf", "own"]
_TREES = (
    "alder",
    "apple",
    "ash",
    "birch",
    "cedar",
    "cherry",
    "elm",
    "fig",
    "hazel",
    "larch",
    "lime",
    "maple",
    "oak",
    "pear",
    "pine",
    "plum",
    "rowan",
    "spruce",
    "willow",
    "yew",
)
_PARTS = (
    "bark",
    "branch",
    "bud",
    "cone",
    "crown",
    "flower",
    "fruit",
    "leaf",
    "log",
    "root",
    "seed",
    "stump",
    "trunk",
    "twig",
)
_WORDS = (
    "age",
    "bend",
    "damp",
    "depth",
    "girth",
    "gloss",
    "height",
    "hue",
    "lean",
    "moss",
    "rough",
    "shade",
    "sway",
    "tint",
    "weight",
    "width",
)


@dataclass
class Asset:
    """An asset of the vendor: where it lies, its id, what it says, and the assets it uses by slot."""

    path: str
    id: str
    name: str
    values: dict[str, float]
    uses: dict[str, str] = field(default_factory=dict)


@dataclass
class Grove:
    """Files before and now, and what each id that went is called now: by slot where it was split, None where it is gone."""

    before: dict[str, bytes]
    now: dict[str, bytes]
    right: dict[str, dict[str, str] | str | None]
    wanted: dict[str, bytes]


def make_grove(format: Format, assets: int, changed: int, seed: int, named: bool = False) -> Grove:
    """`assets` in all, a third of them own; `changed` of the vendor's ids go in one of five ways."""
    rng = random.Random(seed)
    vendor = [_asset(rng, number, format, named) for number in range(assets * 2 // 3)]
    ids = [item.id for item in vendor]
    for item in vendor:
        for slot in rng.sample(("mesh", "skin", "sound"), rng.randint(0, 2)):
            item.uses[slot] = rng.choice(ids)
    own: list[tuple[str, list[tuple[str, str]]]] = []
    for number in range(assets - len(vendor)):
        uses = [(rng.choice(("mesh", "skin", "sound")), rng.choice(ids)) for _ in range(rng.randint(1, 6))]
        own.append((f"mine/{rng.choice(_TREES)}-{number}.{_ending(format)}", uses))
    gone = rng.sample(range(len(vendor)), changed)
    for at in gone:  # each that goes is used by somebody
        path, uses = own[rng.randrange(len(own))]
        uses += [("mesh", vendor[at].id), ("skin", vendor[at].id)]
    before = _written(format, vendor, own)
    right: dict[str, dict[str, str] | str | None] = {}
    after = [Asset(item.path, item.id, item.name, dict(item.values), dict(item.uses)) for item in vendor]
    extra: list[Asset] = []
    for turn, at in enumerate(gone):
        item, way = after[at], turn % 5
        old = item.id
        if way == 3:
            right[old] = None
            item.path = ""
            continue
        item.id = _new_id(rng, item, format, named)
        right[old] = item.id
        if way in (1, 2):
            item.path = item.path.replace("kit/", "kit/v2/")
        if way == 2:
            word = rng.choice(list(item.values))
            item.values[word] = round(rng.uniform(0, 99), 3)
            item.values["lift"] = round(rng.uniform(0, 9), 2)
        if way == 4:
            words = list(item.values)
            other = Asset(item.path, _new_id(rng, item, format, named), item.name, {}, {})
            item.path, other.path = _suffixed(item.path, "mesh"), _suffixed(item.path, "skin")
            item.values = {word: item.values[word] for word in words[: len(words) // 2 + 1]}
            other.values = {word: vendor[at].values[word] for word in words[len(words) // 2 :]}
            extra.append(other)
            right[old] = {"mesh": item.id, "skin": other.id, "sound": ""}
    for _ in range(changed // 2):  # new things that replace nothing
        extra.append(_asset(rng, rng.randrange(10**6), format, named))
    for item in after:  # the vendor's own assets follow
        for slot, id in list(item.uses.items()):
            now = right.get(id, id)
            if isinstance(now, dict):
                now = now[slot] or None
            if now is None:
                del item.uses[slot]
            else:
                item.uses[slot] = now
    all_now = [item for item in after if item.path] + extra
    now_files = _written(format, all_now, own)
    followed = []
    for path, uses in own:
        new = []
        for slot, id in uses:
            there = right.get(id, id)
            if isinstance(there, dict):
                there = there[slot] or id
            new.append((slot, there or id))
        followed.append((path, new))
    return Grove(before, now_files, right, _written(format, [], followed))


def profile_text(format: Format) -> str:
    """A profile for the tree, by what its documents say."""
    ending = _ending(format)
    head = 'format = "fernshale-profile/1"\nid = "grove"\ntitle = "Grove"\n[recognise]\nfiles = ["*.grove"]\n[[site]]\nname = "release"\nfiles = ["*.grove"]\nat = { json = "/release" }\n'
    if format == "own":
        return (
            head
            + f"""
[[links.declare]]
files = ["**/*.{ending}"]
pattern = '(?m)^thing (?P<id>[\\w-]+)'
[[links.use]]
files = ["**/*.{ending}"]
pattern = '(?m)^  (?:mesh|skin|sound) @(?P<id>[\\w-]+)'
"""
        )
    declare, use = {
        "json": ('key = ["uid"]', 'key = ["mesh", "skin", "sound"]'),
        "yaml": ('at = "asset/guid"', 'at = "parts/*/*"'),
        "xml": ('key = ["id"]', 'at = "asset/*/@ref"'),
        "gltf": ('at = "asset/extras/uid"', 'at = "nodes/*/extras/*"'),
    }[format]
    return (
        head
        + f'[[links.declare]]\nfiles = ["**/*.{ending}"]\n{declare}\n[[links.use]]\nfiles = ["**/*.{ending}"]\n{use}\n'
    )


def _ending(format: Format) -> str:
    return {"own": "grove-thing"}.get(format, format)


def _asset(rng: random.Random, number: int, format: Format, named: bool) -> Asset:
    tree, part = rng.choice(_TREES), rng.choice(_PARTS)
    name = f"{tree}-{part}-{number}"
    values = {word: round(rng.uniform(0, 99), 2) for word in rng.sample(_WORDS, rng.randint(4, 8))}
    id = name.replace("-", "_") if named else _random_id(rng, format)
    return Asset(f"kit/{tree}/{name}.{_ending(format)}", id, f"{tree} {part}", values)


def _random_id(rng: random.Random, format: Format) -> str:
    value = uuid.UUID(int=rng.getrandbits(128))
    return str(value) if format in ("xml", "gltf") else value.hex


def _new_id(rng: random.Random, item: Asset, format: Format, named: bool) -> str:
    return f"kit_{item.id}_{rng.randrange(10**4)}" if named else _random_id(rng, format)


def _suffixed(path: str, word: str) -> str:
    stem, _, ending = path.rpartition(".")
    return f"{stem}-{word}.{ending}"


def _written(format: Format, vendor: list[Asset], own: list[tuple[str, list[tuple[str, str]]]]) -> dict[str, bytes]:
    files = {item.path: _vendor_text(format, item) for item in vendor}
    files |= {path: _own_text(format, path, uses) for path, uses in own}
    return {path: text.encode() for path, text in files.items()}


def _vendor_text(format: Format, item: Asset) -> str:
    if format == "json":
        return json.dumps({"uid": item.id, "name": item.name, "values": item.values, **item.uses}, indent=2) + "\n"
    if format == "gltf":
        nodes = [{"name": slot, "extras": {slot: id}} for slot, id in item.uses.items()]
        return json.dumps({"asset": {"version": "2.0", "extras": {"uid": item.id, **item.values}}, "nodes": nodes})
    if format == "xml":
        values = "".join(f'  <value name="{word}">{value}</value>\n' for word, value in item.values.items())
        uses = "".join(f'  <{slot} ref="{id}"/>\n' for slot, id in item.uses.items())
        return f'<?xml version="1.0"?>\n<asset id="{item.id}">\n  <title>{item.name}</title>\n{values}{uses}</asset>\n'
    if format == "yaml":
        values = "".join(f"  {word}: {value}\n" for word, value in item.values.items())
        uses = "".join(f"  - {slot}: {id!r}\n" for slot, id in item.uses.items())
        return f"asset:\n  guid: '{item.id}'\n  title: {item.name}\n{values}" + (f"parts:\n{uses}" if uses else "")
    values = "".join(f"  {word} {value}\n" for word, value in item.values.items())
    return f"thing {item.id}\n  called {item.name}\n{values}" + "".join(
        f"  {slot} @{id}\n" for slot, id in item.uses.items()
    )


def _own_text(format: Format, path: str, uses: list[tuple[str, str]]) -> str:
    if format == "json":
        rows = ",\n".join(f'   {{"{slot}":"{id}" , "at" : [{at}, 2]}}' for at, (slot, id) in enumerate(uses))
        return f'{{ "scene": "{path}", // own\n  "parts": [\n{rows}\n] }}\r\n'
    if format == "gltf":
        nodes = [{"extras": {slot: id}, "translation": [at, 0, 0]} for at, (slot, id) in enumerate(uses)]
        return json.dumps({"asset": {"version": "2.0"}, "nodes": nodes}, indent=1)
    if format == "xml":
        rows = "\n".join(f"\t<{slot} at='{at}'   ref='{id}' />" for at, (slot, id) in enumerate(uses))
        return f"<asset>\n<!-- {path} -->\n{rows}\n</asset>"
    if format == "yaml":
        return f"# {path}\nparts:\n" + "".join(f'  - {slot}: "{id}"  # {at}\n' for at, (slot, id) in enumerate(uses))
    return f"# {path}\nscene\n" + "".join(f"  {slot} @{id}\n  x {at}\n" for at, (slot, id) in enumerate(uses))
