"""Picture sequences before they land: one table that says which goes to which map, and what is missing."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from lucky_fern.core.maps import MAPS
from lucky_fern.core.words import counted
from lucky_fern.ui.session.bringing import Arrival, Bringing
from lucky_fern.ui.session.work import Work

_OUT = "leave out"


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
        column.addWidget(QLabel("Pictures for the tiles", objectName="projectName"))
        self.told = QLabel(objectName="quiet")
        self.told.setWordWrap(True)
        column.addWidget(self.told)
        self.area = QScrollArea(widgetResizable=True, accessibleName="Sequences")
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.area, 1)
        row = QHBoxLayout()
        self.accept = QPushButton("Make one wash", objectName="primary")
        self.accept.clicked.connect(self._accept)
        self.decline = QPushButton("Leave all out")
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
            f"{counted(count, 'sequence')} of one picture a tile. They become one wash; "
            "the maps are those that the names tell. Change what is wrong."
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
        target.setAccessibleName(f"Map for {arrival.sequence.pattern}")
        target.activated.connect(lambda _: self._check())
        self.targets.append(target)
        row.addWidget(target)
        column.addLayout(row)
        tiles = self.work.studio.tiles() if self.work.studio is not None else set()
        first = next(iter(arrival.contents.values()))[1]
        found = ", ".join(map(str, sorted(arrival.sequence.files)))
        lines = [f"Tiles {found}; {first.width} × {first.height} pixels, {first.about}, taken as {first.taken}."]
        if missing := arrival.sequence.missing(tiles):
            lines.append(f"No picture for tile {', '.join(map(str, missing))}: nothing shows there.")
        if extra := arrival.sequence.extra(tiles):
            lines.append(f"The model has no tile {', '.join(map(str, extra))}: not used.")
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
        self.accept.setToolTip(f"Two sequences go to {', '.join(doubled)}: change one of them" if doubled else "")

    def _accept(self) -> None:
        self.bringing.accept(self.chosen())
