"""The quiet line under the views: one sentence at a time."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_LEAST = 22  # pixels; always there, so that the views keep their size


@guarded
class NoticeLine(QWidget):
    """The whole window is laid out anew only when a sentence needs more lines than the one before."""

    def __init__(self) -> None:
        super().__init__()
        # In no layout: a label that is laid out has everything round it laid out whenever its text changes.
        self.label = QLabel(self, objectName="quiet")
        self.label.setContentsMargins(10, 2, 10, 2)
        self.label.setWordWrap(True)
        self.offer = QPushButton(self, objectName="small", accessibleName=tr("Remedy"))
        self.other = QPushButton(self, objectName="small", accessibleName=tr("Another remedy"))
        self._actions: list[Callable[[], object]] = []
        for number, button in enumerate((self.offer, self.other)):
            button.hide()
            button.clicked.connect(partial(self._take, number))
        self.setFixedHeight(with_text(_LEAST))

    def propose(self, sentence: str, *remedies: tuple[str, Callable[[], object]]) -> None:
        """Show a sentence with a button or two beside it, each with its title, that do something about it."""
        self.say(sentence, True)
        self._actions = [action for _, action in remedies]
        for button, (title, _) in zip((self.offer, self.other), remedies, strict=False):
            button.setText(title)
            button.setAccessibleName(title)
            button.adjustSize()
            button.show()
        self._fit()

    def _take(self, number: int) -> None:
        action = self._actions[number]
        self.say("", False)
        action()

    def text(self) -> str:
        words: str = self.label.text()
        return words

    def say(self, sentence: str, warning: bool) -> None:
        """Show a sentence, in the colour of warnings or quietly."""
        self.offer.hide()
        self.other.hide()
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
        buttons = [one for one in (self.offer, self.other) if one.isVisibleTo(self)]
        aside = sum(one.width() + 8 for one in buttons)
        height = max(
            with_text(_LEAST),
            self.label.heightForWidth(self.width() - aside),
            max((one.height() for one in buttons), default=0),
        )
        self.label.setGeometry(0, 0, self.width() - aside, height)
        left = self.width() - aside
        for button in buttons:
            button.move(left, (height - button.height()) // 2)
            left += button.width() + 8
        if height != self.height():
            self.setFixedHeight(height)
