"""The page of the Paint station: onto what, with what paint, and with what brush."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QToolButton,
    QWidget,
)

from lucky_fern.core.painting.tips import BUILT_IN
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.stations.paint.paint_rows import PaintRows
from lucky_fern.ui.stations.paint.symmetry_rows import SymmetryRows
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import Page
from lucky_fern.ui.widgets.quietly import show_items
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_NUMBERS = (
    ("hardness", tr("Hardness"), 0.0, 1.0, tr("How much of it is covered in full")),
    ("flow", tr("Flow"), 0.01, 1.0, tr("How much one touch covers")),
    ("opacity", tr("Opacity"), 0.01, 1.0, tr("How much a whole stroke covers at most")),
    ("spacing", tr("Spacing"), 0.02, 3.0, tr("Between touches, in radii")),
    ("aspect", tr("Height"), 0.1, 4.0, tr("Its height over its width")),
    ("angle", tr("Angle °"), -180.0, 180.0, tr("How the tip is turned")),
    ("facing", tr("Facing °"), 5.0, 90.0, tr("Only what faces within so many degrees of where the brush is")),
    ("scatter", tr("Scatter"), 0.0, 3.0, tr("How far touches fall aside, in radii")),
    ("size_jitter", tr("Size varies"), 0.0, 1.0, tr("How much smaller touches become by chance")),
    ("flow_jitter", tr("Flow varies"), 0.0, 1.0, tr("How much weaker touches become by chance")),
    ("angle_jitter", tr("Angle varies"), 0.0, 180.0, tr("How far touches are turned by chance, in degrees")),
    ("hue_jitter", tr("Hue varies"), 0.0, 180.0, tr("How far the hue of touches is turned by chance, in degrees")),
    ("grain", tr("Grain"), 0.0, 1.0, tr("How far a rough ground shows through")),
    ("grain_size", tr("Grain's size"), 0.1, 8.0, tr("How large the rough ground is, in radii")),
)
_GROUNDS = ("surface", "sheet", "screen")


class BrushPanel(Page):
    """A page beside the layer's settings."""

    def __init__(self, work: Work, comparing: Comparing, faces: Faces, painting: Painting) -> None:
        super().__init__()
        self.work, self.painting = work, painting
        self.column.setContentsMargins(10, 6, 10, 8)
        self.column.setSpacing(4)
        self.numbers: dict[str, NumberField] = {}
        self.paints = PaintRows(work, comparing, painting, self.column)
        self.column.addWidget(QFrame(objectName="rule"))
        self._tip_row()
        self._number_rows()
        self._ground_row()
        self.symmetry = SymmetryRows(faces, painting, self.column)
        self.column.addStretch(1)
        for signal in (self.painting.changed, work.studio_changed, work.project_changed):
            signal.connect(self.refresh)
        self.refresh()

    def _tip_row(self) -> None:
        row = QHBoxLayout()
        self.tip = QComboBox()
        self.tip.setAccessibleName(tr("Tip"))
        self.tip.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.tip.activated.connect(lambda at: self.painting.set_brush(tip=self.tip.itemText(at) if at else None))
        row.addWidget(QLabel(tr("Tip"), objectName="quiet"))
        row.addWidget(self.tip, 1)
        more = QToolButton(text=tr("More tips ▾"), popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        more.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu = QMenu(more)
        menu.addAction(tr("From a PNG, or a zip of them …"), self._ask_tips)
        menu.addAction(tr("From a folder of PNGs …"), self._ask_folder)
        menu.addAction(tr("From the sheet: draw round it"), lambda: self.painting.set(picking_tip=True))
        more.setMenu(menu)
        row.addWidget(more)
        self.turns = QCheckBox(tr("Follows"))
        self.turns.setToolTip(tr("The tip turns with the stroke"))
        self.turns.toggled.connect(lambda on: self.painting.set_brush(follow=on))
        row.addWidget(self.turns)
        self.column.addLayout(row)

    def _number_rows(self) -> None:
        self.size_field = NumberField(0.05, 30, 2, " %", tr("Size, of the model's"))
        self.size_field.changed.connect(lambda value: self.painting.set(size=value / 100))
        self._line(tr("Size"), self.size_field)
        for name, title, low, high, tip in _NUMBERS:
            number = NumberField(low, high, 0 if high >= 90 else 2, "", title)
            number.setToolTip(tip)
            number.changed.connect(partial(self._set_number, name))
            self.numbers[name] = number
            self._line(title, number)

    def _ground_row(self) -> None:
        row = QHBoxLayout()
        self.ground = QComboBox()
        self.ground.addItems([tr("Round on the surface"), tr("Round on the sheet"), tr("Round on the screen")])
        self.ground.activated.connect(lambda at: self.painting.set_brush(ground=_GROUNDS[at]))
        row.addWidget(self.ground, 1)
        self.sizes = QCheckBox(tr("Pressure sizes"))
        self.sizes.setToolTip(tr("A pen's pressure works on the size instead of the flow"))
        self.sizes.toggled.connect(lambda on: self.painting.set_brush(sizes=on))
        row.addWidget(self.sizes)
        self.leans = QCheckBox(tr("Leans"))
        self.leans.setToolTip(tr("A pen that leans turns the tip and makes it narrow"))
        self.leans.toggled.connect(lambda on: self.painting.set_brush(leans=on))
        row.addWidget(self.leans)
        self.column.addLayout(row)

    def _line(self, title: str, field: QWidget) -> None:
        row = QHBoxLayout()
        label = QLabel(title, objectName="quiet")
        label.setFixedWidth(with_text(76))
        row.addWidget(label)
        row.addWidget(field, 1)
        self.column.addLayout(row)

    def _set_number(self, name: str, value: float) -> None:
        self.painting.set_brush(**{name: round(value, 4)})

    def _ask_tips(self) -> None:
        path = asking.open_file(self, tr("Tips for brushes"), tr("PNG, or a zip of them (*.png *.zip)"))
        if path is not None:
            self.painting.take_tips(path)

    def _ask_folder(self) -> None:
        path = asking.folder(self, tr("A folder of PNGs"))
        if path is not None:
            self.painting.take_tips(path)

    def refresh(self) -> None:
        painting, project = self.painting, self.work.project
        show_items(self.tip, ["round", *BUILT_IN, *([] if project is None else project.pictures)])
        self.tip.setCurrentText(painting.brush.tip or "round")
        self.size_field.set(painting.size * 100)
        for name, number in self.numbers.items():
            number.set(float(getattr(painting.brush, name)))
        for box, on in ((self.turns, painting.brush.follow), (self.sizes, painting.brush.sizes),
                        (self.leans, painting.brush.leans)):  # fmt: skip
            with QSignalBlocker(box):
                box.setChecked(on)
        self.ground.setCurrentIndex(_GROUNDS.index(painting.brush.ground))
        self.paints.refresh()
        self.symmetry.refresh()
