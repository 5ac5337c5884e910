"""Picture sequences before they land: one table that says which goes to which map, and what is missing."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from lucky_fern.core.maps import MAPS
from lucky_fern.ui.session.bringing import Arrival, Bringing
from lucky_fern.ui.session.work import Work
from lucky_fern.words import counted, tr

_OUT = tr("leave out")


class SequencePanel(QWidget):
    """Shown in place of the board while sequences wait for a word; nothing has changed so far."""

    def __init__(self, work: Work, bringing: Bringing) -> None:
        super().__init__()
        self.work, self.bringing = work, bringing
        self.arrivals: list[Arrival] = []
        self.targets: list[QComboBox] = []
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.addWidget(QLabel(tr("Pictures for the tiles"), objectName="projectName"))
        self.told = QLabel(objectName="quiet")
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.area = QScrollArea(widgetResizable=True, accessibleName=tr("Sequences"))
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.area, 1)
        row = QHBoxLayout()
        self.accept = QPushButton(tr("Make one wash"), objectName="primary")
        self.accept.clicked.connect(self._accept)
        self.decline = QPushButton(tr("Leave all out"))
        self.decline.clicked.connect(lambda: self.bringing.decline())
        row.addWidget(self.accept)
        row.addWidget(self.decline)
        row.addStretch(1)
        column.addLayout(row)
        bringing.waiting_changed.connect(self.refresh)

    def refresh(self) -> None:
        """List what waits."""
        self.arrivals, self.targets = self.bringing.waiting, []
        count = len(self.arrivals)
        self.told.setText(
            tr(
                "{sequences} of one picture a tile. They become one wash; the maps are those that the names "
                "tell. Change what is wrong.",
                sequences=counted(count, "sequence"),
            )
        )
        page = QWidget(objectName="panel")
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 6, 0, 6)
        for arrival in self.arrivals:
            self._row(column, arrival)
        column.addStretch(1)
        old = self.area.takeWidget()
        if old is not None:
            old.deleteLater()
        self.area.setWidget(page)
        self._check()

    def _row(self, column: QVBoxLayout, arrival: Arrival) -> None:
        row = QHBoxLayout()
        name = QLabel(arrival.sequence.pattern, objectName="heading")
        name.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        row.addWidget(name, 1)
        target = QComboBox()
        target.addItem(_OUT, None)
        for spec in MAPS.values():
            target.addItem(spec.title, spec.name)
        target.setCurrentIndex(max(target.findData(arrival.sequence.map or "colour"), 0))
        target.setAccessibleName(tr("Map for {pattern}", pattern=arrival.sequence.pattern))
        target.activated.connect(lambda _: self._check())
        self.targets.append(target)
        row.addWidget(target)
        column.addLayout(row)
        tiles = self.work.studio.tiles() if self.work.studio is not None else set()
        first = next(iter(arrival.contents.values()))[1]
        found = ", ".join(map(str, sorted(arrival.sequence.files)))
        lines = [
            tr(
                "Tiles {found}; {width} × {height} pixels, {about}, taken as {taken}.",
                found=found,
                width=first.width,
                height=first.height,
                about=first.about,
                taken=first.taken,
            )
        ]
        if missing := arrival.sequence.missing(tiles):
            lines.append(tr("No picture for tile {map}: nothing shows there.", map=", ".join(map(str, missing))))
        if extra := arrival.sequence.extra(tiles):
            lines.append(tr("The model has no tile {map}: not used.", map=", ".join(map(str, extra))))
        for text, tone in zip(lines, ("quiet", "warn", "warn"), strict=False):
            label = QLabel(text, objectName=tone)
            label.setWordWrap(True)
            column.addWidget(label)
        column.addSpacing(8)

    def chosen(self) -> list[str | None]:
        """The map that each sequence goes to; None for one that is left out."""
        return [target.currentData() for target in self.targets]

    def _check(self) -> None:
        used = [name for name in self.chosen() if name is not None]
        doubled = sorted({name for name in used if used.count(name) > 1})
        self.accept.setEnabled(bool(used) and not doubled)
        self.accept.setToolTip(
            tr("Two sequences go to {doubled}: change one of them", doubled=", ".join(doubled)) if doubled else ""
        )

    def _accept(self) -> None:
        self.bringing.accept(self.chosen())
