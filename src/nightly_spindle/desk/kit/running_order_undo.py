"""Undoing and redoing edits of the running order. The engine is told each way round."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QUndoCommand

from nightly_spindle.air import messages

if TYPE_CHECKING:
    from nightly_spindle.core.programme.running_order import OverlayWish
    from nightly_spindle.core.segues.segue_rules import JoinEdit
    from nightly_spindle.desk.kit.engine_link import EngineLink


class MoveLine(QUndoCommand):
    """Moves a line before another, and back to where it stood."""

    def __init__(self, link: EngineLink, title: str, line: int, before: int) -> None:
        super().__init__(f"move “{title}”")
        self._link, self._line, self._before, self._was = link, line, before, 0

    def redo(self) -> None:
        """Move it."""
        self._link.ask(messages.Move(self._line, self._before), self._moved)

    def _moved(self, answer: messages.Moved) -> None:
        self._was = answer.before

    def undo(self) -> None:
        """Move it back."""
        self._link.ask(messages.Move(self._line, self._was))


class RemoveLines(QUndoCommand):
    """Takes lines out, and puts each back where it stood, with its origin."""

    def __init__(self, link: EngineLink, lines: list[int]) -> None:
        count = "a line" if len(lines) == 1 else f"{len(lines)} lines"
        super().__init__(f"take out {count}")
        self._link, self._lines = link, lines
        self._gone: list[messages.GoneLine] = []

    def redo(self) -> None:
        """Take them out."""
        self._link.ask(messages.Remove(self._lines), self._removed)

    def _removed(self, answer: messages.Removed) -> None:
        self._gone = answer.gone

    def undo(self) -> None:
        """Put them back."""
        for gone in self._gone:
            self._link.ask(messages.Insert(gone.before, line=gone.line))


class AddLine(QUndoCommand):
    """Puts an item in before a line, and takes it out again."""

    def __init__(self, link: EngineLink, title: str, cart: int, before: int) -> None:
        super().__init__(f"add “{title}”")
        self._link, self._cart, self._before = link, cart, before
        self._line: int | None = None

    def redo(self) -> None:
        """Put it in, under the id that it had before."""
        wanted = messages.Insert(self._before, self._cart, self._line)
        self._link.ask(wanted, self._added)

    def _added(self, answer: messages.Inserted) -> None:
        self._line = answer.line.id

    def undo(self) -> None:
        """Take it out."""
        if self._line is not None:
            self._link.ask(messages.Remove([self._line]))


class SetJoin(QUndoCommand):
    """Sets how one line starts, this time alone, and back as it was."""

    def __init__(self, link: EngineLink, title: str, line: int, edit: JoinEdit | None) -> None:
        super().__init__(f"how “{title}” starts")
        self._link, self._line, self._edit = link, line, edit
        self._was: JoinEdit | None = None

    def redo(self) -> None:
        """Set it."""
        self._link.ask(messages.SetJoin(self._line, self._edit), self._set)

    def _set(self, answer: messages.FormerJoin) -> None:
        self._was = answer.was

    def undo(self) -> None:
        """Set it back."""
        self._link.ask(messages.SetJoin(self._line, self._was))


class SetOverlay(QUndoCommand):
    """Sets what lies over one line, this time alone, and back as it was."""

    def __init__(self, link: EngineLink, title: str, line: int, wish: OverlayWish | None) -> None:
        super().__init__(f"what plays over “{title}”")
        self._link, self._line, self._wish = link, line, wish
        self._was: OverlayWish | None = None

    def redo(self) -> None:
        """Set it."""
        self._link.ask(messages.SetOverlay(self._line, self._wish), self._set)

    def _set(self, answer: messages.FormerWish) -> None:
        self._was = answer.was

    def undo(self) -> None:
        """Set it back."""
        self._link.ask(messages.SetOverlay(self._line, self._was))


class SetTag(QUndoCommand):
    """Gives a line a word that pools can go by, and the former one back."""

    def __init__(self, link: EngineLink, title: str, line: int, tag: str) -> None:
        super().__init__(f"tag of “{title}”")
        self._link, self._line, self._tag, self._was = link, line, tag, ""

    def redo(self) -> None:
        """Set it."""
        self._link.ask(messages.SetTag(self._line, self._tag), self._set)

    def _set(self, answer: messages.FormerTag) -> None:
        self._was = answer.was

    def undo(self) -> None:
        """Set it back."""
        self._link.ask(messages.SetTag(self._line, self._was))


class SwitchOverlays(QUndoCommand):
    """Lets overlays sound or not, and the other way round."""

    def __init__(self, link: EngineLink, *, on: bool) -> None:
        super().__init__(f"switch overlays {'on' if on else 'off'}")
        self._link, self._on = link, on

    def redo(self) -> None:
        """Switch."""
        self._link.ask(messages.SwitchOverlays(self._on))

    def undo(self) -> None:
        """Switch back."""
        self._link.ask(messages.SwitchOverlays(not self._on))
