"""What is painted, and onto what: rows of the brush's page."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.effects import Blur, Levels, Shade, Sharpen
from lucky_fern.core.project.kinds import Effect
from lucky_fern.ui.layers.mask_looks import mask_looks, show_looks
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.quietly import show_items
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_EFFECTS: dict[str, tuple[Effect, tuple[str, ...]]] = {
    tr("Blur"): (Blur(4.0), ("colour", "roughness", "height")),
    tr("Sharpen"): (Sharpen(), ("colour",)),
    tr("Lighten"): (Shade(lightness=0.18), ("colour",)),
    tr("Darken"): (Shade(lightness=-0.18), ("colour",)),
    tr("Wear shiny"): (Levels(high=0.45), ("roughness",)),
    tr("Fade"): (Shade(saturation=-0.5, lightness=0.06), ("colour",)),
}


class PaintRows:
    """The target, effects to brush on, and the paint with those of the kit."""

    def __init__(self, work: Work, comparing: Comparing, painting: Painting, column: QVBoxLayout) -> None:
        self.work, self.comparing, self.painting = work, comparing, painting
        self._target_row(column)
        self._mask_row(column)
        self._more_row(column)
        self.paint = QWidget()
        inner = QVBoxLayout(self.paint)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(2)
        self.takes = QLabel(tr("On these maps:"), objectName="quiet")
        inner.addWidget(self.takes)
        self._kit_row(inner)
        self.maps: dict[str, tuple[QCheckBox, ColourField | NumberField]] = {}
        for name, spec in MAPS.items():
            if not spec.directional:
                self._map_row(inner, name)
        column.addWidget(self.paint)

    def _target_row(self, column: QVBoxLayout) -> None:
        row = QHBoxLayout()
        self.target = QComboBox()
        self.target.addItems([tr("Paint on the layer"), tr("Paint its mask")])
        self.target.setToolTip(tr("On a layer that is no brushwork, a new brushwork layer is put above it"))
        self.target.activated.connect(lambda at: self.painting.set(on_mask=bool(at)))
        row.addWidget(self.target, 1)
        self.erase = QCheckBox(tr("Take away"))
        self.erase.setToolTip(tr("Erases, or hides on a mask; Alt does the opposite for one stroke"))
        self.erase.toggled.connect(lambda on: self.painting.set(erasing=on))
        row.addWidget(self.erase)
        column.addLayout(row)
        row = QHBoxLayout()
        self.selected = QCheckBox(tr("Only selected"))
        self.selected.setToolTip(tr("Only on the faces that are selected at the Model station"))
        self.selected.toggled.connect(lambda on: self.painting.set(only_selected=on))
        row.addWidget(self.selected)
        self.seen = QCheckBox(tr("Only what is seen"))
        self.seen.setToolTip(
            tr("Only on what the model view shows: nothing behind other parts, nothing that faces away")
        )
        self.seen.toggled.connect(lambda on: self.painting.set(only_seen=on))
        row.addWidget(self.seen)
        row.addStretch(1)
        column.addLayout(row)

    def _mask_row(self, column: QVBoxLayout) -> None:
        self.masked = QWidget()
        row = QHBoxLayout(self.masked)
        row.setContentsMargins(0, 0, 0, 0)
        self.looks = mask_looks(self.comparing, row)
        row.addStretch(1)
        column.addWidget(self.masked)

    def _more_row(self, column: QVBoxLayout) -> None:
        """Effects to brush on, and a picture to confine the mask."""
        row = QHBoxLayout()
        self.effects = QComboBox()
        self.effects.addItems([tr("Brush on an effect …"), *_EFFECTS])
        self.effects.setToolTip(tr("An adjustment of what is below comes on top; the brush says where"))
        self.effects.activated.connect(self._brush_effect)
        row.addWidget(self.effects, 1)
        self.confine = QComboBox()
        self.confine.setToolTip(
            tr(
                "A picture laid over the sheets that confines what is painted on the mask: light passes "
                "bring its strongest parts, more passes the fainter ones"
            )
        )
        self.confine.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.confine.activated.connect(self._confine)
        row.addWidget(self.confine, 1)
        column.addLayout(row)

    def _kit_row(self, column: QVBoxLayout) -> None:
        row = QHBoxLayout()
        self.kit = QComboBox(editable=True)
        self.kit.setAccessibleName(tr("Paints of the kit"))
        self.kit.setToolTip(tr("Paints of the kit; write a name to keep this one"))
        self.kit.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        line = self.kit.lineEdit()
        if line is not None:
            line.setPlaceholderText(tr("A name for this paint"))
        self.kit.activated.connect(lambda at: self.painting.take_paint(self.kit.itemText(at)))
        row.addWidget(self.kit, 1)
        self.keep = QPushButton(tr("Keep"))
        self.keep.setToolTip(tr("Keep the ticked maps with their values under this name"))
        self.keep.clicked.connect(lambda: self.painting.keep_paint(self.kit.currentText()))
        row.addWidget(self.keep)
        column.addLayout(row)

    def _map_row(self, column: QVBoxLayout, name: str) -> None:
        line, spec = QHBoxLayout(), MAPS[name]
        box = QCheckBox(spec.title)
        box.setFixedWidth(with_text(88))
        box.toggled.connect(partial(self.painting.use, name))
        line.addWidget(box)
        own: ColourField | NumberField = (
            ColourField(spec.title) if spec.encoded else NumberField(0, 1, 2, "", spec.title)
        )
        own.changed.connect(partial(self._set_value, name))
        line.addWidget(own, 1)
        line.addStretch(0)  # where the value is not asked for
        column.addLayout(line)
        self.maps[name] = box, own

    # --- doing ------------------------------------------------------------------------------------------------

    def _brush_effect(self, at: int) -> None:
        title = self.effects.itemText(at)
        self.effects.setCurrentIndex(0)
        if title in _EFFECTS:
            self.painting.brush_effect(*_EFFECTS[title], title)

    def _confine(self, at: int) -> None:
        if at > 0:
            self.painting.confine(self.confine.itemText(at))
        self.confine.setCurrentIndex(0)

    def _set_value(self, name: str, value: str | float) -> None:
        self.painting.values[name] = value if isinstance(value, str) else round(value, 4)
        self.painting.use(name, True)

    # --- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        painting, project = self.painting, self.work.project
        show_items(self.confine, [tr("Confine the mask to …"), *([] if project is None else project.pictures)])
        self.confine.setCurrentIndex(0)
        kept = [] if project is None else list(project.paints)
        if kept != [self.kit.itemText(at) for at in range(self.kit.count())]:
            text = self.kit.currentText()
            show_items(self.kit, kept)
            self.kit.setEditText(text)
        moving = painting.tool in ("clone", "smear")
        self.takes.setVisible(moving)
        for widget in (self.kit, self.keep):
            widget.setVisible(not moving)
        boxes = [(self.erase, painting.erasing), (self.selected, painting.only_selected),
                 (self.seen, painting.only_seen)]  # fmt: skip
        for map_name, (box, own) in self.maps.items():
            boxes.append((box, map_name in painting.used))
            own.setVisible(not moving)
            value = painting.values[map_name]
            if isinstance(own, ColourField):
                own.set(str(value))
            else:
                own.set(float(value))
        for box, on in boxes:
            with QSignalBlocker(box):
                box.setChecked(on)
        self.target.setCurrentIndex(int(painting.on_mask))
        self.target.setEnabled(not moving)
        self.masked.setVisible(painting.on_mask)
        self.paint.setVisible(moving or (not painting.on_mask and not painting.erasing))
        show_looks(self.comparing, self.looks)
