"""The quiet line under the views: one sentence at a time."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_LEAST = 22  # pixels; always there, so that the views keep their size


class NoticeLine(QWidget):
    """The whole window is laid out anew only when a sentence needs more lines than the one before."""

    def __init__(self) -> None:
        super().__init__()
        # In no layout: a label that is laid out has everything round it laid out whenever its text changes.
        self.label = QLabel(self, objectName="quiet")
        self.label.setContentsMargins(10, 2, 10, 2)
        self.label.setWordWrap(True)
        self.offer = QPushButton(self, objectName="small", accessibleName=tr("Remedy"))
        self.offer.hide()
        self.offer.clicked.connect(lambda _=False: self._take())
        self._action: Callable[[], object] = lambda: None
        self.setFixedHeight(with_text(_LEAST))

    def propose(self, sentence: str, title: str, action: Callable[[], object]) -> None:
        """Show a sentence with a button beside it that does something about it."""
        self.say(sentence, True)
        self._action = action
        self.offer.setText(title)
        self.offer.setAccessibleName(title)
        self.offer.adjustSize()
        self.offer.show()
        self._fit()

    def _take(self) -> None:
        action = self._action
        self.say("", False)
        action()

    def text(self) -> str:
        words: str = self.label.text()
        return words

    def say(self, sentence: str, warning: bool) -> None:
        """Show a sentence, in the colour of warnings or quietly."""
        self.offer.hide()
        self.label.setText(sentence)
        name = "warn" if warning else "quiet"
        if self.label.objectName() != name:
            self.label.setObjectName(name)
            self.label.style().polish(self.label)
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        aside = self.offer.width() + 8 if self.offer.isVisibleTo(self) else 0
        height = max(
            with_text(_LEAST), self.label.heightForWidth(self.width() - aside), self.offer.height() if aside else 0
        )
        self.label.setGeometry(0, 0, self.width() - aside, height)
        self.offer.move(self.width() - aside, (height - self.offer.height()) // 2)
        if height != self.height():
            self.setFixedHeight(height)
