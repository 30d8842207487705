"""Write a merge plan as text: the local file's pieces unchanged, new entries formatted like their neighbours."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from fernshale.core.base.texts import tr
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed
from fernshale.core.merge.keyed.plan import Clash, MergePlan, PlannedEntry

# The decision about a clash: the side to use ("mine", "incoming", "base"), or ("text", value).
Decide = Callable[[Clash], tuple[str, str]]


@dataclass(frozen=True, slots=True)
class _Piece:
    """An entry of the result. `pad` is the text before its separator, `after` the rest of the line after it."""

    lead: str
    body: str
    pad: str
    after: str
    was_first: bool


@dataclass(frozen=True, slots=True)
class Writer:
    """The three documents while a plan is written."""

    base: DataDocument
    mine: DataDocument
    incoming: DataDocument
    decide: Decide

    def write(self, plan: MergePlan) -> str:
        """Return the value of a plan, as text for its place in the local file."""
        node = plan.node
        if plan.taken is not None:
            return self._moved(self.incoming, plan.taken.span, node.span)
        if plan.entries is None:
            return self.mine.cut(node.span)
        pieces = [piece for entry in plan.entries if (piece := self._piece(node, entry)) is not None]
        if not node.items:
            return self._filled(node, pieces)
        return self._joined(node, pieces)

    # -- entries

    def _piece(self, node: Node, entry: PlannedEntry) -> _Piece | None:
        mine, incoming, value = entry.mine, entry.incoming, entry.value
        if entry.clash is not None:
            take, text = self.decide(entry.clash)
            if take == "text" and entry.clash.mine is not None:
                return self._own(node, entry.clash.mine, text)
            item = {"incoming": entry.clash.incoming, "base": entry.clash.base}.get(take, entry.clash.mine)
            if item is None:
                return None
            source = {"incoming": self.incoming, "base": self.base}.get(take, self.mine)
            if source is self.mine:
                return self._own(node, item, None)
            if entry.clash.mine is not None:
                return self._own(
                    node, entry.clash.mine, self._moved(source, item.node.span, entry.clash.mine.node.span)
                )
            return self._foreign(node, source, item)
        if mine is not None:
            return self._own(node, mine, self.write(value) if value is not None else None)
        assert incoming is not None
        return self._foreign(node, self.incoming, incoming)

    def _own(self, node: Node, item: KeyedNode, value: str | None) -> _Piece:
        body = self.mine.cut(item.body)
        if value is not None:
            start, end = item.node.span[0] - item.body[0], item.node.span[1] - item.body[0]
            if value and not body[start:end] and body[:start].endswith(":"):
                value = " " + value
            body = body[:start] + value + body[end:]
        pad, after = _without_separator(self.mine.cut(item.trail), node.separator)
        return _Piece(self.mine.cut(item.lead), body, pad, after, item is node.items[0])

    def _foreign(self, node: Node, source: DataDocument, item: KeyedNode) -> _Piece:
        """Return an entry of another file with its comments, indented like its new neighbours."""
        gap = self._gap(node)
        if "\n" in gap:
            indent = gap.rpartition("\n")[2]
            above = [line.strip() for line in source.cut(item.lead).split("\n")[1:-1]]
            lead = "".join(self._line_break() + (indent + line if line else "") for line in above) + gap
        else:
            lead, indent = gap, _indent_at(self.mine.text, node.span[0])
        body = self._indented(source, item.body, indent)
        _, after = _without_separator(source.cut(item.trail), node.separator)
        return _Piece(lead, body, "", after if after.strip() else "", False)

    def _gap(self, node: Node) -> str:
        """Return the text between two entries of a container: a line break with indentation, or a blank."""
        for item in node.items[1:][::-1]:
            lead = self.mine.cut(item.lead)
            return _last_gap(lead)
        if node.items:
            lead = self.mine.cut(node.items[0].lead)
            if node.separator and ("\n" in lead or not lead.strip()):
                return _last_gap(lead) if "\n" in lead else " "
            if lead and "\n" not in lead:
                return lead
            return self._line_break() + _indent_at(self.mine.text, node.items[0].body[0])
        return " "

    def _line_break(self) -> str:
        return "\r\n" if "\r\n" in self.mine.text else "\n"

    def _joined(self, node: Node, pieces: list[_Piece]) -> str:
        first, last = node.items[0], node.items[-1]
        opening = self.mine.text[node.span[0] : first.lead[0]]
        closing = self.mine.text[last.trail[1] : node.span[1]]
        if not pieces and self.mine.format == "yaml" and not node.separator:
            raise NotKeyed(tr("a block without an entry says something else than an empty one"))
        if not pieces:
            return opening + (closing if node.separator else "")
        had_last = bool(node.separator) and self.mine.cut(last.trail).lstrip(" \t").startswith(node.separator)
        opened = self.mine.cut(first.lead)
        parts = [opening]
        for number, piece in enumerate(pieces):
            lead = piece.lead
            if number == 0 and not piece.was_first:
                lead = _opening_lead(opened, lead)
            elif number and piece.was_first and not node.fixed:
                lead = opened if "\n" in opened or (opened and not node.separator) else self._gap(node)
            is_last = number == len(pieces) - 1
            separator = node.separator if not is_last or had_last else ""
            parts += [lead, piece.body, piece.pad + separator if separator else "", piece.after]
        return "".join(parts) + closing

    def _filled(self, node: Node, pieces: list[_Piece]) -> str:
        """Entries for a container that was empty."""
        text = self.mine.cut(node.span)
        if not pieces:
            return text
        if node.separator and len(text) >= 2:
            inside = (node.separator + " ").join(piece.body for piece in pieces)
            pad = " " if text[0] == "{" else ""
            return f"{text[0]}{pad}{inside}{pad}{text[-1]}"
        lines = "".join(self._line_break() + piece.lead.lstrip() + piece.body + piece.after for piece in pieces)
        return text.rstrip() + lines if text.strip() else lines.lstrip("\r\n")

    # -- text from another place

    def _moved(self, source: DataDocument, span: tuple[int, int], place: tuple[int, int]) -> str:
        """Text of another file for a place of the local one, further lines indented as there."""
        return self._indented(source, span, _indent_at(self.mine.text, place[0]))

    def _indented(self, source: DataDocument, span: tuple[int, int], indent: str) -> str:
        text = source.cut(span).replace("\r\n", "\n")
        own = _indent_at(source.text, span[0])
        lines = text.split("\n")
        moved = [indent + line[len(own) :] if line.startswith(own) and line.strip() else line for line in lines[1:]]
        return self._line_break().join([lines[0], *moved])


def _without_separator(trail: str, separator: str) -> tuple[str, str]:
    """Return the text before the separator and after it; without a separator, all text is after it."""
    bare = trail.lstrip(" \t")
    if not separator or not bare.startswith(separator):
        return "", trail
    return trail[: len(trail) - len(bare)], bare.removeprefix(separator)


def _indent_at(text: str, at: int) -> str:
    start = text.rfind("\n", 0, at) + 1
    line = text[start:at]
    return line[: len(line) - len(line.lstrip(" \t"))] if line.strip() else line


def _last_gap(lead: str) -> str:
    """The blanks at the end of a lead, from its last line break on; comments are left out."""
    at = lead.rfind("\n")
    if at < 0:
        return lead if not lead.strip() else " "
    start = at - 1 if lead[at - 1 : at] == "\r" else at
    return lead[start:]


def _opening_lead(opened: str, lead: str) -> str:
    """Return the lead of an entry that is now the first; `opened` is the lead of the former first entry."""
    if "\n" in opened:
        return lead if "\n" in lead else _last_gap(opened)
    # On the line where the container begins: without the line break, but with comments.
    return opened if "\n" not in lead else opened + lead.lstrip()
