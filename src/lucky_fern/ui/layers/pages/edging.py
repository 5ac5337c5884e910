"""The page of an edging: where it runs, its motif, its real sizes, and what it does at corners."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import Any, cast

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lucky_fern.core.compositing.layers.edged import corner_size_of, sizes_of, too_short
from lucky_fern.core.edging import fitted, groove_of
from lucky_fern.core.project.commands import Command, SetChannel, SetContent, Several
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.numbers import significant
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.words import tr

_ALONG = (
    ("islands", tr("UV seams and open borders")), ("parts", tr("borders of parts")), ("sharp", tr("sharp edges")),
    ("open", tr("open borders")), ("path", tr("paths drawn by hand")),
)  # fmt: skip
_MOTIFS = (("stitch", tr("stitch")), ("dash", tr("dash")), ("rivet", tr("rivet")), ("tooth", tr("tooth")),
           ("line", tr("line")))  # fmt: skip
_CORNERS = (("bend", tr("bend round")), ("stop", tr("stop before")), ("motif", tr("have their own")))
_LENGTHS = (("length", tr("Length"), 0.1), ("width", tr("Width"), 0.05), ("gap", tr("Gap"), 0.1),
            ("offset", tr("Offset"), 0.1), ("blur", tr("Blur"), 0.02))  # fmt: skip
_SHARES = (("height", tr("Height")), ("round", tr("Round")), ("jitter", tr("Jitter")))
_MOST_SHOWN = 40  # pictures of the kit in a list of motifs


def edging_part(form: Form, column: QVBoxLayout, layer: Layer) -> None:
    """Lengths are in model units; the longest that a slider goes up to follows the model."""
    form.rule(column)
    along = _choice(form, "along", _ALONG, tr("Where it runs"))
    along.activated.connect(lambda _: _run_along(form, along))
    draw = QPushButton(tr("Draw"), checkable=True)
    draw.setToolTip(tr("Points or strokes on the model or on a sheet: it runs along each"))
    draw.clicked.connect(lambda on: _arm(form, on))
    form.name("edging draw", draw)
    form.bind(lambda now: draw.setChecked(form.matter.striping.edging == now.id))
    form.row(column, tr("Along"), _line(along, draw))
    motif = _motifs(form, "motif", "picture", tr("The motif"))
    form.row(column, tr("Motif"), _line(motif))
    diagonal = 1.0 if form.matter.work.studio is None else form.matter.work.studio.model.diagonal
    for key, title, share in _LENGTHS:
        low = -share * diagonal if key == "offset" else (0.0 if key in ("gap", "blur") else share * diagonal / 1000)
        _number(form, column, key, title, low, share * diagonal, 4)
    for key, title in _SHARES:
        _number(form, column, key, title, 0, 1, 2)
    corners = _choice(form, "corners", _CORNERS, tr("What motifs do at corners"))
    corners.activated.connect(lambda _: _change(form, corners=corners.currentData()))
    own = _motifs(form, "corner_motif", "corner_picture", tr("The motif at corners"))
    form.bind(lambda now: own.setVisible(_edging(now).corners == "motif"))
    form.row(column, tr("Corners"), _line(corners, own))
    whole = QCheckBox(tr("Masks take whole motifs out"))
    whole.toggled.connect(lambda on: _change(form, whole=on))
    form.name("edging whole", whole)
    form.bind(lambda now: show_check(whole, _edging(now).whole))
    column.addWidget(whole)
    groove = QPushButton(tr("With its groove"))
    groove.setToolTip(tr("A sunken line below it, which shares its mask"))
    groove.clicked.connect(lambda: _with_studio(form, groove_of))
    form.name("edging groove", groove)
    fit = QPushButton(tr("Make it fit"))
    fit.setToolTip(tr("Shorten the motif so that every run holds one"))
    fit.clicked.connect(lambda: _with_studio(form, fitted))
    form.name("edging fit", fit)
    column.addWidget(_line(groove, fit))
    short = QLabel(objectName="warn")
    short.setWordWrap(True)
    column.addWidget(short)
    form.bind(partial(_show_short, form, short))


def _line(*widgets: QWidget) -> QWidget:
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    for widget in widgets:
        row.addWidget(widget)
    row.addStretch(1)
    return line


def _edging(layer: Layer) -> Edging:
    return cast(Edging, layer.content)


def _change(form: Form, merge: bool = False, **changes: Any) -> None:
    form.do(lambda now: SetContent(now.id, replace(_edging(now), **changes)), merge)


# --- inputs -------------------------------------------------------------------------------------------------------


def _number(form: Form, column: QVBoxLayout, key: str, title: str, low: float, high: float, digits: int) -> None:
    number = NumberField(low, high, digits, "", tr("{title} of the motif", title=title))
    number.changed.connect(lambda value: _change(form, True, **{key: significant(value)}))
    number.let_go.connect(form.matter.work.end_gesture)
    form.name(f"edging {key}", number)
    form.bind(lambda now: number.set(_length(form, _edging(now), key)))
    form.row(column, title, number)


def _length(form: Form, edging: Edging, key: str) -> float:
    given, studio = getattr(edging, key), form.matter.work.studio
    if given is None and studio is not None:
        sizes = sizes_of(studio.sources, edging)
        known = dict(zip(("length", "width", "gap"), sizes, strict=True))
        given = known.get(key, corner_size_of(studio.sources, edging))
    return float(given or 0.0)


def _choice(form: Form, key: str, items: tuple[tuple[str, str], ...], name: str) -> QComboBox:
    box = QComboBox()
    for value, title in items:
        box.addItem(title, value)
    box.setAccessibleName(name)
    form.name(f"edging {key}", box)
    form.bind(lambda now: box.setCurrentIndex(box.findData(getattr(_edging(now), key))))
    return box


def _motifs(form: Form, key: str, picture: str, name: str) -> QComboBox:
    """Made motifs, and pictures, figures and labels of the kit."""
    box = QComboBox()
    box.setAccessibleName(name)
    form.name(f"edging {key}", box)

    def show(layer: Layer) -> None:
        edging = _edging(layer)
        taken = getattr(edging, picture)
        with QSignalBlocker(box):
            box.clear()
            for value, title in _MOTIFS:
                box.addItem(title, (value, None))
            box.insertSeparator(box.count())
            for one in _pictures(form, taken):
                box.addItem(one, (getattr(edging, key), one))
            wanted = (getattr(edging, key), taken)
            box.setCurrentIndex(next((at for at in range(box.count()) if box.itemData(at) == wanted), 0))

    form.bind(show)
    box.activated.connect(lambda _: _take_motif(form, key, picture, box.currentData()))
    return box


def _pictures(form: Form, taken: str | None) -> Iterator[str]:
    project = form.matter.work.project
    names = list(project.pictures) if project is not None else []
    yield from dict.fromkeys([*([taken] if taken else []), *names[:_MOST_SHOWN]])


def _take_motif(form: Form, key: str, picture: str, chosen: tuple[str, str | None]) -> None:
    """Another motif; with a picture, its colours are taken where a colour was given."""

    def make(now: Layer) -> Command:
        edit = SetContent(now.id, replace(_edging(now), **{key: chosen[0], picture: chosen[1]}))
        colour = now.channels.get("colour")
        if picture == "picture" and colour is not None and (chosen[1] is not None) != colour.pictured:
            source = "picture" if chosen[1] is not None else "#d8cba8"
            paint = SetChannel(now.id, "colour", replace(colour, source=source))
            return Several((edit, paint) if chosen[1] is not None else (paint, edit), named=edit.title)
        return edit

    form.do(make)


# --- acts ---------------------------------------------------------------------------------------------------------


def _run_along(form: Form, box: QComboBox) -> None:
    layer, wanted = form.matter.selection.layer, box.currentData()
    if layer is None:
        return
    if wanted == "path":
        form.matter.striping.arm(True, layer.id)  # it runs along paths once there is one
        form.refresh()
    else:
        form.matter.striping.arm(False)
        _change(form, along=wanted, paths=())


def _arm(form: Form, on: bool) -> None:
    layer = form.matter.selection.layer
    if layer is not None:
        form.matter.looking.go_to("artwork")
        form.matter.striping.arm(on, layer.id)
        form.refresh()


def _with_studio(form: Form, make: Any) -> None:
    """An edit that is worked out on the model, beside the window."""
    layer, studio = form.matter.selection.layer, form.matter.work.studio
    if layer is None or studio is None:
        return
    number = layer.id
    form.matter.work.end_gesture()

    def done(edit: Command | None) -> None:
        if edit is not None:
            form.matter.work.execute(edit)

    form.matter.errands.send(tr("Laying the motif …"), lambda: make(studio, number), done)


def _show_short(form: Form, label: QLabel, layer: Layer) -> None:
    """Asked beside the window: working an edging out takes a moment."""
    studio, edging = form.matter.work.studio, _edging(layer)
    if studio is not None:
        form.matter.answers.ask(
            "what is too short for an edging", lambda: too_short(studio.sources, edging), label.setText
        )
