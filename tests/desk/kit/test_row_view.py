"""The view of all tables: painting, sorting, filtering, copying, keys, what is remembered."""

import csv
import io
import json
import random
from dataclasses import dataclass

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, QSettings, Qt
from PySide6.QtGui import QAccessible, QColor, QContextMenuEvent, QDropEvent, QGuiApplication
from PySide6.QtWidgets import QApplication, QMenu, QWidget

from nightly_spindle.desk.kit.column_memory import ColumnMemory
from nightly_spindle.desk.kit.dragged_items import MIME
from nightly_spindle.desk.kit.line_view import LineView
from nightly_spindle.desk.kit.row_view import ROW_PX, RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.desk.kit.theme import DARK, LIGHT

LEFT, KEY = Qt.MouseButton.LeftButton, Qt.Key
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@dataclass(frozen=True)
class Buoy:
    number: int
    name: str
    metres: float


def layout(**more):
    columns = (
        Column("Name", 120, lambda b: b.name, wide=True, sign=lambda _: "song"),
        Column(
            "Depth",
            80,
            lambda b: f"{b.metres:g} m",
            right=True,
            sort=lambda b: b.metres,
            ink=lambda b: "alarm" if b.metres > 90 else "text",
        ),
        Column("Number", 60, lambda b: str(b.number), head="", right=True, sort=lambda b: b.number),
    )
    return TableLayout("Buoys", columns, **{"key": lambda b: b.number, **more})


BUOYS = [Buoy(1, "Gull", 9), Buoy(2, "Auk", 100), Buoy(3, "Teal, small", 20)]


@pytest.fixture
def view(qtbot):
    made = RowView(layout(), DARK)
    qtbot.addWidget(made)
    made.resize(400, 200)
    made.show()
    qtbot.waitExposed(made)
    made.show_rows(BUOYS)
    return made


def seen(view):
    return [view.cells.key(at) for at in range(view.cells.rowCount())]


