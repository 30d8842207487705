"""The open items about missing references."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.links.actions import ReadAssets, Relink, RelinkFile
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.renamed_targets import AUTOMATIC_SCORE

# From so many high-confidence replacements on, one item resolves all of them.
_MANY = 4


TOGETHER = "together:sure"


def key_of(item: MissingReference) -> str:
    """The key of its item."""
    return f"{'file' if item.is_file else 'links'}:{item.id}"


def asset_items(unread: Collection[TreePath]) -> Iterable[Item]:
    """Binary assets that the engine's command has not printed yet."""
    if unread:
        first = min(unread)
        words = tr("a command of the profile prints what each declares and uses")
        read = Option(
            ReadAssets(),
            tr("Read {binary_assets}", binary_assets=count(len(unread), "binary asset")),
            (words,),
            is_automatic=True,
        )
        title = tr("{binary_assets} not read yet", binary_assets=count(len(unread), "binary asset"))
        yield Item("assets:unread", Stage.LINKS, title, "own", first, words, False, (read,))


def link_items(missing: Sequence[MissingReference]) -> Iterable[Item]:
    automatic = [item for item in missing if item.automatic]
    together = len(automatic) >= _MANY
    if together:
        uses = sum(len(item.uses) for item in automatic)
        least = min(candidate.score for item in automatic for candidate in item.automatic)
        all_ = Option(
            Relink(TOGETHER, "sure"),
            tr("Relink them all"),
            (tr("the lowest confidence is {least:.0%}", least=least),),
            least,
            True,
        )
        yield Item(
            f"links:{TOGETHER}",
            Stage.LINKS,
            tr(
                "{number} missing references with a high-confidence replacement, {uses}",
                number=len(automatic),
                uses=count(uses, "use"),
            ),
            "own",
            "",
            ", ".join(item.id for item in automatic[:12]),
            False,
            (all_,),
        )
    for item in missing:
        if not (together and item.automatic):
            yield _item(item)


def doubled_items(doubled: Sequence[str], index: LinkIndex) -> Iterable[Item]:
    """Ids that two declare, of which a use can mean only one."""
    for id in doubled:
        places = [f"{use.file}:{use.line}" for use in index.declarations(id)]
        leave = Option(Choose(f"doubled:{id}", ""), tr("Leave it as it is"), (tr("write down why"),))
        title = tr("{id} is declared {number} times", id=id, number=len(places))
        yield Item(f"doubled:{id}", Stage.LINKS, title, "own", places[-1], "; ".join(places), True, (leave,))


def relink(item: MissingReference, new: str) -> Relink | RelinkFile:
    """The action that writes `new` wherever a missing reference is used."""
    return RelinkFile(TreePath(item.id), new) if item.is_file else Relink(item.id, new)


def _item(item: MissingReference) -> Item:
    options = []
    if item.candidates and item.candidates[0].slots:
        parts = [candidate for candidate in item.candidates if candidate.slots]
        told = tuple(tr("{id} for {slots}", id=candidate.id, slots=", ".join(candidate.slots)) for candidate in parts)
        least = min(candidate.score for candidate in parts)
        options.append(
            Option(
                relink(item, "split"),
                tr("{id} became {ids}", id=item.id, ids=count(len(parts), "id")),
                told,
                least,
                least >= AUTOMATIC_SCORE,
            )
        )
    split = bool(options)
    for candidate in item.candidates:
        score = min(candidate.score, 0.6) if split else candidate.score
        options.append(
            Option(
                relink(item, candidate.id),
                f"{item.id} → {candidate.id}",
                candidate.evidence,
                score,
                score >= AUTOMATIC_SCORE,
            )
        )
    options.append(Option(Choose(key_of(item), ""), tr("Leave it missing"), (tr("it is known and intended"),)))
    first = item.uses[0]
    place = f"{first.file}:{first.line}" if first.line else first.file
    what = tr("was there") if item.is_file else tr("was declared in {was}", was=item.was)
    title = tr("{id} is missing, {uses}", id=item.id, uses=count(len(item.uses), "use"))
    return Item(key_of(item), Stage.LINKS, title, "own", place, what, True, tuple(options))
