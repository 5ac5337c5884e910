"""In the place of the board: the ops of the picture being made ready as a list, and the inputs of the chosen one."""

from __future__ import annotations

from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker, QSize, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.project.effects import Curve
from lucky_fern.core.project.kinds import Op
from lucky_fern.core.project.patterns import Pattern
from lucky_fern.core.project.preparations import Adjust, CutOut, Relief, Straighten
from lucky_fern.ui.kit.op_handles import with_corners
from lucky_fern.ui.kit.op_rows import ORDER, ROWS, Colour, Hue, Input, Pick, Sizes, Slider, Twos, shown_as, titled
from lucky_fern.ui.kit.preparing_view import PreparingView
from lucky_fern.ui.session.preparing import Preparing
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.curve_field import CurveField
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.lists import ShrinkingList
from lucky_fern.ui.widgets.page import Page, button, choice, clear, menu_button, whole
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.words import tr


class PreparingPanel(Page):
    """Follows :class:`Preparing`; owns nothing of it."""

    def __init__(self, preparing: Preparing, view: PreparingView) -> None:
        super().__init__()
        self.preparing, self.view = preparing, view
        self._kind: object = None  # what the inputs are of
        self._shown: dict[str, Any] = {}  # input by its field
        self._told_rim = False
        top = QHBoxLayout()
        self.title = QLabel(objectName="projectName")
        self.back = QPushButton(tr("Done"), objectName="primary", toolTip=tr("Back to the layers and sheets (Esc)"))
        self.back.clicked.connect(lambda _=False: preparing.close())
        top.addWidget(self.title, 1)
        top.addWidget(self.back)
        self.column.addLayout(top)
        self.note(tr("The original stays as it is. Every layer that shows the picture follows."))
        self.rim = QWidget()
        line = QHBoxLayout(self.rim)
        line.setContentsMargins(0, 0, 0, 0)
        self.rim_told = QLabel(objectName="warn", wordWrap=True)
        line.addWidget(self.rim_told, 1)
        line.addWidget(button(tr("Mend it"), tr("Recolour the rim from inside"), preparing.mend_rim))
        self.column.addWidget(self.rim)
        self.list = ShrinkingList(objectName="plain", accessibleName=tr("Ops, in the order in which they are done"))
        self.list.setFixedHeight(with_text(132))
        self.list.currentRowChanged.connect(preparing.choose)
        self.list.itemChanged.connect(lambda item: preparing.switch(
            self.list.row(item), item.checkState() == Qt.CheckState.Checked))  # fmt: skip
        self.list.remove_asked.connect(preparing.remove)
        self.column.addWidget(self.list)
        tools = [self._tool("up", tr("Do it earlier"), lambda: preparing.move(-1)),
                 self._tool("down", tr("Do it later"), lambda: preparing.move(1)),
                 self._tool("delete", tr("Take this op out"), preparing.remove)]  # fmt: skip
        row = self.row(menu_button(tr("Add"), tr("An op after the chosen one"), self._fill), stretch=True)
        for tool in tools:
            row.addWidget(tool)
        self.problem = self.note(name="warn")
        self.problem.setWordWrap(True)
        self.inputs = QWidget()
        self.form = QVBoxLayout(self.inputs)
        self.form.setContentsMargins(0, 4, 0, 0)
        self.form.setSpacing(6)
        self.column.addWidget(self.inputs)
        self.column.addStretch(1)
        view.before.picked.connect(self._picked)
        preparing.opened.connect(self.show_picture)
        preparing.changed.connect(self.refresh)
        preparing.shown.connect(self._tell)
        self._picking = ""
        self.show_picture()

    def _tool(self, icon_name: str, tip: str, action: Any) -> QToolButton:
        made = QToolButton(icon=icon(icon_name), toolTip=tip, iconSize=QSize(16, 16))
        made.clicked.connect(lambda _=False: action())
        return made

    def _fill(self, menu: QMenu) -> None:
        menu.clear()
        menu.setToolTipsVisible(True)
        for name in ORDER:
            if not name:
                menu.addSeparator()
                continue
            menu.addAction(ROWS[name].title, partial(self.add, name)).setToolTip(ROWS[name].tip)

    def add(self, name: str) -> None:
        """One op more, as it begins for this picture."""
        found, by = self.preparing.view, self.preparing.by
        state = found.after if found is not None else None
        wide, high = (one / by for one in state.size) if state is not None else (100.0, 100.0)
        self.preparing.add(ROWS[name].begin(wide, high))

    def show_picture(self) -> None:
        """Another picture is made ready."""
        rim = self.preparing.rim
        self.rim.setVisible(rim is not None)
        if rim is not None:
            self.rim_told.setText(
                tr(
                    "It has a rim of {colour} along {share:.0%} of its alpha's border.",
                    colour=rim.colour,
                    share=rim.share,
                )
            )
        self.title.setText(self.preparing.picture)
        self.refresh()

    def refresh(self) -> None:
        """List the ops; the inputs are made anew only for another kind of op."""
        steps, at = self.preparing.steps, self.preparing.at
        with QSignalBlocker(self.list):
            while self.list.count() > len(steps):
                self.list.takeItem(self.list.count() - 1)
            for number, step in enumerate(steps):
                item = self.list.item(number)
                if item is None:
                    item = QListWidgetItem()
                    item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                    self.list.addItem(item)
                item.setText(f"{number + 1}  {titled(step.op)}")
                item.setCheckState(Qt.CheckState.Checked if step.on else Qt.CheckState.Unchecked)
            self.list.setCurrentRow(at)
        self.rim.setVisible(self.preparing.rim is not None)
        op = self.preparing.op
        kind = None if op is None else (shown_as(op).title, getattr(op, "colour", None) is None)
        if kind != self._kind:
            self._kind = kind
            self._make(op)
        if op is not None:
            self._show(op)

    def _tell(self) -> None:
        found = self.preparing.view
        notes = () if found is None or found.after is None else found.after.notes
        self.problem.setText((found.problem if found is not None else "") or " ".join(notes))

    # --- inputs ---------------------------------------------------------------------------------------------------

    def _make(self, op: Op | None) -> None:
        """The inputs of an op."""
        if self.view.before.doing:
            self.view.before.do("")
        clear(self.form)
        self._shown = {}
        if op is None:
            self._note(tr("Add an op: cut out, straighten, mend a rim, even the light … They are done from the top."))
            return
        self._note(shown_as(op).tip + ".")
        for one in shown_as(op).inputs:
            self._input(one)
        if isinstance(op, Adjust) and isinstance(op.effect, Curve):
            bend = CurveField()
            bend.changed.connect(lambda points: self._set(points=points))
            bend.let_go.connect(self.preparing.settle)
            self._shown["points"] = bend
            self.form.addWidget(bend)
        if isinstance(op, Straighten):
            self._buttons((tr("Propose corners"), tr("Look for the sign's edges"), self._propose))
        if isinstance(op, CutOut):
            self._buttons(
                (tr("Keep"), tr("Draw over what belongs to it"), lambda: self.view.before.do("keep")),
                (tr("Drop"), tr("Draw over what does not"), lambda: self.view.before.do("drop")),
                (tr("Forget strokes"), tr("Take all strokes away"), lambda: self._set(keep=(), drop=())),
            )
        if isinstance(op, Relief | Pattern):
            self._buttons(*((title, tr("Look at that"), partial(self.view.show_beside, look)) for look, title in (
                ("picture", tr("Picture")), ("height", tr("Height")), ("normal", tr("Normal")))))  # fmt: skip

    def _note(self, text: str) -> None:
        label: QLabel = QLabel(text, objectName="quiet", wordWrap=True)
        self.form.addWidget(label)

    def _buttons(self, *made: tuple[str, str, Any]) -> None:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        for one in made:
            row.addWidget(button(*one))
        row.addStretch(1)
        self.form.addWidget(line)

    def _input(self, one: Input) -> None:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        title: QLabel = QLabel(one.title)
        title.setFixedWidth(with_text(104))
        row.addWidget(title, 0, Qt.AlignmentFlag.AlignTop)
        field = one.field
        if isinstance(one, Slider):
            slider = NumberField(one.low, one.high, one.decimals, "", one.title)
            slider.changed.connect(lambda value: self._set(**{field: self._rounded(value, one.decimals)}))
            slider.let_go.connect(self.preparing.settle)
            row.addWidget(slider, 1)
            self._shown[field] = slider
        elif isinstance(one, Pick):
            box = choice(one.title, [(text, word) for word, text in one.words])
            box.activated.connect(lambda _: self._set(**{field: box.currentData()}))
            row.addWidget(box)
            row.addStretch(1)
            self._shown[field] = box
        elif isinstance(one, Sizes):
            wide, high = whole(tr("Width"), 1, 16384, 1), whole(tr("Height"), 1, 16384, 1)
            for box_ in (wide, high):
                box_.setKeyboardTracking(False)
                box_.valueChanged.connect(lambda _: self._set(**{field: (wide.value(), high.value())}))
            for part in (wide, QLabel("×"), high):
                row.addWidget(part)
            row.addStretch(1)
            self._shown[field] = (wide, high)
        elif isinstance(one, Hue):
            self._hue(one, row)
        elif isinstance(one, Colour):
            colour = ColourField(one.title)
            colour.changed.connect(lambda value: self._set(**{field: value}))
            colour.let_go.connect(self.preparing.settle)
            row.addWidget(colour, 1)
            self._shown[field] = colour
        elif isinstance(one, Twos):
            count = whole(one.title, 2, 512, 2)
            count.setSingleStep(2)
            count.setKeyboardTracking(False)
            count.valueChanged.connect(lambda value: self._set(**{field: value + value % 2}))
            row.addWidget(count)
            row.addStretch(1)
            self._shown[field] = count
        else:
            tick = QCheckBox()
            tick.setAccessibleName(one.title)
            tick.toggled.connect(lambda on: self._set(**{field: on}))
            row.addWidget(tick)
            row.addStretch(1)
            self._shown[field] = tick
        self.form.addWidget(line)

    def _hue(self, one: Hue, row: QHBoxLayout) -> None:
        """A colour of one's own, or none."""
        inner = QVBoxLayout()
        own: QCheckBox = QCheckBox(tr("This colour"), toolTip=one.none_title)
        colour = ColourField(one.title)
        pick = button(tr("Take it from the picture"), tr("Click a place in the picture on the left"),
                      partial(self._pick, one.field))  # fmt: skip
        own.toggled.connect(lambda on: self._set(**{one.field: colour.text.text() if on else one.none}))
        colour.changed.connect(lambda value: self._set(**{one.field: value}))
        colour.let_go.connect(self.preparing.settle)
        pick.setHidden(isinstance(self.preparing.op, Pattern))  # there is none
        inner.addWidget(own)
        inner.addWidget(colour)
        inner.addWidget(pick)
        row.addLayout(inner, 1)
        self._shown[one.field] = (own, colour, one.none)

    def _pick(self, field: str) -> None:
        self._picking = field
        self.view.before.do("pick")

    def _picked(self, colour: str) -> None:
        self._set(**{self._picking: colour})

    def _rounded(self, value: float, decimals: int) -> float | int:
        return round(value) if decimals == 0 else round(value, decimals + 1)

    def _show(self, op: Op) -> None:
        """Show how the op is set."""
        held: Any = op.effect if isinstance(op, Adjust) else op
        for field, shown in self._shown.items():
            value = getattr(held, field)
            if isinstance(shown, NumberField):
                shown.set(float(value if isinstance(value, int | float) else len(value)))
            elif isinstance(shown, CurveField):
                shown.set(value)
            elif isinstance(shown, QComboBox):
                with QSignalBlocker(shown):
                    shown.setCurrentIndex(shown.findData(value))
            elif isinstance(shown, QCheckBox):
                show_check(shown, value)
            elif isinstance(shown, ColourField):
                shown.set(value)
            elif isinstance(shown, QSpinBox):
                with QSignalBlocker(shown):
                    shown.setValue(value)
            elif isinstance(shown[0], QSpinBox):
                size = value if value is not None else op.out_size if isinstance(op, Straighten) else (1, 1)
                for box, length in zip(shown, size, strict=True):
                    with QSignalBlocker(box):
                        box.setValue(length)
            else:
                own, colour, none = shown
                show_check(own, value != none)
                colour.setVisible(value != none)
                if value != none:
                    colour.set(value)

    def _set(self, **changes: object) -> None:
        op = self.preparing.op
        if op is None:
            return
        if isinstance(op, Adjust):
            held: Any = op.effect
            self.preparing.set_op(Adjust(replace(held, **changes)))
            return
        made: Any = op
        self.preparing.set_op(replace(made, **changes))

    def _propose(self) -> None:
        op = self.preparing.op
        if op is not None:
            self.preparing.propose_corners(lambda corners: self.preparing.set_op(with_corners(op, corners)))
