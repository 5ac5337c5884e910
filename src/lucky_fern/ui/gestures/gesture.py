"""What a press, a drag or a click in a view does, besides looking round: one class for each kind of doing."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QWheelEvent

from lucky_fern.core.arrays import F64
from lucky_fern.core.painting.brush import Pen


class Gesture:
    """Asked in turn when the mouse is pressed; who answers True has the mouse until it is let go."""

    @property
    def draws(self) -> bool:
        """Whether dragging with the left button draws, so that looking round takes the right one."""
        return False

    def press(self, point: F64, event: QMouseEvent) -> bool:
        return False

    def move(self, point: F64, event: QMouseEvent) -> None:
        """The mouse moves while it is this gesture's."""

    def release(self, point: F64, event: QMouseEvent) -> None:
        """The mouse is let go."""

    def click(self, point: F64, event: QMouseEvent) -> None:
        """A press that nobody took was let go where it was."""

    def nudge(self, step: tuple[int, int], event: QKeyEvent) -> bool:
        """An arrow key: so many steps to the right and up; whether anything followed it."""
        return False

    def wheel(self, turns: float, event: QWheelEvent) -> bool:
        """The wheel was turned; whether it meant this gesture rather than the view."""
        return False

    def hold_pen(self, pen: Pen) -> None:
        """A pen is held so."""

    def finish(self) -> None:
        """Enter: what is being drawn is done."""

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return None

    def show(self) -> None:
        """Bring the view's overlay up to date."""


def cursor_over(handle: str | None) -> Qt.CursorShape | None:
    """The mouse over a grip's handle (:meth:`~lucky_fern.ui.gestures.grip.Grip.grabbed`)."""
    if handle is None:
        return None
    return Qt.CursorShape.SizeAllCursor if handle == "move" else Qt.CursorShape.PointingHandCursor
