"""The page of an edging: where it runs, its motif, and its real sizes."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lucky_fern.core.compositing.layers.edged import laid, sizes_of, too_short
from lucky_fern.core.project.commands import AddLayer, MoveLayers, SetContent, Several
from lucky_fern.core.project.document import Channel, Layer
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.tree import home_of
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.words import tr

_ALONG = (
    ("islands", tr("UV seams and open borders")),
    ("parts", tr("borders of parts")),
    ("sharp", tr("sharp edges")),
    ("open", tr("open borders")),
)
_MOTIFS = (("stitch", tr("stitch")), ("dash", tr("dash")), ("rivet", tr("rivet")), ("tooth", tr("tooth")))
_LENGTHS = (("length", tr("Length"), 0.1), ("width", tr("Width"), 0.05), ("gap", tr("Gap"), 0.1),
            ("offset", tr("Offset"), 0.1))  # fmt: skip
_SUNKEN = 0.42  # of height, where 0.5 is level
_SHARES = (("height", tr("Height")), ("round", tr("Round")), ("jitter", tr("Jitter")))


def edging_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Lengths are in model units; the longest that a slider goes up to follows the model."""
    form.rule(column)
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    for key, items, name in (("along", _ALONG, tr("Where it runs")), ("motif", _MOTIFS, tr("The motif"))):
        box = QComboBox()
        for value, title in items:
            box.addItem(title, value)
        box.setAccessibleName(name)
        box.activated.connect(partial(_choose, form, key, box))
        form.name(f"edging {key}", box)
        form.bind(partial(_show_choice, box, key))
        row.addWidget(box)
    row.addStretch(1)
    form.row(column, tr("Along"), line)
    studio = form.matter.work.studio
    diagonal = 1.0 if studio is None else studio.model.diagonal
    for key, title, share in _LENGTHS:
        low = -share * diagonal if key == "offset" else (0.0 if key == "gap" else share * diagonal / 1000)
        number = NumberField(low, share * diagonal, 4, "", title)
        number.changed.connect(partial(_set, form, key))
        number.let_go.connect(form.matter.work.end_gesture)
        form.name(f"edging {key}", number)
        form.bind(partial(_show_length, form, number, key))
        form.row(column, title, number)
    for key, title in _SHARES:
        number = NumberField(0, 1, 2, "", tr("{title} of the motif", title=title))
        number.changed.connect(partial(_set, form, key))
        number.let_go.connect(form.matter.work.end_gesture)
        form.name(f"edging {key}", number)
        form.bind(partial(_show_share, number, key))
        form.row(column, title, number)
    acts = QWidget()
    buttons = QHBoxLayout(acts)
    buttons.setContentsMargins(0, 0, 0, 0)
    groove = QPushButton(tr("With its groove"))
    groove.setToolTip(tr("A sunken line below it, which shares its mask"))
    groove.clicked.connect(lambda: _add_groove(form))
    form.name("edging groove", groove)
    buttons.addWidget(groove)
    fit = QPushButton(tr("Make it fit"))
    fit.setToolTip(tr("Shorten the motif so that every run holds one"))
    fit.clicked.connect(lambda: _make_fit(form))
    form.name("edging fit", fit)
    buttons.addWidget(fit)
    buttons.addStretch(1)
    column.addWidget(acts)
    short = QLabel(objectName="warn")
    short.setWordWrap(True)
    column.addWidget(short)
    form.bind(partial(_show_short, form, short))


def _edging(layer: Layer) -> Edging:
    assert isinstance(layer.content, Edging)
    return layer.content


def _set(form: Form, key: str, value: float) -> None:
    form.do(lambda now: SetContent(now.id, replace(_edging(now), **{key: round(value, 6)})), merge=True)


def _choose(form: Form, key: str, box: QComboBox, _: int) -> None:
    form.do(lambda now: SetContent(now.id, replace(_edging(now), **{key: box.currentData()})))


def _show_choice(box: QComboBox, key: str, layer: Layer) -> None:
    box.setCurrentIndex(box.findData(getattr(_edging(layer), key)))


def _show_share(number: NumberField, key: str, layer: Layer) -> None:
    number.set(getattr(_edging(layer), key))


def _show_length(form: Form, number: NumberField, key: str, layer: Layer) -> None:
    edging, studio = _edging(layer), form.matter.work.studio
    given = getattr(edging, key)
    if given is None and studio is not None:
        given = dict(zip(("length", "width", "gap"), sizes_of(studio.sources, edging), strict=True))[key]
    number.set(float(given or 0.0))


def _add_groove(form: Form) -> None:
    """The same line, unbroken, wider and sunken, right below; one mask serves both."""
    layer, studio = form.matter.selection.layer, form.matter.work.studio
    if layer is None or studio is None:
        return
    edging = _edging(layer)
    length, width, gap = sizes_of(studio.sources, edging)
    wide, long = round(width * 1.7, 6), length + gap
    line = replace(
        edging, motif="dash", picture=None, length=long, gap=0.0, width=wide, round=0.0, jitter=0.0
    )  # fmt: skip
    name = tr("Groove of {name}", name=layer.name)
    add = AddLayer(
        name, line, {"height": Channel(_SUNKEN, relief=True)}, scope=layer.scope, above=layer.id, mask=layer.mask
    )
    parent, at = home_of(studio.project, layer.id)
    below = MoveLayers((studio.project.next_id,), at, parent)
    form.matter.work.end_gesture()
    form.matter.work.execute(Several((add, below), named=name))


def _make_fit(form: Form) -> None:
    layer, studio = form.matter.selection.layer, form.matter.work.studio
    if layer is not None and studio is not None:
        edging = _edging(layer)
        made = laid(studio.sources, edging)
        if made.short:
            share = made.fits / made.length
            new = replace(edging, length=made.fits, width=made.width * share, gap=made.gap * share)
            form.matter.work.execute(SetContent(layer.id, new))


def _show_short(form: Form, label: QLabel, layer: Layer) -> None:
    """Asked beside the window: working an edging out takes a moment."""
    studio, edging = form.matter.work.studio, _edging(layer)
    if studio is not None:
        form.matter.answers.ask(
            "what is too short for an edging", lambda: too_short(studio.sources, edging), label.setText
        )
