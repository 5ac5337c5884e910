"""The settings under the board: of the layer that is selected, whatever its kind."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import Command, SetGroup, SetLayer
from lucky_fern.core.project.document import Adjustment, Brushwork, Decal, Group, Layer, Wash
from lucky_fern.core.project.places import Along
from lucky_fern.core.project.plain import COLOUR_BLENDS
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.fields import NumberField
from lucky_fern.ui.settings.adjustment import adjustment_part
from lucky_fern.ui.settings.channels import channel_part, relief_part
from lucky_fern.ui.settings.decal import decal_part
from lucky_fern.ui.settings.scope import scope_part
from lucky_fern.ui.settings.stripe import stripe_part
from lucky_fern.ui.settings.wash import wash_part


class SettingsPanel(QScrollArea):
    """Rebuilt when another layer, or another set of maps, is selected; otherwise only its values follow.

    Parts of it are built by functions that add rows, put what tests and hands look for into ``fields``, and
    leave in ``binders`` what shows the layer's values.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._shape: object = None
        self.binders: list[Callable[[Layer], None]] = []
        self.fields: dict[str, Any] = {}
        desk.project_changed.connect(self.refresh)
        desk.selection_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        layer = self.desk.layer
        shape = None if layer is None else (layer.id, self.desk.chosen, _kinds(layer))
        if shape != self._shape or self.widget() is None:
            self._shape = shape
            self._build(layer)
        if layer is not None:
            for bind in self.binders:
                bind(layer)

    def _build(self, layer: Layer | None) -> None:
        self.binders, self.fields = [], {}
        page = QWidget(objectName="panel")
        page.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(page)
        column.setContentsMargins(10, 6, 10, 8)
        column.setSpacing(5)
        if layer is None:
            column.addWidget(QLabel("Nothing is selected.", objectName="quiet"))
        else:
            self._layer_part(column)
            if isinstance(layer.content, Adjustment):
                adjustment_part(self, column, layer.content.effect)
            elif isinstance(layer.content, Brushwork):
                self.note(column, "Painted at the Paint station (Ctrl+3).")
            elif not isinstance(layer.content, Group):
                for name in MAPS:
                    if name in layer.channels:
                        channel_part(self, column, name, layer)
            relief_part(self, column, layer)
            if isinstance(layer.content, Decal) and isinstance(layer.content.place, Along):
                stripe_part(self, column)
            elif isinstance(layer.content, Decal):
                decal_part(self, column, layer.content)
            elif isinstance(layer.content, Wash):
                wash_part(self, column, layer)
            self.rule(column)
            scope_part(self, column)
        column.addStretch(1)
        old = self.takeWidget()
        if old is not None:
            old.deleteLater()  # one of its own inputs may have asked for this
        self.setWidget(page)

    def _layer_part(self, column: QVBoxLayout) -> None:
        row = QHBoxLayout()
        title = QLabel(objectName="heading")
        row.addWidget(title, 1)
        group = self.desk.layer is not None and isinstance(self.desk.layer.content, Group)
        if group:
            isolated = QCheckBox("By itself")
            isolated.setToolTip("Put the group's layers together by themselves before they meet what is below")
            isolated.toggled.connect(lambda on: self.do(lambda layer: SetGroup(layer.id, isolated=on)))
            row.addWidget(isolated)
            self.fields["isolated"] = isolated
            self.binders.append(
                lambda layer: show_check(isolated, isinstance(layer.content, Group) and layer.content.isolated)
            )
        blend = QComboBox()
        blend.addItems(COLOUR_BLENDS)
        blend.setToolTip("How the layer combines with what is below it")
        blend.setAccessibleName("Blend mode")
        blend.activated.connect(lambda _: self.do_each(lambda layer: SetLayer(layer.id, blend=blend.currentText())))
        row.addWidget(blend)
        column.addLayout(row)
        opacity = NumberField(0, 100, 0, " %", "Opacity")
        opacity.changed.connect(
            lambda value: self.do_each(lambda layer: SetLayer(layer.id, opacity=value / 100), merge=True)
        )
        opacity.let_go.connect(self.desk.end_gesture)
        self.row(column, "Opacity", opacity)
        self.fields.update(blend=blend, opacity=opacity)
        count = len(self.desk.chosen)
        self.binders.append(lambda layer: title.setText(layer.name if count < 2 else f"{count} layers"))
        self.binders.append(lambda layer: blend.setCurrentText(layer.blend))
        self.binders.append(lambda layer: opacity.set(layer.opacity * 100))

    # --- for the parts ------------------------------------------------------------------------------------------

    def row(self, column: QVBoxLayout, title: str, field: QWidget) -> None:
        """A titled row."""
        form = QHBoxLayout()
        label = QLabel(title)
        label.setFixedWidth(76)
        label.setAlignment(Qt.AlignmentFlag.AlignTop)
        label.setContentsMargins(0, 4, 0, 0)
        form.addWidget(label)
        form.addWidget(field, 1)
        column.addLayout(form)

    def rule(self, column: QVBoxLayout) -> None:
        column.addWidget(QFrame(objectName="rule"))

    def note(self, column: QVBoxLayout, text: str) -> None:
        label = QLabel(text, objectName="quiet")
        label.setWordWrap(True)
        column.addWidget(label)

    def do(self, make: Callable[[Layer], Command], merge: bool = False) -> None:
        """An edit of the one layer that is shown."""
        layer = self.desk.layer
        if layer is not None:
            self.desk.execute(make(layer), merge)

    def do_each(self, make: Callable[[Layer], Command | None], merge: bool = False) -> None:
        """The same edit of all selected layers."""
        self.desk.execute_each(make, merge)


def _kinds(layer: Layer) -> tuple[object, ...]:
    """What of a layer decides which inputs there are."""
    channels = tuple((name, channel.source == "picture") for name, channel in layer.channels.items())
    content = layer.content
    if isinstance(content, Decal):
        return (channels, type(content.place))
    if isinstance(content, Adjustment):
        effect = content.effect
        return (channels, type(effect), len(getattr(effect, "stops", ())))
    return (channels, type(content), content.by if isinstance(content, Wash) else None)


def show_check(box: QCheckBox, on: bool) -> None:
    """Show a state without telling anybody."""
    box.blockSignals(True)
    box.setChecked(bool(on))
    box.blockSignals(False)
