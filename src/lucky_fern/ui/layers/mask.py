"""The mask of the selected layer: its entries, topmost first, and the settings of one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.compositing.rules import BENDING
from lucky_fern.core.project.commands import AddMaskEntry, GiveMask, MoveMaskEntry, SetMask, SetMaskEntry
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.kinds import Shape
from lucky_fern.core.project.numbers import significant
from lucky_fern.core.project.rules import Grain, RuleShape
from lucky_fern.core.project.shapes import Fill, HeardShape, Mask, MaskEntry, PaintedShape, PictureShape, ScopeShape
from lucky_fern.core.taking import snapshot
from lucky_fern.ui.layers.copying import copy_mask, paste_mask
from lucky_fern.ui.layers.mask_adding import add_shape, fill_add_menu
from lucky_fern.ui.layers.mask_looks import mask_looks
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.scope import KINDS, ScopeButton, told
from lucky_fern.ui.layers.rule_part import RulePart, rule_text
from lucky_fern.ui.session.effect_inputs import kept_apart
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.lists import ShrinkingList
from lucky_fern.ui.widgets.page import Page
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr, word

_TIPS = {
    "opacity": tr("How far this entry counts"),
    "grow": tr("Texels that it is grown by; shrunk below 0"),
    "smooth": tr("Evens its edges out over so many texels, and leaves them sharp"),
    "feather": tr("Blurs it, in texels"),
}
MODES = {"replace": tr("replace"), "add": tr("add"), "subtract": tr("subtract"), "intersect": tr("intersect"),
         "confine": tr("confine")}  # fmt: skip


def _filled(shape: Fill, project: Project | None) -> str:
    return tr("everything") if shape.value >= 1 else tr("nothing") if shape.value <= 0 else f"{shape.value:.0%}"


def _pictured(shape: PictureShape, project: Project | None) -> str:
    return tr("{use} of {picture}", use=word(shape.use), picture=shape.picture)


def _scoped(shape: ScopeShape, project: Project | None) -> str:
    parts = [told(kind, getattr(shape.scope, kind)) for kind in (*KINDS, "islands")
             if getattr(shape.scope, kind) is not None]  # fmt: skip
    return ", ".join(parts) or tr("everywhere")


def _heard(shape: HeardShape, project: Project | None) -> str:
    if shape.like is None:
        return tr("as bright as {map} below", map=shape.source)
    return tr("where {map} below is like {value}", map=shape.source, value=shape.like)


def _drawn(shape: PaintedShape, project: Project | None) -> str:
    return tr("painted")


# What an entry's shape is called.
WORDS: dict[type[Shape], Callable[[Any, Project | None], str]] = {
    Fill: _filled, PictureShape: _pictured, ScopeShape: _scoped, RuleShape: rule_text, HeardShape: _heard,
    PaintedShape: _drawn,
}  # fmt: skip


def shape_text(shape: Shape, project: Project | None = None) -> str:
    """An entry's shape in words."""
    return WORDS[type(shape)](shape, project)


