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
from lucky_fern.ui.stations.paint.texel_tools import TexelTools
from lucky_fern.ui.tools.dropping import Thing
from lucky_fern.ui.views.model_view import ModelView
from lucky_fern.ui.views.sheet_view import SheetView
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.style import icon, tones
from lucky_fern.ui.window.parts import Parts
from lucky_fern.words import tr

_TITLES = {
    "model": tr("Select faces"),
    "artwork": tr("Drag a picture from the tray onto either view"),
    "paint": tr("Paint by hand"),
    "check": tr("What will go wrong in the game, and what mends it"),
    "export": tr("Write the maps that the game reads"),
}


NAMED = {
    "front": tr("the front"),
    "back": tr("the back"),
    "left": tr("the left"),
    "right": tr("the right"),
    "top": "above",
    "bottom": "below",
}
SIDES = tuple(NAMED)
_LEAST = 900  # pixels
_ROOMY = 1560  # pixels, from which all tools are called by name
MODES: dict[str, type[Place]] = {"throw": Throw, "drape": Drape, "roll": Roll, "lay": Lay}
_MODES = (
    ("throw", tr("Throw"), tr("Straight through the air, like a slide projector")),
    ("drape", tr("Drape"), tr("Follows the surface from its middle, so that lettering keeps its shape")),
    ("roll", tr("Roll"), tr("Round an axis, like a label round a bottle")),
    ("lay", tr("Lay"), tr("Flat on the sheet, in UV space")),
)


