"""The library's items: groups at the left, the table, the details beside it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QEvent, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.library.loudness_gain import gain_db
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.desk.kit.dragged_items import file_urls
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.theme import Palette
from nightly_spindle.desk.kit.tool_buttons import paint_tools, tool_buttons
from nightly_spindle.desk.kit.wrap_row import WrapRow
from nightly_spindle.desk.library import groups
from nightly_spindle.desk.library.add_files import AddFiles
from nightly_spindle.desk.library.bring_bar import BringBar
from nightly_spindle.desk.library.group_tools import GroupTools
from nightly_spindle.desk.library.groups import GroupLine, GroupList
from nightly_spindle.desk.library.item_panel import ItemPanel
from nightly_spindle.desk.library.item_table import ItemTable
from nightly_spindle.desk.library.library_edits import LibraryEdits
from nightly_spindle.store.library import exchange, lists, marker_files
from nightly_spindle.store.library.catalogue import Catalogue, Found, Group, Query

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.desk_ear import DeskEar
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.store.library.lists import ItemList
    from nightly_spindle.store.reports.log_boards import LogBoard

_MARKERS = "Cue markers as a CSV table (*.csv)"
_DETAIL_MS = 60  # the choice rests for so long before its details are read
_MOST_COMMON = 300  # items whose tags are compared when several are chosen

_TOOLS = (
    ("add", "plus", "To running order", "Add the items to the running order (Ctrl+Enter)"),
    ("mark", "audio-waveform", "Markers", "Set cue markers, one item after the other (Ctrl+M)"),
    ("list", "list-music", "To a list", "Put the chosen items, or all shown, into a list"),
    ("save", "save", "Export …", "Export what is shown as a CSV table, M3U or XSPF playlist"),
    ("remove", "trash-2", "Remove", "Remove the items; their files stay (Delete)"),
    ("undo", "undo-2", "", "Undo the last edit (Ctrl+Z)"),
    ("redo", "redo-2", "", "Redo what was undone (Ctrl+Shift+Z)"),
)


class ItemsPage(QWidget):
    """Looking through the library and editing it.

    Signals: `said` (str); `bring_asked` (paths, options); `add_asked` (carts) for the running
    order; `list_made` (list id); `mark_asked` (carts, the first to mark).
    """

    said = Signal(str)
    bring_asked = Signal(list, object)
    add_asked = Signal(list)
    list_made = Signal(int)
    mark_asked = Signal(list, int)

    def __init__(
        self,
        shelf: LibraryWorker,
        reading: BoardReading[LogBoard],
        edits: LibraryEdits,
        ear: DeskEar,
        palette: Palette,
        settings: StationSettings,
    ) -> None:
        super().__init__()
        self._shelf, self.edits, self._ear = shelf, edits, ear
        self._reading = reading
        self._palette = palette
        self._tz = tz = settings.tz
        self._settings = settings
        self._query = Query()
        self._found: Found | None = None
        self._open = False
        self.known: tuple[str, ...] = ()
        self.field = Field()
        self.field.setPlaceholderText("Filter: artist, title, album, category, kind, cart number")
        self.field.setAccessibleName("Filter the items")
        self.field.setClearButtonEnabled(True)
        self.field.installEventFilter(self)
        self.count = QLabel("")
        self.count.setProperty("role", "muted")
        self.groups = GroupList(palette, "Groups")
        self.artists = GroupList(palette, "Artists")
        self.albums = GroupList(palette, "Albums")
        self.group_tools = GroupTools(edits, self.groups, palette)
        self.bar, self.adding = BringBar(), AddFiles()
        self.table = ItemTable(shelf, palette, tz)
        self.panel = ItemPanel(palette, tz)
        self._detail = QTimer(self)
        self._detail.setSingleShot(True)
        self._detail.setInterval(_DETAIL_MS)
        self.setAcceptDrops(True)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        left = QWidget()
        beside = QVBoxLayout(left)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(4)
        self.by_group = _switch("Groups", "Narrow by kind, category or list")
        self.by_artist = _switch("Artists", "Browse by artist and album")
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.by_group)
        row.addWidget(self.by_artist)
        row.addStretch(1)
        beside.addLayout(row)
        self.browse = QSplitter(Qt.Orientation.Vertical)
        self.browse.addWidget(self.artists)
        self.browse.addWidget(self.albums)
        self.browse.setSizes([300, 160])
        self.ways = QStackedWidget()
        self.ways.addWidget(self.groups)
        self.ways.addWidget(self.browse)
        beside.addWidget(self.ways, 1)
        beside.addWidget(self.group_tools)
        middle = QWidget()
        box = QVBoxLayout(middle)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(self.field, 1)
        top.addWidget(self.count)
        top.addWidget(self.adding)
        box.addLayout(top)
        box.addWidget(self.bar)
        box.addWidget(self.table, 1)
        box.addLayout(self._tool_row())
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setChildrenCollapsible(False)
        split.addWidget(left)
        split.addWidget(middle)
        split.setStretchFactor(1, 1)
        split.setSizes([190, 700])
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 0, 0, 6)
        whole.setSpacing(10)
        whole.addWidget(split, 1)
        whole.addWidget(self.panel)

    def _tool_row(self) -> WrapRow:
        row = WrapRow()
        self.tools = tool_buttons(_TOOLS, self._palette)
        for name, button in self.tools.items():
            if name == "undo":
                row.at_right()
            row.addWidget(button)
        return row

    def _connect(self) -> None:
        self.field.textChanged.connect(lambda text: self._ask(words=text))
        self.by_group.clicked.connect(lambda: self._browse(by_artist=False))
        self.by_artist.clicked.connect(lambda: self._browse(by_artist=True))
        self.groups.picked.connect(self._on_group)
        self.groups.dropped.connect(self._on_dropped)
        self.groups.rename_asked.connect(self.edits.ask_rename)
        self.groups.remove_asked.connect(self.edits.ask_remove_group)
        self.groups.weight_asked.connect(self.edits.weigh)
        self.artists.picked.connect(self._on_artist)
        self.albums.picked.connect(self._on_album)
        self.table.choice.connect(self._detail.start)
        self.table.sort_asked.connect(lambda name, down: self._ask(sort=name, descending=down))
        self.table.heard.connect(lambda _: self.listen())
        self.table.removed.connect(self.edits.ask_remove)
        self.table.add_asked.connect(lambda: self.add_asked.emit(self.table.carts()))
        self._detail.timeout.connect(self._read_detail)
        self.bar.asked.connect(self.bring_asked)
        self.adding.chosen.connect(self.offer)
        panel = self.panel
        panel.edited.connect(lambda n, value: self.edits.set_value(self.table.carts(), n, value))
        panel.category_asked.connect(self._on_category)
        panel.play_asked.connect(self.listen)
        panel.stop_asked.connect(self._ear.stop)
        self._ear.at.connect(self._on_ear)
        self._ear.ended.connect(lambda: panel.show_playing(None, playing=False))
        tools = self.tools
        tools["add"].clicked.connect(lambda: self.add_asked.emit(self.table.carts()))
        tools["mark"].clicked.connect(self.mark)
        tools["list"].clicked.connect(self._offer_lists)
        tools["save"].clicked.connect(self._ask_file)
        tools["remove"].clicked.connect(lambda: self.edits.ask_remove(self.table.carts()))
        self.edits.wire(tools["undo"], tools["redo"])
        self._browse(by_artist=False)
        panel.show_playing(None, playing=False)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = palette
        self.table.set_palette(palette)
        for one in (self.groups, self.artists, self.albums):
            one.painter_.palette_ = palette
        self.group_tools.set_palette(palette)
        self.panel.set_palette(palette)
        paint_tools(self.tools, _TOOLS, palette)
        self.update()

    # -- finding -------------------------------------------------------------------------------

    def open(self) -> None:
        """Show the first rows at once, then all there is."""
        self._open = True
        self._shelf.look(lambda catalogue: catalogue.first_rows(), self._show_first, "first")
        self.refresh()

    def refresh(self) -> None:
        """Ask the same again: the library has changed."""
        self._ask()
        self._shelf.look(_all_lists, self._show_lists, "lists")
        if self.ways.currentWidget() is self.browse:
            self._read_artists()
        self._detail.start()

    def _show_first(self, rows: list[Any]) -> None:
        if self._found is None:
            self.table.items.show_rows(rows)

    def _ask(self, **narrowed: Any) -> None:
        self._query = replace(self._query, **narrowed)
        query = self._query
        self._shelf.look(lambda catalogue: catalogue.find(query), self._show, "find")

    def _show(self, found: Found) -> None:
        self._found = found
        self.table.show_found(found)
        shown = f"{len(found.carts):,}"
        of = "" if len(found.carts) == found.all_items else f" of {found.all_items:,}"
        self.count.setText(f"{shown}{of} items · {length(found.total_s)}")
        self.known = tuple(group.name for group in found.categories)
        self.panel.offer_categories(self.known)
        self._show_groups()

    def _show_lists(self, found: list[ItemList]) -> None:
        self._lists = found
        self._show_groups()

    _lists: list[ItemList] = []  # noqa: RUF012 - replaced, never changed

    def _show_groups(self) -> None:
        found = self._found
        if found is None:
            return
        entries = [
            GroupLine(groups.ALL, "Everything", found.all_items),
            GroupLine(groups.HEAD, "KINDS"),
        ]
        entries += [GroupLine(groups.KIND, g.name, g.count) for g in found.kinds]
        entries.append(GroupLine(groups.HEAD, "CATEGORIES"))
        entries += [
            GroupLine(groups.CATEGORY, g.name, g.count, g.id, g.weight) for g in found.categories
        ]
        entries.append(GroupLine(groups.LOOSE, "in no category", found.loose))
        if self._lists:
            entries.append(GroupLine(groups.HEAD, "LISTS"))
            entries += [GroupLine(groups.LIST, one.name, one.count, one.id) for one in self._lists]
        self.groups.show_entries(entries)

    def _on_group(self, entry: GroupLine) -> None:
        self._ask(
            kinds=(entry.text,) if entry.sort == groups.KIND else (),
            category={groups.CATEGORY: entry.id, groups.LOOSE: 0}.get(entry.sort),
            list_id=entry.id if entry.sort == groups.LIST else None,
            artist=None,
            album=None,
        )

    def _browse(self, *, by_artist: bool) -> None:
        self.by_artist.setChecked(by_artist)
        self.by_group.setChecked(not by_artist)
        self.ways.setCurrentWidget(self.browse if by_artist else self.groups)
        if not self._open:
            return  # nothing is read before the place is looked at
        if by_artist:
            self._read_artists()
        else:
            self._ask(artist=None, album=None)

    def _read_artists(self) -> None:
        self._shelf.look(lambda catalogue: catalogue.artists(), self._show_artists, "artists")

    def _show_artists(self, found: list[Group]) -> None:
        self.artists.show_entries([GroupLine(groups.ARTIST, g.name, g.count, g.id) for g in found])

    def _on_artist(self, entry: GroupLine) -> None:
        self._ask(artist=entry.text, album=None, kinds=(), category=None, list_id=None)
        self._shelf.look(
            lambda catalogue: catalogue.albums(entry.text), self._show_albums, "albums"
        )

    def _show_albums(self, found: list[Group]) -> None:
        total = sum(group.count for group in found)
        entries = [GroupLine(groups.ALL, "All albums", total)]
        entries += [
            GroupLine(groups.ALBUM, g.name or "(no album)", g.count, int(bool(g.name)))
            for g in found
        ]
        self.albums.show_entries(entries)

    def _on_album(self, entry: GroupLine) -> None:
        if entry.sort == groups.ALL:
            self._ask(album=None)
        else:
            self._ask(album=entry.text if entry.id else "")

    # -- details -------------------------------------------------------------------------------

    def _read_detail(self) -> None:
        carts = self.table.carts()
        if len(carts) == 1:
            cart = carts[0]
            self._shelf.look(lambda c: c.detail(cart), self._show_detail, "detail")
        elif carts:
            first = carts[:_MOST_COMMON]
            self._shelf.look(
                lambda c: c.rows(first),
                lambda rows: self.panel.show_several(rows, len(carts)),
                "detail",
            )
        else:
            self.panel.show_none(len(self.table.items.carts))
        for name in ("add", "mark", "remove"):
            self.tools[name].setEnabled(bool(carts))

    def _show_detail(self, detail: Any) -> None:
        if detail is None:
            self.panel.show_none(len(self.table.items.carts))
            return
        cart = detail.row.cart
        self.panel.show_item(detail, None)

        def then(uses: Any) -> None:
            shown = self.panel.detail
            if shown is not None and shown is detail:
                self.panel.show_item(shown, uses)

        # in a thread of its own, so that no filter waits for it
        self._reading.look(lambda board, _now: board.uses([cart]), then, "uses")

    def listen(self, from_s: float | None = None) -> None:
        """Play the chosen item for oneself, or stop."""
        detail = self.panel.detail
        if self._ear.playing and from_s is None:
            self._ear.stop()
        elif detail is not None:
            begin = cues_of(detail.item).cue_in_s if from_s is None else from_s
            self._ear.play(detail.item.path, begin, self._gain_db(detail.item))
            self.panel.show_playing(begin, playing=True)

    def go_by(self, settings: StationSettings) -> None:
        """Play by the settings as they are now."""
        self._settings = settings

    def _gain_db(self, item: Item) -> float:
        return gain_db(item, self._settings.levels, self._settings.kind_levels)

    def _on_ear(self, path: str, at_s: float) -> None:
        detail = self.panel.detail
        if detail is not None and detail.item.path == path:
            self.panel.show_playing(at_s, playing=True)

    def mark(self) -> None:
        """Mark the chosen items; when one alone is chosen, those shown after it come next."""
        carts = self.table.carts()
        if len(carts) == 1:
            shown = self.table.items.carts.tolist()
            self.mark_asked.emit(shown, carts[0])
        else:
            self.mark_asked.emit(carts, carts[0] if carts else 0)

    # -- edits ---------------------------------------------------------------------------------

    def _on_category(self, name: str, into: bool) -> None:
        carts = self.table.carts()
        if into:
            self.edits.put_into(carts, name)
        else:
            self.edits.take_out(carts, name)

    def _on_dropped(self, entry: GroupLine, carts: list[int]) -> None:
        if entry.sort == groups.CATEGORY:
            self.edits.put_into(carts, entry.text)
        else:
            self.edits.append_to_list(entry.id, entry.text, carts)

    def _meant(self) -> list[int]:
        """Return the chosen items, or all that are shown: a whole artist, a whole album."""
        return self.table.carts() or self.table.items.carts.tolist()

    def _offer_lists(self) -> None:
        carts = self._meant()
        menu = QMenu(self)
        new = menu.addAction(f"New list of {len(carts):,} items …")
        new.triggered.connect(lambda: self.edits.ask_new_list(carts, self.list_made.emit))
        menu.addSeparator()
        for one in self._lists:
            act = menu.addAction(one.name)
            act.triggered.connect(
                lambda _=False, one=one: self.edits.append_to_list(one.id, one.name, carts)
            )
        button = self.tools["list"]
        self.menu = menu
        menu.popup(button.mapToGlobal(button.rect().topLeft()))

    def _ask_file(self) -> None:
        kinds = "CSV table (*.csv);;M3U playlist (*.m3u);;XSPF playlist (*.xspf);;" + _MARKERS
        name, kind = QFileDialog.getSaveFileName(self, "Save what is shown", "library.csv", kinds)
        if name:
            self.save_to(Path(name), markers=kind == _MARKERS)

    def save_to(self, path: Path, *, markers: bool = False) -> None:
        """Write the items that are shown to a file whose suffix says how, or their markers."""
        carts, tz = self.table.items.carts.tolist(), self._tz

        def look(catalogue: Catalogue) -> Any:
            if markers:
                items = catalogue.items(carts)
                there = [items[cart] for cart in carts if cart in items]
                marker_files.write_table(path, there, catalogue.rules()[1].station)
            else:
                exchange.write(path, catalogue, carts, tz, path.stem)

        self._shelf.look(
            look, lambda _: self.said.emit(f"{len(carts):,} items are saved as {path}.")
        )

    # -- dragging files in -----------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take files from the file manager."""
        if file_urls(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Ask how the files are to be brought in."""
        paths = file_urls(event.mimeData())
        if paths:
            event.acceptProposedAction()
            self.offer(paths)

    def offer(self, paths: list[str]) -> None:
        """Ask how files and folders are to be brought in; the chosen group is proposed."""
        tables = [path for path in paths if path.lower().endswith(".csv")]
        if tables:
            self.edits.ask_table(Path(tables[0]))
            return
        entry = self.groups.entry()
        kind = entry.text if entry is not None and entry.sort == groups.KIND else ""
        category = entry.text if entry is not None and entry.sort == groups.CATEGORY else ""
        self.bar.open([p for p in paths if Path(p).exists()], kind, category, self.known)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Down and Enter go from the filter into the table, Esc clears it."""
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.KeyPress:
            if event.key() in {Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Enter}:
                self.table.setFocus()
                if not self.table.carts() and self.table.items.rowCount():
                    self.table.selectRow(0)
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.field.clear()
                return True
        return super().eventFilter(watched, event)


def _switch(text: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.setToolTip(tip)
    button.setCheckable(True)
    button.setProperty("role", "switch")
    return button


def _all_lists(catalogue: Catalogue) -> list[ItemList]:
    return lists.item_lists(catalogue.folder)