def click_head(qtbot, view, name):
    header = view.horizontalHeader()
    x = header.sectionViewportPosition(view.layout_.at(name)) + 12
    qtbot.mouseClick(header.viewport(), LEFT, pos=QPoint(x, header.height() // 2))


def click_row(qtbot, view, at, modifiers=Qt.KeyboardModifier.NoModifier):
    qtbot.mouseClick(view.viewport(), LEFT, modifiers, QPoint(40, at * ROW_PX + 8))


def test_a_head_sorts_up_then_down_then_not_at_all_and_the_choice_stays(qtbot, view):
    click_row(qtbot, view, 1)
    assert view.chosen() == [2]
    for order in ([1, 3, 2], [2, 3, 1], [1, 2, 3]):  # by depth, which no text would sort so
        click_head(qtbot, view, "Depth")
        assert seen(view) == order
        assert (view.chosen(), view.current().name) == ([2], "Auk")
    click_head(qtbot, view, "Name")
    assert seen(view) == [2, 1, 3]
    view.let_through(lambda buoy: buoy.metres < 50)
    assert (seen(view), view.chosen(), view.current()) == ([1, 3], [], None)
    view.let_through(None)
    view.show_rows([*BUOYS, Buoy(4, "Coot", 3)])
    assert seen(view) == [2, 4, 1, 3]


def test_keys_and_signals_carry_what_rows_are_called(qtbot, view):
    told = []
    for name in ("picked", "opened", "removed", "heard"):
        getattr(view, name).connect(lambda key, name=name: told.append((name, key)))
    view.shifted.connect(lambda key, by: told.append(("shifted", key, by)))
    view.sort_by("Name")  # Auk, Gull, Teal
    view.setFocus()
    click_row(qtbot, view, 0)
    qtbot.keyClick(view, KEY.Key_Down)
    qtbot.keyClick(view, KEY.Key_Return)
    qtbot.keyClick(view, KEY.Key_Space)
    qtbot.keyClick(view, KEY.Key_Up, CTRL)
    qtbot.keyClick(view, KEY.Key_Down, SHIFT)
    qtbot.keyClick(view, KEY.Key_Delete)
    assert told == [
        ("picked", 2),
        ("picked", 1),
        ("opened", 1),
        ("heard", 1),
        ("shifted", 1, -1),
        ("picked", 3),
        ("removed", [1, 3]),
    ]
    told.clear()
    view.choose(2)
    view.show_rows(BUOYS[::-1])
    assert (told, view.chosen()) == ([], [2])  # whoever chooses for the hand says nothing


def test_what_is_chosen_is_copied_as_it_stands_as_text_and_as_csv(qtbot, view):
    view.show_rows([*BUOYS, Buoy(4, 'The "Coot"\nof old', 3)])
    view.horizontalHeader().moveSection(1, 0)
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_A, CTRL)
    qtbot.keyClick(view, KEY.Key_C, CTRL)
    assert QGuiApplication.clipboard().text().splitlines()[:2] == ["9 m\tGull\t1", "100 m\tAuk\t2"]
    qtbot.keyClick(view, KEY.Key_C, CTRL | SHIFT)
    data = QGuiApplication.clipboard().mimeData()
    assert bytes(data.data("text/csv").data()).decode() == data.text()
    rows = list(csv.reader(io.StringIO(data.text(), newline="")))
    assert rows[0] == ["Depth", "Name", "Number"]  # named even where nothing stands above
    assert rows[4] == ["3 m", 'The "Coot"\nof old', "4"]
    view.setColumnHidden(0, True)
    view.copy()
    assert QGuiApplication.clipboard().text().splitlines()[0] == "9 m\t1"


def colors(view, at, x):
    picture = view.viewport().grab().toImage()
    return {
        picture.pixelColor(x + dx, at * ROW_PX + dy).name()
        for dx in range(50)
        for dy in range(2, ROW_PX - 2)
    }


def test_rows_are_painted_whole_in_the_colours_of_the_look(qtbot, view):
    depth = view.columnViewportPosition(1) + 25
    assert QColor(DARK.alarm).name() in colors(view, 1, depth)
    assert QColor(DARK.alarm).name() not in colors(view, 0, depth)
    click_row(qtbot, view, 1)
    assert QColor(DARK.select).name() in colors(view, 1, 60)
    assert colors(view, 5, 60) == {QColor(DARK.ground).name()}  # below the last row
    view.set_palette(LIGHT)
    assert QColor(LIGHT.select).name() in colors(view, 1, 60)
    view.show_rows([])
    assert colors(view, 0, 60) == {QColor(LIGHT.ground).name()}


def test_a_heading_has_the_room_of_the_empty_cells_after_it(qtbot):
    long = "A heading that needs far more room than one column has"
    columns = (
        Column("When", 60, lambda row: row[0]),
        Column("What", 60, lambda row: row[1]),
        Column("Where", 260, lambda row: row[2], wide=True),
    )
    made = RowView(TableLayout("Heads", columns, heading=lambda row: row[3]), DARK)
    qtbot.addWidget(made)
    made.resize(400, 200)
    made.show()
    made.show_rows([("1", long, "", True), ("2", long, "", False)])
    assert QColor(DARK.text).name() in colors(made, 0, 200)
    assert colors(made, 1, 200) == {QColor(DARK.ground).name()}  # a line is cut at its column


def test_order_widths_and_sorting_are_remembered_and_what_is_broken_is_not(qtbot, tmp_path):
    memory = QSettings(str(tmp_path / "desk.ini"), QSettings.Format.IniFormat)

    places = []

    def opened():
        place = QWidget()
        places.append(place)
        table = RowView(layout(), DARK)
        table.setParent(place)
        table.resize(400, 200)
        table.show_rows(BUOYS)
        qtbot.addWidget(place)
        place.columns = ColumnMemory(memory)
        place.show()
        return table

    first = opened()
    as_at_first = first.columns_laid()
    first.horizontalHeader().moveSection(2, 0)
    click_head(qtbot, first, "Depth")
    header = first.horizontalHeader()
    edge = header.sectionViewportPosition(2) + first.columnWidth(2) - 1
    middle = header.height() // 2
    qtbot.mousePress(header.viewport(), LEFT, pos=QPoint(edge, middle))
    qtbot.mouseMove(header.viewport(), QPoint(edge + 30, middle))
    qtbot.mouseRelease(header.viewport(), LEFT, pos=QPoint(edge + 30, middle))
    laid = first.columns_laid()
    assert laid["order"] == ["Number", "Name", "Depth"]
    assert laid["sort"] == ["Depth", False]
    second = opened()
    assert second.columns_laid() == laid
    assert seen(second) == [1, 3, 2]
    second._head_menu().actions()[0].trigger()
    assert (second.columns_laid(), seen(second)) == (as_at_first, [1, 2, 3])
    half = {"order": [1, "Gone"], "widths": {"Depth": "x"}, "sort": []}
    gone = {"order": ["Gone", "Depth"], "widths": {"Gone": 5}, "sort": ["Gone", True]}
    for broken in ("{", "[]", "{}", json.dumps(half), json.dumps(gone)):
        memory.setValue("columns/Buoys", broken)
        third = opened()
        assert sorted(third.columns_laid()["order"]) == ["Depth", "Name", "Number"]
        assert seen(third) == [1, 2, 3]


def test_through_any_changes_the_choice_is_of_the_same_rows(qtbot):
    seed = random.randrange(10**6)
    print("seed", seed)
    dice = random.Random(seed)
    made = RowView(layout(), DARK)
    qtbot.addWidget(made)
    made.resize(300, 150)
    made.show()
    everything = [Buoy(n, f"B{dice.randrange(20)}", dice.randrange(50)) for n in range(60)]
    for _ in range(120):
        act = dice.randrange(4)
        kept = set(made.chosen())
        if act == 0:
            made.show_rows(dice.sample(everything, dice.randrange(len(everything) + 1)))
        elif act == 1:
            made.sort_by(
                dice.choice(["Name", "Depth", "Number", ""]), descending=dice.random() < 0.5
            )
        elif act == 2:
            most = dice.randrange(60)
            made.let_through(dice.choice([None, lambda b, most=most: b.metres < most]))
        elif made.cells.rowCount():
            model = made.selectionModel()
            at = made.cells.index(dice.randrange(made.cells.rowCount()), 0)
            model.setCurrentIndex(at, model.SelectionFlag.NoUpdate)
            model.select(at, model.SelectionFlag.Toggle | model.SelectionFlag.Rows)
            continue
        assert set(made.chosen()) == kept & set(seen(made))
        assert len(set(seen(made))) == made.cells.rowCount()
        by, down = made.sorted_by
        if by:
            keys = [
                made.layout_.columns[made.layout_.at(by)].sorted_by(made.cells.row(at))
                for at in range(made.cells.rowCount())
            ]
            assert keys == sorted(keys, reverse=down)
        made.grab()


def test_lines_go_between_rows_and_items_are_put_in(qtbot):
    made = LineView(
        layout(sortable=False),
        DARK,
        "application/x-test-buoys",
        movable=lambda b: b.number != 2,
        told=lambda b: b.name,
        cart=lambda b: b.number + 1000,
    )
    qtbot.addWidget(made)
    made.resize(300, 200)
    made.show()
    made.show_rows(BUOYS)
    told = []
    made.lines_dropped.connect(lambda keys, before: told.append((keys, before)))
    made.items_dropped.connect(lambda carts, before: told.append((carts, before)))

    def drop(data, y):
        made.dropEvent(
            QDropEvent(
                QPointF(30, y), Qt.DropAction.MoveAction, data, LEFT, Qt.KeyboardModifier.NoModifier
            )
        )

    cells = made.cells
    lines = cells.mimeData([cells.index(0, 0), cells.index(0, 1), cells.index(2, 0)])
    assert (lines.text(), bytes(lines.data(MIME).data())) == ("Gull\nTeal, small", b"1001,1003")
    items = QMimeData()
    items.setData(MIME, b"7,8")
    strange = QMimeData()
    strange.setText("nothing of ours")
    for data, y in ((lines, ROW_PX + 2), (lines, ROW_PX + 18), (items, 190), (strange, 4)):
        drop(data, y)
    assert told == [([1, 3], 2), ([1, 3], 3), ([7, 8], None)]
    drags = [bool(cells.flags(cells.index(at, 0)) & Qt.ItemFlag.ItemIsDragEnabled) for at in (0, 1)]
    assert drags == [True, False]
    click_head(qtbot, made, "Depth")
    assert seen(made) == [1, 2, 3]  # rows with an order of their own are not sorted


def test_a_screen_reader_is_told_names_heads_and_cells(view):
    table = QAccessible.queryAccessibleInterface(view)
    assert table.text(QAccessible.Text.Name) == "Buoys"
    told = [table.child(at).text(QAccessible.Text.Name) for at in range(table.childCount())]
    columns = view.layout_.columns
    cells = [f"{column.name}: {column.text(buoy)}" for buoy in BUOYS for column in columns]
    assert [name for name in told if ":" in name] == cells
    assert {"Name", "Depth", "Number"} < set(told)  # said even where nothing stands above


def test_the_menu_of_a_table_copies_its_rows(qtbot, view):
    view.selectAll()
    where = QPoint(40, 10)
    QApplication.sendEvent(
        view.viewport(),
        QContextMenuEvent(
            QContextMenuEvent.Reason.Mouse, where, view.viewport().mapToGlobal(where)
        ),
    )
    (menu,) = [one for one in view.findChildren(QMenu) if one.isVisible()]
    acts = {act.text(): act for act in menu.actions()}
    assert list(acts) == ["Copy rows as text", "Copy rows as CSV", "Choose all rows"]
    acts["Copy rows as CSV"].trigger()
    assert QGuiApplication.clipboard().text().startswith("Name,Depth,Number")
    acts["Copy rows as text"].trigger()
    assert QGuiApplication.clipboard().text().startswith("Gull\t9 m\t1")
    menu.close()
