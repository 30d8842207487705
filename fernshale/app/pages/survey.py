"""Survey: what is there, where its release is written, where its plugins come from, how it builds today."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QSplitter, QWidget

from fernshale.app.pages.base import Page
from fernshale.app.session import Session
from fernshale.app.theme import Tone
from fernshale.app.widgets.basics import Card, button, quiet_label
from fernshale.app.widgets.charts import Tile, TileMap
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.tables import TableRow, TextTable
from fernshale.core.base.treepath import printable
from fernshale.core.base.words import count, size_words
from fernshale.core.crossing.matter import Stage
from fernshale.core.crossing.origins import PluginOrigin
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.stages.survey import SurveyView, describe

_TONES: dict[str, Tone] = {
    "own": "mine",
    "user content": "mine",
    "plugin": "incoming",
    "asset": "base",
    "settings": "base",
}
# More parts than this in one role are summed up: they would be too small to see.
_MOST_PARTS = 24


class SurveyPage(Page):
    stage = Stage.SURVEY

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        map_card = Card(self, "Files by role")
        self._map = TileMap(map_card, "Files by role")
        self._map_note = map_card.note
        map_card.body.setContentsMargins(6, 6, 6, 6)
        map_card.body.addWidget(self._map)
        lower = QSplitter(Qt.Orientation.Horizontal, self)
        lower.setHandleWidth(14)
        sites = Card(lower, "Places that name a release")
        self._sites = TextTable(sites, "Places that name a release", ("release", "file", "what it is"), (1,))
        self._sites.activated_row.connect(self._open_site)
        sites.body.addWidget(self._sites)
        right = QSplitter(Qt.Orientation.Vertical, lower)
        right.setHandleWidth(10)
        plugins = Card(right, "Plugins and your work in them")
        self._plugins = RowList(plugins, "Plugins and your work in them")
        self._plugins.activated_row.connect(self._open_file)
        plugins.body.addWidget(self._plugins)
        today = Card(right, "Before anything is touched")
        today.body.setContentsMargins(11, 8, 9, 9)
        self._today = quiet_label(today, "")
        self._needs = quiet_label(today, "")
        row = QHBoxLayout()
        row.setSpacing(6)
        self._take = button(today, "Build and run it now", self._on_take, main=True)
        self._skip = button(
            today, "Go on without", self._on_skip, hint="What was broken before cannot be told apart later"
        )
        for made in (self._take, self._skip):
            row.addWidget(made)
        row.addStretch(1)
        today.body.addWidget(self._today)
        today.body.addWidget(self._needs)
        today.body.addStretch(1)
        today.body.addLayout(row)
        right.setSizes([220, 130])
        lower.setSizes([560, 420])
        self.column.addWidget(map_card, 3)
        self.column.addWidget(lower, 5)
        self.setFocusProxy(self._plugins)

    def fill(self, overview: Overview) -> None:
        view = overview.survey
        self._map.set_tiles(_tiles(view))
        total = sum(len(paths) for paths in view.roles.values())
        self._map_note.setText(f"{count(total, 'file')}, {size_words(sum(view.sizes.values()))}")
        self._sites.set_rows(
            tuple(
                TableRow(
                    (site.value.text, f"{site.file}:{site.line}", site.name), ((0, "mine"),), (site.file, site.line)
                )
                for site in view.ground.sites
            )
        )
        self._plugins.set_rows(tuple(row for item in view.plugins for row in _plugin_rows(item)))
        self._show_baseline(view)

    def find_text(self, words: str) -> bool:
        return self._sites.find_text(words) or self._plugins.find_text(words)

    def _show_baseline(self, view: SurveyView) -> None:
        baseline = view.baseline
        if baseline is None:
            text = "No baseline yet. Building and running the project as it is today tells later what the upgrade did."
        else:
            text = f"On {baseline.release} it {describe(baseline)}; {count(baseline.warnings, 'warning')}."
            if baseline.run is not None:
                text += f" Its log of {count(len(baseline.run.log), 'line')} is kept"
                text += "".join(f"; {check.name} {check.verdict}" for check in baseline.run.checks) + "."
        self._today.setText(text)
        marks = [f"{'●' if need.holds else '◆'} {need.found}" for need in view.requirements]
        self._needs.setText("   ".join(marks))
        open_ = any(matter.key == "survey:baseline" for matter in view.matters)
        self._take.setText("Build and run it now" if baseline is None else "Build and run again")
        self._take.setVisible(open_)
        self._skip.setVisible(open_)

    def _on_take(self) -> None:
        self.session.take("survey:baseline", "take", "baseline")

    def _on_skip(self) -> None:
        self.session.take("survey:baseline", "without", "going on without a baseline")

    def _open_site(self, payload: object) -> None:
        if isinstance(payload, tuple):
            self.editor_wanted.emit(payload[0], payload[1])

    def _open_file(self, payload: object) -> None:
        if isinstance(payload, str):
            self.editor_wanted.emit(payload, 1)


def _tiles(view: SurveyView) -> tuple[Tile, ...]:
    tiles = []
    entries = view.ground.manifest.files
    for role, paths in view.roles.items():
        parts: dict[str, list[int]] = {}
        depth = 2 if role in ("plugin", "user content") else 1
        for path in paths:
            pieces = path.split("/")
            name = path if len(pieces) <= depth + 1 and len(paths) <= _MOST_PARTS else "/".join(pieces[:depth])
            parts.setdefault(name, []).append(max(entries[path].size, 1))
        children = tuple(
            Tile(
                printable(name).rsplit("/", 1)[-1],
                sum(sizes),
                "base",
                f"{printable(name)}: {count(len(sizes), 'file')}",
            )
            for name, sizes in parts.items()
        )
        hint = f"{role}: {count(len(paths), 'file')}, {size_words(view.sizes[role])}"
        amount = sum(child.amount for child in children)
        tiles.append(Tile(f"{role} · {len(paths)}", amount, _TONES.get(role, "plain"), hint, children))
    return tuple(tiles)


def _plugin_rows(item: PluginOrigin) -> list[Row]:
    origin, plugin = item.origin, item.plugin
    if origin is None:
        return [Row(f"{plugin.id} {plugin.version}", item.note or "no shelf to compare with", heading=True)]
    said = f"from {origin.name}, {origin.sure:.0%} sure"
    if origin.mixture:
        said = f"a mixture of {' and '.join((origin.name, *origin.mixture))}"
    rows = [Row(f"{plugin.id} {plugin.version}", item.note, right=said, heading=True)]
    groups = [("◐", "edited", origin.edited), ("●", "your own", origin.own), ("–", "deleted here", origin.deleted)]
    groups += [("◑", f"as in {name}", paths) for name, paths in origin.mixture.items()]
    groups += [("○", f"left over from {name}", (path,)) for path, name in origin.leftovers.items()]
    for glyph, word, paths in groups:
        for path in paths:
            rows.append(Row(printable(path), "", word, glyph, "mine", payload=f"{plugin.folder}/{path}", code=True))
    return rows
