"""Where a layer may show: materials, tiles, parts and kept selections, chosen from lists."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from lucky_fern.core.project.commands import SetLayer
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.plain import Scope
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.words import counted, tr, word

KINDS = ("materials", "tiles", "parts", "selections")


def known(matter: Matter, kind: str) -> Sequence[Any]:
    """What there is of a kind in the model."""
    studio = matter.work.studio
    if studio is None:
        return ()
    if kind == "selections":
        return list(studio.project.selections)
    if kind == "materials":
        return studio.surface.materials
    return sorted(studio.tiles()) if kind == "tiles" else studio.model.parts


def told(kind: str, chosen: Sequence[Any] | None) -> str:
    """A choice in few words."""
    if chosen is None:
        return tr("any face") if kind == "selections" else word(f"all {kind}")
    if len(chosen) == 1:
        return tr("island {number}", number=chosen[0] + 1) if kind == "islands" else str(chosen[0])
    return counted(len(chosen), kind.removesuffix("s"))


def scope_part(form: Form, column: QVBoxLayout) -> None:
    """A list each, in a row."""
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    for kind in KINDS:
        button = ScopeButton(form.matter, kind)
        button.scope_chosen.connect(lambda scope: form.do_each(lambda layer: SetLayer(layer.id, scope=scope)))
        form.name(f"scope {kind}", button)
        form.bind(partial(_show, button))
        row.addWidget(button)
    row.addStretch(1)
    form.row(column, tr("Shows on"), line)
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    for kind, title in (
        ("parts", tr("Part")),
        ("materials", tr("Material")),
        ("tiles", tr("Tile")),
        ("islands", tr("Island")),
    ):
        click = QToolButton(text=title, checkable=True)
        click.setToolTip(
            tr("Click on the model or a sheet: the {lower} there is added, or taken out again", lower=title.lower())
        )
        click.clicked.connect(lambda on, kind=kind: form.matter.handles.pick_scope(kind if on else None))
        form.name(f"click {kind}", click)
        row.addWidget(click)
    every = QToolButton(text=tr("All"))
    every.setToolTip(tr("Everywhere again"))
    every.clicked.connect(lambda _=False: form.do_each(lambda layer: SetLayer(layer.id, scope=Scope())))
    row.addWidget(every)
    row.addStretch(1)
    form.bind(lambda layer: _show_clicks(form))
    form.row(column, tr("Click on"), line)


def _show_clicks(form: Form) -> None:
    for kind in ("parts", "materials", "tiles", "islands"):
        form.named(f"click {kind}", QToolButton).setChecked(form.matter.handles.scope_kind == kind)


def _show(button: ScopeButton, layer: Layer) -> None:
    button.show_scope(layer.scope)


class ScopeButton(QToolButton):
    """A list with a tick at what is chosen; nothing ticked means all."""

    scope_chosen = Signal(object)

    def __init__(self, matter: Matter, kind: str) -> None:
        super().__init__()
        self.matter, self.kind = matter, kind
        self.scope = Scope()
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        menu.aboutToShow.connect(self._fill)
        self.setMenu(menu)
        self.setAccessibleName(tr("Shows on {kind}", kind=kind))
        self.setStyleSheet("QToolButton::menu-indicator { image: none; }")

    def show_scope(self, scope: Scope) -> None:
        self.scope = scope
        self.setText(f"{told(self.kind, getattr(scope, self.kind))} ▾")
        # Most projects keep no selections: no list of them then.
        needed = self.kind != "selections" or scope.selections is not None
        self.setVisible(needed or bool(known(self.matter, self.kind)))

    def _fill(self) -> None:
        menu = self.menu()
        menu.clear()
        menu.addAction(told(self.kind, None).capitalize(), lambda: self.choose(None))
        menu.addSeparator()
        chosen = getattr(self.scope, self.kind) or ()
        for item in known(self.matter, self.kind):
            action = menu.addAction(str(item))
            action.setCheckable(True)
            action.setChecked(item in chosen)
            action.triggered.connect(lambda on, item=item: self.choose(item))

    def choose(self, item: Any) -> None:
        """Tick or untick one; None for all."""
        chosen = list(getattr(self.scope, self.kind) or ())
        if item is None:
            chosen = []
        elif item in chosen:
            chosen.remove(item)
        else:
            chosen.append(item)
        self.scope = replace(self.scope, **{self.kind: tuple(chosen) or None})
        self.scope_chosen.emit(self.scope)
