"""What made the texel that was pointed at: a line for each layer that gave something there."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QPixmap
from PySide6.QtWidgets import QCheckBox, QTreeWidget, QTreeWidgetItem

from lucky_fern.core.checking.spot import Step, told, what_made
from lucky_fern.core.colour import to_hex
from lucky_fern.core.compositing.reading import texel_at
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import local_uv, sheet_of
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.widgets.page import Page
from lucky_fern.words import tr

_LAYER = Qt.ItemDataRole.UserRole
Spot = tuple[SheetKey, int, int]  # a sheet, a row and a column


class SpotPanel(Page):
    """From the top of the stack down, as on the board; a click selects the layer. It stays with its spot."""

    def __init__(self, matter: Matter) -> None:
        super().__init__()
        self.matter = matter
        self.spot: Spot | None = None
        self.steps: list[Step] = []
        self.title = self.note()
        self.tree = QTreeWidget(columnCount=4)
        self.tree.setHeaderLabels([tr("Layer"), tr("Mask"), tr("Before"), tr("After")])
        self.tree.setAccessibleName(tr("What each layer did at this spot"))
        self.tree.setRootIsDecorated(False)
        self.tree.setColumnWidth(0, 160)
        for column, width in ((1, 52), (2, 84), (3, 84)):
            self.tree.setColumnWidth(column, width)
        self.tree.itemClicked.connect(self._select)
        self.tree.itemActivated.connect(self._select)
        self.column.addWidget(self.tree, 1)
        self.every = QCheckBox(tr("Those that changed nothing, too"))
        self.every.toggled.connect(self.follow)
        self.column.addWidget(self.every)
        for signal in (matter.work.project_changed, matter.looking.changed):
            signal.connect(self.follow)
        matter.work.studio_changed.connect(self.forget)

    def forget(self) -> None:
        """Another model is there."""
        self.spot = None
        self.follow()

    def take(self) -> None:
        """The spot that was pointed at last."""
        studio, hit = self.matter.work.studio, self.matter.looking.last_hit
        key = None if studio is None or hit is None else sheet_of(studio.surface, hit)
        if studio is None or hit is None or key is None:
            self.matter.work.warn(tr("Point at a spot of the model or of a sheet first."))
            return
        self.spot = (key, *texel_at(*local_uv(hit, key), studio.project.size_of(key)))
        self.follow()

    def refresh(self) -> None:
        studio, spot = self.matter.work.studio, self.spot
        if studio is None or spot is None or spot[0] not in studio.surface.keys:
            self.steps = []
            self.tree.clear()
            self.title.setText(tr("Point at a spot and press W: each layer tells what it did there."))
            return
        key, row, column = spot
        size, name, project = studio.project.size_of(key), self.matter.looking.shown_map or "colour", studio.project
        if row >= size.height or column >= size.width:
            self.forget()
            return
        self.matter.answers.ask(
            "spot",
            lambda: what_made(studio.sources, project, key, name, row, column),
            lambda found: self._show(found, name),
        )

    def _show(self, steps: list[Step], name: str) -> None:
        self.steps = steps
        if self.spot is not None:
            key, row, column = self.spot
            self.title.setText(
                tr("{map} of {sheet}, column {column}, row {row}: {some} of {layers} layers changed it.",
                   map=MAPS[name].title, sheet=key, column=column, row=row, layers=len(steps),
                   some=sum(step.changed for step in steps))
            )  # fmt: skip
        self.tree.clear()
        for step in (step for step in reversed(steps) if step.changed or self.every.isChecked()):
            item = QTreeWidgetItem([" › ".join((*step.inside, step.name)), f"{step.mask * step.strength:.0%}",
                                    told(step.before, name), told(step.after, name)])  # fmt: skip
            item.setData(0, _LAYER, step.layer)
            item.setToolTip(0, item.text(0))
            if not MAPS[name].directional:
                for column, value in ((2, step.before), (3, step.after)):
                    swatch = QPixmap(12, 12)
                    swatch.fill(QColor(to_hex((value[0], value[len(value) // 2], value[-1]))))
                    item.setIcon(column, swatch)
            self.tree.addTopLevelItem(item)

    def _select(self, item: QTreeWidgetItem) -> None:
        layer, project = item.data(0, _LAYER), self.matter.work.project
        if project is not None and any(one.id == layer for one in project.walk()):
            self.matter.selection.select(layer)
