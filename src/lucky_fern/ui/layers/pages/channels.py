"""What a layer gives to one map: from a picture, or a value; and how heights shape normals."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.checking.wrong_normals import WrongNormals, wrong_normals
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import Command, SetChannel
from lucky_fern.core.project.document import Channel, Layer, Relief
from lucky_fern.ui.layers.board_model import STARTING
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr, word

_OWN = tr("its own picture")


def channel_part(form: Form, column: QVBoxLayout, name: str, layer: Layer) -> None:
    """One row for one map."""
    box = QWidget()
    row = QHBoxLayout(box)
    row.setContentsMargins(0, 0, 0, 0)
    decal, channel = layer.content.place is not None, layer.channels[name]
    if not MAPS[name].directional:
        source = QComboBox()
        source.addItems([tr("picture"), tr("value")])
        source.setAccessibleName(tr("{title}: from a picture or one value", title=MAPS[name].title))
        source.setFixedWidth(with_text(74))
        source.activated.connect(lambda at: _choose_source(form, name, at == 0))
        row.addWidget(source, 0, Qt.AlignmentFlag.AlignTop)
        form.bind(lambda now: source.setCurrentIndex(0 if _from_picture(now, name) else 1))
        form.name(f"{name} source", source)
    if channel.pictured and layer.content.repeats:
        row.addWidget(QLabel(tr("of its motif"), objectName="quiet"), 1)
    elif channel.pictured:
        _picture_choice(form, row, name, decal)
    elif MAPS[name].encoded:
        field = ColourField(MAPS[name].title)
        field.changed.connect(lambda value: _set(form, name, value))
        field.let_go.connect(form.matter.work.end_gesture)
        form.bind(lambda now: field.set(str(now.channels[name].source)))
        form.name(name, field)
        row.addWidget(field, 1)
    else:
        number = NumberField(0, 1, 2, "", MAPS[name].title)
        number.changed.connect(lambda value: _set(form, name, round(value, 4)))
        number.let_go.connect(form.matter.work.end_gesture)
        form.bind(lambda now: number.set(float(now.channels[name].source)))
        form.name(name, number)
        row.addWidget(number, 1)
    form.row(column, MAPS[name].title, box)
    if (
        channel.pictured
        and not layer.content.repeats
        and (channel.moved or len([one for one in layer.channels.values() if one.pictured]) > 1)
    ):
        _moved_row(form, column, name, layer)
    if name == "normal" and channel.pictured:
        _normals_rows(form, column)


def _normals_rows(form: Form, column: QVBoxLayout) -> None:
    """How steep a layer's normals are; and that they are none, with what mends it."""
    steep = NumberField(-4, 4, 2, "", tr("How many times as steep as in the picture; below 0 the other way round"))

    def put(value: float) -> None:
        form.do(
            lambda now: SetChannel(now.id, "normal", replace(now.channels["normal"], strength=round(value, 3))), True
        )

    steep.changed.connect(put)
    steep.let_go.connect(form.matter.work.end_gesture)
    form.bind(lambda now: steep.set(now.channels["normal"].strength if "normal" in now.channels else 1.0))
    form.name("normal strength", steep)
    form.row(column, tr("Steep"), steep)
    told, mend = QLabel(), QPushButton(tr("Take it for height"))
    told.setWordWrap(True)
    mend.setToolTip(tr("The picture becomes this layer's height, which shapes the normals"))
    for widget in (told, mend):
        widget.setVisible(False)
        column.addWidget(widget)
    form.name("normals told", told)
    form.name("mend normals", mend)
    mend.clicked.connect(lambda: form.do(_height_instead(form)))
    form.bind(partial(_tell_normals, form, told, mend))


def _height_instead(form: Form) -> Callable[[Layer], Command]:
    def make(layer: Layer) -> Command:
        studio = form.matter.work.studio
        assert studio is not None
        found = wrong_normals(studio.sources, studio.project, layer)
        return SetChannel(layer.id, "normal", None) if found is None else found.remedy

    return make


