"""The settings under the board: of the layer that is selected, whatever its kind."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QLabel, QScrollArea, QVBoxLayout, QWidget

from lucky_fern.core.project.document import Layer
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.decal_facts import FACTS
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.layers.pages.table import kinds_of, pages_of
from lucky_fern.ui.session.change import Change
from lucky_fern.words import tr

# Tables of the document that inputs of any layer show.
_SHOWN = ("pictures", "sequences", "masks", "selections", "sheet_size", "sheet_sizes", "model")


class SettingsPanel(QScrollArea):
    """Made anew when another layer, or another set of inputs, is selected; otherwise only the values follow.

    It is made after what selected the layer has been dealt with, and put in its place after that: a hand that takes
    hold of a decal does not wait for the page about it.
    """

    shown = Signal()  # the page of what is selected is there

    def __init__(self, matter: Matter) -> None:
        super().__init__()
        self.matter = matter
        self._form = Form(matter)
        self._page: QWidget | None = None  # made, and not put in its place yet
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._shape: object = None
        self._making = QTimer(self, singleShot=True, interval=0)
        self._making.timeout.connect(self._go_on)
        matter.work.project_changed.connect(self._follow)
        for signal in (matter.selection.changed, matter.handles.changed, matter.striping.changed):
            signal.connect(self.refresh)
        self.refresh()

    @property
    def form(self) -> Form:
        """The inputs of the layer that is selected now."""
        while self._making.isActive():
            self._making.stop()
            self._go_on()
        return self._form

    @property
    def being_made(self) -> bool:
        """Whether the page of what is selected now is still to come."""
        return self._making.isActive()

    def _follow(self, change: Change) -> None:
        """Only what is shown here is looked at anew."""
        layer = self.matter.selection.layer
        if (
            layer is not None and (layer.id in change.layers or change.stack or change.touches(*_SHOWN))
        ) or layer is None:
            self.refresh()

    def refresh(self) -> None:
        layer = self.matter.selection.layer
        shape = None if layer is None else (layer.id, self.matter.selection.chosen, kinds_of(layer))
        if shape != self._shape or self.widget() is None:
            self._shape, self._page = shape, None
            self.matter.answers.drop(FACTS)
            self._making.start()
        elif layer is not None and not self._making.isActive():
            self._form.show(layer)

    def _go_on(self) -> None:
        """Make the page, or put it in its place."""
        layer = self.matter.selection.layer
        if self._page is None:
            self._form = Form(self.matter)
            self._page = self._made(layer)
            self._making.start()
            return
        old, page, self._page = self.takeWidget(), self._page, None
        if old is not None:
            old.deleteLater()  # one of its own inputs may have asked for this
        self.setWidget(page)
        if layer is not None:
            self._form.show(layer)
        self.shown.emit()

    def _made(self, layer: Layer | None) -> QWidget:
        page = QWidget(objectName="panel")
        page.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(page)
        column.setContentsMargins(10, 6, 10, 8)
        column.setSpacing(5)
        if layer is None:
            column.addWidget(QLabel(tr("Nothing is selected."), objectName="quiet"))
        else:
            for add in pages_of(layer):
                add(self._form, column, layer)
        column.addStretch(1)
        return page
