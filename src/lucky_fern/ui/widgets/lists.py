"""Lists in which Del takes the chosen line out, and nothing else."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QListWidget

from lucky_fern.ui.widgets.guarding import guarded


@guarded
class ShrinkingList(QListWidget):
    """While it has the keyboard, Del is its own: it does not reach the command that has this key elsewhere."""

    remove_asked = Signal()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and is_delete(event):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if is_delete(event):
            if self.currentRow() >= 0:
                self.remove_asked.emit()
            return
        super().keyPressEvent(event)


def is_delete(event: QKeyEvent) -> bool:
    """Whether it is the key that takes out what is chosen."""
    return event.key() == Qt.Key.Key_Delete and not event.modifiers()
