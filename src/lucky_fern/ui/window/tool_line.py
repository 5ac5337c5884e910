"""The tool line: what this station works with, and how the views show it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QToolButton, QWidget

from lucky_fern.core.placing.pose import in_mode
from lucky_fern.core.project.commands import SetPlace
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import Drape, Lay, Roll, Throw
from lucky_fern.render.model_scene import FLAT, SHADED
from lucky_fern.ui.stations.model.picking_tools import PickingTools
from lucky_fern.ui.stations.paint.brush_line import BrushLine
from lucky_fern.ui.stations.paint.brush_tools import BrushTools
from lucky_fern.ui.tools.dropping import Thing
from lucky_fern.ui.views.model_view import ModelView
from lucky_fern.ui.views.sheet_view import SheetView
from lucky_fern.ui.widgets.style import icon, tones
from lucky_fern.ui.window.parts import Parts

_TITLES = {
    "model": "Select faces",
    "artwork": "Drag a picture from the tray onto either view",
    "paint": "Paint by hand",
    "check": "What will go wrong in the game, and what mends it",
    "export": "Write the maps that the game reads",
}


_LEAST = 900  # pixels
_ROOMY = 1560  # pixels, from which all tools are called by name
MODES: dict[str, type[Place]] = {"throw": Throw, "drape": Drape, "roll": Roll, "lay": Lay}
_MODES = (
    ("throw", "Throw", "Straight through the air, like a slide projector"),
    ("drape", "Drape", "Follows the surface from its middle, so that lettering keeps its shape"),
    ("roll", "Roll", "Round an axis, like a label round a bottle"),
    ("lay", "Lay", "Flat on the sheet, in UV space"),
)


class ToolLine(QWidget):
    """One line; tools of the station on the left, looks of the views on the right."""

    slide_asked = Signal()

    def __init__(self, parts: Parts, model_view: ModelView, sheet_view: SheetView) -> None:
        super().__init__()
        self.parts, self.model_view, self.sheet_view = parts, model_view, sheet_view
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 3, 8, 3)
        row.setSpacing(2)
        self.label = self._button(row, "text", "Label", "Letters on the surface: click where they are to be",
                                  partial(self._take, "label"), True)  # fmt: skip
        self.figure = self._button(row, "figure", "Figure", "A simple figure on the surface: click where it is to be",
                                   partial(self._take, "figure"), True)  # fmt: skip
        self.stripe = self._button(row, "stripe", "Stripe", "A stripe along the surface: click its points in "
                                   "either view", self._arm_stripe, True)  # fmt: skip
        self.slide = self._button(row, "slide", "Slide", "A picture held over the model view, to print or brush on",
                                  self.slide_asked.emit, True)  # fmt: skip
        self.title = QLabel(objectName="quiet")
        row.addWidget(self.title)
        self.modes = QWidget()
        modes = QHBoxLayout(self.modes)
        modes.setContentsMargins(10, 0, 0, 0)
        modes.setSpacing(2)
        self.mode_buttons = {
            mode: self._button(modes, mode, text, tip, partial(self._set_mode, mode), True)
            for mode, text, tip in _MODES
        }
        row.addWidget(self.modes)
        self.brushes = parts.make(BrushTools)
        row.addWidget(self.brushes)
        self.brush = parts.make(BrushLine)
        row.addWidget(self.brush)
        self.picking = parts.make(PickingTools)
        row.addWidget(self.picking)
        row.addStretch(1)
        self.shaded = self._button(
            row,
            "shaded",
            "",
            "Lit, as in the game; drag with the right button to turn the light",
            lambda: self._shade(SHADED),
            True,
        )
        self.flat = self._button(row, "flat", "", "Flat colour, without light (U changes between the two)",
                                 lambda: self._shade(FLAT), True)  # fmt: skip
        parts.commands.add("view.light", "Light on and off", self._switch_light, "U")
        self._rule(row)
        self.wires = self._button(row, "wires", "", "Wires of the mesh", self._toggle_wires, True)
        self.seams = self._button(row, "seams", "", "UV seams", self._toggle_seams, True)
        self.sheet_wires = self._button(
            row, "square", "", "Wires on the sheet", lambda: sheet_view.set_wires(self.sheet_wires.isChecked()), True
        )
        self.sheet_wires.setChecked(True)
        self.parallel = self._button(row, "parallel", "", "Parallel projection", self._toggle_parallel, True)
        self._rule(row)
        self.without = self._button(
            row, "compare", "", "Hold to see the stack without the selected layers (K)", lambda: None, False
        )
        self.without.pressed.connect(lambda: self.parts.comparing.hold(True))
        self.without.released.connect(lambda: self.parts.comparing.hold(False))
        self.pin = self._button(
            row, "pin", "", "Pin this state and wipe between it and now (Shift+K)", self.parts.comparing.pin, True
        )
        self._rule(row)
        self.looks = QToolButton(text="Look ▾", toolTip="Look straight from one of the six sides")
        self.looks.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.looks.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        sides = QMenu(self.looks)
        for name in ("front", "back", "left", "right", "top", "bottom"):
            sides.addAction(name.capitalize(), partial(model_view.look_from, name))
        sides.addSeparator()
        away = sides.addAction("Hide what faces away")
        away.setToolTip("See into what is closed, and paint there")
        away.setCheckable(True)
        away.toggled.connect(lambda on: model_view.set_look(front_only=on))
        bloom = sides.addAction("What glows shines beyond itself")
        bloom.setCheckable(True)
        bloom.toggled.connect(lambda on: model_view.set_look(bloom=float(on)))
        self.looks.setMenu(sides)
        row.addWidget(self.looks)
        parts.commands.add("view.frame", "Show everything", self._frame_all, "F", icon_name="frame")
        self.frame = parts.commands.button("view.frame")
        row.addWidget(self.frame)
        self.shaded.setChecked(True)
        self.parts.looking.station_changed.connect(self.refresh)
        self.parts.work.project_changed.connect(self.refresh)
        self.parts.selection.changed.connect(self.refresh)
        self.parts.looking.changed.connect(self.refresh)
        self.parts.striping.changed.connect(self.refresh)
        self.parts.sliding.changed.connect(self.refresh)
        self.parts.dropping.changed.connect(self.refresh)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        """It never makes the window grow: while tools change, what goes and what comes stand there together."""
        return QSize(_LEAST, super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.brushes.set_roomy(self.width() >= _ROOMY)

    def _button(
        self, row: QHBoxLayout, name: str, text: str, tip: str, action: Callable[[], None], checkable: bool
    ) -> QToolButton:
        button = QToolButton(icon=icon(name, tones().text, tones().active), text=text, checkable=checkable)
        button.setIconSize(QSize(18, 18))
        if text:
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.setToolTip(tip)
        button.setAccessibleName(text or tip)
        button.clicked.connect(lambda _=False: action())
        row.addWidget(button)
        return button

    def _rule(self, row: QHBoxLayout) -> None:
        line = QFrame(frameShape=QFrame.Shape.VLine)
        line.setStyleSheet(f"color: {tones().line};")
        row.addSpacing(3)
        row.addWidget(line)
        row.addSpacing(3)

    def refresh(self) -> None:
        decal = self.parts.selection.decal if self.parts.looking.station == "artwork" else None
        self.modes.setVisible(decal is not None)
        for button in (self.label, self.figure, self.stripe, self.slide):
            button.setVisible(self.parts.looking.station == "artwork")
        if self.parts.looking.station != "artwork":
            self.parts.striping.arm(False)
        self.stripe.setChecked(self.parts.striping.armed)
        self.slide.setChecked(self.parts.sliding.up)
        self.label.setChecked(self.parts.dropping.thing == "label")
        self.figure.setChecked(self.parts.dropping.thing == "figure")
        self.picking.setVisible(self.parts.looking.station == "model")
        self.brushes.setVisible(self.parts.looking.station == "paint")
        self.brush.setVisible(self.parts.looking.station == "paint")
        self.brush.refresh()
        self.title.setVisible(self.parts.looking.station not in ("model", "paint"))
        self.pin.setChecked(self.parts.comparing.pinned is not None)
        self.without.setEnabled(bool(self.parts.selection.chosen))
        self.modes.setVisible(decal is not None and not self.parts.sliding.up)
        if self.parts.dropping.thing is not None:
            self.title.setText("Click where it is to be")
        elif self.parts.striping.armed:
            self.title.setText("Click its points; Enter ends it")
        elif self.parts.sliding.up:
            self.title.setText("Drag it over the model")
        elif decal is not None:
            self.title.setText("")
            for mode, button in self.mode_buttons.items():
                button.setChecked(isinstance(decal[1], MODES[mode]))
        else:
            self.title.setText(_TITLES[self.parts.looking.station])

    def _set_mode(self, mode: str) -> None:
        decal, studio = self.parts.selection.decal, self.parts.work.studio
        if decal is None or studio is None:
            return
        layer, place, height = decal
        new: Place | None = place
        if not isinstance(place, MODES[mode]):
            new = in_mode(studio.surface, place, height, mode)
        if new is None:
            self.parts.work.said.emit("Its middle lies beside the model; move it onto the surface first.", True)
        elif new is not place:
            self.parts.work.end_gesture()
            self.parts.work.execute(SetPlace(layer.id, new))
        self.refresh()

    def _take(self, thing: Thing) -> None:
        """Take a label or a figure in hand; again, put it away."""
        dropping = self.parts.dropping
        self.parts.striping.arm(False)
        dropping.take(None if dropping.thing == thing else thing)
        self.refresh()
        if dropping.thing is not None:
            self.model_view.setFocus()  # Enter and Esc are for what is in hand

    def _arm_stripe(self) -> None:
        self.parts.dropping.take(None)
        self.parts.striping.arm(self.stripe.isChecked())

    def _shade(self, shading: str) -> None:
        self.shaded.setChecked(shading == SHADED)
        self.flat.setChecked(shading == FLAT)
        self.model_view.set_look(shading=shading)

    def _switch_light(self) -> None:
        self._shade(FLAT if self.shaded.isChecked() else SHADED)

    def _toggle_wires(self) -> None:
        self.model_view.set_look(wires=self.wires.isChecked())

    def _toggle_seams(self) -> None:
        self.model_view.set_look(seams=self.seams.isChecked())

    def _toggle_parallel(self) -> None:
        self.model_view.set_parallel(self.parallel.isChecked())

    def _frame_all(self) -> None:
        self.model_view.frame_all()
        self.sheet_view.frame_all()
