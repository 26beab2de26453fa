"""Colours, type, icons and the style sheet, dark and light."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, QSettings, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QIcon, QPainter, QPixmap
from PySide6.QtSvg import QSvgRenderer

_ASSETS = Path(__file__).parents[1] / "assets"
FAMILY = "B612"

# One scale of type sizes, in pixels
SMALL, TEXT, LARGE, TITLE, HUGE = 11, 13, 16, 24, 58


@dataclass(frozen=True, slots=True)
class Palette:
    """The colours of one look. `air` is for what is on air and for nothing else."""

    ground: str
    panel: str
    raised: str
    line: str
    text: str
    muted: str
    air: str
    on_air_text: str
    alarm: str
    alarm_ground: str
    select: str
    dark: bool


DARK = Palette(
    "#141922",
    "#1a202b",
    "#232c3a",
    "#344154",
    "#e9eef5",
    "#9fabbb",
    "#ffcf8f",
    "#241a0c",
    "#ff8552",
    "#3a2119",
    "#2a3a52",
    dark=True,
)
LIGHT = Palette(
    "#f3f5f8",
    "#ffffff",
    "#e6ebf1",
    "#bcc7d4",
    "#15202e",
    "#4d5b6c",
    "#9a4b00",
    "#ffffff",
    "#b13c00",
    "#fde6dc",
    "#d3e2f5",
    dark=False,
)

_COPY = "#56B4E9"  # the edge of what is a copy, for trying things

# Okabe and Ito's set; vermilion is kept for alarms.
_KINDS = {
    "song": "#0072B2",
    "id": "#56B4E9",
    "jingle": "#56B4E9",
    "sweeper": "#CC79A7",
    "voiceover": "#CC79A7",
    "spot": "#E69F00",
    "psa": "#E69F00",
    "promo": "#F0E442",
    "voice-track": "#009E73",
    "programme": "#009E73",
    "news": "#009E73",
    "bed": "#999999",
    "filler": "#999999",
    "stream": "#009E73",
}


@lru_cache(maxsize=32)
def kind_color(kind: str) -> QColor:
    """Return the colour of a kind of item."""
    return QColor(_KINDS.get(kind, "#999999"))


@lru_cache(maxsize=32)
def ink_on(kind: str) -> QColor:
    """Return the text colour that reads on a kind's colour."""
    return QColor("#ffffff" if kind == "song" else "#10151c")


def load_fonts() -> None:
    """Load the shipped fonts; offscreen and bare machines have no others."""
    for file in sorted((_ASSETS / "fonts").glob("*.otf")):
        QFontDatabase.addApplicationFont(str(file))


def font(size: int = TEXT, *, bold: bool = False) -> QFont:
    """Return the desk's font at one of the scale's sizes (pixels)."""
    made = QFont(FAMILY)
    made.setPixelSize(size)
    made.setBold(bold)
    return made


