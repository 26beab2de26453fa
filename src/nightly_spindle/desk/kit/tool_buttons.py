"""Rows of tools: small buttons with a picture, a text or both, called by their names."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QToolButton

from nightly_spindle.desk.kit.theme import icon

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from nightly_spindle.desk.kit.theme import Palette

Tool = tuple[str, str, str, str]  # name, picture, text, tip


def tool_buttons(
    tools: Sequence[Tool], palette: Palette, *, takes_focus: bool = True
) -> dict[str, QToolButton]:
    """Return a button for each tool, in their order."""
    made = {}
    for name, picture, text, tip in tools:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        if picture and text:
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        if not takes_focus:
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        made[name] = button
    paint_tools(made, tools, palette)
    return made


def paint_tools(
    buttons: Mapping[str, QToolButton], tools: Sequence[Tool], palette: Palette, side: int = 18
) -> None:
    """Give the tools their pictures in a look's colour, `side` pixels wide."""
    for name, picture, _, _ in tools:
        if picture:
            buttons[name].setIcon(icon(picture, palette.text, side))