def _tell_normals(form: Form, told: QLabel, mend: QPushButton, layer: Layer) -> None:
    studio = form.matter.work.studio
    if studio is None:
        return
    sources, project = studio.sources, studio.project

    def show(found: WrongNormals | None) -> None:
        if form.has("normals told", told):  # else another layer's page is shown by now
            told.setText("" if found is None else found.sentence)
            told.setVisible(found is not None)
            mend.setVisible(found is not None)

    form.matter.answers.ask("a layer's normals", lambda: wrong_normals(sources, project, layer), show)


def _moved_row(form: Form, column: QVBoxLayout, name: str, layer: Layer) -> None:
    """How this map's picture lies against those of the layer's other maps."""
    box = QWidget()
    row = QHBoxLayout(box)
    row.setContentsMargins(0, 0, 0, 0)
    placed = layer.content.placed
    for part, (mark, tip) in enumerate((
        ("↔ ", tr("Shifted to the right against the other maps, in tiles")),
        ("↕ ", tr("Shifted upwards against the other maps, in tiles")),
        ("× ", tr("How many times as large as on the other maps")),
    )):  # fmt: skip
        number = QDoubleSpinBox(decimals=4 if part < 2 else 3, prefix=mark)
        number.setRange(-10.0 if part < 2 else 0.01, 10.0 if part < 2 else 100.0)
        number.setSingleStep(0.001 if part < 2 else 0.01)
        number.setKeyboardTracking(False)
        number.setAccessibleName(tip)
        number.setToolTip(tip)
        number.setEnabled(part == 2 or placed is None or not placed[1].on_surface)
        number.valueChanged.connect(partial(_move, form, name, part))
        form.bind(partial(_show_moved, number, name, part))
        form.name(f"{name} moved {part}", number)
        row.addWidget(number)
    grip = QToolButton(text="✥", checkable=True)
    grip.setToolTip(tr("Handles in the sheet view, to drag and scale it there"))
    grip.setAccessibleName(tr("{title}: handles in the sheet view", title=MAPS[name].title))
    handles = form.matter.handles
    grip.setChecked(handles.moved_map == name)
    grip.clicked.connect(lambda on: handles.show_moved(name if on else None))
    form.bind(lambda _: grip.setChecked(handles.moved_map == name))
    form.name(f"{name} grip", grip)
    row.addWidget(grip)
    form.row(column, "", box)


def _show_moved(number: QDoubleSpinBox, name: str, part: int, layer: Layer) -> None:
    channel = layer.channels.get(name, Channel())
    with QSignalBlocker(number):
        number.setValue(channel.scale if part == 2 else channel.shift[part])


def _move(form: Form, name: str, part: int, value: float) -> None:
    def make(layer: Layer) -> SetChannel:
        channel = layer.channels[name]
        if part == 2:
            return SetChannel(layer.id, name, replace(channel, scale=round(value, 4)))
        shift = (round(value, 5), channel.shift[1]) if part == 0 else (channel.shift[0], round(value, 5))
        return SetChannel(layer.id, name, replace(channel, shift=shift))

    form.do(make, merge=True)


def _from_picture(layer: Layer, name: str) -> bool:
    return name in layer.channels and layer.channels[name].pictured


def _picture_choice(form: Form, row: QHBoxLayout, name: str, decal: bool) -> None:
    """Which picture of the kit this map takes."""
    project = form.matter.work.project
    choice = QComboBox()
    choice.setAccessibleName(tr("{title}: which picture", title=MAPS[name].title))
    choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    choice.setMinimumContentsLength(10)
    inside = {picture for tiles in project.sequences.values() for picture in tiles.values()} if project else set()
    names = [*project.sequences, *(n for n in project.pictures if n not in inside)] if project else []
    choice.addItems([_OWN, *names] if decal else names)

    def chosen(_: int) -> None:
        picture = None if choice.currentText() == _OWN else choice.currentText()
        form.do(lambda layer: SetChannel(layer.id, name, replace(layer.channels[name], picture=picture)))

    choice.activated.connect(chosen)
    form.bind(lambda now: choice.setCurrentText(now.channels[name].picture or _OWN))
    form.name(f"{name} picture", choice)
    row.addWidget(choice, 1)


