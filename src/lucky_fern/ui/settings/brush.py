"""The brush and the paint of the Paint station."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.maps import MAPS
from lucky_fern.core.painting.tips import BUILT_IN
from lucky_fern.core.project.effects import Blur, Effect, Levels, Shade, Sharpen
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.fields import ColourField, NumberField

_NUMBERS = (
    ("hardness", "Hardness", 0.0, 1.0, "How much of it is covered in full"),
    ("flow", "Flow", 0.01, 1.0, "How much one touch covers"),
    ("opacity", "Opacity", 0.01, 1.0, "How much a whole stroke covers at most"),
    ("spacing", "Spacing", 0.02, 3.0, "Between touches, in radii"),
    ("angle", "Angle °", -180.0, 180.0, "How the tip is turned"),
    ("scatter", "Scatter", 0.0, 3.0, "How far touches fall aside, in radii"),
    ("size_jitter", "Size varies", 0.0, 1.0, "How much smaller touches become by chance"),
    ("flow_jitter", "Flow varies", 0.0, 1.0, "How much weaker touches become by chance"),
    ("angle_jitter", "Angle varies", 0.0, 180.0, "How far touches are turned by chance, in degrees"),
    ("grain", "Grain", 0.0, 1.0, "How far a rough ground shows through"),
)


_EFFECTS: dict[str, tuple[Effect, tuple[str, ...]]] = {
    "Blur": (Blur(4.0), ("colour", "roughness", "height")),
    "Sharpen": (Sharpen(), ("colour",)),
    "Lighten": (Shade(lightness=0.18), ("colour",)),
    "Darken": (Shade(lightness=-0.18), ("colour",)),
    "Wear shiny": (Levels(high=0.45), ("roughness",)),
    "Fade": (Shade(saturation=-0.5, lightness=0.06), ("colour",)),
}


class BrushPanel(QScrollArea):
    """A page beside the layer's settings."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.painting = desk, desk.painting
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        page = QWidget(objectName="panel")
        page.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.column = QVBoxLayout(page)
        self.column.setContentsMargins(10, 6, 10, 8)
        self.column.setSpacing(4)
        self.setWidget(page)
        self.numbers: dict[str, NumberField] = {}
        self.maps: dict[str, tuple[QCheckBox, ColourField | NumberField]] = {}
        self._target_part()
        self._more_part()
        self._paint_part()
        self.column.addWidget(QFrame(objectName="rule"))
        self._brush_part()
        self.column.addStretch(1)
        for signal in (self.painting.changed, desk.studio_changed, desk.project_changed):
            signal.connect(self.refresh)
        self.refresh()

    def _target_part(self) -> None:
        row = QHBoxLayout()
        self.target = QComboBox()
        self.target.addItems(["Paint on the layer", "Paint its mask"])
        self.target.setToolTip("On a layer that is no brushwork, a new brushwork layer is put above it")
        self.target.activated.connect(lambda at: self.painting.set(on_mask=bool(at)))
        row.addWidget(self.target, 1)
        self.erase = QCheckBox("Take away")
        self.erase.setToolTip("Erases, or hides on a mask; Alt does the opposite for one stroke")
        self.erase.toggled.connect(lambda on: self.painting.set(erasing=on))
        row.addWidget(self.erase)
        self.selected = QCheckBox("Only selected")
        self.selected.setToolTip("Only on the faces that are selected at the Model station")
        self.selected.toggled.connect(lambda on: self.painting.set(only_selected=on))
        row.addWidget(self.selected)
        self.column.addLayout(row)

    def _paint_part(self) -> None:
        self.paint = QWidget()
        column = QVBoxLayout(self.paint)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for name, spec in MAPS.items():
            if spec.kind == "normal":
                continue
            line = QHBoxLayout()
            box = QCheckBox(spec.title)
            box.setFixedWidth(88)
            box.toggled.connect(partial(self.painting.use, name))
            line.addWidget(box)
            field: ColourField | NumberField
            if spec.kind == "colour":
                field = ColourField(spec.title)
                field.changed.connect(partial(self._set_value, name))
            else:
                field = NumberField(0, 1, 2, "", spec.title)
                field.changed.connect(partial(self._set_value, name))
            line.addWidget(field, 1)
            column.addLayout(line)
            self.maps[name] = box, field
        self.column.addWidget(self.paint)

    def _brush_part(self) -> None:
        row = QHBoxLayout()
        self.tip = QComboBox()
        self.tip.setAccessibleName("Tip")
        self.tip.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.tip.activated.connect(lambda at: self.painting.set_brush(tip=self.tip.itemData(at)))
        row.addWidget(QLabel("Tip", objectName="quiet"))
        row.addWidget(self.tip, 1)
        add = QPushButton("Tips …")
        add.setToolTip("Take PNGs as tips: one, or a zip of them")
        add.clicked.connect(self._ask_tips)
        row.addWidget(add)
        self.follow = QCheckBox("Follows")
        self.follow.setToolTip("The tip turns with the stroke")
        self.follow.toggled.connect(lambda on: self.painting.set_brush(follow=on))
        row.addWidget(self.follow)
        self.column.addLayout(row)
        self.size_field = NumberField(0.05, 30, 2, " %", "Size, of the model's")
        self.size_field.changed.connect(lambda value: self.painting.set(size=value / 100))
        self._line("Size", self.size_field)
        for name, title, low, high, tip in _NUMBERS:
            number = NumberField(low, high, 0 if high >= 180 else 2, "", title)
            number.setToolTip(tip)
            number.changed.connect(partial(self._set_number, name))
            self.numbers[name] = number
            self._line(title, number)
        row = QHBoxLayout()
        self.ground = QComboBox()
        self.ground.addItems(["Round on the surface", "Round on the sheet"])
        self.ground.activated.connect(lambda at: self.painting.set_brush(ground=("surface", "sheet")[at]))
        row.addWidget(self.ground)
        self.sizes = QCheckBox("Pressure sizes")
        self.sizes.setToolTip("A pen's pressure works on the size instead of the flow")
        self.sizes.toggled.connect(lambda on: self.painting.set_brush(sizes=on))
        row.addWidget(self.sizes)
        row.addStretch(1)
        self.column.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(QLabel("Mirror", objectName="quiet"))
        self.mirrors = {}
        for axis in "xyz":
            box = QCheckBox(axis.upper())
            box.setToolTip(f"Across the model's middle, along {axis.upper()}")
            box.toggled.connect(partial(self._set_mirror, axis))
            self.mirrors[axis] = box
            row.addWidget(box)
        row.addWidget(QLabel("Round", objectName="quiet"))
        self.rounds = QSpinBox(minimum=1, maximum=64)
        self.rounds.setToolTip("So many times round the upright axis through the model's middle")
        self.rounds.valueChanged.connect(lambda value: self.painting.set(rounds=value))
        row.addWidget(self.rounds)
        row.addStretch(1)
        self.column.addLayout(row)
        row = QHBoxLayout()
        self.steady = QComboBox()
        self.steady.addItems(["Not steadied", "On a string", "Averaged"])
        self.steady.activated.connect(lambda at: self.painting.set(steadying=("off", "string", "average")[at]))
        row.addWidget(self.steady)
        self.strength = NumberField(2, 120, 0, " px", "How much the hand is steadied")
        self.strength.changed.connect(lambda value: self.painting.set(steady_strength=value))
        row.addWidget(self.strength, 1)
        self.column.addLayout(row)

    def _more_part(self) -> None:
        """Effects to brush on, and a picture to confine the mask."""
        row = QHBoxLayout()
        effects = QComboBox()
        effects.addItems(["Brush on an effect …", *_EFFECTS])
        effects.setToolTip("An adjustment of what is below comes on top; the brush says where")

        def brush(at: int) -> None:
            title = effects.itemText(at)
            effects.setCurrentIndex(0)
            if title in _EFFECTS:
                self.painting.brush_effect(*_EFFECTS[title], title)

        effects.activated.connect(brush)
        self.effects = effects
        row.addWidget(effects, 1)
        self.confine = QComboBox()
        self.confine.setToolTip(
            "A kit picture, laid over the sheet pointed at last, confines what is painted on the mask"
        )
        self.confine.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.confine.activated.connect(self._confine)
        row.addWidget(self.confine, 1)
        self.column.addLayout(row)

    def _confine(self, at: int) -> None:
        if at > 0:
            self.painting.confine(self.confine.itemText(at))
        self.confine.setCurrentIndex(0)

    def _line(self, title: str, field: QWidget) -> None:
        row = QHBoxLayout()
        label = QLabel(title, objectName="quiet")
        label.setFixedWidth(76)
        row.addWidget(label)
        row.addWidget(field, 1)
        self.column.addLayout(row)

    # --- doing ------------------------------------------------------------------------------------------------

    def _set_value(self, name: str, value: str | float) -> None:
        self.painting.values[name] = value if isinstance(value, str) else round(value, 4)
        self.painting.use(name, True)

    def _set_number(self, name: str, value: float) -> None:
        self.painting.set_brush(**{name: round(value, 4)})

    def _set_mirror(self, axis: str, on: bool) -> None:
        planes = self.painting.planes.replace(axis, "")
        self.painting.set(planes=planes + axis if on else planes)

    def _ask_tips(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Tips for brushes", "", "PNG, or a zip of them (*.png *.zip)")
        if name:
            self.painting.take_tips(Path(name))

    # --- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        painting, project = self.painting, self.desk.project
        names = ["round", *BUILT_IN, *([] if project is None else project.pictures)]
        if names != [self.tip.itemText(at) for at in range(self.tip.count())]:
            self.tip.clear()
            for name in names:
                self.tip.addItem(name, None if name == "round" else name)
        self.tip.setCurrentText(painting.brush.tip or "round")
        pictures = ["Confine the mask to …", *([] if project is None else project.pictures)]
        if pictures != [self.confine.itemText(at) for at in range(self.confine.count())]:
            self.confine.clear()
            self.confine.addItems(pictures)
        self.size_field.set(painting.size * 100)
        for name, number in self.numbers.items():
            number.set(float(getattr(painting.brush, name)))
        boxes = [(self.erase, painting.erasing), (self.selected, painting.only_selected),
                 (self.follow, painting.brush.follow), (self.sizes, painting.brush.sizes),
                 *((box, axis in painting.planes) for axis, box in self.mirrors.items())]  # fmt: skip
        for map_name, (box, field) in self.maps.items():
            boxes.append((box, map_name in painting.used))
            value = painting.values[map_name]
            if isinstance(field, ColourField):
                field.set(str(value))
            else:
                field.set(float(value))
        for box, on in boxes:
            box.blockSignals(True)
            box.setChecked(on)
            box.blockSignals(False)
        self.target.setCurrentIndex(int(painting.on_mask))
        self.ground.setCurrentIndex(int(painting.brush.ground == "sheet"))
        self.steady.setCurrentIndex(("off", "string", "average").index(painting.steadying))
        self.strength.set(painting.steady_strength)
        self.strength.setEnabled(painting.steadying != "off")
        self.rounds.blockSignals(True)
        self.rounds.setValue(painting.rounds)
        self.rounds.blockSignals(False)
        self.paint.setVisible(not painting.on_mask and not painting.erasing)
