"""Rows of the quay: what a material is in games that know no metal and roughness."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.exporting.numbers import ABOUT
from lucky_fern.core.project.light import EVERY, Numbers
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.words import tr

_ROWS = (
    ("ambient", tr("Ambient"), 0.0, 2.0), ("diffuse", tr("Diffuse"), 0.0, 2.0),
    ("specular", tr("Specular"), 0.0, 4.0),
    ("power", tr("Specular power"), 1.0, 256.0), ("fresnel_min", tr("Fresnel minimum"), 0.0, 2.0),
    ("fresnel_max", tr("Fresnel maximum"), 0.0, 4.0), ("fresnel_power", tr("Fresnel power"), 0.0, 10.0),
)  # fmt: skip


class NumbersPart(QWidget):
    """``changed`` tells that other numbers hold; ``keep`` puts them into the project."""

    changed = Signal()

    def __init__(self, numbers: Mapping[str, Numbers], keep: Callable[[str, Numbers], object] | None) -> None:
        super().__init__()
        self.numbers, self._keep = dict(numbers), keep
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.material = QComboBox()
        self.material.setAccessibleName(tr("Material"))
        self.material.activated.connect(lambda _: self.refresh())
        column.addWidget(self.material)
        self.fields: dict[str, NumberField] = {}
        for name, title, low, high in _ROWS:
            line = QWidget()
            row = QHBoxLayout(line)
            row.setContentsMargins(0, 0, 0, 0)
            label = QLabel(title, objectName="quiet")
            label.setFixedWidth(112)
            field = NumberField(low, high, 0 if high > 100 else 2, "", title)
            field.setToolTip(ABOUT[name])
            field.changed.connect(lambda value, name=name: self._set(name, value))
            self.fields[name] = field
            row.addWidget(label)
            row.addWidget(field, 1)
            column.addWidget(line)
            told = QLabel(ABOUT[name], objectName="quiet")
            told.setStyleSheet("font-size: 10px;")
            told.setWordWrap(True)
            column.addWidget(told)
        self.name_materials([])

    def name_materials(self, names: list[str]) -> None:
        """Whose numbers can be set."""
        now = self.material.currentData()
        self.material.clear()
        self.material.addItem(tr("All materials"), EVERY)
        for name in names if len(names) > 1 else []:
            self.material.addItem(name, name)
        self.material.setCurrentIndex(max(self.material.findData(now), 0))
        self.refresh()

    @property
    def now(self) -> Numbers:
        """Those of the material that is chosen."""
        known = self.numbers
        return known.get(str(self.material.currentData()), known.get(EVERY, Numbers()))

    def refresh(self) -> None:
        for name, field in self.fields.items():
            field.set(float(getattr(self.now, name)))

    def look(self) -> tuple[tuple[str, Numbers], ...]:
        """As the renderer takes them; there is always one."""
        return tuple({EVERY: Numbers(), **self.numbers}.items())

    def _set(self, name: str, value: float) -> None:
        material = str(self.material.currentData() or EVERY)
        self.numbers[material] = replace(self.now, **{name: round(value, 4)})
        if self._keep is not None:
            self._keep(material, self.numbers[material])
        self.changed.emit()