def _choose_source(form: Form, name: str, picture: bool) -> None:
    layer, project = form.matter.selection.layer, form.matter.work.project
    if layer is None or project is None:
        return
    channel = layer.channels[name]
    if not picture:
        kept = channel.picture if layer.content.place is not None else None
        form.do(lambda now: SetChannel(now.id, name, replace(channel, source=STARTING[name], picture=kept)))
        return
    known = [*project.sequences, *project.pictures]
    if layer.content.place is None and not known:
        form.matter.work.said.emit(tr("The kit holds no picture yet; add one in the tray."), True)
        form.refresh()
        return
    own = channel.picture if layer.content.place is not None else channel.picture or known[0]
    form.do(lambda now: SetChannel(now.id, name, replace(channel, source="picture", picture=own)))


def _set(form: Form, name: str, value: str | float) -> None:
    """A value for all selected layers that give one to this map."""

    def make(layer: Layer) -> SetChannel | None:
        channel: Channel | None = layer.channels.get(name)
        if channel is None or channel.pictured:
            return None
        return SetChannel(layer.id, name, replace(channel, source=value))

    form.do_each(make, merge=True)


def relief_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Whether this layer's height shapes the normal map, and how strongly."""
    if "height" not in layer.channels:
        return
    box = QWidget()
    row = QHBoxLayout(box)
    row.setContentsMargins(0, 0, 0, 0)
    shapes = QCheckBox(tr("shapes the normal map"))
    shapes.setToolTip(tr("This layer's height also bends the light, without a normal map of its own"))
    usual = Relief()

    def set_relief(relief: Relief | None, merge: bool = False) -> None:
        form.do(lambda now: SetChannel(now.id, "height", replace(now.channels["height"], relief=relief)), merge)

    shapes.toggled.connect(lambda on: set_relief(usual if on else None))
    row.addWidget(shapes)
    strength = QDoubleSpinBox(decimals=3, minimum=-1e6, maximum=1e6)
    strength.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    strength.setKeyboardTracking(False)
    strength.setAccessibleName(tr("How high this layer's height of 1 stands above 0"))
    strength.setToolTip(tr("How high this layer's height of 1 stands above 0"))
    unit = QComboBox()
    for name in ("texels", "units"):
        unit.addItem(word(name), name)
    unit.setToolTip(tr("Texels of a sheet of the project's size, or units of the model"))
    row.addWidget(strength, 1)
    row.addWidget(unit)

    def show(now: Layer) -> None:
        if "height" not in now.channels:
            return
        relief = now.channels["height"].relief
        with QSignalBlocker(shapes), QSignalBlocker(strength):
            shapes.setChecked(relief is not None)
            if not strength.hasFocus():
                strength.setValue((relief or usual).strength)
        unit.setCurrentIndex(unit.findData((relief or usual).unit))
        strength.setEnabled(relief is not None)
        unit.setEnabled(relief is not None)

    def changed() -> None:
        set_relief(Relief(strength.value(), unit.currentData()))

    strength.valueChanged.connect(lambda _: changed())
    unit.activated.connect(lambda _: changed())
    form.name("relief", shapes)
    form.name("relief strength", strength)
    form.name("relief unit", unit)
    form.bind(show)
    label = QLabel("")
    label.setFixedWidth(with_text(76))
    line = QHBoxLayout()
    line.addWidget(label)
    line.addWidget(box, 1)
    column.addLayout(line)