@lru_cache(maxsize=128)
def icon(name: str, color: str, size: int = 18) -> QIcon:
    """Return one of the shipped icons in a colour."""
    svg = (_ASSETS / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    renderer = QSvgRenderer(QByteArray(svg.replace("currentColor", color).encode()))
    made = QIcon()
    for scale in (1, 2):
        pixmap = QPixmap(QSize(size, size) * scale)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        renderer.render(painter, QRectF(0, 0, size * scale, size * scale))
        painter.end()
        made.addPixmap(pixmap)
    return made


def application_icon() -> QIcon:
    """Return the program's own icon."""
    return QIcon(str(_ASSETS / "icons" / "application.svg"))


def system_is_dark() -> bool:
    """Whether the system asks for a dark look; dark where it says nothing."""
    return QGuiApplication.styleHints().colorScheme() is not Qt.ColorScheme.Light


def remembered(memory: QSettings) -> Palette:
    """Return the look that was chosen last, else the system's."""
    named = memory.value("look", "system")
    dark = system_is_dark() if named == "system" else named == "dark"
    return DARK if dark else LIGHT


def sheet(p: Palette) -> str:
    """Return the style sheet of a palette."""
    return f"""
* {{ font-family: "{FAMILY}"; font-size: {TEXT}px; color: {p.text}; outline: none; }}
QWidget#window, QWidget#place {{ background: {p.ground}; }}
QWidget#window[copy="true"] {{ border: 4px solid {_COPY}; }}
QWidget#rail, QWidget#status, QWidget#details {{ background: {p.panel}; }}
QWidget#status {{ border-bottom: 1px solid {p.line}; }}
QWidget#details {{ border-left: 1px solid {p.line}; }}
QLabel {{ background: transparent; }}
QLabel[role="worst"] {{ font-size: {LARGE}px; font-weight: bold; color: {p.alarm}; }}
QLabel[role="warn"] {{ color: {p.alarm}; }}
QLabel[role="sentence"] {{ background: {p.raised}; border-radius: 4px; padding: 8px 10px; }}
QLabel[role="muted"] {{ color: {p.muted}; }}
QLabel[role="caption"] {{ color: {p.muted}; font-size: {SMALL}px; font-weight: bold; }}
QLabel[role="figure"] {{ font-size: 22px; font-weight: bold; }}
QLabel[role="strong"] {{ font-weight: bold; }}
QLabel[role="title"] {{ font-size: {TITLE}px; font-weight: bold; }}
QLabel[role="verdict"] {{ font-size: 30px; font-weight: bold; }}
QLabel[role="verdict"]:disabled, QLabel[role="verdict-bad"]:disabled {{ color: {p.muted}; }}
QLabel[role="verdict-bad"] {{ font-size: 30px; font-weight: bold; color: {p.alarm}; }}
QLabel[role="name"] {{ font-size: {LARGE}px; font-weight: bold; }}
QLabel[role="key"] {{ background: {p.raised}; border: 1px solid {p.line}; border-radius: 3px;
    font-size: {SMALL}px; font-weight: bold; }}
QLabel[chosen="true"] {{ font-weight: bold; text-decoration: underline; }}
QToolButton:checked {{ background: {p.select}; border-color: {p.text}; }}
QLabel[role="countdown"] {{ font-size: {HUGE}px; font-weight: bold; color: {p.air}; }}
QLabel[role="air"] {{ background: {p.air}; color: {p.on_air_text}; font-weight: bold;
    border-radius: 4px; padding: 4px 12px; }}
QLabel[role="simulated"] {{ background: transparent; color: {p.text}; font-weight: bold;
    border: 2px dashed {p.air}; border-radius: 4px; padding: 3px 10px; }}
QLabel[role="off"] {{ background: {p.alarm_ground}; color: {p.alarm}; font-weight: bold;
    border: 1px solid {p.alarm}; border-radius: 4px; padding: 3px 11px; }}
QPushButton, QToolButton {{ background: {p.raised}; border: 1px solid {p.line};
    border-radius: 4px; padding: 4px 10px; min-height: 18px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {p.muted}; }}
QPushButton:focus, QToolButton:focus, QTableView:focus, QLineEdit:focus, QListWidget:focus
    {{ border: 1px solid {p.text}; }}
QLineEdit:disabled, QComboBox:disabled {{ color: {p.muted}; background: {p.panel}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {p.muted}; border-color: {p.raised}; }}
QPushButton[role="finding"] {{ background: {p.alarm_ground}; border-color: {p.alarm};
    color: {p.alarm}; font-weight: bold; text-align: left; }}
QPushButton[role="calm"] {{ background: transparent; color: {p.muted}; text-align: left; }}
QToolButton[role="place"] {{ background: transparent; border: none; border-radius: 0;
    border-left: 3px solid transparent; padding: 9px 2px; }}
QToolButton[role="place"]:checked {{ background: {p.raised}; border-left: 3px solid {p.text}; }}
QToolButton[role="place"]:focus {{ border-left: 3px solid {p.muted}; }}
QToolButton[role="mini"] {{ background: transparent; border: 1px solid transparent;
    padding: 3px 4px; min-height: 16px; }}
QToolButton[role="mini"]:hover {{ border-color: {p.line}; }}
QToolButton[role="tab"], QToolButton[role="switch"] {{ background: transparent; border: none;
    border-bottom: 2px solid transparent; border-radius: 0; padding: 4px 10px; color: {p.muted}; }}
QToolButton[role="tab"]:checked, QToolButton[role="switch"]:checked {{ color: {p.text};
    border-bottom: 2px solid {p.text}; }}
QToolButton[role="tab"]:focus, QToolButton[role="switch"]:focus {{ color: {p.text}; }}
QPushButton[role="step"] {{ background: transparent; border: none; border-radius: 4px;
    border-left: 3px solid transparent; padding: 6px 8px; text-align: left; }}
QPushButton[role="step"]:checked {{ background: {p.raised}; border-left: 3px solid {p.text}; }}
QPushButton[role="step"]:disabled {{ color: {p.muted}; }}
QPushButton[role="primary"] {{ background: {p.select}; border-color: {p.muted};
    font-weight: bold; padding: 5px 18px; }}
QPushButton[role="primary"]:disabled {{ background: {p.raised}; border-color: {p.raised}; }}
QPushButton[role="way"] {{ font-size: {LARGE}px; padding: 9px 14px; text-align: left; }}
QToolButton[role="day"] {{ padding: 3px 0; min-width: 30px; }}
QListView[role="groups"] {{ background: {p.ground}; border: 1px solid transparent; }}
QListView:focus {{ border: 1px solid {p.muted}; }}
QFrame#card {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 6px; }}
QWidget#bar {{ background: {p.raised}; border-radius: 4px; }}
QComboBox, QSpinBox {{ background: {p.ground}; border: 1px solid {p.line}; border-radius: 4px;
    padding: 2px 6px; min-height: 20px; }}
QComboBox QLineEdit, QSpinBox QLineEdit {{ border: none; padding: 0; background: transparent; }}
QComboBox:focus, QSpinBox:focus, QCheckBox:focus {{ border: 1px solid {p.text}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ image: url({_ASSETS}/icons/chevron.svg); width: 12px; height: 12px; }}
QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {p.muted};
    border-radius: 3px; background: {p.ground}; }}
QCheckBox::indicator:checked {{ image: url({_ASSETS}/icons/tick.svg); }}
QRadioButton {{ spacing: 8px; padding: 2px 0; }}
QRadioButton::indicator {{ width: 12px; height: 12px; border: 1px solid {p.muted};
    border-radius: 7px; background: {p.ground}; }}
QRadioButton::indicator:checked {{ border: 4px solid {p.text}; width: 6px; height: 6px; }}
QRadioButton:focus {{ text-decoration: underline; }}
QComboBox QAbstractItemView {{ background: {p.raised}; selection-background-color: {p.select}; }}
QCheckBox {{ spacing: 6px; }}
QProgressBar {{ background: {p.raised}; border: none; border-radius: 3px; }}
QProgressBar::chunk {{ background: {p.muted}; border-radius: 3px; }}
QTableView {{ background: {p.ground}; alternate-background-color: {p.ground}; border: none;
    border: 1px solid transparent; gridline-color: {p.ground};
    selection-background-color: {p.select}; selection-color: {p.text}; }}
QTableView::item {{ padding: 0 4px; border: none; }}
QHeaderView, QHeaderView::section {{ background: {p.ground}; color: {p.muted}; border: none;
    border-bottom: 1px solid {p.line}; padding: 2px 4px; font-size: {SMALL}px; }}
QTableCornerButton::section {{ background: {p.ground}; border: none; }}
QLineEdit, QListWidget, QPlainTextEdit {{ background: {p.ground}; border: 1px solid {p.line};
    border-radius: 4px; padding: 4px 6px; selection-background-color: {p.select}; }}
QListWidget::item {{ padding: 4px 2px; }}
QListWidget::item:selected {{ background: {p.select}; color: {p.text}; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {p.line}; border-radius: 4px; min-height: 30px;
    margin: 1px 2px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
QFrame[role="rule"] {{ background: {p.line}; max-height: 1px; border: none; }}
QFrame#keys {{ background: {p.panel}; border: 1px solid {p.muted}; border-radius: 8px; }}
QToolTip {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; padding: 4px; }}
QMessageBox, QDialog {{ background: {p.panel}; }}
QSplitter::handle {{ background: {p.ground}; }}
QSplitter::handle:hover {{ background: {p.line}; }}
QMenu {{ background: {p.raised}; border: 1px solid {p.line}; }}
QMenu::item:selected {{ background: {p.select}; }}
"""
