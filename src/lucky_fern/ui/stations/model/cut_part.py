"""Texels of a colour cut off into a material of their own: a window of a small house that shall glow."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.arrays import U8, U16, Bool
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import PreparedLayout
from lucky_fern.core.texels.choosing import alike, so_bright
from lucky_fern.core.texels.cutting import prepare_cut, prepare_join
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.texel_area import How, TexelArea
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.page import button, choice, offer
from lucky_fern.words import tr


class CutPart(QWidget):
    """Texels are chosen step by step, by colours or brightness or a rectangle; faces: the selected ones, or all."""

    def __init__(
        self, work: Work, errands: Errands, looking: Looking, faces: Faces, area: TexelArea, material: QComboBox
    ) -> None:
        """``material`` names the material that they are cut off into."""
        super().__init__()
        self.work, self.errands, self.looking, self.faces = work, errands, looking, faces
        self.area, self.material = area, material
        self.sheet = choice(tr("The sheet whose texels are chosen"), [])
        self.colour = ColourField(tr("Colour of the texels"))
        self.colour.set("#ffee88")
        self.tolerance = QDoubleSpinBox(minimum=0, maximum=100, decimals=0, suffix=" %")
        self.tolerance.setAccessibleName(tr("Tolerance"))
        self.tolerance.setToolTip(tr("How far colours may differ"))
        self.low = QDoubleSpinBox(minimum=0, maximum=100, decimals=0, suffix=" %", value=60)
        self.low.setAccessibleName(tr("From this brightness of the map that is looked at"))
        tip = tr("Faces are cut along these texels, and become of the material named above")
        self.cut = button(tr("Cut off"), tip, self.cut_off)
        self.told = QLabel(objectName="quiet", wordWrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.colour)
        every: tuple[tuple[QWidget, ...], ...] = (
            (self.sheet, QLabel(tr("within"), objectName="quiet"), self.tolerance),
            (button(tr("Choose colour"), tr("The texels of this colour"), lambda: self.by_colour("new")),
             button(tr("Add"), tr("Those of this colour too"), lambda: self.by_colour("add")),
             button(tr("Take away"), tr("Not those of this colour"), lambda: self.by_colour("less"))),
            (button(tr("Choose bright"), tr("Texels at least so bright on the map that is looked at"),
                    self.by_brightness), self.low,
             button(tr("Rectangle …"), tr("Draw it on the sheet; Shift adds, Ctrl takes away"), area.arm),
             button(tr("None"), tr("Choose nothing"), area.clear)),
            (self.cut, button(tr("Join again"), tr("Faces that were cut off go back to the sheet that they came "
                                                   "from"), self.join)),
        )  # fmt: skip
        for items in every:
            line = QHBoxLayout()
            line.setSpacing(5)
            for widget in items:
                line.addWidget(widget)
            line.addStretch(1)
            column.addLayout(line)
        column.addWidget(self.told)
        area.changed.connect(self.tell)
        self.tell()

    def refresh(self) -> None:
        """Show the sheets that there are."""
        studio = self.work.studio
        keys = [] if studio is None else list(studio.surface.keys)
        offer(self.sheet, [(str(key), key) for key in keys])

    def tell(self) -> None:
        area = self.area
        self.told.setText(
            tr("{count} texels of {sheet} are chosen.", count=area.count, sheet=area.key) if area.any
            else tr("No texels are chosen yet.")
        )  # fmt: skip

    def by_colour(self, how: How) -> None:
        """Choose the texels of the colour on the sheet, add them or take them away."""
        self._choose("colour", lambda values: alike(values, (self.colour.hex,), self.tolerance.value() / 100), how)

    def by_brightness(self) -> None:
        """Choose the texels that are so bright on the map that is looked at."""
        self._choose(
            self.looking.shown_map or "colour", lambda values: so_bright(values, self.low.value() / 100, 1.0), "new"
        )

    def _choose(self, map_name: str, find: Callable[[U8 | U16], Bool], how: How) -> None:
        studio, key = self.work.studio, self.sheet.currentData()
        if studio is None or not isinstance(key, SheetKey):
            return
        project = studio.project

        def look() -> Bool:
            sheet = studio.surface.sheet(key, project.size_of(key))
            return find(composite_sheet(studio.sources, project, map_name, sheet, 8)) & sheet.covered

        def found(texels: Bool) -> None:
            self.area.choose(key, texels, how)
            if not texels.any():
                self.work.warn(tr("No texel of {sheet} is like that.", sheet=key))

        self.errands.send(tr("Looking for texels …"), look, found)

    def cut_off(self) -> None:
        """Cut the chosen texels off; one step."""
        studio, name, key = self.work.studio, self.material.currentText().strip(), self.area.key
        if studio is None:
            return
        if key is None or not self.area.any:
            self.work.warn(tr("Choose texels first, by a colour or a rectangle."))
            return
        if not name:
            self.work.said.emit(tr("Type a name for the material, or choose one."), True)
            return
        chosen = self.faces.chosen.copy() if self.faces.any else None
        area = self.area.mask.copy()
        before = studio.project

        def done(prepared: PreparedLayout | None) -> None:
            if self.work.studio is not studio or studio.project is not before:
                return
            if prepared is None:
                self.work.warn(tr("No such texel lies on the selected faces."))
                return
            self.work.execute(prepared.command)
            told = ". ".join(prepared.notes) or tr("Cut off: give {name} a glow of its own.", name=name)
            self.work.said.emit(told, False)
            self.area.clear()

        self.errands.send(tr("Cutting faces …"), lambda: prepare_cut(studio, key, area, name, chosen), done)

    def join(self) -> None:
        """Faces of the material named above become of what they were cut from again."""
        studio, name = self.work.studio, self.material.currentText().strip()
        if studio is None:
            return
        before = studio.project

        def done(prepared: PreparedLayout) -> None:
            if self.work.studio is studio and studio.project is before:
                self.work.execute(prepared.command)
                self.work.said.emit(". ".join(prepared.notes) or tr("Joined again."), False)

        self.errands.send(tr("Joining faces …"), lambda: prepare_join(studio, name), done)
