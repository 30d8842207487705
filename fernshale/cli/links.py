"""links."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from fernshale.api.crossings import write_links
from fernshale.api.links import binary_assets, compare_trees
from fernshale.api.snapshots import Store, default_store
from fernshale.cli.crossing_lookup import profile_for
from fernshale.cli.output import LEFT_TO_DECIDE, print_json, print_lines
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count
from fernshale.core.base.treepath import printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.stages.links.reference_index import Linkage
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.renamed_targets import AUTOMATIC_SCORE


def links(options: argparse.Namespace, token: CancelToken) -> int:
    tree = Path(options.tree)
    if not tree.is_dir():
        raise MisuseError(f"{tree} is not a folder")
    profile = profile_for(options, tree)
    linkage = compare_trees(profile, tree, _before(options), Work(token=token))
    if options.apply:
        back = write_links(tree, linkage, Work(token=token))
        print(f"written; to go back: {back}" if back else "no high-confidence replacement", file=sys.stderr)
    left = [item for item in linkage.missing if not item.automatic and not item.before]
    unread = binary_assets(profile, linkage.now.files)
    if options.json:
        print_json({**to_json(linkage), "unread": unread})
    else:
        print_lines(_lines(linkage, options.apply))
        if unread:
            print(
                f"{count(len(unread), 'binary asset')} not read, such as {printable(unread[0])}: a crossing reads them"
            )
    is_open = left or unread or (not options.apply and any(item.automatic for item in linkage.missing))
    return LEFT_TO_DECIDE if is_open else 0


def to_json(linkage: Linkage) -> dict[str, Any]:
    missing = linkage.missing
    return {
        "dangling": [
            {
                "id": item.id,
                "uses": len(item.uses),
                "is_file": item.is_file,
                "was": item.was,
                "before": item.before,
                "places": [{"file": use.file, "line": use.line} for use in item.uses],
            }
            for item in missing
        ],
        "proposals": [
            {
                "old": item.id,
                "new": candidate.id,
                "score": candidate.score,
                "evidence": list(candidate.evidence),
                "uses": len(item.uses_in(candidate.slots)),
                "only": list(candidate.slots),
            }
            for item in missing
            for candidate in _best(item)
        ],
        "undecided": [item.id for item in missing if not item.automatic and not item.before],
        "doubled": list(linkage.now.index.doubled),
        "troubles": [
            {"file": path, "what": marks.trouble} for path, marks in linkage.now.index.files.items() if marks.trouble
        ],
    }


def _best(item: MissingReference) -> tuple[Any, ...]:
    """The best candidate, or one for each kind of use."""
    split = tuple(candidate for candidate in item.candidates if candidate.slots)
    return split or item.candidates[:1]


def _lines(linkage: Linkage, applied: bool) -> list[str]:
    lines = []
    for item in linkage.missing:
        was = f"was in {item.was}" if item.was else "nothing declared it before either"
        lines.append(f"{item.id}  {count(len(item.uses), 'use')}, {was}")
        for candidate in _best(item):
            mark = "●" if candidate.score >= AUTOMATIC_SCORE else "○"
            only = f" for {', '.join(candidate.slots)}" if candidate.slots else ""
            lines.append(f"  {mark} {candidate.score:.2f} {candidate.id}{only}: {'; '.join(candidate.evidence)}")
    if not lines:
        return ["no missing references"]
    automatic = sum(bool(item.automatic) for item in linkage.missing)
    said = "were relinked" if applied else "have a high-confidence replacement; --apply writes it"
    return [*lines, f"{automatic} of {len(linkage.missing)} {said}"]


def _before(options: argparse.Namespace) -> Path | tuple[Store, str]:
    folder = Path(options.before)
    if folder.is_dir():
        return folder
    store = Store(Path(options.store) if options.store else default_store())
    return store, options.before
