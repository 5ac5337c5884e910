"""The settings of a rule in a mask: what it measures, how far, and what of it shows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget

from lucky_fern.core.compositing.rules import BENDING, BORDER, FALL, GRAINS, RIM, STREAK, THICKNESS
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.kinds import Shape
from lucky_fern.core.project.numbers import significant
from lucky_fern.core.project.rules import (
    Crevices,
    Drips,
    Edges,
    Facing,
    Grain,
    Height,
    Occlusion,
    Rim,
    Rule,
    RuleShape,
    Seams,
    Thin,
    Vary,
)
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_LONGEST = 0.25  # of the model's diagonal, that a slider of a length goes up to
_TALL = 76  # pixels of a title


@dataclass(frozen=True)
class Field:
    """One setting: a choice of (words, value), a length in model units (``share`` of the diagonal if none is given),
    or a number."""

    name: str
    title: str
    choices: Sequence[tuple[str, Any]] = ()
    share: float | None = None
    low: float = 0.0
    high: float = 1.0
    decimals: int = 2


@dataclass(frozen=True)
class Look:
    """How a kind of rule is called and set, and what it begins with."""

    title: str
    make: Callable[[], RuleShape]
    fields: tuple[Field, ...] = ()


_SEED = Field("seed", tr("Seed"), low=0, high=99, decimals=0)
_RAYS = Field("rays", tr("Rays"), low=8, high=256, decimals=0)
_SIDES = (
    (tr("upwards"), (0.0, 1.0, 0.0)), (tr("downwards"), (0.0, -1.0, 0.0)), (tr("forwards"), (0.0, 0.0, 1.0)),
    (tr("backwards"), (0.0, 0.0, -1.0)), (tr("to the right"), (1.0, 0.0, 0.0)), (tr("to the left"), (-1.0, 0.0, 0.0)),
)  # fmt: skip
_BORDERS = (
    (tr("UV seams and open borders"), "islands"), (tr("borders of parts"), "parts"), (tr("sharp edges"), "sharp"),
    (tr("open borders"), "open"),
)  # fmt: skip
_EACH = ((tr("part"), "part"), (tr("island"), "island"), (tr("piece"), "piece"))
LOOKS: dict[type[Rule], Look] = {
    Edges: Look(
        tr("Edges"),
        lambda: RuleShape(Edges(), 0.1, 0.7),
        (Field("reach", tr("Reach"), share=BENDING),),
    ),
    Crevices: Look(
        tr("Crevices"),
        lambda: RuleShape(Crevices(), 0.1, 0.7),
        (Field("reach", tr("Reach"), share=BENDING),),
    ),
    Occlusion: Look(
        tr("Under cover"),
        lambda: RuleShape(Occlusion(), 0.1, 0.9),
        (Field("reach", tr("Reach"), share=1.0), _RAYS),
    ),
    Facing: Look(
        tr("Facing"),
        lambda: RuleShape(Facing(), 0.3, 0.9),
        (Field("direction", tr("Direction"), _SIDES), Field("angle", tr("Angle"), low=1, high=180, decimals=0)),
    ),
    Height: Look(
        tr("Between heights"),
        lambda: RuleShape(Height(), 0.5, 0.2),
        (Field("axis", tr("Along"), (("x", "x"), ("y", "y"), ("z", "z"))),),
    ),
    Thin: Look(
        tr("Thin places"),
        lambda: RuleShape(Thin()),
        (Field("reach", tr("Reach"), share=THICKNESS), _RAYS),
    ),
    Seams: Look(
        tr("Near seams"),
        lambda: RuleShape(Seams()),
        (Field("of", tr("Seams"), _BORDERS), Field("reach", tr("Reach"), share=BORDER),
         Field("angle", tr("Angle"), low=0, high=180, decimals=0)),
    ),
    Vary: Look(
        tr("Chance per part"),
        lambda: RuleShape(Vary(), 0.45, 0.55),
        (Field("by", tr("For each"), _EACH), _SEED),
    ),
    Grain: Look(
        tr("Grain"),
        lambda: RuleShape(Grain(), 0.4, 0.6),
        (Field("form", tr("Form"), ((tr("soft"), "soft"), (tr("cells"), "cells"), (tr("ridges"), "ridges"))),
         Field("size", tr("Size"), share=GRAINS), Field("octaves", tr("Detail"), low=1, high=8, decimals=0), _SEED),
    ),
    Drips: Look(
        tr("Runs"),
        lambda: RuleShape(Drips(), 0.1, 0.8),
        (Field("reach", tr("Reach"), share=FALL), Field("width", tr("Width"), share=STREAK),
         Field("angle", tr("Angle"), low=0, high=180, decimals=0), _SEED),
    ),
    Rim: Look(tr("Rim of a layer"), lambda: RuleShape(Grain()), (Field("reach", tr("Reach"), share=RIM),)),
}  # fmt: skip


def rule_text(shape: RuleShape, project: Project | None) -> str:
    """A rule in words."""
    title = LOOKS[type(shape.rule)].title
    if isinstance(shape.rule, Rim):
        of = shape.rule.of
        name = next((one.name for one in project.walk() if one.id == of), tr("nothing")) if project else ""
        return tr("rim of {name}", name=name)
    return title


def fill_rules(matter: Matter, menu: QMenu, add: Callable[[Shape], object]) -> None:
    """All rules; the rim of any other layer."""
    for kind, look in LOOKS.items():
        if kind is not Rim:
            menu.addAction(look.title, partial(_make, look, add))
    rims = menu.addMenu(LOOKS[Rim].title)
    project, own = matter.work.project, matter.selection.layer
    for layer in reversed(list(project.walk()) if project is not None else []):
        if own is None or layer.id != own.id:
            rims.addAction(layer.name, partial(add, RuleShape(Rim(layer.id), 0.2, 0.8)))
    rims.setEnabled(not rims.isEmpty())


def _make(look: Look, add: Callable[[Shape], object]) -> None:
    add(look.make())


class RulePart(QWidget):
    """Rows of settings for the rule that is shown; ``change`` is handed the shape as it is to be."""

    def __init__(self, matter: Matter, change: Callable[[RuleShape, bool], object], levels: bool = True) -> None:
        super().__init__()
        self.matter, self._change = matter, change
        self._levels = (
            (("low", tr("From"), -0.5, 1.5), ("high", tr("To"), -0.5, 1.5), ("gamma", tr("Gamma"), 0.1, 4.0))
            if levels else ()
        )  # fmt: skip
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._shape: RuleShape | None = None
        self._kind: type[Rule] | None = None
        self.inputs: dict[str, NumberField | QComboBox] = {}

    def show_shape(self, shape: RuleShape) -> None:
        """Show how a rule is set."""
        self._shape = shape
        look = LOOKS[type(shape.rule)]
        if self._kind is not type(shape.rule):
            self._kind = type(shape.rule)
            self._build(look)
        diagonal = self._diagonal
        for field in look.fields:
            value, box = getattr(shape.rule, field.name), self.inputs[field.name]
            if isinstance(box, QComboBox):
                box.setCurrentIndex(next((at for at, one in enumerate(field.choices) if one[1] == value), -1))
            else:
                box.set(diagonal * field.share if value is None and field.share is not None else float(value or 0))
        for name, *_ in self._levels:
            box = self.inputs[name]
            assert isinstance(box, NumberField)
            box.set(getattr(shape, name))

    @property
    def _diagonal(self) -> float:
        studio = self.matter.work.studio
        return 1.0 if studio is None else studio.model.diagonal

    def _build(self, look: Look) -> None:
        while self._column.count():
            line = self._column.takeAt(0)
            widget = None if line is None else line.widget()
            if widget is not None:
                widget.setParent(None)
                widget.deleteLater()
        self.inputs = {}
        for field in look.fields:
            if field.choices:
                self._row(field.name, field.title, self._choice(field))
                continue
            if field.share is not None:
                longest = self._diagonal * max(_LONGEST, field.share)
                number = NumberField(longest / 1000, longest, 4, "", field.title)
            else:
                number = NumberField(field.low, field.high, field.decimals, "", field.title)
            number.changed.connect(partial(self._set, field))
            number.let_go.connect(self.matter.work.end_gesture)
            self._row(field.name, field.title, number)
        for name, title, low, high in self._levels:
            level = NumberField(low, high, 3, "", tr("{title} of the rule", title=title))
            level.changed.connect(partial(self._set_level, name))
            level.let_go.connect(self.matter.work.end_gesture)
            self._row(name, title, level)

    def _choice(self, field: Field) -> QComboBox:
        box = QComboBox()
        for words, _ in field.choices:
            box.addItem(words)
        box.setAccessibleName(field.title)
        box.activated.connect(lambda at: self._set(field, field.choices[at][1]))
        return box

    def _row(self, name: str, title: str, box: NumberField | QComboBox) -> None:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        label = QLabel(title)
        label.setFixedWidth(with_text(_TALL))
        row.addWidget(label)
        row.addWidget(box, 1)
        self._column.addWidget(line)
        self.inputs[name] = box

    def _set(self, field: Field, value: Any) -> None:
        if self._shape is None:
            return
        if not field.choices:
            value = round(value) if field.decimals == 0 and field.share is None else significant(value)
        rule = replace(self._shape.rule, **{field.name: value})  # type: ignore[type-var]  # every rule is a struct
        self._change(replace(self._shape, rule=rule), not field.choices)

    def _set_level(self, name: str, value: float) -> None:
        if self._shape is None:
            return
        shape = replace(self._shape, **{name: round(value, 4)})
        if shape.low != shape.high:
            self._change(shape, True)
