"""The slide in hand: which picture, how it is held, kept by name, printed or brushed on."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QWidget,
)

from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.sliding import Sliding
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import Page
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr


class SlidePanel(Page):
    """A page beside the layer's settings."""

    def __init__(self, work: Work, selection: Selection, sliding: Sliding) -> None:
        super().__init__()
        self.work, self.selection, self.sliding = work, selection, sliding
        self._hold_part()
        self._brush_part()
        self._kept_part()
        self.column.addStretch(1)
        for signal in (self.sliding.changed, work.project_changed, work.studio_changed):
            signal.connect(self.follow)

    def _hold_part(self) -> None:
        row = QHBoxLayout()
        self.picture = QComboBox()
        self.picture.setAccessibleName(tr("The picture on the slide"))
        self.picture.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.picture.textActivated.connect(self._choose)
        self.hold = QPushButton(tr("Hold it up"), checkable=True)
        self.hold.setToolTip(tr("Hold the picture over the model view, seen through"))
        self.hold.clicked.connect(self._hold)
        row.addWidget(self.picture, 1)
        row.addWidget(self.hold)
        self.column.addLayout(row)
        self.opacity = NumberField(0, 100, 0, " %", tr("How far it is seen through"))
        self.opacity.changed.connect(lambda value: self.sliding.set(opacity=value / 100))
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("Seen"), objectName="quiet"))
        row.addWidget(self.opacity, 1)
        self.column.addLayout(row)
        row = QHBoxLayout()
        self.pinned = self._switch(
            row, tr("Pinned"), tr("It stays where it is while the view turns"), self.sliding.pin
        )
        self.repeat = self._switch(
            row, tr("Repeated"), tr("In both directions, without end"), partial(self._set, "repeat")
        )
        self.flip = self._switch(row, tr("Flipped"), tr("Left for right"), partial(self._set, "flip"))
        self.through = self._switch(
            row, tr("Through"), tr("Onto hidden surfaces, too"), partial(self._set, "through")
        )
        row.addStretch(1)
        self.column.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("Pull"), objectName="quiet"))
        self.pulls = {}
        for count, title in ((2, tr("Corners")), (3, "3 × 3"), (5, "5 × 5"), (0, tr("Straight"))):
            made = QPushButton(title)
            made.clicked.connect(partial(self._pull, count))
            row.addWidget(made)
            self.pulls[count] = made
        row.addStretch(1)
        self.column.addLayout(row)

    def _brush_part(self) -> None:
        row = QHBoxLayout()
        self.print_all = QPushButton(tr("Print it all"))
        self.print_all.setToolTip(tr("Put it onto all that it reaches, as a decal that can be edited"))
        self.print_all.clicked.connect(self.sliding.print_all)
        self.brush = QPushButton(tr("Brush it on"), checkable=True)
        self.brush.setToolTip(tr("Paint it on where it is wanted; Alt takes away, the right button looks round"))
        self.brush.clicked.connect(self.sliding.set_brushing)
        row.addWidget(self.print_all)
        row.addWidget(self.brush)
        row.addStretch(1)
        self.column.addLayout(row)
        self.brush_size = NumberField(0.1, 40, 1, " %", tr("Size of the brush, of the model's size"))
        self.brush_size.changed.connect(self._resize)
        self.hardness = NumberField(0, 100, 0, " %", tr("Hardness of the brush"))
        self.hardness.changed.connect(self._harden)
        self.brush_rows = []
        for title, field in ((tr("Brush size"), self.brush_size), (tr("Hardness"), self.hardness)):
            line = QWidget()
            inner = QHBoxLayout(line)
            inner.setContentsMargins(0, 0, 0, 0)
            label = QLabel(title, objectName="quiet")
            label.setFixedWidth(with_text(66))
            inner.addWidget(label)
            inner.addWidget(field, 1)
            self.column.addWidget(line)
            self.brush_rows.append(line)

    def _kept_part(self) -> None:
        row = QHBoxLayout()
        self.names = QComboBox(editable=True)
        self.names.setAccessibleName(tr("Name of a kept slide"))
        self.names.setPlaceholderText(tr("front, side …"))
        self.keep = self._button(row, tr("Keep"), tr("Keep this picture and pose under the name"),
                                 lambda: self.sliding.keep(self.names.currentText()))  # fmt: skip
        self.back = self._button(
            row, tr("Return"), tr("Hold it up where it was kept, and look at it straight"), self._return
        )
        self.forget = self._button(row, tr("Forget"), tr("Let go of the kept slide"),
                                   lambda: self.sliding.forget(self.names.currentText()))  # fmt: skip
        row.insertWidget(0, self.names, 1)
        self.column.addLayout(row)
        row = QHBoxLayout()
        self.print_kept = self._button(
            row, tr("Print all kept slides"),
            tr("Each as a decal that fades out where faces turn away, so that they blend along their border"),
            self.sliding.print_kept,
        )  # fmt: skip
        row.addStretch(1)
        self.column.addLayout(row)

    def _button(self, row: QHBoxLayout, title: str, tip: str, act: Callable[[], object]) -> QPushButton:
        made = QPushButton(title)
        made.setToolTip(tip)
        made.clicked.connect(lambda _=False: act())
        row.addWidget(made)
        return made

    def _switch(self, row: QHBoxLayout, title: str, tip: str, act: Callable[[bool], object]) -> QCheckBox:
        made = QCheckBox(title)
        made.setToolTip(tip)
        made.toggled.connect(act)
        row.addWidget(made)
        return made

    # --- doing ------------------------------------------------------------------------------------------------------

    def hold_up(self) -> None:
        """Hold up the picture of the selected decal, or the one that is shown here."""
        decal, project = self.selection.layer, self.work.project
        own = getattr(decal.content, "picture", None) if decal is not None else None
        name = (
            own if own is not None and project is not None and own in project.pictures else self.picture.currentText()
        )
        if name:
            self.sliding.hold_up(name)

    def _hold(self, on: bool) -> None:
        if not on:
            self.sliding.put_away()
        elif self.picture.currentText():
            self.sliding.hold_up(self.picture.currentText())
        self.refresh()

    def _choose(self, name: str) -> None:
        if self.sliding.up:
            self.sliding.hold_up(name)

    def _set(self, key: str, on: bool) -> None:
        if self.sliding.slide is not None:
            self.sliding.set_place(replace(self.sliding.slide.place, **{key: on}))

    def _pull(self, count: int, *_: object) -> None:
        self.sliding.pull(count)

    def _resize(self, value: float) -> None:
        if self.work.studio is not None:
            self.sliding.radius = value / 100 * self.work.studio.model.diagonal

    def _harden(self, value: float) -> None:
        self.sliding.hardness = value / 100

    def _return(self) -> None:
        self.sliding.take(self.names.currentText())
        self.sliding.look_straight()

    # --- showing --------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        project, slide = self.work.project, self.sliding.slide
        names = [] if project is None else list(project.pictures)
        if names != [self.picture.itemText(at) for at in range(self.picture.count())]:
            now = self.picture.currentText()
            self.picture.clear()
            self.picture.addItems(names)
            self.picture.setCurrentText(now)
        kept = [] if project is None else list(project.slides)
        if kept != [self.names.itemText(at) for at in range(self.names.count())]:
            now = self.names.currentText()
            self.names.clear()
            self.names.addItems(kept)
            self.names.setCurrentText(now)
        self.hold.setChecked(slide is not None)
        self.hold.setText(tr("Put it away") if slide is not None else tr("Hold it up"))
        self.brush.setChecked(self.sliding.brushing)
        for widget in (self.opacity, self.pinned, self.repeat, self.flip, self.through, self.print_all, self.brush,
                       self.keep, *self.pulls.values()):  # fmt: skip
            widget.setEnabled(slide is not None)
        for line in self.brush_rows:
            line.setVisible(self.sliding.brushing)
        if self.work.studio is not None:
            self.brush_size.set(self.sliding.brush.radius / self.work.studio.model.diagonal * 100)
        self.hardness.set(self.sliding.hardness * 100)
        self.back.setEnabled(bool(kept))
        self.forget.setEnabled(bool(kept))
        self.print_kept.setEnabled(bool(kept))
        if slide is None:
            return
        self.picture.setCurrentText(slide.picture)
        self.opacity.set(slide.opacity * 100)
        for box, on in ((self.pinned, self.sliding.pinned), (self.repeat, slide.place.repeat),
                        (self.flip, slide.place.flip), (self.through, slide.place.through)):  # fmt: skip
            with QSignalBlocker(box):
                box.setChecked(on)
