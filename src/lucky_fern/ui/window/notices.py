"""The lines under the views: a quiet sentence; what can be brought back; what went wrong inside."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import Qt, Signal, SignalInstance
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from lucky_fern.core.log.reading import Lost
from lucky_fern.words import counted, tr


class OfferLine(QWidget):
    """A sentence with what one can do about it, until one of it is done."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("offer")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 3, 8, 3)
        self.words = QLabel(objectName="warn")
        self.words.setWordWrap(True)
        row.addWidget(self.words, 1)
        self._row = row
        self.buttons: list[QPushButton] = []
        self.hide()

    def offer(self, words: str, *choices: tuple[str, Callable[[], object]]) -> None:
        """Show it, in place of what was shown before."""
        for button in self.buttons:
            self._row.removeWidget(button)
            button.deleteLater()
        self.buttons = []
        self.words.setText(words)
        for text, act in choices:
            button = QPushButton(text)
            button.clicked.connect(self.hide)
            button.clicked.connect(lambda _=False, act=act: act())
            self._row.addWidget(button)
            self.buttons.append(button)
        self.show()


class Recovery(OfferLine):
    """What earlier sessions left unsaved, one after the other."""

    wanted = Signal(object)
    unwanted = Signal(object)

    def show_lost(self, found: list[Lost]) -> None:
        """Offer the newest; the others follow."""
        if not found:
            self.hide()
            return
        lost, rest = found[0], found[1:]
        when = time.strftime("%-d %B, %H:%M", time.localtime(lost.when))
        steps = counted(lost.steps, "step")
        more = tr(" ({rest} more after it)", rest=len(rest)) if rest else ""
        self.offer(
            tr(
                "Not saved when the program ended: {name}, {steps}, {when}{more}.",
                name=lost.name,
                steps=steps,
                when=when,
                more=more,
            ),
            (tr("Bring it back"), lambda: self._done(self.wanted, lost, [])),
            (tr("Later"), lambda: self.show_lost(rest)),
            (tr("Forget it"), lambda: self._done(self.unwanted, lost, rest)),
        )

    def _done(self, signal: SignalInstance, lost: Lost, rest: list[Lost]) -> None:
        signal.emit(lost)
        self.show_lost(rest)


class MishapLine(OfferLine):
    """What went wrong inside, with the details to be copied."""

    def tell(self, sentence: str, details: str) -> None:
        """Show the sentence; the details go where the person pastes them."""
        self.offer(sentence, (tr("Copy details"), lambda: QGuiApplication.clipboard().setText(details)),
                   (tr("Close"), lambda: None))  # fmt: skip
