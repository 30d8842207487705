"""New ids for binary assets, in which the engine's command replaces an id everywhere, not a single use of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.links.binary_assets import BinaryFiles
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.reference_reader import Reference
from fernshale.core.links.relink import replacements
from fernshale.core.links.renamed_targets import AUTOMATIC_SCORE

# Below the automatic threshold: a person has to choose.
_MAX_SCORE = AUTOMATIC_SCORE - 0.05


def ids_to_write(index: LinkIndex, path: TreePath, listed: Sequence[tuple[Reference, str]]) -> dict[str, str]:
    """The new id for each old one in a binary asset. Raises MisuseError if one id would not get the same new id everywhere.

    The engine's command replaces an id, not a single use of it.
    """
    new_ids = {mark.id: new for mark, new in listed}
    chosen = Counter((mark.id, new) for mark, new in listed)
    used = Counter(mark.id for mark in index.files[path].used)
    mixed = [old for old, new in new_ids.items() if chosen[old, new] < used[old]]
    if mixed:
        raise MisuseError(
            tr(
                "{path}: its command can only write the same new id for all uses of {mixed}",
                path=path,
                mixed=", ".join(mixed),
            ),
            tr("Choose one id for all uses, or change this file in the engine's editor."),
        )
    return new_ids


def with_writable(item: MissingReference, index: LinkIndex, binary: BinaryFiles) -> MissingReference:
    """The item without high confidence where its ids differ between the uses in one binary asset."""
    if not item.automatic or not binary.has_formats:
        return item
    for path, listed in replacements((item, candidate) for candidate in item.automatic).items():
        if binary.format_of(path) is None:
            continue
        try:
            ids_to_write(index, path, listed)
        except MisuseError:
            why = tr("{path} can only get one new id for all its uses", path=path)
            candidates = tuple(
                replace(each, score=min(each.score, _MAX_SCORE), evidence=(*each.evidence, why))
                for each in item.candidates
            )
            return replace(item, candidates=candidates)
    return item
