"""What a decal is made of, and how far it stands out of the surface."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLabel

from lucky_fern.core.project.commands import SetChannel, Several
from lucky_fern.core.project.document import Channel, Layer
from lucky_fern.core.project.finishes import FINISHES, finished, raised, raised_by
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.words import tr


def finish_row(form: Form) -> QHBoxLayout:
    """What it is made of, and how far it stands out."""
    row = QHBoxLayout()
    made = QComboBox()
    made.addItems([tr("Made of …"), *FINISHES])
    made.setToolTip(tr("Sets its metallic and roughness values"))
    made.setAccessibleName(tr("What it is made of"))

    def finish(at: int) -> None:
        name = made.itemText(at)
        made.setCurrentIndex(0)
        if name in FINISHES:
            form.matter.selection.execute_each(lambda layer: _channels(layer, finished(layer.channels, name)))

    made.activated.connect(finish)
    form.name("finish", made)
    row.addWidget(made)
    thick = QDoubleSpinBox(decimals=3, minimum=-0.5, maximum=0.5, singleStep=0.01)
    thick.setToolTip(tr("How far it stands out (below 0: pressed in), as a share of the height map's range"))
    thick.setAccessibleName(tr("Thickness"))
    thick.setKeyboardTracking(False)
    thick.valueChanged.connect(
        lambda value: form.matter.selection.execute_each(
            lambda layer: _channels(layer, raised(layer.channels, value))
        )
    )
    form.name("thickness", thick)

    def show(layer: Layer) -> None:
        with QSignalBlocker(thick):
            thick.setValue(raised_by(layer.channels))

    form.bind(show)
    row.addWidget(QLabel(tr("Thickness"), objectName="quiet"))
    row.addWidget(thick)
    row.addStretch(1)
    return row


def _channels(layer: Layer, wanted: dict[str, Channel]) -> Several | None:
    """The edit that gives a layer these channels."""
    changed = [SetChannel(layer.id, name, wanted.get(name)) for name in {*layer.channels, *wanted}
               if layer.channels.get(name) != wanted.get(name)]  # fmt: skip
    return Several(tuple(changed), named="Change finish") if changed else None
