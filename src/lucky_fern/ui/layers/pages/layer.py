"""What every layer has: its name, opacity and blending; of a group, whether it is put together by itself."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QVBoxLayout

from lucky_fern.core.project.commands import SetGroup, SetLayer
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.plain import COLOUR_BLENDS
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.words import tr, word


def layer_page(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Name, opacity and blending: what every layer has."""
    row = QHBoxLayout()
    title = QLabel(objectName="heading")
    row.addWidget(title, 1)
    if layer.content.holds_layers:
        isolated = QCheckBox(tr("By itself"))
        isolated.setToolTip(tr("Put the group's layers together by themselves before they meet what is below"))
        isolated.toggled.connect(lambda on: form.do(lambda layer: SetGroup(layer.id, isolated=on)))
        row.addWidget(isolated)
        form.name("isolated", isolated)
        form.bind(lambda layer: show_check(isolated, layer.content.holds_layers and layer.content.isolated))
    blend = QComboBox()
    for name in COLOUR_BLENDS:
        blend.addItem(word(name), name)
    blend.setToolTip(tr("How the layer combines with what is below it"))
    blend.setAccessibleName(tr("Blend mode"))
    blend.activated.connect(lambda _: form.do_each(lambda layer: SetLayer(layer.id, blend=blend.currentData())))
    row.addWidget(blend)
    column.addLayout(row)
    opacity = NumberField(0, 100, 0, " %", tr("Opacity"))
    opacity.changed.connect(
        lambda value: form.do_each(lambda layer: SetLayer(layer.id, opacity=value / 100), merge=True)
    )
    opacity.let_go.connect(form.matter.work.end_gesture)
    form.row(column, tr("Opacity"), opacity)
    form.name("blend", blend)
    form.name("opacity", opacity)
    count = len(form.matter.selection.chosen)
    form.bind(lambda layer: title.setText(layer.name if count < 2 else f"{count} layers"))
    form.bind(lambda layer: blend.setCurrentIndex(blend.findData(layer.blend)))
    form.bind(lambda layer: opacity.set(layer.opacity * 100))
