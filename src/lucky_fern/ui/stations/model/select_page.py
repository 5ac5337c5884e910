"""Selecting by what faces have in common, hiding them, and keeping selections under a name."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QLineEdit, QListWidget

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import (
    AddMaskEntry,
    RemoveSelection,
    RenameSelection,
    SaveSelection,
    SetLayer,
)
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import MaskEntry, ScopeShape
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.widgets.page import Page, button, choice, number
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import counted, tr


class SelectPage(Page):
    """Works on the selection that the tools in the views make."""

    def __init__(self, work: Work, selection: Selection, faces: Faces) -> None:
        super().__init__()
        self.work, self.selection, self.faces = work, selection, faces
        faces = faces
        self.state = self.note(name="heading")
        self.note(tr("Click a face in either view; Shift adds, Ctrl takes away. The tools are above the views."))
        self.buttons(
            (tr("All"), tr("Every face that is not hidden (Ctrl+A)"), faces.all),
            (tr("None"), tr("Nothing"), faces.none),
            (tr("Invert"), tr("What is not selected instead"), faces.invert),
            (tr("Grow"), tr("The faces round it too"), lambda: faces.grow(1)),
            (tr("Shrink"), tr("Without the outermost faces"), lambda: faces.grow(-1)),
        )
        self.buttons(
            (tr("islands"), tr("The whole islands"), lambda: faces.widen("island")),
            (tr("pieces"), tr("All that hangs together over edges"), lambda: faces.widen("piece")),
            (tr("parts"), tr("The whole parts"), lambda: faces.widen("part")),
            (tr("materials"), tr("All of the materials"), lambda: faces.widen("material")),
            label=tr("Widen to whole"),
        )
        self.angle = number(tr("Angle in degrees"), 0, 180, 30, 0, "°")
        self.row(
            tr("Within"), self.angle,
            button(tr("Facing alike"), tr("All faces that look the way the one clicked last does"), self._facing),
            button(tr("Smooth on"), tr("All that hangs on without a sharper edge than this angle"), self._smooth),
        )  # fmt: skip
        self.map_box = choice(tr("Map or picture whose colours are compared"), [])
        self.map_box.setMaximumWidth(with_text(150))
        self.tolerance = number(tr("How far colours may differ"), 0, 255, 16, 0)
        self.row(
            button(
                tr("Same colour"), tr("All faces with the colour that lies on the one clicked last"), self._colour
            ),
            tr("on"),
            self.map_box,
            tr("within"),
            self.tolerance,
        )
        self.heading(tr("Out of the way"))
        self.buttons(
            (tr("Hide"), tr("Put the selected faces out of sight (a glass in front, say)"), faces.hide),
            (tr("Only these"), tr("Look at the selected faces alone"), faces.only),
            (tr("Show everything"), tr("Hide nothing"), faces.show_all),
        )
        self._add_named()
        faces.changed.connect(self.follow)
        work.project_changed.connect(self.follow)

    def _add_named(self) -> None:
        self.heading(tr("Kept in the project"), tr("For scopes and masks, and to have them again"))
        self.name = QLineEdit(placeholderText=tr("name, as ‘portholes’"), objectName="plain")
        self.name.setAccessibleName(tr("Name for the selection"))
        self.name.returnPressed.connect(self.save)
        self.row(
            self.name,
            button(tr("Keep the selection"), tr("Under this name, in the project"), self.save),
            stretch=False,
        )
        self.named = QListWidget()
        self.named.setAccessibleName(tr("Selections that are kept; click one to select its faces"))
        self.named.setFixedHeight(with_text(84))
        for chosen in (self.named.itemClicked, self.named.itemActivated):  # by mouse, by keys
            chosen.connect(lambda item: self.faces.take_saved(item.text()))
        self.column.addWidget(self.named)
        self.named_buttons = self.buttons(
            (tr("Add"), tr("To what is selected"), lambda: self.faces.take_saved(self.chosen_name, "add")),
            (tr("Rename"), tr("To the name typed above"), self._rename),
            (tr("Remove"), tr("Forget it"), self._remove),
        )
        self.use_buttons = self.buttons(
            (tr("Show the layer only there"), tr("The selected layer's scope becomes this selection"), self._scope),
            (tr("Add to the layer's mask"), tr("As an entry of the selected layer's mask"), self._mask),
        )
        self.column.addStretch(1)

    @property
    def chosen_name(self) -> str:
        item = self.named.currentItem()
        return item.text() if item is not None else ""

    def _facing(self) -> None:
        self.faces.face_alike(self.angle.value())

    def _smooth(self) -> None:
        self.faces.smooth(self.angle.value())

    def _colour(self) -> None:
        self.faces.colour_alike(self.map_box.currentData(), self.tolerance.value() / 255)

    def save(self) -> None:
        """Keep the selection under the name that is typed."""
        if not self.faces.any:
            self.work.said.emit(tr("Nothing is selected yet; click some faces first."), True)
            return
        name = self.name.text().strip() or self._free_name()
        if self.work.execute(SaveSelection(name, pack_faces(self.faces.chosen))):
            self.name.clear()
            self._pick(name)

    def _free_name(self) -> str:
        assert self.work.project is not None
        number = 1
        while f"Selection {number}" in self.work.project.selections:
            number += 1
        return tr("Selection {number}", number=number)

    def _pick(self, name: str) -> None:
        for row in range(self.named.count()):
            if self.named.item(row).text() == name:
                self.named.setCurrentRow(row)

    def _named(self, act: Callable[[str], object]) -> None:
        if self.chosen_name:
            act(self.chosen_name)
        else:
            self.work.said.emit(tr("Choose one of the kept selections first."), True)

    def _rename(self) -> None:
        self._named(lambda name: self.work.execute(RenameSelection(name, self.name.text())))

    def _remove(self) -> None:
        self._named(lambda name: self.work.execute(RemoveSelection(name)))

    def _scope(self) -> None:
        self._named(
            lambda name: self.selection.execute_each(
                lambda layer: SetLayer(layer.id, scope=replace(layer.scope, selections=(name,)))
            )
        )

    def _mask(self) -> None:
        def entry(layer: Layer, name: str) -> AddMaskEntry:
            mask = self.work.project.masks.get(layer.mask or 0) if self.work.project is not None else None
            first = mask is None or not mask.entries
            shape = ScopeShape(Scope(selections=(name,)))
            return AddMaskEntry(layer.id, MaskEntry(shape, "replace" if first else "add"))

        self._named(lambda name: self.selection.execute_each(lambda layer: entry(layer, name)))

    def refresh(self) -> None:
        studio, faces = self.work.studio, self.faces
        if studio is None:
            return
        sources = [*((spec.title, name) for name, spec in MAPS.items()), *((n, n) for n in studio.project.pictures)]
        if [self.map_box.itemData(row) for row in range(self.map_box.count())] != [name for _, name in sources]:
            kept = self.map_box.currentData()
            self.map_box.clear()
            for title, name in sources:
                self.map_box.addItem(title, name)
            self.map_box.setCurrentIndex(max(self.map_box.findData(kept), 0))
        count, total = int(faces.chosen.sum()), studio.model.triangle_count
        if count and len(faces.chosen) == total:
            islands = studio.model.islands[faces.chosen]
            islands_count = int(np.count_nonzero(np.bincount(islands[islands >= 0])))
            hidden = tr("; {sum} hidden", sum=int(faces.hidden.sum())) if faces.hidden.any() else ""
            self.state.setText(
                tr(
                    "{count} of {total} triangles, on {islands}{hidden}",
                    count=count,
                    total=total,
                    islands=counted(islands_count, "island"),
                    hidden=hidden,
                )
            )
        else:
            self.state.setText(
                tr("Nothing is selected") + (tr("; some faces are hidden") if faces.hidden.any() else "")
            )
        names = list(studio.project.selections)
        if [self.named.item(row).text() for row in range(self.named.count())] != names:
            kept = self.chosen_name
            self.named.clear()
            self.named.addItems(names)
            self._pick(kept)
        for made in self.use_buttons:
            made.setEnabled(self.selection.layer is not None)
