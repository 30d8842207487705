"""Survey: the map of roles, places that name the release, plugins and their origin, the baseline."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QStackedWidget, QWidget

from fernshale.api.actions import AssignRole, Choose, TakeBaseline
from fernshale.api.crossings import describe_baseline
from fernshale.api.projects import file_states, is_own_rule, role_of
from fernshale.app.option_effects import OptionEffects
from fernshale.app.pages.base import Page, take_option
from fernshale.app.session import Session
from fernshale.app.theme import Tone, scaled
from fernshale.app.widgets.basics import Card, add_in_turn, button, buttons_in, clear_layout, quiet_label
from fernshale.app.widgets.charts import Tile, TileMap
from fernshale.app.widgets.rows import Row, RowList
from fernshale.app.widgets.tables import TableRow, TextTable
from fernshale.core.base.quantities import size_words
from fernshale.core.base.texts import and_list, count, tr, tr_marked
from fernshale.core.base.treepath import TreePath, parents, printable, under
from fernshale.core.crossing.project.plugin_origins import PluginOrigin
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.survey.view import SurveyView

_TONES: dict[str, Tone] = {
    "own": "mine",
    "user content": "mine",
    "plugin": "incoming",
    "asset": "base",
    "settings": "base",
}
# More parts than this in one role are summed up: they would be too small to see.
_MAX_PARTS = 24
# A selected part of the map: its role, and its folder or file, "" for the whole role.
_Part = tuple[str, str]

_BASELINE = TakeBaseline().key


class SurveyPage(Page):
    stage = Stage.SURVEY
    picture_title = tr("Files by role")
    picture_needs = 640

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, session)
        self._view: SurveyView | None = None
        self._item: Item | None = None
        self.picture = self._map_card = Card(self, tr("Files by role"))
        self._map = TileMap(self._map_card, tr("Files by role"))
        self._map.picked.connect(self._on_part)
        self._map_card.body.setContentsMargins(6, 6, 6, 6)
        self._map_card.body.addWidget(self._map)
        lower = self.detail = QSplitter(Qt.Orientation.Horizontal, self)
        lower.setHandleWidth(14)
        right = QSplitter(Qt.Orientation.Vertical, lower)
        lower.insertWidget(0, self._make_left(lower))
        right.setHandleWidth(10)
        self._plugins_card = plugins = Card(right, tr("Plugins, and your work in them"))
        self._plugins = RowList(plugins, tr("Plugins and your work in them"))
        self._plugins.activated_row.connect(self._open_file)
        plugins.body.addWidget(self._plugins)
        self._make_today(right)
        right.setSizes([200, 172])
        lower.setSizes([560, 420])
        self.column.addWidget(self._map_card, 3)
        self.column.addWidget(lower, 5)
        self.setFocusProxy(self._plugins)

    @property
    def picture_words(self) -> str:
        return self._map_card.note.text()

    def _make_left(self, parent: QWidget) -> Card:
        """The list: places that name a release (and members), or the files of the part that is picked."""
        self._left = Card(parent, tr("Places that name a release"))
        self._lists = QStackedWidget(self._left)
        self._sites = TextTable(
            self._lists, tr("Places that name a release"), (tr("release"), tr("file"), tr("what it is")), (1,)
        )
        self._sites.activated_row.connect(self._open_site)
        self._files = TextTable(self._lists, tr("Files"), (tr("file"), tr("what it is"), tr("why")), (0,))
        self._files.activated_row.connect(self._open_file)
        for table in (self._sites, self._files):
            self._lists.addWidget(table)
        self._left.body.addWidget(self._lists)
        self._mine = button(
            self._left, tr("This is mine"), lambda: self._give("own"), hint=tr("Give it the role “own”")
        )
        self._back = button(self._left, tr("As the profile says"), lambda: self._give(""))
        self._all = button(self._left, tr("All places"), lambda: self._map.pick(None))
        add_in_turn(self._left.head, (self._mine, self._back, self._all))
        return self._left

    def _make_today(self, parent: QWidget) -> None:
        today = Card(parent, tr("Before anything is touched"))
        today.body.setContentsMargins(11, 8, 9, 9)
        today.setMinimumHeight(scaled(172))
        self._today = quiet_label(today, "")
        self._needs = quiet_label(today, "")
        row = QHBoxLayout()
        row.setSpacing(6)
        self._take = button(today, tr("Build and run it now"), self._on_take, main=True)
        self._skip = button(
            today,
            tr("Continue without"),
            self._on_skip,
            hint=tr("Later errors cannot be distinguished from those that were there before"),
        )
        add_in_turn(row, (self._take, self._skip))
        self._options = QHBoxLayout()
        self._options.setSpacing(6)
        row.addLayout(self._options)
        row.addStretch(1)
        today.body.addWidget(self._today)
        self._effects = OptionEffects(today, self.session)
        today.body.addWidget(self._effects)
        today.body.addWidget(self._needs)
        today.body.addStretch(1)
        today.body.addLayout(row)

    def fill(self, overview: Overview) -> None:
        view = overview.survey
        self._view = view
        states = file_states(view.plugins)
        self._map.set_tiles(_tiles(view, states))
        total = sum(len(paths) for paths in view.roles.values())
        note = tr(
            "{files}, {values}; your files in plugins are marked green",
            files=count(total, "file"),
            values=size_words(sum(view.sizes.values())),
        )
        self._map_card.set_title(tr("Files by role"), note)
        self._sites.set_rows(_site_rows(view))
        rows = (*(row for item in view.plugins for row in _plugin_rows(item)), *_double_rows(view))
        self._plugins.set_rows(rows)
        self._plugins_card.setVisible(bool(rows))
        self._show_baseline(view)
        self._on_part(self._map.current())

    def go_to(self, item: Item) -> None:
        self._item = item
        if self._view is not None:
            self._show_baseline(self._view)

    def find_text(self, words: str) -> bool:
        shown = self._lists.currentWidget()
        return (isinstance(shown, TextTable) and shown.find_text(words)) or self._plugins.find_text(words)

    # -- the list follows the map

    def _on_part(self, part: object) -> None:
        view = self._view
        if view is None:
            return
        is_part = isinstance(part, tuple)
        self._lists.setCurrentWidget(self._files if is_part else self._sites)
        self._all.setVisible(is_part)
        if not isinstance(part, tuple):
            self._mine.setVisible(False)
            self._back.setVisible(False)
            members = view.scan.members
            title = tr("Members and places that name a release") if members else tr("Places that name a release")
            self._left.set_title(title, tr("select a part of the map to see its files"))
            return
        role, place = part
        rows = _file_rows(view, role, place)
        self._files.set_rows(rows)
        self._left.set_title(printable(place) or tr_marked(role), count(len(rows), "file"))
        own = bool(rows) and is_own_rule(role_of(view.scan.profile, str(rows[0].payload)))
        self._mine.setVisible(bool(place) and role != "own" and not own)
        self._back.setVisible(bool(place) and own)

    def _give(self, role: str) -> None:
        part = self._map.current()
        if isinstance(part, tuple) and part[1]:
            words = (
                tr("{part} is yours", part=part[1])
                if role
                else tr("{part} has the role of the profile again", part=part[1])
            )
            self.session.carry_out(AssignRole(TreePath(part[1]), role), words)

    # -- the baseline, and items that come before it

    def _show_baseline(self, view: SurveyView) -> None:
        baseline = view.baseline
        if baseline is None:
            text = tr(
                "No baseline yet. Build and run the project now, so that later differences can be attributed to the upgrade."
            )
            if not view.can_compare:
                text = tr(
                    "The profile has no command to build or run it, so nothing can be compared with the state before."
                )
        else:
            text = tr(
                "On {release} it {baseline}; {warnings}.",
                release=baseline.release,
                baseline=describe_baseline(baseline),
                warnings=count(baseline.warnings, "warning"),
            )
            if baseline.run is not None:
                text += tr(" Its log of {lines} is kept", lines=count(len(baseline.run.lines()), "line"))
                text += "".join(f"; {check.name} {tr_marked(check.verdict)}" for check in baseline.run.checks)
                frames = baseline.run.frames
                text += (
                    tr(
                        "; {frames}, the longest {longest_ms:.2f} ms.",
                        frames=count(frames.count, "frame"),
                        longest_ms=frames.longest_ms,
                    )
                    if frames
                    else "."
                )
        marks = [f"{'●' if need.holds else '◆'} {need.found}" for need in view.requirements]
        self._needs.setText("   ".join(marks))
        open_ = any(open_item.key == _BASELINE for open_item in view.items)
        self._take.setText(tr("Build and run it now") if baseline is None else tr("Build and run again"))
        wanted = self._item.key if self._item else ""
        waiting = [open_item for open_item in view.items if open_item.key != _BASELINE]
        shown = next((item for item in waiting if item.key == wanted), None)
        if not (open_ and wanted == _BASELINE):
            shown = shown or next(iter(waiting), None)
        clear_layout(self._options)
        if shown is not None and shown.options:
            text = f"◆ {shown.title}{'' if shown.title.endswith('?') else '.'} {shown.detail}"
            for option in shown.options:
                self._options.addWidget(button(self, option.title, self._taking(shown, option)))
        self._today.setText(text)
        self._effects.show_item(shown)
        for made in (self._take, self._skip):
            made.setVisible(open_ and (shown is None or not shown.options))

    def option_buttons(self) -> list[QPushButton]:
        return [*buttons_in(self._options), self._take, self._skip]

    def _taking(self, item: Item, option: Option) -> Callable[[], None]:
        return lambda: take_option(self, self.session, item, option)

    def _on_take(self) -> None:
        self.session.carry_out(TakeBaseline(), "baseline")

    def _on_skip(self) -> None:
        self.session.carry_out(Choose(_BASELINE, "without"), tr("going on without a baseline"))

    def _open_site(self, payload: object) -> None:
        if isinstance(payload, tuple):
            self.editor_wanted.emit(payload[0], payload[1])

    def _open_file(self, payload: object) -> None:
        if isinstance(payload, str):
            self.editor_wanted.emit(payload, 1)


def _site_rows(view: SurveyView) -> tuple[TableRow, ...]:
    scan = view.scan
    sites = [site for site in scan.sites if not site.member]
    rows = [
        TableRow((site.value.text, f"{site.file}:{site.line}", site.name), ((0, "mine"),), (site.file, site.line))
        for site in sites
    ]
    for member in scan.members:
        tone: Tone = "mine" if member.release == scan.release else "alarm"
        line = member.site.line if member.site else 1
        place = (member.descriptor, line)
        rows.append(
            TableRow(
                (member.release, f"{member.descriptor}:{line}", f"{member.name} {member.how}"), ((0, tone),), place
            )
        )
    return tuple(rows)


def _file_rows(view: SurveyView, role: str, place: str) -> tuple[TableRow, ...]:
    states = file_states(view.plugins)
    profile = view.scan.profile
    rows = []
    for path in view.roles.get(role, ()):  # type: ignore[call-overload]
        if under(path, place):
            what = states.get(path, tr("as released") if role == "plugin" else "")
            tones: tuple[tuple[int, Tone], ...] = ((1, "mine"),) if path in states else ()
            shown = printable(path[len(place) :].lstrip("/") or path)
            rows.append(TableRow((shown, what, role_of(profile, path).why), tones, path))
    return tuple(rows)


def _tiles(view: SurveyView, states: dict[str, str]) -> tuple[Tile, ...]:
    tiles = []
    members = {item.folder for item in view.scan.members}
    entries = view.scan.manifest.files
    for role, paths in view.roles.items():
        parts: dict[str, list[TreePath]] = {}
        in_plugins = role in ("plugin", "user content")
        for path in paths:
            pieces = path.split("/")
            member = next((folder for folder in parents(path) if folder in members), None)
            if member is not None:
                parts.setdefault(member, []).append(path)
                continue
            alone = not in_plugins and len(pieces) <= 2 and len(paths) <= _MAX_PARTS
            name = path if alone else "/".join(pieces[: 2 if in_plugins else 1])
            parts.setdefault(name, []).append(path)
        children = tuple(
            Tile(
                printable(name).rsplit("/", 1)[-1],
                sum(max(entries[path].size, 1) for path in inside),
                "base",
                _hint(name, inside, states),
                payload=(role, name),
                marked=sum(path in states for path in inside) / len(inside) if role == "plugin" else 0.0,
            )
            for name, inside in parts.items()
        )
        hint = f"{tr_marked(role)}: {count(len(paths), 'file')}, {size_words(view.sizes[role])}"
        amount = sum(child.amount for child in children)
        tone = _TONES.get(role, "plain")
        tiles.append(Tile(f"{tr_marked(role)} · {len(paths)}", amount, tone, hint, children, payload=(role, "")))
    return tuple(tiles)


def _hint(name: str, inside: Sequence[str], states: dict[str, str]) -> str:
    yours = sum(path in states for path in inside)
    return f"{printable(name)}: {count(len(inside), 'file')}" + (
        tr(", {yours} not as released", yours=yours) if yours else ""
    )


def _plugin_rows(item: PluginOrigin) -> list[Row]:
    origin, plugin = item.origin, item.plugin
    if origin is None:
        return [Row(f"{plugin.id} {plugin.version}", item.note or tr("no shelf to compare with"), heading=True)]
    said = origin.words
    if origin.mixture:
        said = tr("a mixture of {releases}", releases=and_list((origin.name, *origin.mixture)))
    rows = [Row(f"{plugin.id} {plugin.version}", right=said, heading=True)]
    if item.note:
        rows.append(Row(item.note, faded=True))
    groups = [
        ("◐", tr("edited"), origin.edited),
        ("●", tr("your own"), origin.own),
        ("–", tr("deleted here"), origin.deleted),
    ]
    groups += [("◑", tr("as in {name}", name=name), paths) for name, paths in origin.mixture.items()]
    groups += [("○", tr("left over from {name}", name=name), (path,)) for path, name in origin.leftovers.items()]
    groups += [("◌", tr("line ends or encoding"), origin.respelled)]
    for glyph, word, paths in groups:
        for path in paths:
            rows.append(Row(printable(path), "", word, glyph, "mine", payload=f"{plugin.folder}/{path}", code=True))
    return rows


def _double_rows(view: SurveyView) -> list[Row]:
    rows = []
    if view.doubles:
        rows.append(Row(tr("There twice"), right=count(len(view.doubles), "library", "libraries"), heading=True))
        rows += [
            Row(f"{item.one} · {item.other}", item.why, "", "◆", "alarm", payload=item.other) for item in view.doubles
        ]
    if view.stale:
        rows.append(Row(tr("Older than what they are made from"), right=count(len(view.stale), "file"), heading=True))
        rows += [Row(item.file, "", item.source, "○", payload=item.file, code=True) for item in view.stale]
    return rows