@guarded
class ToolLine(QWidget):
    """One line; tools of the station on the left, looks of the views on the right."""

    slide_asked = Signal()

    def __init__(self, parts: Parts, model_view: ModelView, sheet_view: SheetView) -> None:
        super().__init__()
        self.parts, self.model_view, self.sheet_view = parts, model_view, sheet_view
        self.commands = parts.commands
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 3, 8, 3)
        row.setSpacing(2)
        self.label = self._button(
            row, "put.label", "text", tr("Label"), tr("Letters on the surface: click where they are to be"),
            partial(self._take, "label"), named=True,
        )  # fmt: skip
        self.figure = self._button(
            row, "put.figure", "figure", tr("Figure"), tr("A simple figure on the surface: click where it is to be"),
            partial(self._take, "figure"), named=True,
        )  # fmt: skip
        self.stripe = self._button(
            row,
            "put.stripe",
            "stripe",
            tr("Stripe"),
            tr("A stripe along the surface: click its points in either view"),
            self._arm_stripe,
            named=True,
        )
        self.slide = self._button(
            row, "put.slide", "slide", tr("Slide"), tr("A picture held over the model view, to print or brush on"),
            self._ask_slide, named=True,
        )  # fmt: skip
        self.title = QLabel(objectName="quiet")
        row.addWidget(self.title)
        self.modes = QWidget()
        modes = QHBoxLayout(self.modes)
        modes.setContentsMargins(10, 0, 0, 0)
        modes.setSpacing(2)
        self.mode_buttons = {
            mode: self._button(modes, f"place.{mode}", mode, text, tip, partial(self._set_mode, mode), named=True)
            for mode, text, tip in _MODES
        }
        row.addWidget(self.modes)
        self.brushes = parts.make(BrushTools, texel_tools=parts.make(TexelTools))
        row.addWidget(self.brushes)
        self.brush = parts.make(BrushLine)
        row.addWidget(self.brush)
        self.picking = parts.make(PickingTools)
        row.addWidget(self.picking)
        row.addStretch(1)
        self.shaded = self._button(
            row, "look.shaded", "shaded", tr("Lit, as in the game"),
            tr("Lit, as in the game; drag with the right button to turn the light"), partial(self._shade, SHADED),
        )  # fmt: skip
        self.flat = self._button(
            row, "look.flat", "flat", tr("Flat colour, without light"),
            tr("Flat colour, without light (U changes between the two)"), partial(self._shade, FLAT),
        )  # fmt: skip
        parts.commands.add("view.light", tr("Light on and off"), self._switch_light, "U")
        self._rule(row)
        self.wires = self._button(
            row,
            "look.wires",
            "wires",
            tr("Wires of the mesh"),
            "",
            lambda: model_view.set_look(wires=self._is("look.wires")),
        )
        self.seams = self._button(
            row, "look.seams", "seams", tr("UV seams"), "", lambda: model_view.set_look(seams=self._is("look.seams"))
        )
        self.sheet_wires = self._button(
            row, "look.sheet-wires", "square", tr("Wires on the sheet"), "",
            lambda: sheet_view.set_wires(self._is("look.sheet-wires")),
        )  # fmt: skip
        self.commands["look.sheet-wires"].setChecked(True)
        tip = tr("Drawn out of the left or upper border of a sheet, at the Model and Artwork stations; what is "
                 "dragged near them lies along them")  # fmt: skip
        self.commands.add("look.guides", tr("Guides of sheets"), self._show_guides, checkable=True, tip=tip)
        self.commands["look.guides"].setChecked(True)
        self.commands.add(
            "look.false", tr("False colours"), lambda: parts.looking.show_false_colours(self._is("look.false")),
            checkable=True, tip=tr("Maps of one number in colours that the eye tells apart"),
        )  # fmt: skip
        self.commands.add("look.one", tr("Without another map"), lambda: parts.looking.compare(None))
        self.parallel = self._button(
            row, "look.parallel", "parallel", tr("Parallel projection"), "",
            lambda: model_view.set_parallel(self._is("look.parallel")),
        )  # fmt: skip
        self._rule(row)
        self.without = QToolButton(icon=icon("compare", tones().text, tones().active))  # held, not switched
        self.without.setIconSize(QSize(18, 18))
        self.without.setToolTip(tr("Hold to see the stack without the selected layers (K)"))
        self.without.setAccessibleName(self.without.toolTip())
        row.addWidget(self.without)
        self.without.pressed.connect(lambda: self.parts.comparing.hold(True))
        self.without.released.connect(lambda: self.parts.comparing.hold(False))
        self.pin = self._button(
            row, "look.pin", "pin", tr("Pin this state"), tr("Pin this state and wipe between it and now (Shift+K)"),
            self.parts.maps.pin,
        )  # fmt: skip
        self._rule(row)
        self.looks = QToolButton(text=tr("Look ▾"), toolTip=tr("Look straight from one of the six sides"))
        self.looks.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.looks.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        sides = QMenu(self.looks)
        for name in SIDES:
            sides.addAction(
                self.commands.add(
                    f"look.{name}", tr("From {NAMED}", NAMED=NAMED[name]), partial(model_view.look_from, name)
                )
            )
        sides.addSeparator()
        sides.addAction(self.commands.add(
            "look.front-only", tr("Hide what faces away"),
            lambda: model_view.set_look(front_only=self._is("look.front-only")),
            tip=tr("See into what is closed, and paint there"), checkable=True,
        ))  # fmt: skip
        sides.addAction(self.commands.add(
            "look.bloom", tr("What glows shines beyond itself"),
            lambda: model_view.set_look(bloom=float(self._is("look.bloom"))), checkable=True,
        ))  # fmt: skip
        self.looks.setMenu(sides)
        row.addWidget(self.looks)
        parts.commands.add("view.frame", tr("Show everything"), self._frame_all, "F", icon_name="frame")
        self.frame = parts.commands.button("view.frame")
        row.addWidget(self.frame)
        self.commands["look.shaded"].setChecked(True)
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
        self, row: QHBoxLayout, name: str, icon_name: str, title: str, tip: str, act: Callable[[], object],
        keys: str = "", named: bool = False,
    ) -> QToolButton:  # fmt: skip
        """A command that is on or off, as a button: with its title beside the icon if ``named``."""
        self.commands.add(name, title, act, keys or (), tip=tip, icon_name=icon_name, checkable=True)
        button = self.commands.button(name, text=named)
        row.addWidget(button)
        return button

    def _show_guides(self) -> None:
        self.parts.looking.show_guides(self._is("look.guides"))

    def _is(self, name: str) -> bool:
        return self.commands[name].isChecked()

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
        striping = self.parts.striping
        self.commands["put.stripe"].setChecked(striping.armed and striping.edging is None)
        self.commands["put.slide"].setChecked(self.parts.sliding.up)
        self.commands["put.label"].setChecked(self.parts.dropping.thing == "label")
        self.commands["put.figure"].setChecked(self.parts.dropping.thing == "figure")
        self.picking.setVisible(self.parts.looking.station == "model")
        self.brushes.setVisible(self.parts.looking.station == "paint")
        self.brush.setVisible(self.parts.looking.station == "paint")
        self.brush.refresh()
        self.title.setVisible(self.parts.looking.station not in ("model", "paint"))
        self.commands["look.false"].setChecked(self.parts.looking.false_colours)
        self.commands["look.one"].setEnabled(self.parts.looking.against is not None)
        self.commands["look.pin"].setChecked(self.parts.comparing.pinned is not None)
        self.without.setEnabled(bool(self.parts.selection.chosen))
        self.modes.setVisible(decal is not None and not self.parts.sliding.up)
        if self.parts.dropping.thing is not None:
            self.title.setText(tr("Click where it is to be"))
        elif striping.armed:
            self.title.setText(tr("Click its points, or draw; Enter ends it"))
        elif self.parts.sliding.up:
            self.title.setText(tr("Drag it over the model"))
        elif decal is not None:
            self.title.setText("")
            for mode in self.mode_buttons:
                self.commands[f"place.{mode}"].setChecked(isinstance(decal[1], MODES[mode]))
        else:
            self.title.setText(_TITLES[self.parts.looking.station])

    def _set_mode(self, mode: str) -> None:
        decal, studio = self.parts.selection.decal, self.parts.work.studio
        if decal is None or studio is None:
            self.commands[f"place.{mode}"].setChecked(False)
            return
        layer, place, height = decal
        new: Place | None = place
        if not isinstance(place, MODES[mode]):
            new = in_mode(studio.surface, place, height, mode)
        if new is None:
            self.parts.work.said.emit(tr("Its middle lies beside the model; move it onto the surface first."), True)
        elif new is not place:
            self.parts.work.end_gesture()
            self.parts.work.execute(SetPlace(layer.id, new))
        self.refresh()

    def _take(self, thing: Thing) -> None:
        """Take a label or a figure in hand; again, put it away."""
        dropping = self.parts.dropping
        self.parts.looking.go_to("artwork")
        self.parts.striping.arm(False)
        dropping.take(None if dropping.thing == thing else thing)
        self.refresh()
        if dropping.thing is not None:
            self.model_view.setFocus()  # Enter and Esc are for what is in hand

    def _arm_stripe(self) -> None:
        self.parts.looking.go_to("artwork")
        self.parts.dropping.take(None)
        self.parts.striping.arm(not self.parts.striping.armed)
        self.refresh()

    def _ask_slide(self) -> None:
        self.parts.looking.go_to("artwork")
        self.slide_asked.emit()

    def _shade(self, shading: str) -> None:
        self.commands["look.shaded"].setChecked(shading == SHADED)
        self.commands["look.flat"].setChecked(shading == FLAT)
        self.model_view.set_look(shading=shading)

    def _switch_light(self) -> None:
        self._shade(FLAT if self._is("look.shaded") else SHADED)

    def _frame_all(self) -> None:
        self.model_view.frame_all()
        self.sheet_view.frame_all()
