"""Texels of a colour cut off into a material of their own: a window of a small house that shall glow."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QVBoxLayout, QWidget

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import PreparedLayout
from lucky_fern.core.texels.cutting import Wanted, prepare_cut, wanted_texels
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.page import button
from lucky_fern.words import tr


class CutPart(QWidget):
    """About the selected faces; all of them, if none is."""

    def __init__(self, work: Work, errands: Errands, faces: Faces, material: QComboBox) -> None:
        """``material`` names the material that they are cut off into."""
        super().__init__()
        self.work, self.errands, self.faces, self.material = work, errands, faces, material
        self.colour = ColourField(tr("Colour of the texels"))
        self.colour.set("#ffee88")
        self.tolerance = QDoubleSpinBox(minimum=0, maximum=100, decimals=0, suffix=" %")
        self.tolerance.setAccessibleName(tr("Tolerance"))
        self.tolerance.setToolTip(tr("How far colours may differ"))
        tip = tr("Faces are cut along these texels, and become of the material named above")
        self.cut = button(tr("Cut off"), tip, self.cut_off)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.colour)
        line = QHBoxLayout()
        for widget in (self.tolerance, self.cut):
            line.addWidget(widget)
        line.addStretch(1)
        column.addLayout(line)

    def cut_off(self) -> None:
        """Find such texels on all sheets, and cut them off sheet by sheet; each is a step."""
        studio, name = self.work.studio, self.material.currentText().strip()
        if studio is None:
            return
        if not name:
            self.work.said.emit(tr("Type a name for the material, or choose one."), True)
            return
        wanted = Wanted("colour", (self.colour.hex,), self.tolerance.value() / 100)
        chosen = self.faces.chosen.copy() if self.faces.any else None

        def found(areas: dict[SheetKey, Bool]) -> None:
            if areas:
                self._next(list(areas.items()), name, chosen)
            else:
                self.work.warn(tr("No texel has that colour."))

        self.errands.send(tr("Looking for texels …"), lambda: wanted_texels(studio, wanted, name), found)

    def _next(self, areas: list[tuple[SheetKey, Bool]], name: str, chosen: Bool | None) -> None:
        studio = self.work.studio
        if studio is None:
            return
        (key, area), rest, before = areas[0], areas[1:], studio.project

        def done(prepared: PreparedLayout | None) -> None:
            if self.work.studio is not studio or studio.project is not before:
                return
            mine = chosen
            if prepared is not None:
                self.work.execute(prepared.command)
                told = ". ".join(prepared.notes) or tr("Cut off: give {name} a glow of its own.", name=name)
                self.work.said.emit(told, False)
                if chosen is not None and prepared.origin is not None:
                    mine = chosen[prepared.origin]
            elif not rest:
                self.work.warn(tr("No such texel lies on the selected faces."))
            if rest:
                self._next(rest, name, mine)

        self.errands.send(tr("Cutting faces …"), lambda: _prepared(self.work, key, area, name, chosen), done)


def _prepared(work: Work, key: SheetKey, area: Bool, name: str, chosen: Bool | None) -> PreparedLayout | None:
    studio = work.studio
    if studio is None:
        raise CommandError(tr("there is no model any more"))
    return prepare_cut(studio, key, area, name, chosen)