@guarded
class MaskPanel(Page):
    """Follows the selected layer; every change is a command on its mask."""

    def __init__(self, matter: Matter) -> None:
        super().__init__()
        self.matter = matter
        column = self.column
        column.setContentsMargins(10, 6, 10, 8)
        column.setSpacing(4)
        self.title = QLabel()
        self.title.setWordWrap(True)
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        self.on = QCheckBox(tr("on"))
        self.on.toggled.connect(
            lambda on: self._with_mask(lambda number: self.matter.work.execute(SetMask(number, on=on)))
        )
        self.invert = QCheckBox(tr("inverted"))
        self.invert.toggled.connect(
            lambda on: self._with_mask(lambda number: self.matter.work.execute(SetMask(number, invert=on)))
        )
        head.addWidget(self.on)
        head.addWidget(self.invert)
        column.addLayout(head)
        column.addLayout(self._buttons())
        row = QHBoxLayout()
        self.looks = mask_looks(matter.comparing, row)
        row.addStretch(1)
        column.addLayout(row)
        self.list = ShrinkingList()
        self.list.remove_asked.connect(self._remove)
        self.list.setAccessibleName(tr("Entries of the mask, topmost first"))
        self.list.setFixedHeight(with_text(74))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda _: self._show_entry())
        column.addWidget(self.list)
        self.details = QWidget()
        column.addWidget(self.details)
        self._build_details()
        column.addStretch(1)
        matter.work.project_changed.connect(self.refresh)
        matter.selection.changed.connect(self.refresh)
        self.refresh()

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(2)
        add = QToolButton(text=tr("Add ▾"), popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        add.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu = QMenu(add)
        menu.aboutToShow.connect(lambda: fill_add_menu(self.matter, menu, self.add_shape))
        add.setMenu(menu)
        self.add = add
        row.addWidget(add)
        self.acts: dict[str, QToolButton] = {}
        actions: list[tuple[str, str, Callable[[], object]]] = [
            (tr("Copy"), tr("Copy this mask"), lambda: self._with_layer(lambda layer: copy_mask(self.matter, layer))),
            (
                tr("Paste"),
                tr("Give the selected layers a copy of the copied mask"),
                lambda: paste_mask(self.matter, False),
            ),
            (
                tr("Paste inverted"),
                tr("Its opposite: one shows where the other does not"),
                lambda: paste_mask(self.matter, True),
            ),
            (
                tr("Remove"),
                tr("Show the layer everywhere again"),
                lambda: self.matter.work.execute(GiveMask(self.matter.selection.chosen, None)),
            ),
        ]
        for text, tip, action in actions:
            button = QToolButton(text=text, toolTip=tip)
            button.clicked.connect(lambda _=False, action=action: action())
            self.acts[text] = button
            row.addWidget(button)
        row.addStretch(1)
        return row

    def _build_details(self) -> None:
        column = QVBoxLayout(self.details)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        self.mode = QComboBox()
        for mode, title in MODES.items():
            self.mode.addItem(title, mode)
        self.mode.setToolTip(tr("How this entry meets those below it"))
        self.mode.activated.connect(lambda _: self._change(mode=self.mode.currentData()))
        self.entry_invert = QCheckBox(tr("inverted"))
        self.entry_invert.toggled.connect(lambda on: self._change(invert=on))
        self.entry_on = QCheckBox(tr("on"))
        self.entry_on.toggled.connect(lambda on: self._change(on=on))
        row.addWidget(self.mode)
        row.addWidget(self.entry_invert)
        row.addWidget(self.entry_on)
        row.addStretch(1)
        steps: list[tuple[str, str, Callable[[], object]]] = [
            ("↑", tr("Move the entry up"), lambda: self._move(1)),
            ("↓", tr("Move the entry down"), lambda: self._move(-1)),
            ("−", tr("Take the entry out"), self._remove),
        ]
        for text, tip, action in steps:
            button = QToolButton(text=text, toolTip=tip)
            button.clicked.connect(lambda _=False, action=action: action())
            row.addWidget(button)
        column.addLayout(row)
        self.scopes = QWidget()
        scopes = QHBoxLayout(self.scopes)
        scopes.setContentsMargins(0, 0, 0, 0)
        self.scope_buttons = {kind: ScopeButton(self.matter, kind) for kind in KINDS}
        for button in self.scope_buttons.values():
            button.scope_chosen.connect(lambda scope: self._change(shape=ScopeShape(scope)))
            scopes.addWidget(button)
        scopes.addStretch(1)
        column.addWidget(self.scopes)
        self.heard = QPushButton(tr("Make it a snapshot"))
        self.heard.setToolTip(tr("It stays as it is now, whatever is changed below, and can be painted on"))
        self.heard.clicked.connect(self._snapshot)
        column.addWidget(self.heard)
        self.pictures = QWidget()
        pictures = QHBoxLayout(self.pictures)
        pictures.setContentsMargins(0, 0, 0, 0)
        self.handles = QToolButton(text=tr("Handles"), checkable=True)
        self.handles.setToolTip(tr("Move, scale and turn the picture in either view"))
        self.handles.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
        self.handles.clicked.connect(lambda on: self._show_handles())
        pictures.addWidget(self.handles)
        self.repeat = QCheckBox(tr("Repeated"))
        self.repeat.setToolTip(tr("In both directions, over all tiles of the material"))
        self.repeat.toggled.connect(self._set_repeat)
        pictures.addWidget(self.repeat)
        pictures.addStretch(1)
        column.addWidget(self.pictures)
        self.rule = RulePart(self.matter, lambda shape, merge: self._change(merge, shape=shape))
        column.addWidget(self.rule)
        self.break_up = QToolButton(text=tr("Break it up"))
        self.break_up.setToolTip(tr("Only where grain lets it through: an entry of noise above"))
        self.break_up.clicked.connect(self._break_up)
        column.addWidget(self.break_up)
        self.numbers: dict[str, NumberField] = {}
        for name, title, low, high, decimals in (
            ("opacity", tr("Counts"), 0.0, 1.0, 2),
            ("grow", tr("Grow"), -64.0, 64.0, 0),
            ("smooth", tr("Smooth"), 0.0, 16.0, 1),
            ("feather", tr("Feather"), 0.0, 64.0, 1),
            ("black", tr("Black"), 0.0, 1.0, 3),
            ("white", tr("White"), 0.0, 1.0, 3),
            ("gamma", tr("Gamma"), 0.1, 4.0, 2),
        ):
            number = NumberField(low, high, decimals, "", title)
            number.setToolTip(_TIPS.get(name, ""))
            number.changed.connect(partial(self._set_number, name))
            number.let_go.connect(self.matter.work.end_gesture)
            line = QHBoxLayout()
            label = QLabel(title)
            label.setFixedWidth(with_text(76))
            line.addWidget(label)
            line.addWidget(number, 1)
            column.addLayout(line)
            self.numbers[name] = number

    # --- following the work -----------------------------------------------------------------------------------

    @property
    def _mask(self) -> Mask | None:
        layer, project = self.matter.selection.layer, self.matter.work.project
        if layer is None or project is None or layer.mask is None:
            return None
        return project.masks[layer.mask]

    @property
    def _at(self) -> int:
        """Which entry is chosen, counted from the bottom; -1 for none."""
        mask = self._mask
        return -1 if mask is None or self.list.currentRow() < 0 else len(mask.entries) - 1 - self.list.currentRow()

    def refresh(self) -> None:
        layer, project, mask = self.matter.selection.layer, self.matter.work.project, self._mask
        if layer is None or project is None:
            self.title.setText(tr("Nothing is selected."))
        elif mask is None:
            self.title.setText(tr("{name} has no mask: it shows everywhere in its scope.", name=layer.name))
        else:
            others = [one.name for one in project.walk() if one.mask == layer.mask and one.id != layer.id]
            shared = tr(", shared with {others}", others=", ".join(others)) if others else ""
            self.title.setText(tr("Mask of {name}{shared}", name=layer.name, shared=shared))
        self.add.setEnabled(layer is not None)
        for name in (tr("Copy"), tr("Remove")):
            self.acts[name].setEnabled(mask is not None)
        for name in (tr("Paste"), tr("Paste inverted")):
            self.acts[name].setEnabled(self.matter.clipboard.mask is not None and layer is not None)
        for box in (self.on, self.invert):
            box.setEnabled(mask is not None)
        show_check(self.on, mask is not None and mask.on)
        show_check(self.invert, mask is not None and mask.invert)
        row = self.list.currentRow()
        with QSignalBlocker(self.list):
            self.list.clear()
            entries = mask.entries if mask is not None else ()
            alone = len(entries) == 1
            for entry in reversed(entries):
                how = "" if alone and entry.mode == "replace" else f"{MODES[entry.mode]}  "
                text = f"{how}{tr('not ') if entry.invert else ''}{shape_text(entry.shape, project)}"
                item = QListWidgetItem(text if entry.on else tr("{words}  (off)", words=text))
                self.list.addItem(item)
            if self.list.count():
                self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
        self._show_entry()

    def _show_entry(self) -> None:
        mask, at = self._mask, self._at
        self.details.setVisible(mask is not None and at >= 0)
        if mask is None or at < 0:
            return
        entry = mask.entries[at]
        self.mode.setCurrentIndex(self.mode.findData(entry.mode))
        show_check(self.entry_invert, entry.invert)
        show_check(self.entry_on, entry.on)
        self.scopes.setVisible(entry.shape.scope is not None)
        if entry.shape.scope is not None:
            for button in self.scope_buttons.values():
                button.show_scope(entry.shape.scope)
        shape: Any = entry.shape
        self.heard.setVisible(bool(shape.hears))
        self.pictures.setVisible(shape.place is not None)
        if shape.place is not None:
            self.repeat.setVisible(hasattr(shape.place, "repeat"))
            show_check(self.repeat, getattr(shape.place, "repeat", False))
        for part in (self.rule, self.break_up):
            part.setVisible(shape.rule is not None)
        if shape.rule is not None:
            self.rule.show_shape(shape)
        for name, number in self.numbers.items():
            number.set(getattr(entry, name))
        self._show_handles()

    def _show_handles(self) -> None:
        """Have the views show the handles of the picture that is chosen, while they are wanted."""
        mask, at = self._mask, self._at
        entry = mask.entries[at] if mask is not None and at >= 0 else None
        wanted = self.handles.isChecked() and self.isVisible() and entry is not None
        shown = at if wanted and entry is not None and entry.shape.place is not None else None
        if shown != self.matter.handles.mask_entry:
            self.matter.handles.show_entry(shown)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._show_handles()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._show_handles()

    # --- acting ---------------------------------------------------------------------------------------------------

    def add_shape(self, shape: Shape) -> None:
        """Put an entry on top; the first one says all, later ones add."""
        add_shape(self.matter, shape)
        self.list.setCurrentRow(0)

    def _snapshot(self) -> None:
        """Have the chosen entry be what it is now; worked out beside the window."""
        studio, layer, mask, at = self.matter.work.studio, self.matter.selection.layer, self._mask, self._at
        shape: Any = mask.entries[at].shape if mask is not None and at >= 0 else None
        if studio is None or layer is None or shape is None or not shape.hears:
            return
        number, project = layer.id, studio.project

        def done(made: PaintedShape) -> None:
            if self.matter.work.studio is studio and studio.project is project:
                self._change(shape=made)

        self.matter.errands.send(tr("Taking the map as a mask …"), lambda: snapshot(studio, number, shape), done)

    def _break_up(self) -> None:
        layer, studio = self.matter.selection.layer, self.matter.work.studio
        mask, at = self._mask, self._at
        if layer is None or studio is None or mask is None or at < 0:
            return
        size = (
            getattr(getattr(mask.entries[at].shape, "rule", None), "reach", None) or studio.model.diagonal * BENDING
        )
        self.matter.work.end_gesture()
        grain = RuleShape(Grain(size=significant(1.5 * size)), 0.42, 0.58)
        self.matter.work.execute(AddMaskEntry(layer.id, MaskEntry(grain, "intersect")))
        self.list.setCurrentRow(0)

    def _set_number(self, name: str, value: float) -> None:
        mask, at = self._mask, self._at
        if mask is not None and at >= 0:
            entry = mask.entries[at]
            value = kept_apart(name, round(value, 4), entry.black, entry.white)
            self._change(merge=True, **{name: round(value) if name == "grow" else value})

    def _set_repeat(self, on: bool) -> None:
        mask, at = self._mask, self._at
        shape: Any = mask.entries[at].shape if mask is not None and at >= 0 else None
        if shape is not None and hasattr(shape.place, "repeat"):
            self._change(shape=replace(shape, place=replace(shape.place, repeat=on)))

    def _change(self, merge: bool = False, **changes: object) -> None:
        layer, mask, at = self.matter.selection.layer, self._mask, self._at
        if layer is not None and layer.mask is not None and mask is not None and at >= 0:
            self.matter.work.execute(SetMaskEntry(layer.mask, at, replace(mask.entries[at], **changes)), merge)

    def _move(self, steps: int) -> None:
        layer, mask, at = self.matter.selection.layer, self._mask, self._at
        if layer is not None and layer.mask is not None and mask is not None and 0 <= at + steps < len(mask.entries):
            row = self.list.currentRow() - steps
            self.matter.work.execute(MoveMaskEntry(layer.mask, at, at + steps))
            self.list.setCurrentRow(row)

    def _remove(self) -> None:
        layer, mask, at = self.matter.selection.layer, self._mask, self._at
        if layer is None or layer.mask is None or mask is None or at < 0:
            return
        if len(mask.entries) == 1:
            self.matter.work.execute(GiveMask((layer.id,), None))
        else:
            self.matter.work.execute(SetMaskEntry(layer.mask, at, None))

    def _take_off(self) -> None:
        self.matter.work.execute(GiveMask(self.matter.selection.chosen, None))

    def _with_layer(self, act: Callable[[Layer], object]) -> None:
        if self.matter.selection.layer is not None:
            act(self.matter.selection.layer)

    def _with_mask(self, act: Callable[[int], object]) -> None:
        if self.matter.selection.layer is not None and self.matter.selection.layer.mask is not None:
            act(self.matter.selection.layer.mask)
