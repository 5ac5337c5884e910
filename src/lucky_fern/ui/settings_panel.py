"""What is selected, and its few settings."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.maps import MAPS
from lucky_fern.core.placing.pose import texels_of
from lucky_fern.core.project.commands import SetChannel, SetContent, SetLayer, SetPlace
from lucky_fern.core.project.document import BLEND_MODES, Channel, Decal, Layer, Throw
from lucky_fern.ui.board_model import STARTING
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.fields import ColourField, NumberField


class SettingsPanel(QScrollArea):
    """Rebuilt when another layer, or another set of maps, is selected; otherwise only its values follow."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._shape: object = None
        self._binders: list[Callable[[Layer], None]] = []
        self.fields: dict[str, Any] = {}
        desk.project_changed.connect(self.refresh)
        desk.selection_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        layer = self.desk.layer
        shape = None if layer is None else (layer.id, type(layer.content), tuple(layer.channels), _kinds(layer))
        if shape != self._shape or self.widget() is None:
            self._shape = shape
            self._build(layer)
        if layer is not None:
            for bind in self._binders:
                bind(layer)

    # --- building ---------------------------------------------------------------------------------------------

    def _build(self, layer: Layer | None) -> None:
        self._binders, self.fields = [], {}
        page = QWidget(objectName="panel")
        page.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(page)
        column.setContentsMargins(10, 6, 10, 8)
        column.setSpacing(5)
        if layer is None:
            note = QLabel("Nothing is selected.", objectName="quiet")
            column.addWidget(note)
        else:
            self._layer_part(column)
            for name in MAPS:
                if name in layer.channels:
                    self._channel_part(column, name, layer.channels[name])
            if isinstance(layer.content, Decal):
                self._place_part(column)
        column.addStretch(1)
        self.setWidget(page)

    def _layer_part(self, column: QVBoxLayout) -> None:
        row = QHBoxLayout()
        title = QLabel(objectName="heading")
        row.addWidget(title, 1)
        blend = QComboBox()
        blend.addItems(BLEND_MODES)
        blend.setToolTip("How the layer combines with what is below it")
        blend.setAccessibleName("Blend mode")
        blend.activated.connect(lambda _: self._do(lambda layer: SetLayer(layer.id, blend=blend.currentText())))
        row.addWidget(blend)
        column.addLayout(row)
        opacity = NumberField(0, 100, 0, " %", "Opacity")
        opacity.changed.connect(
            lambda value: self._do(lambda layer: SetLayer(layer.id, opacity=value / 100), merge=True)
        )
        opacity.let_go.connect(self.desk.end_gesture)
        self._row(column, "Opacity", opacity)
        self.fields.update(blend=blend, opacity=opacity)
        self._binders.append(lambda layer: title.setText(layer.name))
        self._binders.append(lambda layer: blend.setCurrentText(layer.blend))
        self._binders.append(lambda layer: opacity.set(layer.opacity * 100))

    def _row(self, column: QVBoxLayout, title: str, field: QWidget) -> None:
        form = QHBoxLayout()
        label = QLabel(title)
        label.setFixedWidth(76)
        label.setAlignment(Qt.AlignmentFlag.AlignTop)
        label.setContentsMargins(0, 4, 0, 0)
        form.addWidget(label)
        form.addWidget(field, 1)
        column.addLayout(form)

    def _channel_part(self, column: QVBoxLayout, name: str, channel: Channel) -> None:
        """What the layer gives to one map: from the picture, or a value."""
        box = QWidget()
        row = QHBoxLayout(box)
        row.setContentsMargins(0, 0, 0, 0)
        decal = self.desk.layer is not None and isinstance(self.desk.layer.content, Decal)
        if decal and MAPS[name].kind != "normal":
            source = QComboBox()
            source.addItems(["picture", "value"])
            source.setAccessibleName(f"{MAPS[name].title}: from the picture or one value")
            source.setFixedWidth(74)
            source.activated.connect(lambda at: self._set_source(name, "picture" if at == 0 else STARTING[name]))
            row.addWidget(source, 0, Qt.AlignmentFlag.AlignTop)
            self._binders.append(
                lambda layer: source.setCurrentIndex(0 if layer.channels[name].source == "picture" else 1)
            )
            self.fields[f"{name} source"] = source
        if channel.source == "picture":
            what = channel.picture if channel.picture is not None else "its own picture"
            row.addWidget(QLabel(what if not decal else "", objectName="quiet"), 1)
        elif MAPS[name].kind == "colour":
            field = ColourField(MAPS[name].title)
            field.changed.connect(lambda value: self._set_source(name, value, merge=True))
            field.let_go.connect(self.desk.end_gesture)
            self._binders.append(lambda layer: field.set(str(layer.channels[name].source)))
            self.fields[name] = field
            row.addWidget(field, 1)
        else:
            number = NumberField(0, 1, 2, "", MAPS[name].title)
            number.changed.connect(lambda value: self._set_source(name, round(value, 4), merge=True))
            number.let_go.connect(self.desk.end_gesture)
            self._binders.append(lambda layer: number.set(float(layer.channels[name].source)))
            self.fields[name] = number
            row.addWidget(number, 1)
        self._row(column, MAPS[name].title, box)

    def _place_part(self, column: QVBoxLayout) -> None:
        rule = QFrame(objectName="rule")
        column.addWidget(rule)
        facts = QLabel()
        facts.setWordWrap(True)
        column.addWidget(facts)
        self.fields["facts"] = facts
        self._binders.append(lambda layer: self._show_facts(facts, layer))
        form = QFormLayout()
        form.setHorizontalSpacing(8)
        form.setVerticalSpacing(4)
        layer = self.desk.layer
        assert layer is not None and isinstance(layer.content, Decal)
        names = [("width", "Width"), ("height", "Height"), ("rotate", "Turn °")]
        if isinstance(layer.content.place, Throw):
            names += [("depth", "Reach"), ("angle_limit", "Facing °")]
        grid = QHBoxLayout()
        for key, title in names:
            cell = QVBoxLayout()
            cell.setSpacing(1)
            caption = QLabel(title, objectName="quiet")
            number = QDoubleSpinBox(decimals=1 if key in ("rotate", "angle_limit") else 4, maximum=1e6)
            number.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            number.setMinimum(-360 if key == "rotate" else 0.0001)
            number.setKeyboardTracking(False)
            number.setAccessibleName(title)
            number.setMinimumWidth(40)
            number.valueChanged.connect(partial(self._set_place, key))
            self.fields[key] = number
            self._binders.append(partial(self._show_number, number, key))
            cell.addWidget(caption)
            cell.addWidget(number)
            grid.addLayout(cell)
        column.addLayout(grid)
        row = QHBoxLayout()
        pixels = QCheckBox("Square pixels")
        pixels.setToolTip("Pixel art: pixels stay square when they are larger than texels")
        pixels.toggled.connect(self._set_pixels)
        self.fields["square pixels"] = pixels
        self._binders.append(lambda layer: _show_check(pixels, layer.content.sampling == "nearest"))
        row.addWidget(pixels)
        if isinstance(layer.content.place, Throw):
            through = QCheckBox("Through to hidden surfaces")
            through.toggled.connect(lambda on: self._set_place("through", on))
            self.fields["through"] = through
            self._binders.append(lambda layer: _show_check(through, _place(layer, "through")))
            row.addWidget(through)
        row.addStretch(1)
        column.addLayout(row)

    # --- showing and setting ----------------------------------------------------------------------------------

    def _show_number(self, number: QDoubleSpinBox, key: str, layer: Layer) -> None:
        decal = self.desk.decal
        value = decal[2] if key == "height" and decal is not None else _place(layer, key)
        if value is not None and not number.hasFocus():
            number.blockSignals(True)
            number.setValue(float(value))
            number.blockSignals(False)

    def _show_facts(self, label: QLabel, layer: Layer) -> None:
        decal, studio = self.desk.decal, self.desk.studio
        if decal is None or studio is None or not isinstance(layer.content, Decal):
            return
        texels = texels_of(studio.surface, studio.project, decal[1], decal[2])
        if texels is None:
            label.setText("Its middle lies on nothing that has a sheet: drag it onto the model.")
            label.setObjectName("warn")
            return
        kit = studio.project.pictures[layer.content.picture]
        across, down = max(1, round(texels[0])), max(1, round(texels[1]))
        text = f"Gets {across} × {down} texels from {kit.width} × {kit.height} pixels"
        if layer.content.sampling == "smooth" and kit.width > 4 * across and across < 160:
            text += ": will be soft. A larger sheet would help."
        label.setText(text + ("" if text.endswith(".") else "."))

    def _do(self, make: Callable[[Layer], Any], merge: bool = False) -> None:
        layer = self.desk.layer
        if layer is not None:
            self.desk.execute(make(layer), merge)

    def _set_source(self, name: str, value: str | float, merge: bool = False) -> None:
        self._do(lambda layer: SetChannel(layer.id, name, replace(layer.channels[name], source=value)), merge)

    def _set_place(self, key: str, value: float | bool) -> None:
        decal = self.desk.decal
        if decal is None:
            return
        layer, place, height = decal
        changes: dict[str, Any] = {key: value}
        if key == "width" and place.height is not None:
            changes["height"] = height * float(value) / place.width
        self.desk.end_gesture()
        self.desk.execute(SetPlace(layer.id, replace(place, **changes)))

    def _set_pixels(self, on: bool) -> None:
        layer = self.desk.layer
        if layer is not None and isinstance(layer.content, Decal):
            content = replace(layer.content, sampling="nearest" if on else "smooth")
            self.desk.execute(SetContent(layer.id, content))


def _kinds(layer: Layer) -> tuple[object, ...]:
    """What of a layer decides which inputs there are."""
    sources = tuple(channel.source == "picture" for channel in layer.channels.values())
    return (*sources, type(layer.content.place) if isinstance(layer.content, Decal) else None)


def _place(layer: Layer, key: str) -> Any:
    return getattr(layer.content.place, key, None) if isinstance(layer.content, Decal) else None


def _show_check(box: QCheckBox, on: bool) -> None:
    box.blockSignals(True)
    box.setChecked(bool(on))
    box.blockSignals(False)
