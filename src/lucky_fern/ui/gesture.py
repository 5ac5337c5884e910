"""What a press, a drag or a click in a view does, besides looking round: one class for each kind of doing."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent

from lucky_fern.core.arrays import F64


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

    def cursor(self, point: F64) -> Qt.CursorShape | None:
        return None

    def show(self) -> None:
        """Bring the view's overlay up to date."""
