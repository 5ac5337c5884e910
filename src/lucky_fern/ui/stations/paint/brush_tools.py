"""The Paint station's tools on the tool line, with the settings of the one in hand."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QHBoxLayout, QLabel, QWidget

from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.stations.paint.texel_tools import TexelTools
from lucky_fern.ui.tools.filling import FILLS, Filling
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.widgets.commands import Commands
from lucky_fern.ui.widgets.page import picker
from lucky_fern.words import tr, word

_TOOLS = (
    ("brush", tr("Brush"), tr("Paint by dragging; Alt does the opposite, Shift joins to the last stroke")),
    ("line", tr("Line"), tr("A straight line from press to release; Shift holds it to steps of 15°")),
    ("stamp", tr("Stamp"), tr("The tip once: click, or drag it out to its size")),
    (
        "clone",
        tr("Clone"),
        tr("Ctrl+click what to take, then paint it elsewhere: over seams, tiles and round corners"),
    ),
    ("smear", tr("Smear"), tr("Drags along what it goes over, on the ticked maps")),
    (
        "gradient",
        tr("Gradient"),
        tr(
            "Drag: full where it is pressed, run out where it is let go, over what the list says; on the "
            "sheet it runs flat, on the model through space"
        ),
    ),
    ("texels", tr("Texels"), tr("Whole texels, without soft edges, on sheet or model; Alt takes them away")),
    ("fill", tr("Fill"), tr("Click to fill what is there; on the sheet, draw round what is to be filled")),
)


class BrushTools(QWidget):
    """The tools; beside them what the one in hand asks."""

    def __init__(
        self, commands: Commands, looking: Looking, painting: Painting, filling: Filling, texel_tools: TexelTools
    ) -> None:
        super().__init__()
        self.commands, self.looking, self.painting, self.filling = commands, looking, painting, filling
        self._roomy = False
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(2)
        self.buttons = {}
        for name, title, tip in _TOOLS:
            commands.add(f"paint.{name}", title, partial(self._take, name), tip=f"{title}: {tip[0].lower()}{tip[1:]}",
                         icon_name=f"tool-{name}", checkable=True)  # fmt: skip
            self.buttons[name] = commands.button(f"paint.{name}")
            self.row.addWidget(self.buttons[name])
        self.row.addSpacing(6)
        self.fills = self._choice(
            [word(name).capitalize() for name in FILLS], tr("What a click fills"), self._set_fill
        )
        self.tolerance = QDoubleSpinBox(minimum=0, maximum=100, decimals=0, suffix=" %")
        self.tolerance.setAccessibleName(tr("Tolerance"))
        self.tolerance.setToolTip(tr("How far colours may differ"))
        self.tolerance.valueChanged.connect(lambda value: setattr(filling, "tolerance", value / 100))
        self.row.addWidget(self.tolerance)
        self.drawn = self._choice([tr("Lasso"), tr("Rectangle")], tr("How an outline is drawn on the sheet"),
                                  lambda at: setattr(filling, "boxed", bool(at)))  # fmt: skip
        self.runs = self._choice([tr("Straight"), tr("Round")], tr("Whether it runs out along a line or all round"),
                                 lambda at: setattr(filling, "radial", bool(at)))  # fmt: skip
        self.dragged = self._choice(
            [tr("From its middle"), tr("Corner to corner")],
            tr("How it is dragged out; Shift keeps it square"),
            lambda at: painting.set(cornered=bool(at)),
        )
        self.follows = self._choice(
            [tr("Goes along"), tr("Stays")],
            tr("Whether what is taken goes along with each new stroke, or every stroke begins from the same point"),
            lambda at: painting.set(aligned=not at),
        )
        self.texel_tools = texel_tools
        self.row.addWidget(texel_tools)
        self.hint = QLabel(objectName="quiet")
        self.row.addWidget(self.hint)
        painting.changed.connect(self.refresh)
        self.refresh()

    def _choice(self, names: list[str], tip: str, act: Callable[[int], object]) -> QComboBox:
        box = picker(names, tip, act)
        self.row.addWidget(box)
        return box

    def _take(self, name: str) -> None:
        """Take a tool in hand, wherever one is."""
        self.looking.go_to("paint")
        self.painting.set(tool=name, picking_tip=False)
        self.refresh()

    def _set_fill(self, at: int) -> None:
        self.filling.fill = FILLS[at]
        self.refresh()

    def set_roomy(self, roomy: bool) -> None:
        """Whether there is room for the names of all tools, or just for that of the one in hand."""
        if roomy != self._roomy:
            self._roomy = roomy
            self.refresh()

    def refresh(self) -> None:
        painting, filling = self.painting, self.filling
        tool = painting.tool
        for name, button in self.buttons.items():
            in_hand = tool == name and not painting.picking_tip
            self.commands[f"paint.{name}"].setChecked(in_hand)
            style = Qt.ToolButtonStyle
            named = self._roomy or in_hand
            button.setToolButtonStyle(style.ToolButtonTextBesideIcon if named else style.ToolButtonIconOnly)
        self.fills.setVisible(tool in ("fill", "gradient"))
        self.fills.setCurrentIndex(FILLS.index(filling.fill))
        self.tolerance.setVisible(tool == "fill" and filling.fill.startswith("colour"))
        self.tolerance.setValue(filling.tolerance * 100)
        self.drawn.setVisible(tool == "fill" and not filling.fill.startswith("colour"))
        self.runs.setVisible(tool == "gradient")
        self.dragged.setVisible(tool == "stamp")
        self.follows.setVisible(tool == "clone" and painting.source is not None)
        words = tr("Draw round the tip on the sheet") if painting.picking_tip else ""
        if tool == "clone" and painting.source is None:
            words = tr("Ctrl+click what to take")
        self.hint.setText(words)
        self.hint.setVisible(bool(words))
